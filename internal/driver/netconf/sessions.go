package netconf

import (
	"context"
	"net/netip"
	"strconv"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/xmlnode"
)

// maxSessionText bounds what a device calls things.
const maxSessionText = 80

// ListsSessions implements driver.SessionLister.
func (s *session) ListsSessions() bool {
	return announcedFeatures(s.rpc.Peer(), "ep-firewall")["sessions"]
}

// Sessions implements driver.SessionLister.
func (s *session) Sessions(ctx context.Context, q network.SessionQuery) (list []network.Session, total int, err error) {
	ask := xmlnode.New(nsFirewall, "read-sessions", xmlnode.Leaf(nsFirewall, "most", strconv.Itoa(q.Most)))
	for name, prefix := range map[string]netip.Prefix{"source": q.Source, "destination": q.Destination} {
		if prefix.IsValid() {
			ask.Add(xmlnode.Leaf(nsFirewall, name, prefix.String()))
		}
	}
	if q.Protocol != "" {
		ask.Add(xmlnode.Leaf(nsFirewall, "protocol", q.Protocol))
	}
	for name, n := range map[string]int{"port": q.Port, "rule": q.Rule} {
		if n > 0 {
			ask.Add(xmlnode.Leaf(nsFirewall, name, strconv.Itoa(n)))
		}
	}
	reply, err := s.rpc.Do(ctx, ask)
	if err != nil {
		return nil, 0, refusal(err)
	}
	total = number(reply, "total")
	for _, n := range reply.All("session") {
		if len(list) == q.Most {
			break
		}
		if one, ok := readSession(n); ok {
			list = append(list, one)
		}
	}
	return list, max(total, len(list)), nil
}

func readSession(n *xmlnode.Node) (network.Session, bool) {
	text := func(name string) string {
		if v := n.TextAt(name); len(v) <= maxSessionText {
			return v
		}
		return ""
	}
	end := func(name string) netip.AddrPort {
		a, err := netip.ParseAddr(n.TextAt(name))
		if err != nil {
			return netip.AddrPort{}
		}
		return netip.AddrPortFrom(a, uint16(min(max(number(n, name+"-port"), 0), 65_535)))
	}
	out := network.Session{ID: text("id"), Protocol: text("protocol"), Source: end("source"), Destination: end("destination"), From: text("from"), To: text("to"), Rule: number(n, "rule"),
		SeenSource: end("seen-source"), SeenDestination: end("seen-destination"), Application: text("application"), Category: text("category"), Up: counter(n, "up-octets"), Down: counter(n, "down-octets")}
	if t, err := time.Parse(time.RFC3339, n.TextAt("began")); err == nil {
		out.Began = driver.Believed(t.UTC(), time.Now())
	}
	return out, out.ID != "" && out.Source.IsValid() && out.Destination.IsValid()
}

// maxBlocked is of how many blocked sources is told.
const maxBlocked = 1000

func readBlocked(data *xmlnode.Node) (out []network.Blocked) {
	for _, n := range data.Child("firewall").All("blocked") {
		a, err := netip.ParseAddr(n.TextAt("address"))
		until, err2 := time.Parse(time.RFC3339, n.TextAt("until"))
		if err == nil && err2 == nil && len(out) < maxBlocked {
			out = append(out, network.Blocked{Address: a, Until: until.UTC(), Refused: counter(n, "refused")})
		}
	}
	return out
}
