package policy_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

// A place is said once for all firewalls, and is at each site the networks that its gateways have: what the firewall was found with follows, and what
// becomes of the gateway is told of the firewall. A single device cannot say it.
func TestAPlaceIsAnotherAtEachSite(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	c := rig.SignedIn(t, r)
	bad := c.Run("", "port", "set", "ng-fw-01:address/desks", "addresses=vlan/20")
	assert.NotZero(t, bad.Code)
	assert.Contains(t, bad.Err, `"vlan/20" is another network at each site, which only a template or a site can say: write its prefix`)
	c.Good("template", "set", "every-firewall", "--for", "devices", "--pick", "kind = firewall", "--on", "address/desks", "present=on", "addresses=vlan/20")
	c.Good("template", "set", "every-firewall", "--for", "devices", "--on", "address/telephones", "present=on", "addresses=vlan/30,10.1.30.0/24", "--change", "1")
	const number = 1
	draft, err := r.Check(t.Context(), number)
	require.NoError(t, err)
	is := map[string]string{}
	for _, one := range draft.Differences {
		is[one.Port+" "+one.Field] = one.After
	}
	assert.Equal(t, "10.7.30.0/24,10.1.30.0/24", is["ng-fw-01:address/telephones addresses"])
	assert.NotContains(t, is, "ng-fw-01:address/desks addresses", "it has it already")
	pushAll(t, r, number)
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><address><name>telephones</name></address></firewall>`), "<value>10.7.30.0/24</value><value>10.1.30.0/24</value>")
	assert.Contains(t, c.Good("layers", "ng-fw-01:address/desks").Out, "10.7.20.0/24        template every-firewall")

	moved := r.Draft(t, [3]string{"ng-edge-01:gateway/20", "gateway-address", "10.7.120.1/24"}, [3]string{"ng-edge-01:gateway/20", "dhcp-ranges", "10.7.120.20-10.7.120.90"})
	pushAll(t, r, moved.Number)
	require.Eventually(t, func() bool {
		drift, err := r.Drift(t.Context())
		require.NoError(t, err)
		for _, one := range drift.Items {
			for _, x := range one.Differences {
				if one.Device == "ng-fw-01" && x.Setting == "addresses" && x.Intended == "10.7.120.0/24" {
					return strings.HasPrefix(x.Layer, "template/")
				}
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "the firewall is to follow")
	c.Good("site", "layer", "tern-haven", "--on", "address/desks", "addresses=10.7.20.0/24,vlan/20") // where all devices of rigs are
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	pushAll(t, r, list.Items[0].Number)
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><address><name>desks</name></address></firewall>`), "<value>10.7.20.0/24</value><value>10.7.120.0/24</value>")
}

// pushAll pushes a change with all that its guards warn of, and keeps it.
func pushAll(t *testing.T, r *rig.Rig, number int64) {
	t.Helper()
	ch, err := r.Check(t.Context(), number)
	require.NoError(t, err)
	var accept []string
	for _, f := range ch.Findings {
		require.NotEqual(t, "stop", f.Level, f.What)
		accept = append(accept, f.ID)
	}
	_, err = r.Push(t.Context(), number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	r.Until(t, number, "on-trial")
	_, err = r.Keep(t.Context(), number)
	require.NoError(t, err)
	r.Until(t, number, "kept")
}
