package reach

import (
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Promise is what must always, or must never, reach what.
type Promise struct {
	Name     string `json:"-"`
	Title    string `json:"title"`
	Never    bool   `json:"never,omitempty"` // else it must always
	From     string `json:"from"`            // a selector of end stations, or an address
	To       string `json:"to"`              // the same
	Protocol string `json:"protocol"`
	Port     uint16 `json:"port,omitempty"`
}

// ErrPromise tells that a promise is none.
var ErrPromise = errors.New("that is no promise")

// Check brings a promise to its normal form, or tells what is wrong with it.
func (p *Promise) Check() error {
	p.Title, p.From, p.To = cmp.Or(strings.TrimSpace(p.Title), p.Name), strings.TrimSpace(p.From), strings.TrimSpace(p.To)
	switch {
	case network.CheckName(p.Name) != nil:
		return fmt.Errorf("%w: %w", ErrPromise, network.CheckName(p.Name))
	case len([]rune(p.Title)) > 120 || strings.ContainsFunc(p.Title, func(r rune) bool { return r < ' ' }):
		return fmt.Errorf("%w: its title is a line of at most 120 characters", ErrPromise)
	case p.From == "" || p.To == "" || len(p.From)+len(p.To) > 4000:
		return fmt.Errorf("%w: say from whom and to whom, by a selector of end stations or an address", ErrPromise)
	case !slices.Contains([]string{"tcp", "udp", "icmp"}, p.Protocol):
		return fmt.Errorf("%w: %q is no protocol: tcp, udp or icmp", ErrPromise, p.Protocol)
	case (p.Protocol == "icmp") != (p.Port == 0):
		return fmt.Errorf("%w: tcp and udp have a port, icmp has none", ErrPromise)
	}
	return nil
}

// Service is by what it reaches, for people.
func (p Promise) Service() string {
	if p.Protocol == "icmp" {
		return p.Protocol
	}
	return fmt.Sprintf("%s/%d", p.Protocol, p.Port)
}

// Breach is two ends between which a promise does not hold.
type Breach struct {
	From, To End
	Why      string // of what must reach and does not; for what must never, the line that lets it pass
}

func (b Breach) String() string {
	return fmt.Sprintf("%s to %s: %s", b.From.Name, b.To.Name, b.Why)
}

const (
	alike    = 3  // so many of the stations at one device in one VLAN are asked about
	mostEnds = 12 // of each side
	mostTold = 10 // breaches of a promise
)

// Ends takes some of many: of those at one device in one VLAN a few, for they fare alike.
func Ends(all []End) []End {
	type at struct {
		device string
		vlan   network.VLANID
	}
	n := map[at]int{}
	var out []End
	for _, e := range all {
		k := at{e.Device, e.VLAN}
		if n[k]++; n[k] <= alike && len(out) < mostEnds {
			out = append(out, e)
		}
	}
	return out
}

// Held holds a promise against a network, between some ends. Asked is how many questions it took, unknown of how many nobody knows the answer. What nobody knows breaks
// nothing, nor does what is gone or has no link: that is an outage, and told as such.
func (p Promise) Held(n Network, from, to []End, q Question) (breaches []Breach, asked, unknown int) {
	n = n.indexed()
	for _, a := range from {
		for _, b := range to {
			if a.Address == b.Address || !a.Address.IsValid() || !b.Address.IsValid() {
				continue
			}
			asked++
			q.From, q.To, q.Protocol, q.Port = a, b, p.Protocol, p.Port
			answer := Ask(n, q)
			switch {
			case answer.Verdict == Unknown && !answer.Near, answer.Outage:
				unknown++
				continue
			case (answer.Verdict == Passes || answer.Near) != p.Never:
				continue
			case p.Never:
				answer.Why = "it passes" + lets(answer)
			}
			if len(breaches) < mostTold {
				breaches = append(breaches, Breach{a, b, answer.Why})
			}
		}
	}
	return breaches, asked, unknown
}

// lets tells which line lets something pass.
func lets(a Answer) string {
	for _, h := range slices.Backward(a.Hops) {
		if h.Row > 0 && h.Table != "translations" {
			return fmt.Sprintf(": %s, %s", h.Device, h.What)
		}
	}
	return ", and nothing on the way decides on it"
}

// Outside is an end that is no station, but an address.
func Outside(text string) (End, bool) {
	a, err := netip.ParseAddr(text)
	return End{Name: a.String(), Address: a}, err == nil
}
