package alarm

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// Types of alarms that are none of troubles inside devices.
const (
	LinkDown      = "link-down"
	LinkPart      = "link-part"
	TunnelDown    = "tunnel-down"
	DeviceGone    = "device-gone"
	DeviceRefused = "device-refused"
	Errors        = "errors"
	PowerBudget   = "power-budget"
	Drift         = "drift"
	DiskFull      = "disk-full"
	Broken        = "promise"
	CircuitCap    = "circuit-cap"
	RadioLicence  = "radio-licence"
	ServiceVLAN   = "service-vlan"
	radioLink     = "radio-link" // a trouble inside devices
)

// troubleSeverities are those of what goes wrong inside devices, by the code of the trouble. What tunnels and links do is an alarm of both
// their ends.
var troubleSeverities = map[string]Severity{
	"supply": Major, "fan": Minor, "hot": Major, "busy": Warning, "module": Minor, "clock-ahead": Warning, "clock-behind": Warning, "loss": Minor, "bgp": Major, "ospf": Major,
	"licence": Minor, "radio-link": Major, "ring-open": Major, "ring-undefined": Major, "pair": Major, "keepalive": Minor, "controller": Minor, "member": Major, "unread": Warning,
	"rogue-dhcp": Major, "rogue-dhcp-blocked": Warning, "dhcp-pool": Minor, "flood": Major, "certificate-ending": Warning, "certificate-ended": Major,
}

// types are all there are, by id.
var types = func() map[string]Type {
	out := map[string]Type{}
	for _, t := range []Type{
		{LinkDown, Major, 2 * time.Second}, {LinkPart, Minor, 5 * time.Second}, {TunnelDown, Major, 5 * time.Second}, {DeviceGone, Critical, 5 * time.Second},
		{DeviceRefused, Critical, 0}, {Errors, Minor, 30 * time.Second}, {PowerBudget, Minor, 30 * time.Second}, {Drift, Warning, 10 * time.Second}, {DiskFull, Critical, 0}, {Broken, Major, 5 * time.Second}, {CircuitCap, Minor, 0}, {RadioLicence, Major, 0}, {ServiceVLAN, Major, 10 * time.Second},
		{"input", Warning, 0}, {OwnRule, Warning, 0}, // a rule knows itself how long
	} {
		out[t.ID] = t
	}
	for code, severity := range troubleSeverities {
		out[code] = Type{code, severity, 0}
	}
	return out
}()

// Types lists them by id.
func Types() []Type {
	out := make([]Type, 0, len(types))
	for _, t := range types {
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b Type) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// Promises is how those stand that were made.
type Promises struct {
	Broken   map[string]map[string]any // by name, with what is told of them
	Doubtful map[string]bool           // of which nobody can say now whether they hold
	Unasked  bool                      // of none it was found out yet
}

// Caps is which circuits are over their cap, or will be by the end of the month if it goes on so.
type Caps struct {
	List    []Cap
	Unasked bool // it was not found out yet
}

// Cap is a circuit that is over its cap, or will be.
type Cap struct {
	At                 network.PortRef
	Provider           string
	GB, Used, Foreseen float64 // in 10^9 octets
	Over               bool
}

// Network is what conditions are found in.
type Network struct {
	Devices []*catalog.Device
	Links   []*catalog.Link // each once
	Drift   map[string]int  // settings that differ from what is intended, by device
	// Restarting are the devices that were told to restart: that they are gone is a warning, and of their links nothing is said.
	Restarting map[string]bool
	// Promises is how they stand.
	Promises Promises
	// Caps is which circuits are over what may go through them.
	Caps Caps
	// Licences are the rights of radio links to send, and Now is when they are held against what is sent.
	Licences []radiolink.Licence
	Now      time.Time
	// DiskUsed is how much of the service's own disk is used, in parts of 1.
	DiskUsed float64
}

// serviceVLANs finds lines of customers that end where a device does not take what another sends it. What is down is told of by itself.
func (n Network) serviceVLANs() (out []Condition) {
	configs := map[string]network.Config{}
	for _, d := range n.Devices {
		configs[d.Name] = d.Config
	}
	var links []topology.Link
	for _, l := range n.Links {
		for i := range min(len(l.A.Ports), len(l.B.Ports)) {
			if l.Kind != topology.Tunnel {
				links = append(links, topology.Link{A: network.PortRef{Device: l.A.Device, Port: l.A.Ports[i]}, B: network.PortRef{Device: l.B.Device, Port: l.B.Ports[i]}})
			}
		}
	}
	for _, line := range topology.ServiceLines(configs, links, func(topology.Link) bool { return true }) {
		at := slices.IndexFunc(line.Ends, func(e topology.ServiceEnd) bool { return !e.Down })
		if len(line.Parts) < 2 || at < 0 {
			continue
		}
		e := line.Ends[at]
		out = append(out, Condition{Type: ServiceVLAN, Subject: fact.ThePort(e.Far.Device, e.Far.Port), Name: line.VLAN.String(), Severity: Major,
			Args: map[string]any{"vlan": int(line.VLAN), "near": e.Near.String(), "from": line.Parts[0][0].String(), "to": line.Parts[1][0].String()}})
	}
	return out
}

const (
	manyErrors = 1.0  // of a port, in a second
	fullBudget = 0.95 // of what a device can feed
	fullDisk   = 0.95
)

// licences finds ends of radio links that send otherwise than they may, or not for long any more.
func (n Network) licences() (out []Condition) {
	for _, l := range n.Licences {
		i := slices.IndexFunc(n.Devices, func(d *catalog.Device) bool { return d.Name == l.Device && d.Reach == network.ReachConnected })
		if i < 0 {
			continue
		}
		c, is := setting.CarrierAt(n.Devices[i].Config, l.Port)
		if !is {
			continue
		}
		for _, code := range l.Wrong(c, n.Now) {
			one := Condition{Type: RadioLicence, Subject: fact.ThePort(l.Device, l.Port), Name: code, Severity: Major, Args: l.Args(c, code)}
			if code == radiolink.Ending {
				one.Severity = Warning
			}
			out = append(out, one)
		}
	}
	return out
}

// Standing lists what is out of order in a network.
func Standing(n Network) []Condition {
	var out []Condition
	raise := func(kind string, at fact.Subject, name string, args map[string]any) {
		out = append(out, Condition{Type: kind, Subject: at, Name: name, Severity: types[kind].Severity, Args: args})
	}
	for _, d := range n.Devices {
		at := fact.TheDevice(d.Name)
		switch d.Reach {
		case network.ReachRefused:
			raise(DeviceRefused, at, "", map[string]any{"why": d.Why})
			continue
		case network.ReachGone:
			raise(DeviceGone, at, "", map[string]any{"why": d.Why})
			if n.Restarting[d.Name] {
				last := &out[len(out)-1]
				last.Severity, last.Args = Warning, map[string]any{"why": "it restarts, as it was told"}
			}
			continue
		case network.ReachConnected:
		default:
			continue // nobody tries to reach it, or it was never reached yet
		}
		for _, t := range d.Troubles {
			severity, known := troubleSeverities[t.Code]
			if t.Code == "input" {
				said, _ := t.Args["severity"].(string)
				severity, known = Severity(said), slices.Contains(Severities(), Severity(said))
				if !known {
					severity, known = Warning, true
				}
			}
			if known {
				out = append(out, Condition{Type: t.Code, Subject: at, Name: t.Key, Severity: severity, Args: t.Args})
			}
		}
		if p := d.State.Power; p != nil && p.BudgetMilliW > 0 && float64(p.UsedMilliW) >= fullBudget*float64(p.BudgetMilliW) {
			raise(PowerBudget, at, "", map[string]any{"used": float64(p.UsedMilliW) / 1000, "of": float64(p.BudgetMilliW) / 1000})
		}
		for port, p := range d.State.Ports {
			if r := p.Rates; r.Span > 0 && r.Errors >= manyErrors {
				raise(Errors, fact.ThePort(d.Name, port), "", map[string]any{"rate": r.Errors})
			}
		}
		if differ := n.Drift[d.Name]; differ > 0 {
			raise(Drift, at, "", map[string]any{"settings": differ})
		}
	}
	for _, l := range n.Links {
		if n.Restarting[l.A.Device] || n.Restarting[l.B.Device] {
			continue
		}
		kind := LinkDown
		switch {
		case l.Kind == topology.Tunnel:
			kind = TunnelDown
		case l.Health == network.Degraded:
			kind = LinkPart
		}
		if l.Health == network.HealthDown || kind == LinkPart {
			raise(kind, fact.ThePort(l.A.Device, l.A.Name), l.B.Device+":"+l.B.Name, map[string]any{"to": l.B.Device + ":" + l.B.Name, "down": l.Members - l.Up, "of": l.Members})
		}
	}
	for _, name := range slices.Sorted(maps.Keys(n.Promises.Broken)) {
		raise(Broken, fact.Subject{}, name, n.Promises.Broken[name])
	}
	out = append(out, n.licences()...)
	out = append(out, n.serviceVLANs()...)
	for _, c := range n.Caps.List {
		raise(CircuitCap, fact.ThePort(c.At.Device, c.At.Port), "", map[string]any{"over": c.Over, "used": c.Used, "foreseen": c.Foreseen, "cap": c.GB, "provider": c.Provider})
		if !c.Over {
			out[len(out)-1].Severity = Warning
		}
	}
	if n.DiskUsed >= fullDisk {
		raise(DiskFull, fact.Subject{}, "", map[string]any{"percent": 100 * n.DiskUsed})
	}
	slices.SortStableFunc(out, func(a, b Condition) int {
		return cmp.Or(a.Severity.Compare(b.Severity), cmp.Compare(a.Type, b.Type), network.ComparePorts(a.Subject.String(), b.Subject.String()), cmp.Compare(a.Name, b.Name))
	})
	return out
}
