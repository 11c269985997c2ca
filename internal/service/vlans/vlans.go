// Package vlans is the VLANs of the whole network: what people say of them, on which devices and ports they are, and whether
// they get to where they must be. Which there are is read from the devices; changing them is for drafts.
package vlans

import (
	"cmp"
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// Service is the capability. Make it with New.
type Service struct {
	store     *store.Store
	inventory *inventory.Service
	changes   *changes.Service
}

// New returns the service.
func New(s *store.Store, inv *inventory.Service, c *changes.Service) *Service {
	return &Service{store: s, inventory: inv, changes: c}
}

// VLAN is a VLAN of the network: what is said of it, and how it stands.
type VLAN struct {
	store.VLANRecord
	Names   []string // by which devices know it, the most frequent first
	Devices []Place  // that know it, by name
	Access  int      // ports that are in it untagged as access ports
	Trunks  int      // ports that carry it besides
	Clients int
	Missing []Missing // devices to which it must be carried, and is not
}

// Place is a device that knows a VLAN.
type Place struct {
	Device, Site, Name string
	Access, Trunks     int
	Clients            int
}

// Missing is a device to which a VLAN must be carried, and is not.
type Missing struct {
	Device string
	Why    string
}

const maxPurpose = 200

// View bounds what is told of VLANs.
type View struct {
	Devices selector.Expr // which devices
	Clients selector.Expr // which clients are counted
	Whole   bool          // also VLANs that none of the devices knows, of which something is said
}

// List lists the VLANs by number: those that devices know, and those that something is said of.
func (s *Service) List(ctx context.Context, view View) ([]VLAN, error) {
	within := view.Devices
	records, err := s.store.VLANRecords(ctx)
	if err != nil {
		return nil, err
	}
	now := time.Now()
	devices := s.inventory.Devices(catalog.Query{Within: within, Limit: 1 << 30, Now: now}).Rows
	clients := map[string]map[network.VLANID]int{}
	for _, c := range s.inventory.Clients(catalog.Query{Within: view.Clients, Limit: 1 << 30, Now: now}).Rows {
		if c.Device != nil && c.VLAN != 0 && c.Here {
			if clients[c.Device.Name] == nil {
				clients[c.Device.Name] = map[network.VLANID]int{}
			}
			clients[c.Device.Name][c.VLAN]++
		}
	}
	byID := map[network.VLANID]*VLAN{}
	at := func(id network.VLANID) *VLAN {
		if byID[id] == nil {
			byID[id] = &VLAN{VLANRecord: store.VLANRecord{ID: id}}
		}
		return byID[id]
	}
	for _, r := range records {
		at(r.ID).VLANRecord = r
	}
	for _, d := range devices {
		access, trunks := count(d.Config)
		for id, known := range d.Config.VLANs {
			v := at(id)
			p := Place{Device: d.Name, Site: d.Site.Name, Name: known.Name, Access: access[id], Trunks: trunks[id], Clients: clients[d.Name][id]}
			v.Devices = append(v.Devices, p)
			v.Access, v.Trunks, v.Clients = v.Access+p.Access, v.Trunks+p.Trunks, v.Clients+p.Clients
		}
	}
	n, err := s.changes.Network(ctx)
	if err != nil {
		return nil, err
	}
	graph := topology.NewGraph(n.Links, n.Entries())
	out := make([]VLAN, 0, len(byID))
	for _, v := range byID {
		v.Names = namesOf(v.Devices)
		if v.Wanted != "" {
			v.Missing = s.missing(n, graph, v.VLANRecord, within)
		}
		if !view.Whole && len(v.Devices)+len(v.Missing) == 0 {
			continue
		}
		out = append(out, *v)
	}
	slices.SortFunc(out, func(a, b VLAN) int { return cmp.Compare(a.ID, b.ID) })
	return out, nil
}

// Get returns a VLAN that there is, or that something is said of.
func (s *Service) Get(ctx context.Context, id network.VLANID, view View) (VLAN, error) {
	list, err := s.List(ctx, view)
	if err != nil {
		return VLAN{}, err
	}
	at := slices.IndexFunc(list, func(v VLAN) bool { return v.ID == id })
	if at < 0 {
		return VLAN{}, fmt.Errorf("VLAN %s: %w", id, store.ErrNotFound)
	}
	return list[at], nil
}

// count counts the ports of a device by the VLANs that they are in.
func count(c network.Config) (access, trunks map[network.VLANID]int) {
	access, trunks = map[network.VLANID]int{}, map[network.VLANID]int{}
	for _, p := range c.Ports {
		switch {
		case !p.Enabled:
		case p.Mode == network.Access:
			access[p.AccessVLAN]++
		case p.Mode == network.Trunk:
			for _, v := range p.TrunkVLANs {
				trunks[v]++
			}
			if p.NativeVLAN != 0 && !p.TrunkVLANs.Has(p.NativeVLAN) {
				trunks[p.NativeVLAN]++
			}
		}
	}
	return access, trunks
}

func namesOf(places []Place) []string {
	n := map[string]int{}
	for _, p := range places {
		if p.Name != "" {
			n[p.Name]++
		}
	}
	var out []string
	for name := range n {
		out = append(out, name)
	}
	slices.SortFunc(out, func(a, b string) int { return cmp.Or(n[b]-n[a], cmp.Compare(a, b)) })
	return out
}

// missing lists the devices to which a VLAN must be carried, and is not.
func (s *Service) missing(n changes.Network, graph *topology.Graph, r store.VLANRecord, within selector.Expr) []Missing {
	where, err := catalog.Network.Parse(r.Wanted)
	if err != nil {
		return nil
	}
	var out []Missing
	for _, d := range s.inventory.Devices(catalog.Query{Where: where, Within: within, Limit: 1 << 30, Now: time.Now()}).Rows {
		if _, has := d.Config.VLANs[r.ID]; !has {
			out = append(out, Missing{d.Name, "does not know it"})
		} else if gaps := graph.Gaps(n.Configs, d.Name, r.ID); len(gaps) > 0 {
			out = append(out, Missing{d.Name, "not carried on " + gaps[0].String()})
		}
	}
	return out
}

// Describe keeps what is said of a VLAN. With nothing to say it is forgotten.
func (s *Service) Describe(ctx context.Context, r store.VLANRecord) error {
	r.Purpose = strings.TrimSpace(r.Purpose)
	if utf8.RuneCountInString(r.Purpose) > maxPurpose {
		return inventory.Invalid(fmt.Sprintf("a purpose has at most %d characters", maxPurpose))
	}
	subnets, err := parseEach(r.Subnets, func(t string) (netip.Prefix, error) {
		p, err := netip.ParsePrefix(t)
		if err != nil {
			return p, fmt.Errorf("%q is not a subnet: write it like 10.2.40.0/24", t)
		}
		return p.Masked(), nil
	})
	if err != nil {
		return inventory.Invalid(err.Error())
	}
	gateways, err := parseEach(r.Gateways, func(t string) (netip.Addr, error) {
		a, err := netip.ParseAddr(t)
		if err != nil {
			return a, fmt.Errorf("%q is not the address of a gateway", t)
		}
		return a, nil
	})
	if err != nil {
		return inventory.Invalid(err.Error())
	}
	for _, g := range gateways {
		if !slices.ContainsFunc(subnets, func(p netip.Prefix) bool { return p.Contains(g) }) {
			return inventory.Invalid(fmt.Sprintf("the gateway %s is in none of the subnets", g))
		}
	}
	if err := s.overlap(ctx, r.ID, subnets); err != nil {
		return err
	}
	r.Subnets, r.Gateways = join(subnets), join(gateways)
	if r.Wanted = strings.TrimSpace(r.Wanted); r.Wanted != "" {
		if _, err := catalog.Network.Parse(r.Wanted); err != nil {
			return err
		}
	}
	return s.store.PutVLANRecord(ctx, r)
}

// overlap tells whether a subnet is (partly) that of another VLAN.
func (s *Service) overlap(ctx context.Context, id network.VLANID, subnets []netip.Prefix) error {
	records, err := s.store.VLANRecords(ctx)
	if err != nil {
		return err
	}
	for _, other := range records {
		if other.ID == id {
			continue
		}
		theirs, _ := parseEach(other.Subnets, netip.ParsePrefix)
		for _, p := range subnets {
			for _, o := range theirs {
				if p.Overlaps(o) {
					return inventory.Invalid(fmt.Sprintf("the subnet %s overlaps %s of VLAN %s", p, o, other.ID))
				}
			}
		}
	}
	return nil
}

func parseEach[T any](text string, parse func(string) (T, error)) ([]T, error) {
	var out []T
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		v, err := parse(part)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

func join[T fmt.Stringer](list []T) string {
	parts := make([]string, len(list))
	for i, v := range list {
		parts[i] = v.String()
	}
	return strings.Join(parts, ",")
}

// Carry works out what it takes to have a VLAN carried from one device to another, on the network as it is, or as a draft
// will make it.
func (s *Service) Carry(ctx context.Context, id network.VLANID, from, to string, draft []intent.Edit) (intent.Carriage, error) {
	n, err := s.changes.NetworkAfter(ctx, draft)
	if err != nil {
		return intent.Carriage{}, err
	}
	name := ""
	for _, d := range []string{from, to} {
		name = cmp.Or(name, n.Configs[d].VLANs[id].Name)
	}
	if name == "" {
		var all []Place
		for d, c := range n.Configs {
			all = append(all, Place{Device: d, Name: c.VLANs[id].Name})
		}
		if names := namesOf(all); len(names) > 0 {
			name = names[0]
		}
	}
	out, err := intent.Carry(n.Configs, n.Links, id, name, from, to)
	if err != nil {
		return out, inventory.Invalid(err.Error())
	}
	return out, nil
}
