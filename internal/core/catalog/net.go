package catalog

import (
	"cmp"
	"iter"
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Net is all rows at a moment, ready to be asked. The zero Net is empty. It is not safe for concurrent use.
type Net struct {
	sites   []*Site   // by name
	devices []*Device // by name
	ports   map[string][]*Port
	clients map[string][]*Client // by device, those that are or were last seen there
	alarms  map[string][]*Alarm  // by device, the open ones
	links   map[string][]*Link   // by device, as of Relink
}

// Query is what is asked of a list.
type Query struct {
	Where         selector.Expr // nil: all
	Within        selector.Expr // what there is for who asks; nil: all. Result.All counts it
	Order         []Order       // none: by name
	Offset, Limit int
	Counts        []*selector.Field // by which the matching rows are counted
	Now           time.Time         // from which ages are counted
}

// Result is the answer.
type Result[R any] struct {
	Rows   []R
	Total  int              // how many match
	All    int              // how many there are
	Counts []map[string]int // one for each field asked for
}

// SetSites replaces the sites: those that hold devices must be among them. The rows of devices keep pointing at the old
// ones until they are put anew.
func (n *Net) SetSites(sites []network.Site) {
	n.sites = make([]*Site, len(sites))
	for i, s := range sites {
		n.sites[i] = &Site{Site: s}
	}
	slices.SortFunc(n.sites, func(a, b *Site) int { return cmp.Compare(a.Name, b.Name) })
}

// Put adds or replaces a device with its ports.
func (n *Net) Put(d *Device, ports []*Port) {
	at, found := slices.BinarySearchFunc(n.devices, d.Name, compareName)
	if found {
		n.devices[at] = d
	} else {
		n.devices = slices.Insert(n.devices, at, d)
	}
	if n.ports == nil {
		n.ports = map[string][]*Port{}
	}
	n.ports[d.Name] = ports
}

// Drop takes a device out.
func (n *Net) Drop(device string) {
	if at, found := slices.BinarySearchFunc(n.devices, device, compareName); found {
		n.devices = slices.Delete(n.devices, at, at+1)
	}
	delete(n.ports, device)
	delete(n.clients, device)
	delete(n.links, device)
}

// SetClients replaces the clients of a device.
func (n *Net) SetClients(device string, clients []*Client) {
	if n.clients == nil {
		n.clients = map[string][]*Client{}
	}
	n.clients[device] = clients
}

// Clients answers a query for clients.
func (n *Net) Clients(q Query) Result[*Client] {
	return answer(n, partsOf(n.devices, n.clients), selector.Client, q, BindClient)
}

func compareName(d *Device, name string) int { return cmp.Compare(d.Name, name) }

// Site finds a site, or nil.
func (n *Net) Site(name string) *Site {
	at, found := slices.BinarySearchFunc(n.sites, name, func(s *Site, name string) int { return cmp.Compare(s.Name, name) })
	if !found {
		return nil
	}
	return n.sites[at]
}

// Device finds a device and its ports, or nil.
func (n *Net) Device(name string) (*Device, []*Port) {
	at, found := slices.BinarySearchFunc(n.devices, name, compareName)
	if !found {
		return nil, nil
	}
	return n.devices[at], n.ports[name]
}

// Sites answers a query for sites. The rows are made with what their devices come to.
func (n *Net) Sites(q Query) Result[*Site] {
	rows := make([]*Site, len(n.sites))
	for i, s := range n.sites {
		rows[i] = NewSite(s.Site, n.devicesOf(s.Name))
	}
	return answer(n, slices.Values(rows), selector.Site, q, BindSite)
}

// Devices answers a query for devices.
func (n *Net) Devices(q Query) Result[*Device] {
	return answer(n, slices.Values(n.devices), selector.Device, q, BindDevice)
}

// Ports answers a query for ports.
func (n *Net) Ports(q Query) Result[*Port] {
	return answer(n, partsOf(n.devices, n.ports), selector.Port, q, BindPort)
}

// partsOf walks the parts of devices in order.
func partsOf[R any](devices []*Device, parts map[string][]R) iter.Seq[R] {
	return func(yield func(R) bool) {
		for _, d := range devices {
			for _, r := range parts[d.Name] {
				if !yield(r) {
					return
				}
			}
		}
	}
}

func answer[R any](n *Net, rows iter.Seq[R], subject selector.Noun, q Query, bind func(R) selector.Rows) Result[R] {
	out := Result[R]{}
	within, matches := n.tests(subject, q)
	counts := newCounters(q.Counts)
	page := newPager(q.Order, bind, q.Offset, q.Limit)
	plain := q.plain()
	b := new(selector.Rows) // one for all: to make it anew for each row would cost more than all the rest
	for r := range rows {
		if plain {
			out.All++
			out.Total++
			page.add(r, nil)
			continue
		}
		*b = bind(r)
		if q.Within != nil && !within(b) {
			continue
		}
		out.All++
		if !matches(b) {
			continue
		}
		out.Total++
		for _, c := range counts {
			c.add(b)
		}
		page.add(r, b)
	}
	out.Counts, out.Rows = countsOf(counts), page.rows()
	return out
}

// plain tells whether a query asks for all there is in the order in which it stands, so that no row need be looked into.
func (q Query) plain() bool {
	all := func(e selector.Expr) bool { return e == nil || e == selector.Expr(selector.All{}) }
	return all(q.Where) && all(q.Within) && len(q.Order) == 0 && len(q.Counts) == 0
}

// tests are those of a query: what there is for who asks, and what of it is asked for.
func (n *Net) tests(subject selector.Noun, q Query) (within, matches func(*selector.Rows) bool) {
	within = n.matcher(subject, q.Within, q.Now)
	if q.Where == nil || q.Where == selector.Expr(selector.All{}) {
		return within, within
	}
	return within, n.matcher(subject, selector.Both(q.Where, q.Within), q.Now)
}

// HoldsDevice tells whether an expression picks a device.
func (n *Net) HoldsDevice(d *Device, e selector.Expr, now time.Time) bool {
	b := BindDevice(d)
	return n.matcher(selector.Device, e, now)(&b)
}

// HoldsPort tells whether an expression picks a port.
func (n *Net) HoldsPort(p *Port, e selector.Expr, now time.Time) bool {
	b := BindPort(p)
	return n.matcher(selector.Port, e, now)(&b)
}

// HoldsSite tells whether an expression picks a site.
func (n *Net) HoldsSite(s *Site, e selector.Expr, now time.Time) bool {
	b := BindSite(s)
	return n.matcher(selector.Site, e, now)(&b)
}

// matcher makes the test of an expression; nil picks all.
func (n *Net) matcher(subject selector.Noun, e selector.Expr, now time.Time) func(*selector.Rows) bool {
	if e == nil || e == selector.Expr(selector.All{}) {
		return func(*selector.Rows) bool { return true }
	}
	m := Network.Matcher(e, subject, now)
	open := m.Open(subject.Determines) // a wireless client has no port, and needs none
	if len(open) == 0 {
		return m.Match
	}
	return func(b *selector.Rows) bool { return m.Some(*b, open, n.related) }
}

// related lists what of a noun belongs to the rows filled in so far.
func (n *Net) related(rows *selector.Rows, noun selector.Noun) []any {
	switch noun {
	case selector.Device:
		return anys(n.devicesOf(rows[selector.Site].(*Site).Name))
	case selector.Port:
		d, ok := rows[selector.Device].(*Device)
		if !ok {
			return nil
		}
		if l, ok := rows[selector.Link].(*Link); ok { // a link speaks of its own ports
			return anys(slices.DeleteFunc(slices.Clone(n.ports[d.Name]), func(p *Port) bool { return !slices.Contains(l.Own.Ports, p.Ref.Port) }))
		}
		return anys(n.ports[d.Name])
	case selector.Link:
		return n.relatedLinks(rows)
	case selector.Client:
		return n.relatedClients(rows)
	case selector.Alarm:
		return n.relatedAlarms(rows)
	}
	return nil
}

// relatedClients lists the clients of a port, or of a device. Where both are open (an expression that asks a site or a
// device for ports and clients), a port speaks of its own clients; those in the air belong to every port of their device.
func (n *Net) relatedClients(rows *selector.Rows) []any {
	d, ok := rows[selector.Device].(*Device)
	if !ok {
		return nil
	}
	p, _ := rows[selector.Port].(*Port)
	var out []any
	for _, c := range n.clients[d.Name] {
		if p == nil || c.Port == "" || c.Port == p.Ref.Port {
			out = append(out, c)
		}
	}
	return out
}

func (n *Net) devicesOf(site string) []*Device {
	var out []*Device
	for _, d := range n.devices {
		if d.Site.Name == site {
			out = append(out, d)
		}
	}
	return out
}

func anys[R any](list []R) []any {
	out := make([]any, len(list))
	for i, r := range list {
		out[i] = r
	}
	return out
}

// Place is a device with its ports, as rows.
type Place struct {
	Device *Device
	Ports  []*Port
}

// As returns the rows of a device as they would be with another configuration. host tells which device a system's name is.
func (n *Net) As(name string, c network.Config, host func(system string) string) (Place, bool) {
	d, _ := n.Device(name)
	if d == nil {
		return Place{}, false
	}
	sight := d.Sight
	sight.Config = c
	out, ports := NewDevice(d.Record, sight, d.Site, host)
	return Place{out, ports}, true
}

// Picked calls f for each of some devices that an expression picks.
func (n *Net) Picked(places []Place, e selector.Expr, now time.Time, f func(device string)) {
	match := n.matcher(selector.Device, e, now)
	for _, p := range places {
		if b := BindDevice(p.Device); match(&b) {
			f(p.Device.Name)
		}
	}
}

// PickedPorts calls f for each port of some devices that an expression picks.
func (n *Net) PickedPorts(places []Place, e selector.Expr, now time.Time, f func(network.PortRef)) {
	match := n.matcher(selector.Port, e, now)
	for _, p := range places {
		for _, port := range p.Ports {
			if b := BindPort(port); match(&b) {
				f(port.Ref)
			}
		}
	}
}
