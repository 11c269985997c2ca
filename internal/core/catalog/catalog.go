// Package catalog is what can be found: sites, devices and ports as rows with everything that is told of them, the fields
// by which they are picked, sorted and counted, and how a query is answered from them.
//
// Rows are values: they are built anew when something changes and never written after. The package computes from what it
// is given; who keeps the rows current is not its business.
package catalog

import (
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Site is a site with what hangs on it.
type Site struct {
	network.Site
	Devices, Ports Counts
	text           string
}

// Device is a device: what is kept of it and what is seen of it.
type Device struct {
	Record
	Sight
	Health   Health
	Troubles []network.Trouble
	Ports    Counts
	Site     *Site // never nil
	host     string
	vlans    []selector.Datum
	tags     []selector.Datum
	text     string
}

// Health is network.Health; the alias saves a name at every use.
type Health = network.Health

// Record is what is kept of a device besides what it tells itself.
type Record struct {
	Name       string
	Address    string // host:port
	CallsHome  bool   // it opens the connection, and Address is where it came from last
	HostKey    string
	EnrolledAt time.Time
	EnrolledBy string
	Control    network.Control
	network.Particulars
}

// Sight is what is seen of a device.
type Sight struct {
	Identity network.Identity
	Reach    network.Reach
	Since    time.Time
	Why      string
	SeenAt   time.Time
	Config   network.Config
	State    network.State
	Inside   network.Inside
}

// Peer is the other end of a port's cable.
type Peer struct {
	System, Port string
	Device       string // the device it is, where that is known
}

// Port is a port: what is set and what is seen.
type Port struct {
	Ref    network.PortRef
	Device *Device
	Config network.PortConfig
	State  network.PortState
	Health Health
	Known  bool // whether State was ever read
	Away   bool // whether the device is away, so that State is only the last known
	Peer   *Peer
	text   string
	vlans  []selector.Datum
}

// Counts counts things by their health.
type Counts struct {
	Total, Well, Degraded, Down, Off, Unknown int
}

// Add counts one more.
func (c *Counts) Add(h Health) {
	c.Total++
	switch h {
	case network.Well:
		c.Well++
	case network.Degraded:
		c.Degraded++
	case network.HealthDown:
		c.Down++
	case network.Off:
		c.Off++
	default:
		c.Unknown++
	}
}

func (c *Counts) sum(o Counts) {
	c.Total += o.Total
	c.Well += o.Well
	c.Degraded += o.Degraded
	c.Down += o.Down
	c.Off += o.Off
	c.Unknown += o.Unknown
}

// NewSite makes the row of a site from its devices.
func NewSite(s network.Site, devices []*Device) *Site {
	out := &Site{Site: s, text: fold(s.Name, s.Title, s.Code, s.Address, s.Contact, s.Notes)}
	for _, d := range devices {
		out.Devices.Add(d.Health)
		out.Ports.sum(d.Ports)
	}
	return out
}

// NewDevice makes the rows of a device and its ports, these in the order of people. nameOf finds the device that a
// neighbour report speaks of.
func NewDevice(r Record, s Sight, site *Site, nameOf func(systemName string) string) (*Device, []*Port) {
	d := &Device{Record: r, Sight: s, Site: site, Health: network.DeviceHealth(s.Reach), host: hostOf(r.Address)}
	if d.Health == network.Well && s.Identity.Unread {
		d.Health, d.Troubles = network.HealthUnknown, []network.Trouble{{Key: "unread", Code: "unread", Args: map[string]any{"why": s.Identity.UnreadWhy()}}}
	}
	if d.Health == network.Well {
		if d.Troubles = s.Inside.Troubles(); len(d.Troubles) > 0 {
			d.Health = network.Degraded
		}
	}
	for _, t := range r.Tags {
		d.tags = append(d.tags, selector.Of(t))
	}
	for _, v := range slices.Sorted(keys(s.Config.VLANs)) {
		d.vlans = append(d.vlans, selector.OfNumber(int(v)))
	}
	id := s.Identity
	d.text = fold(r.Name, site.Name, site.Title, string(id.Kind), id.Maker, id.Model, id.Serial, id.Firmware, d.host, r.Notes, r.Contact, strings.Join(r.Tags, " "))
	names := s.Config.PortNames()
	if len(names) == 0 { // of a device that does not tell what it runs, the ports are those that it observes
		names = slices.SortedFunc(keys(s.State.Ports), network.ComparePorts)
	}
	ports := make([]*Port, 0, len(names))
	for _, name := range names {
		p := newPort(d, name, nameOf)
		d.Ports.Add(p.Health)
		ports = append(ports, p)
	}
	return d, ports
}

// hostOf is an address without its port and without the brackets of IPv6.
func hostOf(address string) string {
	host := strings.TrimRight(address, "0123456789")
	if bare, ok := strings.CutSuffix(host, ":"); ok {
		address = bare
	}
	return strings.Trim(address, "[]")
}

func keys[K comparable, V any](m map[K]V) func(func(K) bool) {
	return func(yield func(K) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

func newPort(d *Device, name string, nameOf func(string) string) *Port {
	p := &Port{Ref: network.PortRef{Device: d.Name, Port: name}, Device: d, Config: d.Config.Ports[name], Away: d.Reach != network.ReachConnected}
	p.State, p.Known = d.State.Ports[name]
	if _, told := d.Config.Ports[name]; !told {
		p.Config.Enabled = true // as far as anybody knows
	}
	// A port that had a neighbour, or was seen to work once, is missed; one that was never used is not.
	wanted := p.State.Neighbour != nil || p.State.Counters != (network.Counters{})
	p.Health = network.PortHealth(p.Config, p.State, p.Known && !p.Away, wanted)
	if n := p.State.Neighbour; n != nil {
		p.Peer = &Peer{System: n.SystemName, Port: n.PortID, Device: nameOf(n.SystemName)}
	}
	peer := ""
	if p.Peer != nil {
		peer = p.Peer.System + " " + p.Peer.Port
	}
	p.vlans = vlansOf(p.Config)
	p.text = fold(p.Ref.String(), p.Config.Description, d.Site.Name, d.Site.Title, p.State.MAC, peer)
	return p
}

// Oper is the state of the link: unknown while the device is away.
func (p *Port) Oper() network.OperStatus {
	if p.Away || !p.Known || p.State.Oper == "" {
		return network.Unknown
	}
	return p.State.Oper
}

// fold joins texts for bare words to be looked for in; what stands in one text is not found across two.
func fold(texts ...string) string { return selector.Fold(strings.Join(texts, "\n")) }

// vlansOf lists the VLANs that are set on a port, tagged or not.
func vlansOf(c network.PortConfig) []selector.Datum {
	var out []selector.Datum
	if v := c.Untagged(); v != 0 {
		out = append(out, selector.OfNumber(int(v)))
	}
	if c.Mode == network.Trunk {
		for _, v := range c.TrunkVLANs {
			out = append(out, selector.OfNumber(int(v)))
		}
	}
	return out
}
