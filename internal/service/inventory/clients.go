package inventory

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

const (
	// clientsKept is how long a client that is gone is remembered, unless a person named it.
	clientsKept = 90 * 24 * time.Hour
	// seenEvery is how often it is kept that a client is still where it was.
	seenEvery = 5 * time.Minute
)

// station is a client as the index knows it.
type station struct {
	store.Client
	here bool
	kept time.Time // when it was last written
}

// clientBook is who is where. The index's lock guards it.
type clientBook struct {
	byMAC    map[string]*station
	byDevice map[string]map[string]*station
	read     map[string]time.Time // by device: the observation that was taken
}

func newClientBook() clientBook {
	return clientBook{byMAC: map[string]*station{}, byDevice: map[string]map[string]*station{}, read: map[string]time.Time{}}
}

// place writes down at which device a client is.
func (b *clientBook) place(mac string, s *station, device string) {
	if old := b.byDevice[s.DeviceID]; old != nil {
		delete(old, mac)
	}
	if b.byDevice[device] == nil {
		b.byDevice[device] = map[string]*station{}
	}
	b.byDevice[device][mac] = s
}

// drop forgets the clients of a device that is forgotten, as the store does.
func (b *clientBook) drop(device string) {
	for mac := range b.byDevice[device] {
		delete(b.byMAC, mac)
	}
	delete(b.byDevice, device)
	delete(b.read, device)
}

// rename takes the clients of a device to its new name.
func (b *clientBook) rename(from, to string) {
	for _, s := range b.byDevice[from] {
		s.DeviceID = to
	}
	if there, ok := b.byDevice[from]; ok {
		b.byDevice[to] = there
		delete(b.byDevice, from)
	}
	delete(b.read, from)
}

// see takes what a device sees and returns what is to be kept, and which other devices lost a client to it.
func (b *clientBook) see(device string, at time.Time, seen []catalog.Sighting) (keep []store.Client, others []string) {
	for _, s := range b.byDevice[device] {
		s.here = false
	}
	for _, sighting := range seen {
		s := b.byMAC[sighting.MAC]
		if s == nil {
			s = &station{Client: store.Client{FirstSeen: at}}
			b.byMAC[sighting.MAC] = s
		}
		if s.DeviceID != "" && s.DeviceID != device {
			// Two devices may tell of one client while it moves, or one from a table that is a moment old: the later wins.
			if s.LastSeen.After(at) {
				continue
			}
			if !slices.Contains(others, s.DeviceID) {
				others = append(others, s.DeviceID)
			}
		}
		b.place(sighting.MAC, s, device)

		before := s.Sighting
		before.SignalDbm, before.Use = sighting.SignalDbm, sighting.Use // these always wander
		moved := before != sighting
		s.Sighting, s.LastSeen, s.here = sighting, at, true
		if moved || at.Sub(s.kept) >= seenEvery {
			s.kept = at
			keep = append(keep, s.Client)
		}
	}
	return keep, others
}

// readClients takes the clients as they are kept.
func (s *Service) readClients(ctx context.Context) error {
	since := time.Now().Add(-clientsKept)
	if err := s.store.ForgetClients(ctx, since); err != nil {
		return err
	}
	list, err := s.store.Clients(ctx, since)
	if err != nil {
		return err
	}
	s.index.mu.Lock()
	defer s.index.mu.Unlock()
	for _, c := range list {
		st := &station{Client: c, kept: c.LastSeen}
		s.index.book.byMAC[c.MAC] = st
		s.index.book.place(c.MAC, st, c.DeviceID)
	}
	return nil
}

// seeClients takes what a device tells of clients, when it told anew.
func (s *Service) seeClients(v fleet.View) {
	keep := s.index.seeClients(v)
	if len(keep) == 0 {
		return
	}
	s.ledger.stations(keep)
}

func (x *index) seeClients(v fleet.View) []store.Client {
	x.mu.Lock()
	defer x.mu.Unlock()
	if _, known := x.kept[v.Name]; !known || v.Inside.ObservedAt.IsZero() || !v.Inside.ObservedAt.After(x.book.read[v.Name]) {
		return nil
	}
	x.book.read[v.Name] = v.Inside.ObservedAt
	keep, others := x.book.see(v.Name, v.Inside.ObservedAt, catalog.Sightings(v.Name, catalog.Sight{Config: v.Config, State: v.State, Inside: v.Inside}))
	if !x.stale {
		for _, d := range append(others, v.Name) {
			x.buildClients(d)
		}
	}
	return keep
}

// buildClients makes the rows of the clients of a device.
func (x *index) buildClients(device string) {
	d, ports := x.net.Device(device)
	if d == nil {
		return
	}
	byName := map[string]*catalog.Port{}
	for _, p := range ports {
		byName[p.Ref.Port] = p
	}
	rows := make([]*catalog.Client, 0, len(x.book.byDevice[device]))
	for _, s := range x.book.byDevice[device] {
		here := s.here && d.Reach == network.ReachConnected
		sighting := s.Sighting
		if sighting.Address == "" {
			sighting.Address = x.addresses[s.MAC]
		}
		rows = append(rows, catalog.NewClient(sighting, s.GivenName, x.makers.Of(s.MAC), s.FirstSeen, s.LastSeen, here, d, byName[s.Port]))
	}
	slices.SortFunc(rows, func(a, b *catalog.Client) int { return strings.Compare(a.MAC, b.MAC) })
	x.net.SetClients(device, rows)
}

// ClientsAt tells how many end stations are at a device now.
func (s *Service) ClientsAt(device string) int {
	s.index.mu.RLock()
	defer s.index.mu.RUnlock()
	n := 0
	for _, st := range s.index.book.byDevice[device] {
		if st.here {
			n++
		}
	}
	return n
}

// Clients answers a query for clients.
func (s *Service) Clients(q catalog.Query) (out catalog.Result[*catalog.Client]) {
	s.index.askFor(q, false, func(n *catalog.Net) { out = n.Clients(q) })
	return out
}

// SetMakers says who makes what, by hardware address.
func (s *Service) SetMakers(m catalog.Makers) {
	s.index.mu.Lock()
	defer s.index.mu.Unlock()
	s.index.makers, s.index.stale = m, true
}

// NameClient gives a client a name; "" takes it back.
func (s *Service) NameClient(ctx context.Context, mac, name string) error {
	name = strings.TrimSpace(name)
	if err := checkLine("name", name); err != nil {
		return err
	}
	mac = strings.ToLower(mac)
	s.ledger.drain()
	if err := s.store.NameClient(ctx, mac, name); err != nil {
		return fmt.Errorf("client %s: %w", mac, err)
	}
	s.index.mu.Lock()
	if st := s.index.book.byMAC[mac]; st != nil {
		st.GivenName = name
		s.index.stale = true
	}
	s.index.mu.Unlock()
	s.feed.Note(fact.State{Kind: fact.Fleet})
	return nil
}
