package policy_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// translationOf waits until a translation did for some sessions.
func translationOf(t *testing.T, r *rig.Rig, number int) v1.PolicyTranslation {
	t.Helper()
	var out v1.PolicyTranslation
	require.Eventually(t, func() bool {
		p, err := r.Policy(t.Context(), "ng-fw-01")
		require.NoError(t, err)
		for _, one := range p.Translations {
			if one.Number == number && one.Sessions != nil && *one.Sessions > 0 {
				out = one
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "translation %d does for nobody", number)
	return out
}

// What a firewall translates is counted as its stations surf, edited by row on the command line with what it would break said before, read by an
// independent client, and shown in command and console.
func TestTranslations(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	surf := translationOf(t, r, 20)
	assert.Equal(t, [3]string{"source", "198.51.100.17", ""}, [3]string{surf.Kind, surf.Into, surf.Layer})
	c := r.Draft(t, [3]string{policy, "translations/20", ""})
	assert.Equal(t, "warn", level(c, "firewall:"+policy+":translation-20"), "the desks surf by it")
	c = r.Draft(t, [3]string{policy, "translations/30", "destination from annex destination 198.51.100.90 into 10.7.20.21"})
	assert.Equal(t, "stop", level(c, "firewall:"+policy+":translations30:security-zone/annex"), "it has no such zone")

	cli := rig.SignedIn(t, r)
	assert.Regexp(t, `20 +source +any +outside +any +any +any +198.51.100.17 +\d+`, cli.Good("policy", "ng-fw-01", "--translations").Out)
	bad := cli.Run("", "port", "set", policy, "translations/30=destination into 10.7.20.21")
	assert.NotZero(t, bad.Code)
	assert.Contains(t, bad.Err, "of which destination, or of which service")
	r.PushAndKeep(t, r.Draft(t, [3]string{policy, "translations/30", `destination from outside destination 198.51.100.90 service tcp/443 into 10.7.20.21 port 8443 note "the call list"`}))
	read := r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><policy><translation><number>30</number></translation></policy></firewall>`)
	assert.Contains(t, read, "<kind>destination</kind><from>outside</from><destination>198.51.100.90/32</destination><service>tcp/443</service><into>10.7.20.21</into><port>8443</port>")
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--translations").Out, "10.7.20.21 port 8443")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?firewall=ng-fw-01"), browser.Shows("3 translations"), browser.Shows("198.51.100.90/32"), browser.Shows("the call list"),
	))
	assert.Empty(t, b.Complaints)

	require.NoError(t, r.World.Throw(standin.Hang, "ng-fw-01"))
	r.Restart(t)
	last, err := r.Policy(t.Context(), "ng-fw-01")
	require.NoError(t, err)
	assert.Len(t, last.Translations, 3, "what it was last seen to run")
}
