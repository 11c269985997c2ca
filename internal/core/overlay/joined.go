package overlay

import (
	"cmp"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Side is one end of a tunnel: what the edge is told of it, and what it sees.
type Side struct {
	Device string
	Host   string
	Away   bool // the edge is not in hand: what is seen is the last known
	Told   setting.Tunnel
	Seen   network.Tunnel
	Is     bool // the edge tells of it
}

// Joined is a tunnel with both its ends, as far as they are known here.
type Joined struct {
	A Side
	B *Side // nil where nobody here has the other end, or that is told nothing of it
	// Far is the edge that has the other end; "" where it is of another house.
	Far, FarPort string
}

// Why is one reason why a tunnel is not up: what is said of it is made of code and arguments.
type Why struct {
	Code string
	Args map[string]any
}

// Codes of reasons.
const (
	WhyAway        = "away"          // an edge is not in hand
	WhyPort        = "port"          // a port has no link
	WhyIncomplete  = "incomplete"    // it lacks something at an end
	WhyNotTold     = "not-told"      // the other end knows nothing of it
	WhyUnlike      = "unlike"        // the ends differ in something
	WhyForeign     = "foreign"       // the other house has it otherwise
	WhyNoAnswer    = "no-answer"     // nobody answers
	WhyUnderlay    = "underlay"      // both ends are right, and nothing gets through
	WhyUnseen      = "unseen"        // it ends at an edge that who asks may not see
	WhyNotBegun    = "not-begun"     // the edge tells nothing of it yet
	WhyUnexplained = "not-explained" // the edge does not say
)

// Up tells whether it carries, as the end sees it that was looked at last.
func (j Joined) Up() bool { return j.A.Seen.Up && (j.B == nil || j.B.Seen.Up || j.B.Away) }

// Why tells why a tunnel is not up: all that is found, the gravest first; none where it is up.
func (j Joined) Why() (out []Why) {
	if j.Up() {
		return nil
	}
	say := func(code string, pairs ...any) {
		args := map[string]any{"name": j.A.Told.Name}
		for i := 0; i+1 < len(pairs); i += 2 {
			args[pairs[i].(string)] = pairs[i+1]
		}
		out = append(out, Why{code, args})
	}
	sides := []*Side{&j.A}
	if j.B != nil {
		sides = append(sides, j.B)
	}
	for _, s := range sides {
		switch {
		case s.Away:
			say(WhyAway, "device", s.Device)
		case s.Told.Port == "" || !s.Told.To.IsValid() || s.Told.Secret == "":
			say(WhyIncomplete, "device", s.Device)
		case s.Seen.Fault == "port-down":
			say(WhyPort, "device", s.Device, "port", s.Told.Port)
		}
	}
	if j.B != nil {
		for _, d := range Compare(j.A.Told, j.A.Host, j.B.Told, j.B.Host) {
			near, far := j.values(d)
			say(WhyUnlike, "in", string(d), "device", j.A.Device, "far", j.B.Device, "here", near, "there", far)
		}
	}
	switch {
	case len(out) > 0:
	case j.B != nil:
		say(WhyUnderlay, "device", j.A.Device, "port", j.A.Told.Port, "far", j.B.Device, "farport", j.B.Told.Port)
	case j.Far != "":
		say(WhyNotTold, "device", j.A.Device, "far", j.Far, "port", j.FarPort)
	case slices.Contains([]string{"no-proposal-chosen", "authentication-failed", "ts-unacceptable"}, j.A.Seen.Fault):
		say(WhyForeign, "device", j.A.Device, "to", j.A.Told.To.String(), "peer", cmp.Or(j.A.Told.Peer, j.A.Told.To.String()), "fault", j.A.Seen.Fault)
	case !j.A.Is:
		say(WhyNotBegun, "device", j.A.Device, "to", j.A.Told.To.String())
	case j.A.Seen.Fault == "no-answer":
		say(WhyNoAnswer, "device", j.A.Device, "to", j.A.Told.To.String())
	default:
		say(WhyUnexplained, "device", j.A.Device)
	}
	return out
}

// values are what the two ends have of that in which they differ; a key is not told.
func (j Joined) values(d Difference) (here, there string) {
	prefixes := func(t setting.Tunnel) string {
		text := func(list []string) string { return cmp.Or(strings.Join(list, ", "), setting.AnyNetwork) }
		var local, remote []string
		for _, p := range t.Local {
			local = append(local, p.String())
		}
		for _, p := range t.Remote {
			remote = append(remote, p.String())
		}
		return text(local) + " to " + text(remote)
	}
	switch a, b := j.A.Told, j.B.Told; d {
	case OtherEncryption:
		return a.Encryption, b.Encryption
	case OtherGroup:
		return a.Group, b.Group
	case OtherIdentity:
		return cmp.Or(a.Peer, "anybody"), cmp.Or(b.Peer, "anybody")
	case OtherNetworks:
		return prefixes(a), prefixes(b)
	}
	return "", ""
}

// All finds both ends of every tunnel: each is there once. seen is what edges tell of their tunnels, away those that are not in hand.
func All(edges []Edge, seen map[string][]network.Tunnel, away map[string]bool) (out []Joined) {
	side := func(e *Edge, t setting.Tunnel) Side {
		s := Side{Device: e.Name, Host: e.Host, Away: away[e.Name], Told: t}
		if i := slices.IndexFunc(seen[e.Name], func(n network.Tunnel) bool { return n.Name == t.Name }); i >= 0 {
			s.Seen, s.Is = seen[e.Name][i], true
		}
		return s
	}
	done := map[[2]string]bool{}
	for i := range edges {
		e := &edges[i]
		for _, t := range e.Tunnels {
			if done[[2]string{e.Name, t.Name}] {
				continue
			}
			j := Joined{A: side(e, t)}
			if far, port, other, told := Far(e.Name, t, edges); far != nil {
				j.Far, j.FarPort = far.Name, port
				if told {
					b := side(far, other)
					j.B = &b
					done[[2]string{far.Name, other.Name}] = true
				}
			}
			out = append(out, j)
		}
	}
	return out
}
