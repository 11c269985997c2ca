package policy_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// A station that begins sessions without end fills the table of a firewall, until its zone has a limit: then what is above is dropped and counted, an
// alarm names who it is, others keep their sessions, and it is over once it ends.
func TestAFloodIsHeldBack(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	cli := rig.SignedIn(t, r)
	const phone = "ng-sw-01:1/1/5"
	sessions := func() int {
		d, err := r.Device(t.Context(), "ng-fw-01")
		require.NoError(t, err)
		if d.Inside == nil {
			return 0
		}
		return d.Inside.Sessions
	}
	require.NoError(t, r.World.Throw(standin.Flood, phone))
	require.Eventually(t, func() bool { return sessions() > 60_000 }, rig.WaitLong, rig.WaitStep, "its table fills")
	p, err := r.Policy(t.Context(), "ng-fw-01")
	require.NoError(t, err)
	assert.Empty(t, p.Floods, "nothing is limited")

	r.PushAndKeep(t, r.Draft(t, [3]string{"ng-fw-01:security-zone/voice", "flood-tcp", "100"}))
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><zone/></firewall>`), "<flood-limits><tcp>100</tcp></flood-limits>")
	floods := func(is func(v1.PolicyFlood) bool) (out v1.PolicyFlood) {
		require.Eventually(t, func() bool {
			p, err := r.Policy(t.Context(), "ng-fw-01")
			if err == nil && len(p.Floods) == 1 {
				out = p.Floods[0]
			}
			return is(out)
		}, rig.WaitLong, rig.WaitStep, "%+v", out)
		return out
	}
	now := floods(func(f v1.PolicyFlood) bool { return f.Rate > 0 })
	assert.Equal(t, [3]any{"voice", "tcp", uint64(3900)}, [3]any{now.Zone, now.Protocol, now.Rate})
	require.True(t, strings.HasPrefix(now.Source, "10.7.30."), now.Source)
	alarms := func() (out []string) {
		list, err := r.Alarms(t.Context(), client.AlarmQuery{})
		require.NoError(t, err)
		for _, a := range list.Items {
			if a.Type == "flood" {
				out = append(out, a.Severity+" "+a.Text)
			}
		}
		return out
	}
	require.Eventually(t, func() bool { return len(alarms()) == 1 }, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, alarms()[0], "major ng-fw-01: It drops 3900 new tcp sessions a second of zone voice: "+now.Source+" begins more than the limit of the zone.")
	require.Eventually(t, func() bool { return sessions() < 10_000 }, rig.WaitLong, rig.WaitStep, "others have room again")
	assert.Regexp(t, `voice +tcp +3900/s +\d+ +`+now.Source, cli.Good("policy", "ng-fw-01", "--floods").Out)
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--names").Out, "TCP at most 100")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/policies?firewall=ng-fw-01"), browser.Shows("drops 3,900 a second"), browser.Shows("TCP at most 100 a second")))
	assert.Empty(t, b.Complaints)

	// Who is blocked floods no more, and neither does who is mended; both are over on the firewall, and what was dropped stays counted.
	require.NoError(t, r.World.Throw(standin.Mend, phone))
	over := floods(func(f v1.PolicyFlood) bool { return f.Rate == 0 })
	assert.GreaterOrEqual(t, over.Dropped, now.Dropped)
	require.Eventually(t, func() bool { return len(alarms()) == 0 }, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--floods").Out, "over")
	for says, args := range map[string]string{"1 to 1000000": "flood-tcp=0", "is not": "flood-udp=many"} {
		bad := cli.Run("", "port", "set", "ng-fw-01:security-zone/voice", args)
		assert.NotZero(t, bad.Code, args)
		assert.Contains(t, bad.Err, says)
	}
}

// Mail that comes in to a server is refused by who sends it, by who delivers it, and by what is in it; the rest gets through.
func TestMailIsLookedInto(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	const letters = "ng-fw-01:inspection/letters"
	r.PushAndKeep(t, r.Draft(t,
		[3]string{letters, "present", "on"}, [3]string{letters, "mail-senders", "lottery.example"}, [3]string{letters, "mail-lists", "listed.example.net"}, [3]string{letters, "mail-words", "medicine"},
		[3]string{policy, "translations/40", "destination from outside destination 198.51.100.90 service tcp/25 into 10.7.20.21"},
		[3]string{policy, "rules/6", "allow from outside to office destination 10.7.20.21/32 service tcp/25 inspect letters"}))
	for _, what := range []string{"mail from lottery.example", "mail of who is in listed.example.net", "mail with medicine"} {
		assert.Equal(t, "letters", foundOf(t, r, what, func(f v1.InspectionFound) bool { return f.Blocked > 0 }).Inspection)
	}
	sessionsOf(t, r, client.SessionQuery{Port: 25}, func(s v1.FirewallSessions) bool {
		return len(s.Items) > 0 && s.Items[0].Application == "mail"
	})
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><inspection/></firewall>`), "<sender>lottery.example</sender>")
	assert.Regexp(t, `letters +mail from lottery.example +\d+`, rig.SignedIn(t, r).Good("policy", "ng-fw-01", "--found").Out)
}
