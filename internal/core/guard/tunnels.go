package guard

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/setting"
)

// tunnels finds tunnels that could not come up, that carry what is here already, of which the other end knows nothing or something else, and edges that
// would be left without any.
func tunnels(p Proposal) []Finding {
	if !p.differs(setting.OnTunnel) {
		return nil
	}
	edges := overlay.EdgesOf(p.After, p.States, p.Insides)
	var out []Finding
	for _, e := range edges {
		t := ends{p: p, edge: e, edges: edges, was: setting.TunnelsOf(p.Before[e.Name]), gateways: setting.Gateways(p.After[e.Name])}
		for i := range e.Tunnels {
			t.one(i)
		}
		t.left()
		out = append(out, t.out...)
	}
	return out
}

// ends looks at the tunnels of one edge.
type ends struct {
	p     Proposal
	edge  overlay.Edge
	edges []overlay.Edge
	was   []setting.Tunnel

	gateways []setting.Gateway // of the edge
	out      []Finding
}

func (t *ends) say(level Level, object, part, what, why, do string) {
	at := network.PortRef{Device: t.edge.Name, Port: object}
	t.out = append(t.out, Finding{ID: "tunnels:" + at.String() + ":" + part, Guard: "tunnels", Level: level, Ports: []network.PortRef{at}, What: what, Why: why, Do: do})
}

// changed tells whether an end differs from before.
func (t *ends) changed(device, name string) bool {
	object := setting.TunnelObject(name)
	was, had := t.p.Before[device].Objects[object]
	return !had || !maps.Equal(was, t.p.After[device].Objects[object])
}

func (t *ends) one(i int) {
	one, device := t.edge.Tunnels[i], t.edge.Name
	object := setting.TunnelObject(one.Name)
	far, farPort, other, told := overlay.Far(device, one, t.edges)
	differs := t.changed(device, one.Name)
	if !differs && (far == nil || told && !t.changed(far.Name, other.Name)) && !t.forgotten(far, farPort, told) {
		return // what was wrong before is not held against who changes something else
	}
	if differs && !t.sound(object, i) {
		return
	}
	switch {
	case far == nil:
	case !told:
		t.say(Warn, object, "one-end", fmt.Sprintf("%s would know nothing of tunnel %s of %s.", far.Name, one.Name, device), "It would not come up.",
			fmt.Sprintf("Make the other end in the same draft: on %s, over %s. \"Join\" makes both.", far.Name, farPort))
	default:
		if list := overlay.Compare(one, t.edge.Host, other, far.Host); len(list) > 0 {
			t.say(Warn, object, "unlike", fmt.Sprintf("The two ends of tunnel %s, %s and %s, would differ: %s.", one.Name, device, far.Name, unlikes(list)), "It would not come up.", "Set both ends alike, in the same draft.")
		}
	}
}

// forgotten tells whether the other end was told of a tunnel before, and would not be any more.
func (t *ends) forgotten(far *overlay.Edge, port string, told bool) bool {
	if far == nil || told {
		return false
	}
	own := t.edge.Addresses
	return slices.ContainsFunc(setting.TunnelsOf(t.p.Before[far.Name]), func(o setting.Tunnel) bool {
		return o.Port == port && slices.Contains(slices.Collect(maps.Values(own)), o.To)
	})
}

var unlikeWords = map[overlay.Difference]string{
	overlay.OtherEncryption: "the encryption", overlay.OtherGroup: "the key exchange group", overlay.OtherKey: "the pre-shared key", overlay.OtherIdentity: "who each takes the other for",
	overlay.OtherNetworks: "the networks that they carry", overlay.BothWait: "each waits for the other to begin",
}

func unlikes(list []overlay.Difference) string {
	words := make([]string, len(list))
	for i, d := range list {
		words[i] = unlikeWords[d]
	}
	return strings.Join(words, ", ")
}

// sound finds what cannot be of one end by itself.
func (t *ends) sound(object string, i int) bool {
	one, device, before := t.edge.Tunnels[i], t.edge.Name, len(t.out)
	_, has := t.p.After[device].Ports[one.Port]
	switch {
	case one.Port == "" || !one.To.IsValid() || one.Secret == "":
		t.say(Stop, object, "incomplete", fmt.Sprintf("Tunnel %s of %s has no port, no remote address or no key.", one.Name, device), "It could not begin.", "Set all three: tunnel-port, tunnel-to and tunnel-secret.")
	case !has:
		t.say(Stop, object, "port", fmt.Sprintf("Tunnel %s of %s would go over %s, which it does not have.", one.Name, device, one.Port), "The device would refuse it.", "Name one of its ports: tunnel-port.")
	case slices.Contains(slices.Collect(maps.Values(t.edge.Addresses)), one.To):
		t.say(Stop, object, "itself", fmt.Sprintf("Tunnel %s of %s would go to %s, its own address.", one.Name, device, one.To), "It would join nothing.", "Give the address of the other end: tunnel-to.")
	}
	for k, o := range t.edge.Tunnels {
		switch {
		case k == i, k > i && t.changed(device, o.Name): // it is said once, of the later one
		case o.Port == one.Port && o.To == one.To && o.To.IsValid():
			t.say(Stop, object, "twice", fmt.Sprintf("%s would have two tunnels from %s to %s: %s and %s.", device, one.Port, one.To, o.Name, one.Name), "The device would refuse it.", "Take one of them out.")
		case o.To != one.To:
			if a, b, found := overlapping(o.Remote, one.Remote); found {
				t.say(Stop, object, "overlap", fmt.Sprintf("Tunnels %s and %s of %s would both lead to %s: %s and %s.", o.Name, one.Name, device, shorter(a, b), a, b), "It would not be known which of them a packet takes.", "Give each networks of its own: tunnel-remote.")
			}
		}
	}
	for _, g := range t.gateways {
		if !g.Address.IsValid() {
			continue
		}
		if _, b, found := overlapping([]netip.Prefix{g.Address.Masked()}, one.Remote); found {
			t.say(Stop, object, "here", fmt.Sprintf("Tunnel %s of %s would lead to %s, where VLAN %s of the site is.", one.Name, device, b, g.VLAN), "Stations of the site would look for each other beyond the tunnel.", "Give only networks of the other end: tunnel-remote.")
			break
		}
	}
	return len(t.out) == before
}

func overlapping(a, b []netip.Prefix) (x, y netip.Prefix, found bool) {
	for _, x := range a {
		for _, y := range b {
			if x.Overlaps(y) {
				return x, y, true
			}
		}
	}
	return x, y, false
}

func shorter(a, b netip.Prefix) netip.Prefix {
	if a.Bits() > b.Bits() {
		return a
	}
	return b
}

// left finds that an edge would be left without a tunnel, and tells what is cut for a moment.
func (t *ends) left() {
	device := t.edge.Name
	up := map[string]bool{}
	for _, s := range t.p.Insides[device].Tunnels {
		up[s.Name] = s.Up
	}
	var anew, gone []string
	for _, o := range t.was {
		i := slices.IndexFunc(t.edge.Tunnels, func(n setting.Tunnel) bool { return n.Name == o.Name })
		switch {
		case i < 0:
			gone = append(gone, o.Name)
		case up[o.Name] && t.changed(device, o.Name):
			anew = append(anew, o.Name)
		}
	}
	if len(gone) > 0 && len(t.edge.Tunnels) == 0 {
		t.say(Stop, setting.TunnelObject(gone[0]), "none-left", fmt.Sprintf("%s would have no tunnel left.", device), "Its site would be cut off from all others, and from this service.", "Leave one, or make another first.")
	}
	if len(anew) > 0 {
		t.say(Note, setting.TunnelObject(anew[0]), "anew", fmt.Sprintf("%s builds %s anew.", device, strings.Join(anew, ", ")), "What goes over it waits for some seconds, or takes another way.", "Push it when few people work.")
	}
}
