package changes

import (
	"context"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Network is what the guards and the order of a push are worked out from.
type Network struct {
	Configs map[string]network.Config
	States  map[string]network.State
	Links   []topology.Link
	Sites   []network.Site
	SiteOf  map[string]string
	Insides map[string]network.Inside
	Kinds   map[string]network.Kind
	Tags    map[string][]string
	Address map[string]string // host:port
	Users   map[string]string // as whom the service signs in
	Gone    map[string]bool   // devices that are not in hand
	// Licences are the rights of ends of radio links to send.
	Licences []radiolink.Licence
}

// Asked is the network for questions of who reaches whom, with what devices run or would run.
func (n Network) Asked(configs map[string]network.Config) reach.Network {
	out := reach.Network{Configs: configs, States: n.States, Insides: n.Insides, SiteOf: n.SiteOf, Links: n.Links, Gone: n.Gone, Owns: map[netip.Addr]string{}}
	for name, c := range configs {
		if p, err := netip.ParsePrefix(c.ManagementAddress); err == nil {
			out.Owns[p.Addr()] = name
		}
	}
	return out
}

// Entries lists the devices through which the management network comes in.
func (n Network) Entries() []string {
	var out []string
	for _, s := range n.Sites {
		if s.Entry != "" {
			out = append(out, s.Entry)
		}
	}
	return out
}

// from tells from which address this machine reaches the devices of a change that would be told from where they may be
// managed. Nothing is sent: the machine is only asked which way it would take.
func (n Network) from(devices []store.ChangeDevice) map[string]netip.Addr {
	out := map[string]netip.Addr{}
	for _, d := range devices {
		address := n.Address[d.Device]
		if address == "" || d.After.Settings["management-from"] == d.Before.Settings["management-from"] {
			continue
		}
		c, err := net.Dial("udp", address)
		if err != nil {
			continue
		}
		if local, ok := c.LocalAddr().(*net.UDPAddr); ok {
			out[d.Device] = local.AddrPort().Addr().Unmap()
		}
		_ = c.Close()
	}
	return out
}

// Network gathers the network as it is known.
func (s *Service) Network(ctx context.Context) (Network, error) {
	n := Network{Configs: map[string]network.Config{}, States: map[string]network.State{}, SiteOf: map[string]string{},
		Insides: map[string]network.Inside{}, Kinds: map[string]network.Kind{}, Tags: map[string][]string{}, Address: map[string]string{}, Users: map[string]string{}, Gone: map[string]bool{}}
	for _, v := range s.fleet.Views() {
		n.Gone[v.Name] = v.Reach != network.ReachConnected
		if v.Known {
			n.Configs[v.Name], n.States[v.Name], n.Insides[v.Name], n.Kinds[v.Name] = v.Config, v.State, v.Inside, v.Identity.Kind
		}
	}
	n.Links = topology.Links(n.States, topology.HostNames(n.Configs))
	devices, err := s.store.Devices(ctx)
	if err != nil {
		return n, err
	}
	for _, d := range devices {
		n.SiteOf[d.Name], n.Tags[d.Name], n.Users[d.Name] = d.Site, d.Tags, d.User
		if !d.CallsHome {
			n.Address[d.Name] = d.Address
		}
	}
	if n.Licences, err = s.store.RadioLicences(ctx); err != nil {
		return n, err
	}
	n.Sites, err = s.store.Sites(ctx)
	return n, err
}

// Check works out what a draft would do on the network as it is now, and runs the guards over it.
func (s *Service) Check(ctx context.Context, number int64) (store.Change, error) {
	n, err := s.Network(ctx)
	if err != nil {
		return store.Change{}, err
	}
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error { return s.check(ctx, c, n) })
}

func (s *Service) check(ctx context.Context, c *store.Change, n Network) error {
	x, work, err := s.fit(ctx, c.Edits)
	if err != nil {
		return err
	}
	c.Devices, c.Accepted = nil, nil
	before, after := maps.Clone(n.Configs), maps.Clone(n.Configs)
	var findings []guard.Finding
	for _, d := range work {
		if d.After.Equal(d.Before) {
			continue // nothing to do there
		}
		before[d.Device], after[d.Device] = d.Before, d.After
		c.Devices = append(c.Devices, d)
		if v, _ := s.fleet.View(d.Device); v.Reach != network.ReachConnected {
			findings = append(findings, away(v))
		} else if slices.Contains(v.Identity.Abilities, network.CanOnlyRun) {
			findings = append(findings, noWayBack(v))
		}
	}
	if len(c.Devices) == 0 && (x.plain || !x.says(c.Edits)) {
		return fmt.Errorf("%w: change %d makes no difference: everything is already as it says", ErrState, c.Number)
	}
	collided, err := s.collisions(ctx, c.Edits)
	if err != nil {
		return err
	}
	if err := s.rule(ctx, c); err != nil {
		return err
	}
	findings = append(findings, collided...)
	entryOf := map[string]string{}
	for _, site := range n.Sites {
		entryOf[site.Name] = site.Entry
	}
	findings = append(findings, guard.Check(guard.Proposal{
		Before: before, After: after, Links: n.Links, Entries: n.Entries(), Site: n.SiteOf, EntryOf: entryOf,
		States: n.States, Insides: n.Insides, Kinds: n.Kinds, Tags: n.Tags, From: n.from(c.Devices), SignsInAs: n.Users, Windows: c.Windows, Licences: n.Licences, Now: now(),
	})...)
	if s.promises != nil {
		promised, err := s.promises.Guard(ctx, n.Asked(before), n.Asked(after))
		if err != nil {
			return err
		}
		findings = append(findings, promised...)
	}
	order(c, n)
	findings = append(findings, darken(c, n)...)
	findings = append(findings, movedAway(c, n.Address)...)
	c.State, c.Findings = Checked, findings
	note(c, now(), "checked: %s", countFindings(findings))
	return nil
}

func away(v fleet.View) guard.Finding {
	return guard.Finding{
		ID: "in-hand:" + v.Name, Guard: "in-hand", Level: guard.Stop, Ports: []network.PortRef{},
		What: fmt.Sprintf("%s is not connected (%s since %s).", v.Name, v.Reach, v.Since.Format(time.RFC3339)),
		Why:  "A push reaches every device or none.",
		Do:   fmt.Sprintf("Bring %s back, or take it out of the change.", v.Name),
	}
}

// noWayBack is what is found of a device that cannot go back by itself.
func noWayBack(v fleet.View) guard.Finding {
	return guard.Finding{
		ID: "no-way-back:" + v.Name, Guard: "no-way-back", Level: guard.Warn, Ports: []network.PortRef{},
		What: fmt.Sprintf("%s cannot go back by itself: what it is told runs for good at once.", v.Name),
		Why:  "If the change cuts it off, nobody undoes it there but a person on the spot. As long as it can be reached, it is read back and the old settings are written again where something is lost.",
		Do:   "Push it when somebody could be there.",
	}
}

func countFindings(findings []guard.Finding) string {
	if len(findings) == 0 {
		return "nothing found"
	}
	n := map[guard.Level]int{}
	for _, f := range findings {
		n[f.Level]++
	}
	var parts []string
	for _, l := range []guard.Level{guard.Stop, guard.Warn, guard.Note} {
		if n[l] > 0 {
			word := string(l)
			if l == guard.Warn {
				word = "warning"
			}
			if n[l] > 1 {
				word += "s"
			}
			parts = append(parts, fmt.Sprintf("%d %s", n[l], word))
		}
	}
	return strings.Join(parts, ", ")
}
