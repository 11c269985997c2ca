package guard

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// behindFirewall is a firewall with a policy that is in use.
func behindFirewall() Proposal {
	return Proposal{
		Now: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), Kinds: map[string]network.Kind{}, Site: map[string]string{},
		Insides: map[string]network.Inside{"th-fw-01": {Policy: &network.PolicyState{Rules: []network.RuleHits{{Number: 10, Sessions: 1240}, {Number: 20, Sessions: 0}}}}},
		Before: map[string]network.Config{"th-fw-01": {Hostname: "th-fw-01", Features: []network.Feature{setting.Firewall, setting.Schedules}, Ports: map[string]network.PortConfig{}, Objects: map[string]network.Settings{
			"security-zone/office": {"zone-vlans": "20"}, "security-zone/guests": {"zone-vlans": "80"}, "security-zone/outside": {"interfaces": "wan1"},
			"address/desks": {"addresses": "10.2.20.0/24"}, "address/all": {"members": "desks"}, "service/web": {"services": "tcp/80,tcp/443"},
			"policy/main": {"rules/10": "allow from office to outside source desks service web", "rules/20": "allow from guests to outside service tcp/443"},
		}}},
	}
}

func TestGuardsOfFirewalls(t *testing.T) {
	const fw, policy = "th-fw-01:", "th-fw-01:policy/main"
	for name, tc := range map[string]guardCase{
		"nothing":           {edits: [][3]string{{policy, "rules/10", "allow from office to outside source desks service web note \"as it was\""}}},
		"a zone":            {edits: [][3]string{{policy, "rules/30", "deny from nowhere to office log on"}}, want: []string{"firewall:th-fw-01:policy/main:30:security-zone/nowhere", "firewall:th-fw-01:policy/main:30"}, says: "Rule 30 of the policy of th-fw-01 names security zone nowhere"},
		"a group":           {edits: [][3]string{{fw + "address/all", "members", "desks,gone"}}, want: []string{"firewall:th-fw-01:address/all:0:address/gone"}, says: "Address all of th-fw-01 names address gone"},
		"itself":            {edits: [][3]string{{fw + "address/desks", "members", "all"}}, want: []string{"firewall:th-fw-01:address/all:members", "firewall:th-fw-01:address/desks:members"}, says: "Address all of th-fw-01 would hold itself: all holds desks holds all"},
		"two zones":         {edits: [][3]string{{fw + "security-zone/guests", "zone-vlans", "20,80"}}, want: []string{"firewall:th-fw-01:security-zone/office:VLAN-20"}, says: "VLAN 20 would be in two zones"},
		"shadowed":          {edits: [][3]string{{policy, "rules/5", "deny from guests to any"}}, want: []string{"firewall:th-fw-01:policy/main:20", "firewall:th-fw-01:policy/main:closes"}, says: "Rule 20 of th-fw-01 never decides: rule 5 decides before it, and otherwise"},
		"in use":            {edits: [][3]string{{policy, "rules/10", "allow from office to outside source desks service tcp/443"}}, want: []string{"firewall:th-fw-01:policy/main:closes"}, says: "would stop what it lets pass now: tcp/80 from office (desks) to outside (any)"},
		"not in use":        {edits: [][3]string{{policy, "rules/20", ""}}, want: []string{"firewall:th-fw-01:policy/main:closes"}, says: "tcp/443 from guests (any)"},
		"opens":             {edits: [][3]string{{policy, "rules/20", "allow from guests to outside service web"}}, want: []string{"firewall:th-fw-01:policy/main:opens"}, says: "would let pass what it stops now: tcp/80 from guests (any) to outside (any)"},
		"everything":        {edits: [][3]string{{policy, "rules/30", "allow from any to any"}}, want: []string{"firewall:th-fw-01:policy/main:30", "firewall:th-fw-01:policy/main:opens"}, says: "lets everybody reach everything"},
		"redundant":         {edits: [][3]string{{policy, "rules/30", "allow from office to outside source desks service tcp/80"}}, want: []string{"firewall:th-fw-01:policy/main:30"}, says: "changes nothing: rule 10 decides as it does", fix: policy + " rules/30="},
		"past":              {edits: [][3]string{{policy, "rules/30", "allow from office to guests until 2026-09-30"}}, want: []string{"firewall:th-fw-01:policy/main:30"}, says: "was for a time that is over"},
		"nobody":            {edits: [][3]string{{policy, "rules/30", "allow from office to office"}}, want: []string{"firewall:th-fw-01:policy/main:30"}, says: "is for nobody"},
		"without a policy":  {edits: [][3]string{{policy, "present", "off"}}, want: []string{"firewall:th-fw-01:policy/main:opens"}, says: "would let pass what it stops now"},
		"what an edit says": {edits: [][3]string{{fw + "service/web", "services", "tcp/80,tcp/443,tcp/8443"}}, want: []string{"firewall:th-fw-01:policy/main:opens"}, says: "tcp/8443 from office (desks)"},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, behindFirewall()) })
	}
}

func TestWhatIsInUseIsNotRemoved(t *testing.T) {
	c := behindFirewall().Before["th-fw-01"]
	for object, says := range map[string]string{
		"address/desks": "rule 10 of the policy uses it", "service/web": "rule 10 of the policy uses it", "security-zone/guests": "rule 20 of the policy uses it", "address/all": "",
	} {
		s, err := setting.Lookup(setting.KindOf(object), setting.Present)
		assert.NoError(t, err)
		after := c.Clone()
		if err = s.Set(&after, object, "off"); says == "" {
			assert.NoError(t, err)
			continue
		}
		assert.ErrorContains(t, err, says)
	}
}
