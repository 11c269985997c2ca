package cli

import (
	"slices"

	"github.com/spf13/cobra"
)

// area is commands that belong together, as --help shows them.
type area struct {
	id, title string
	commands  []string // in the order in which they are used
}

// areas are in the order of work: what people type every day first, what they type once last.
var areas = []area{
	{"daily", "Every day:", []string{"watch", "alarms", "alarm", "devices", "device", "ports", "port", "clients", "events", "draft", "changes", "change", "drift", "terminal"}},
	{"look", "Look closer:", []string{"sites", "links", "routes", "leases", "vlans", "service-vlans", "wireless", "radios", "refused", "joining", "blocked", "limited", "guests", "portals", "vouchers", "where", "applications", "reach", "what-if", "single-points", "paths", "tunnels", "steering", "segments", "routers", "radio-links", "circuits", "history", "day", "top", "volume", "live", "layers", "compare", "fields", "groups", "templates", "terminals"}},
	{"test", "Test and mend:", []string{"ping", "traceroute", "cable-test", "capture", "frames", "loopback", "throughput", "locate", "wake", "disconnect", "bounce", "power-cycle", "reopen", "clear-counters", "reboot", "shut-down", "factory-reset", "files", "file", "support", "operations", "operation"}},
	{"set", "Set up:", []string{"settings", "rows", "policies", "policy", "promises", "promise", "setup", "vlan", "service-vlan", "bundle", "template", "export", "client", "guest", "portal", "voucher", "tunnel", "segment", "radio-link", "circuit", "group", "change-rules", "change-rule"}},
	{"upkeep", "Keep up:", []string{"jobs", "job", "backups", "backup", "firmware", "change-passwords", "certificates", "certificate", "renew-certificates", "authority"}},
	{"arrive", "Take devices in hand:", []string{"discover", "found", "accept", "enrol", "claim", "claims", "site"}},
	{"told", "Be told:", []string{"alarm-rules", "alarm-rule", "notices", "notice", "deliveries", "mail-server"}},
	{"people", "People and rights:", []string{"users", "user", "roles", "role", "rights", "audit"}},
	{"own", "Your sign-in:", []string{"login", "logout", "password", "sessions", "session", "tokens", "token"}},
	{running, "Run the service:", []string{"serve", "demo", "version"}},
}

const running = "run"

func init() { cobra.EnableCommandSorting = false } // their order tells something

// arrange puts the commands of the root under the areas of work. Those that are in none come last.
func arrange(root *cobra.Command) {
	root.SetHelpCommandGroupID(running)
	root.SetCompletionCommandGroupID(running)
	place := map[string]int{}
	for _, a := range areas {
		if !root.ContainsGroup(a.id) {
			root.AddGroup(&cobra.Group{ID: a.id, Title: a.title})
		}
		for _, name := range a.commands {
			place[name] = len(place) + 1
			for _, c := range root.Commands() {
				if c.Name() == name {
					c.GroupID = a.id
				}
			}
		}
	}
	all := slices.Clone(root.Commands())
	root.RemoveCommand(all...)
	slices.SortStableFunc(all, func(a, b *cobra.Command) int { return at(place, a) - at(place, b) })
	root.AddCommand(all...)
}

func at(place map[string]int, c *cobra.Command) int {
	if n := place[c.Name()]; n > 0 {
		return n
	}
	return len(place) + 1
}
