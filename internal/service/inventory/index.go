package inventory

import (
	"sync"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// index keeps the rows of everything current: what is kept of a device joined with what the fleet sees of it. A device's
// rows are built anew when it is seen; all of them when a change may touch others too (a host name, a site), but not
// before somebody asks.
type index struct {
	mu    sync.RWMutex
	net   catalog.Net
	kept  map[string]store.Device
	views map[string]fleet.View
	hosts map[string]string // host name → device
	stale bool              // all rows must be built anew

	linked time.Time // when the links were drawn last

	addresses map[string]string // of clients, by hardware address, as devices resolved them
	book      clientBook
	makers    catalog.Makers
}

// maxAddresses bounds what devices can make the service remember.
const maxAddresses = 500_000

func newIndex() *index {
	return &index{kept: map[string]store.Device{}, views: map[string]fleet.View{}, hosts: map[string]string{}, addresses: map[string]string{}, book: newClientBook()}
}

// setSites takes the sites as they are now.
func (x *index) setSites(sites []network.Site) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.net.SetSites(sites)
	x.stale = true
}

// hasSite tells whether there is a site, without making any rows.
func (x *index) hasSite(name string) bool {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return x.net.Site(name) != nil
}

// site returns a site as it is kept.
func (x *index) site(name string) (network.Site, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	s := x.net.Site(name)
	if s == nil {
		return network.Site{}, false
	}
	return s.Site, true
}

// keep takes a device as it is kept now.
func (x *index) keep(d store.Device) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.kept[d.Name] = d
	x.stale = true
}

// drop forgets a device.
func (x *index) drop(name string) {
	x.mu.Lock()
	defer x.mu.Unlock()
	delete(x.kept, name)
	delete(x.views, name)
	x.book.drop(name)
	x.net.Drop(name)
	x.stale = true
}

// SetAlarms takes the open alarms of all devices, so that things can be picked by them.
func (s *Service) SetAlarms(by map[string][]*catalog.Alarm) {
	s.index.mu.Lock()
	defer s.index.mu.Unlock()
	s.index.net.SetAlarms(by)
}

// rename gives a device another name, with the clients that are or were there.
func (x *index) rename(from, to string) {
	x.mu.Lock()
	defer x.mu.Unlock()
	d, v := x.kept[from], x.views[from]
	d.Name, v.Name = to, to
	delete(x.kept, from)
	delete(x.views, from)
	x.kept[to], x.views[to] = d, v
	x.book.rename(from, to)
	x.net.Drop(from)
	x.stale = true
}

// see takes a device as the fleet sees it now.
func (x *index) see(v fleet.View) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if _, known := x.kept[v.Name]; !known {
		return
	}
	old := x.views[v.Name]
	x.views[v.Name] = v
	if len(x.addresses) > maxAddresses {
		clear(x.addresses) // what is true is told again in a moment
	}
	for _, r := range v.State.Resolved {
		x.addresses[r.MAC] = r.Address
	}
	if old.Config.Hostname != v.Config.Hostname {
		x.stale = true
	}
	if x.stale {
		return
	}
	x.build(v.Name)
	if old.Reach != v.Reach {
		x.buildClients(v.Name)
	}
}

// build makes the rows of one device.
func (x *index) build(name string) {
	d, v := x.kept[name], x.views[name]
	id := d.Identity
	if v.Identity.Serial != "" {
		id = v.Identity
	}
	site := x.net.Site(d.Site)
	if site == nil {
		site = &catalog.Site{Site: network.Site{Name: d.Site}} // between two steps of a merge
	}
	s := catalog.Sight{Identity: id, Reach: v.Reach, Since: v.Since, Why: v.Why, SeenAt: v.SeenAt, Config: v.Config, State: v.State, Inside: v.Inside}
	if !d.RetiredAt.IsZero() {
		s = catalog.Sight{Identity: id, Reach: network.ReachRetired, Since: d.RetiredAt, SeenAt: d.SeenAt}
	}
	address := d.Address
	if d.CallsHome {
		address = v.From
	}
	x.net.Put(catalog.NewDevice(catalog.Record{Name: d.Name, Address: address, CallsHome: d.CallsHome, HostKey: d.HostKey, EnrolledAt: d.EnrolledAt,
		EnrolledBy: d.EnrolledBy, Control: d.Control, Particulars: d.Particulars}, s, site, func(system string) string { return x.hosts[system] }))
}

// ask calls f with all rows, current. f must not keep the net; the rows themselves never change.
func (x *index) ask(f func(*catalog.Net)) {
	x.mu.RLock()
	if !x.stale {
		defer x.mu.RUnlock()
		f(&x.net)
		return
	}
	x.mu.RUnlock()
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.stale {
		clear(x.hosts)
		for name := range x.kept {
			x.hosts[name] = name
		}
		for name, v := range x.views {
			if v.Config.Hostname != "" {
				x.hosts[v.Config.Hostname] = name
			}
		}
		for name := range x.kept {
			x.build(name)
			x.buildClients(name)
		}
		x.stale = false
	}
	f(&x.net)
}

// linksLast is how long links are told as they were drawn: they are drawn from all devices at once.
const linksLast = time.Second

// askFor is ask for a query, which may ask for links.
func (x *index) askFor(q catalog.Query, links bool, f func(*catalog.Net)) {
	if !links && !q.SpeaksOfLinks() {
		x.ask(f)
		return
	}
	x.ask(func(*catalog.Net) {}) // whatever is stale is built
	x.mu.Lock()
	if time.Since(x.linked) > linksLast {
		x.net.Relink(func(system string) string { return x.hosts[system] })
		x.linked = time.Now()
	}
	x.mu.Unlock()
	x.ask(f)
}

// record returns a device as it is kept.
func (x *index) record(name string) (store.Device, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	d, ok := x.kept[name]
	return d, ok
}

// Sites answers a query for sites.
func (s *Service) Sites(q catalog.Query) (out catalog.Result[*catalog.Site]) {
	s.index.askFor(q, false, func(n *catalog.Net) { out = n.Sites(q) })
	return out
}

// Devices answers a query for devices.
func (s *Service) Devices(q catalog.Query) (out catalog.Result[*catalog.Device]) {
	s.index.askFor(q, false, func(n *catalog.Net) { out = n.Devices(q) })
	return out
}

// Ports answers a query for ports.
func (s *Service) Ports(q catalog.Query) (out catalog.Result[*catalog.Port]) {
	s.index.askFor(q, false, func(n *catalog.Net) { out = n.Ports(q) })
	return out
}

// Links answers a query for links.
func (s *Service) Links(q catalog.Query) (out catalog.Result[*catalog.Link]) {
	s.index.askFor(q, true, func(n *catalog.Net) { out = n.Links(q) })
	return out
}

// Device finds a device with its ports in the order of people.
func (s *Service) Device(name string) (d *catalog.Device, ports []*catalog.Port, err error) {
	s.index.ask(func(n *catalog.Net) { d, ports = n.Device(name) })
	if d == nil {
		return nil, nil, noDevice(name)
	}
	return d, ports, nil
}
