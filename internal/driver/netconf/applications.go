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

// maxUses is how many uses of applications of a device are believed.
const maxUses = 20_000

// TellsApplications implements driver.ApplicationTeller.
func (s *session) TellsApplications() bool {
	return announcedFeatures(s.rpc.Peer(), "ep-firewall")["applications"]
}

// Applications implements driver.ApplicationTeller.
func (s *session) Applications(ctx context.Context, hours int) (out network.ApplicationUses, err error) {
	reply, err := s.rpc.Do(ctx, xmlnode.New(nsFirewall, "read-applications", xmlnode.Leaf(nsFirewall, "hours", strconv.Itoa(hours))))
	if err != nil {
		return out, refusal(err)
	}
	if t, err := time.Parse(time.RFC3339, reply.TextAt("counted-since")); err == nil {
		out.Since = driver.Believed(t.UTC(), time.Now())
	}
	for _, n := range reply.All("use") {
		source, err := netip.ParseAddr(n.TextAt("source"))
		name := n.TextAt("application")
		if err != nil || name == "" || len(name) > maxSessionText || len(n.TextAt("category")) > maxSessionText || len(n.TextAt("from")) > maxSessionText {
			continue
		}
		if len(out.Uses) == maxUses {
			out.Cut = true
			break
		}
		out.Uses = append(out.Uses, network.ApplicationUse{Application: name, Category: n.TextAt("category"), Source: source, Zone: n.TextAt("from"), Sessions: counter(n, "sessions"), Denied: counter(n, "denied"),
			Up: counter(n, "up-octets"), Down: counter(n, "down-octets")})
	}
	return out, nil
}
