// Package discovery looks for devices: at addresses that are given, and from there by what the devices found tell of their
// neighbours. What it finds waits to be accepted by a person; nothing is enrolled by itself.
//
// A search is bounded in addresses and hops, shows how far it is, can be cancelled, and is told as interrupted when the
// service ends under it. It logs in with what it is given, so that a machine that is not ours could learn the password:
// that is why the key that each device showed is kept, shown, and must be accepted with it.
package discovery

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// Bounds of a search.
const (
	MaxAddresses = 10_000 // that are asked in one search
	MaxHops      = 32
	workers      = 24
	probeTime    = 3 * time.Second  // for a device to show its key, if there is one at the address
	toldTime     = 10 * time.Second // for one of which a neighbour told that it is there
)

// States of a search.
const (
	Running     = "running"
	Done        = "done"
	Cancelled   = "cancelled"
	Interrupted = "interrupted"
)

// ErrBusy tells that a search is under way.
var ErrBusy = errors.New("a search is under way: wait for it, or cancel it")

// Service is the capability. Make it with New.
type Service struct {
	fleet     *fleet.Fleet
	inventory *inventory.Service
	store     *store.Store
	sealer    *secrets.Sealer
	feed      *feed.Feed
	log       *slog.Logger

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	mu      sync.Mutex
	current *search // nil while none runs
}

// New returns the service. It works until Close.
func New(ctx context.Context, f *fleet.Fleet, inv *inventory.Service, s *store.Store, sealer *secrets.Sealer, fd *feed.Feed, log *slog.Logger) (*Service, error) {
	if err := s.InterruptDiscoveries(ctx); err != nil {
		return nil, err
	}
	own, stop := context.WithCancel(context.WithoutCancel(ctx))
	return &Service{fleet: f, inventory: inv, store: s, sealer: sealer, feed: fd, log: log, ctx: own, stop: stop}, nil
}

// Close ends what runs and waits for it.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

// Request says what to look for.
type Request struct {
	Targets        []string // addresses, prefixes, ranges; an address may have a port
	Port           int      // where the targets say none; 830 when 0
	User, Password string
	Hops           int // how far neighbours are followed; 0: not at all
	By             string
}

// queue lists the addresses to begin with, or tells why that is no search.
func (r Request) queue() ([]hop, error) {
	queue, err := targets(r.Targets, uint16(cmp.Or(r.Port, 830)))
	switch {
	case err != nil:
		return nil, err
	case r.User == "":
		return nil, inventory.Invalid("give the user name to log in with")
	case r.Hops < 0 || r.Hops > MaxHops:
		return nil, inventory.Invalid(fmt.Sprintf("neighbours can be followed over 0 to %d hops", MaxHops))
	}
	return queue, nil
}

// Start begins a search and returns it as it stands.
func (s *Service) Start(ctx context.Context, r Request) (store.Discovery, error) {
	x, err := s.begin(ctx, r)
	if x == nil {
		return store.Discovery{}, err
	}
	return x.snapshot(), err
}

// begin begins a search. With ErrBusy it returns the one that is under way.
func (s *Service) begin(ctx context.Context, r Request) (*search, error) {
	queue, err := r.queue()
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.current != nil && s.current.snapshot().State == Running { // one that is over and only not kept yet is in nobody's way
		return s.current, ErrBusy
	}
	d := store.Discovery{State: Running, DiscoveryBody: store.DiscoveryBody{By: r.By, Targets: r.Targets, Hops: r.Hops, StartedAt: time.Now().UTC(), Queued: len(queue)}}
	if d.Number, err = s.store.AddDiscovery(ctx, d); err != nil {
		return nil, err
	}
	run, cancel := context.WithCancel(s.ctx)
	x := newSearch(s, d, r, queue, cancel)
	s.current = x
	s.wg.Go(func() { s.run(run, x) })
	return x, nil
}

// targets lists the addresses to begin with, as host:port.
func targets(list []string, port uint16) ([]hop, error) {
	var out []hop
	for _, t := range list {
		t = strings.TrimSpace(t)
		if t == "" {
			continue
		}
		addresses, err := network.ExpandAddresses(t)
		if err != nil {
			address, named := hostAddress(t, port)
			if !named {
				return nil, inventory.Invalid(err.Error())
			}
			out = append(out, hop{address: address})
			continue
		}
		for _, a := range addresses {
			out = append(out, hop{address: netip.AddrPortFrom(a, port).String()})
		}
	}
	if len(out) == 0 {
		return nil, inventory.Invalid("give an address to begin with")
	}
	if len(out) > network.MaxRange {
		return nil, inventory.Invalid(fmt.Sprintf("that is %d addresses; at most %d can be asked for at once", len(out), network.MaxRange))
	}
	return out, nil
}

// hostName is a name of a host, which has a letter.
var hostName = regexp.MustCompile(`^[A-Za-z0-9.-]*[A-Za-z][A-Za-z0-9.-]*$`)

// hostAddress reads a name, or a name or an address with a port.
func hostAddress(s string, port uint16) (string, bool) {
	host, own, err := net.SplitHostPort(s)
	if err != nil {
		host, own = s, strconv.Itoa(int(port))
	}
	if _, err := netip.ParseAddr(host); err != nil && !hostName.MatchString(host) {
		return "", false
	}
	address, err := inventory.Address(net.JoinHostPort(host, own))
	return address, err == nil
}

// Cancel ends the search of a number.
func (s *Service) Cancel(number int64) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.current == nil || s.current.d.Number != number || s.current.snapshot().State != Running {
		return fmt.Errorf("search %d does not run: %w", number, store.ErrNotFound)
	}
	s.current.cancel()
	return nil
}

// Searches lists the last searches, the newest first.
func (s *Service) Searches(ctx context.Context) ([]store.Discovery, error) {
	list, err := s.store.Discoveries(ctx, 20)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.current != nil {
		for i, d := range list {
			if d.Number == s.current.d.Number {
				list[i] = s.current.snapshot()
			}
		}
	}
	return list, err
}

// hop is an address to ask, and how we came to it.
type hop struct {
	address string
	via     string // device and port or tunnel
	count   int    // hops from where the search began
	site    string // of the device that told of it, where it stands beside it
}

// search is one that runs. Its workers take hops from a queue that they also fill.
type search struct {
	service *Service
	request Request
	cancel  context.CancelFunc
	over    chan struct{} // closed at its end

	mu      sync.Mutex
	changed *sync.Cond
	d       store.Discovery
	queue   []hop
	busy    int             // workers that may still find more
	seen    map[string]bool // addresses
	serials map[string]bool
}

func newSearch(s *Service, d store.Discovery, r Request, queue []hop, cancel context.CancelFunc) *search {
	x := &search{service: s, request: r, cancel: cancel, over: make(chan struct{}), d: d, seen: map[string]bool{}, serials: map[string]bool{}}
	x.d.Refused = map[string]string{}
	x.changed = sync.NewCond(&x.mu)
	for _, h := range queue {
		x.add(h)
	}
	return x
}

// add queues an address unless it was seen. It is called with the lock held, or before anybody else knows the search.
func (x *search) add(h hop) {
	if x.seen[h.address] {
		return
	}
	if len(x.seen) >= MaxAddresses {
		x.d.Cut = true
		return
	}
	x.seen[h.address] = true
	x.queue = append(x.queue, h)
	x.d.Queued = len(x.queue)
	x.changed.Signal()
}

func (x *search) snapshot() store.Discovery {
	x.mu.Lock()
	defer x.mu.Unlock()
	d := x.d
	d.Refused = maps.Clone(d.Refused)
	return d
}

// take waits for the next address; false: there will be none.
func (x *search) take(ctx context.Context) (hop, bool) {
	x.mu.Lock()
	defer x.mu.Unlock()
	for len(x.queue) == 0 && x.busy > 0 && ctx.Err() == nil {
		x.changed.Wait()
	}
	if len(x.queue) == 0 || ctx.Err() != nil {
		x.changed.Broadcast()
		return hop{}, false
	}
	h := x.queue[0]
	x.queue = x.queue[1:]
	x.d.Queued = len(x.queue)
	x.busy++
	return h, true
}

// finished tells that a worker is done with an address.
func (x *search) finished() {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.busy--
	x.d.Asked++
	if x.busy == 0 {
		x.changed.Broadcast()
	}
}

func (s *Service) run(ctx context.Context, x *search) {
	defer close(x.over)
	defer x.cancel()
	wake := context.AfterFunc(ctx, func() {
		x.mu.Lock()
		defer x.mu.Unlock()
		x.changed.Broadcast()
	})
	defer wake()
	told := make(chan struct{})
	var wg sync.WaitGroup
	wg.Go(func() { s.tell(x, told) })
	var work sync.WaitGroup
	for range workers {
		work.Go(func() {
			for {
				h, ok := x.take(ctx)
				if !ok {
					return
				}
				x.ask(ctx, h)
				x.finished()
			}
		})
	}
	work.Wait()
	close(told)
	wg.Wait()
	x.mu.Lock()
	x.d.State = Done
	if ctx.Err() != nil {
		x.d.State = Cancelled
		if s.ctx.Err() != nil {
			x.d.State = Interrupted
		}
	}
	x.d.EndedAt, x.d.Queued = time.Now().UTC(), 0
	x.mu.Unlock()
	d := x.snapshot()
	if err := s.store.PutDiscovery(context.WithoutCancel(ctx), d); err != nil {
		s.log.Error("a search could not be kept", "search", d.Number, "err", err)
	}
	s.mu.Lock()
	if s.current == x {
		s.current = nil
	}
	s.mu.Unlock()
	s.feed.Tell(fact.Of(d.EndedAt, fact.TheSearch(d.Number), fact.SearchEnded{State: d.State, Found: d.Found}))
}

// tell says, a few times a second, that the search goes on.
func (s *Service) tell(x *search, done <-chan struct{}) {
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-done:
			return
		case <-tick.C:
			s.feed.Note(fact.State{Kind: fact.Search})
		}
	}
}

// ask finds out who is at an address, and whom it knows of.
func (x *search) ask(ctx context.Context, h hop) {
	s := x.service
	var d *catalog.Device
	if known := s.inventory.Devices(catalog.Query{Where: catalog.AtAddress(h.address), Limit: 1}).Rows; len(known) > 0 {
		d = known[0]
		x.count(func(d *store.Discovery) { d.Known++ })
		x.follow(h, d.Name, d.Site.Name, network.Adjacencies(d.State.Ports, d.Inside.Tunnels))
		return
	}
	patience := probeTime
	if h.via != "" {
		patience = toldTime
	}
	probe, cancel := context.WithTimeout(ctx, patience)
	key, err := s.fleet.HostKey(probe, h.address)
	cancel()
	if err != nil {
		if ctx.Err() == nil {
			x.count(func(d *store.Discovery) { d.Silent++ })
		}
		return
	}
	id, neighbours, err := s.fleet.Survey(ctx, driver.Target{Address: h.address, User: x.request.User, Password: x.request.Password, HostKey: key})
	if err != nil {
		if ctx.Err() == nil {
			x.count(func(d *store.Discovery) { d.Refused[h.address] = err.Error() })
		}
		return
	}
	x.mu.Lock()
	twice := x.serials[id.Serial]
	x.serials[id.Serial] = true
	x.mu.Unlock()
	if twice || id.Serial != "" && s.inventory.Devices(catalog.Query{Where: catalog.OfSerial(id.Serial)}).Total > 0 {
		x.count(func(d *store.Discovery) { d.Known++ }) // by another address
		return
	}
	f := store.Found{Address: h.address, Run: x.d.Number, User: x.request.User, Secret: s.sealer.Seal("found "+h.address, x.request.Password), HostKey: key,
		Identity: id, Via: h.via, Site: s.proposeSite(id.Hostname, h.site), FoundAt: time.Now().UTC()}
	if err := s.store.PutFound(ctx, f); err != nil {
		s.log.Error("a device that was found could not be kept", "address", h.address, "err", err)
		return
	}
	x.count(func(d *store.Discovery) { d.Found++ })
	x.follow(h, id.Hostname, f.Site, neighbours)
}

func (x *search) count(f func(*store.Discovery)) {
	x.mu.Lock()
	defer x.mu.Unlock()
	f(&x.d)
}

// follow queues the neighbours of a device, at the port at which the device itself listens.
func (x *search) follow(from hop, device, site string, neighbours []network.Adjacency) {
	if from.count >= x.request.Hops {
		return
	}
	_, port, err := net.SplitHostPort(from.address)
	if err != nil {
		return
	}
	slices.SortFunc(neighbours, func(a, b network.Adjacency) int { return network.ComparePorts(a.Via, b.Via) })
	x.mu.Lock()
	defer x.mu.Unlock()
	for _, n := range neighbours {
		if a, err := netip.ParseAddr(n.Address); err == nil && a.IsValid() {
			x.add(hop{address: net.JoinHostPort(n.Address, port), via: device + ", " + n.Via, count: from.count + 1, site: site})
		}
	}
}

// proposeSite finds the site whose code the host name begins with (th-sw-02: TH), or else that of the neighbour.
func (s *Service) proposeSite(host, neighbour string) string {
	prefix, _, _ := strings.Cut(host, "-")
	for _, site := range s.inventory.Sites(catalog.Query{Limit: 10_000}).Rows {
		if site.Code != "" && strings.EqualFold(site.Code, prefix) {
			return site.Name
		}
	}
	return neighbour
}

// Found lists what waits to be accepted.
func (s *Service) Found(ctx context.Context) ([]store.Found, error) { return s.store.AllFound(ctx) }

// Acceptance takes a found device into service.
type Acceptance struct {
	Address string
	Site    string // the one proposed when empty
	Name    string // its host name when empty
	HostKey string // as shown to who accepts it
}

// Result is what came of one of them.
type Result struct {
	Address, Device string
	Err             error
}

// Accept enrols found devices. Each has a result of its own. mayAt tells why one may not be put at a site.
func (s *Service) Accept(ctx context.Context, list []Acceptance, by string, mayAt func(site string) error) ([]Result, error) {
	all, err := s.store.AllFound(ctx)
	if err != nil {
		return nil, err
	}
	byAddress := map[string]store.Found{}
	for _, f := range all {
		byAddress[f.Address] = f
	}
	results := make([]Result, len(list))
	var wg sync.WaitGroup
	slots := make(chan struct{}, workers)
	for i, a := range list {
		results[i].Address = a.Address
		f, ok := byAddress[a.Address]
		if !ok {
			results[i].Err = fmt.Errorf("%s was not found, or is accepted already: %w", a.Address, store.ErrNotFound)
			continue
		}
		a.Site = cmp.Or(a.Site, f.Site)
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			if results[i].Err = mayAt(a.Site); results[i].Err == nil {
				results[i].Device, results[i].Err = s.accept(ctx, f, a, by)
			}
		})
	}
	wg.Wait()
	return results, nil
}

func (s *Service) accept(ctx context.Context, f store.Found, a Acceptance, by string) (string, error) {
	if a.HostKey != f.HostKey {
		return "", inventory.ErrNotAccepted
	}
	password, err := s.sealer.Open("found "+f.Address, f.Secret)
	if err != nil {
		return "", err
	}
	d, err := s.inventory.Enrol(ctx, inventory.Enrolment{Address: f.Address, User: f.User, Password: password, HostKey: f.HostKey, Site: a.Site, Name: a.Name, By: by})
	if err != nil {
		return "", err
	}
	return d.Name, s.store.DropFound(ctx, f.Address)
}

// Dismiss forgets found devices. A later search finds them again.
func (s *Service) Dismiss(ctx context.Context, addresses []string) error {
	for _, a := range addresses {
		if err := s.store.DropFound(ctx, a); err != nil {
			return err
		}
	}
	s.feed.Note(fact.State{Kind: fact.Search})
	return nil
}
