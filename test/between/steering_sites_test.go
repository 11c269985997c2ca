package between_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/rig"
)

// A row that speaks of a site gets the networks that devices there tell of; of a site that is nowhere there are none, and nothing is drafted.
func TestSteeringBySite(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01")
	r.AwaitAll(t)
	c := rig.SignedIn(t, r)
	bad := c.Run("", "rows", "add", "ng-edge-01:steering/main", "application video to site:nowhere over fibre")
	assert.NotZero(t, bad.Code)
	assert.Contains(t, bad.Err, "no device of site nowhere tells of a network there: write its prefixes")
	c.Good("rows", "add", "ng-edge-01:steering/main", `application video to site:tern-haven over fibre note "to site:tern-haven"`, "--at", "first") // where all devices of rigs are
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, list.Items, 1, "what is wrong makes no draft")
	tried, err := r.Steering(t.Context(), "ng-edge-01", list.Items[0].Number, "10m")
	require.NoError(t, err)
	assert.Contains(t, tried.Ways[0].Text, "10.1.20.0/24,")
	assert.Contains(t, tried.Ways[0].Text, "10.7.20.0/24")
	assert.Contains(t, tried.Ways[0].Text, `note "to site:tern-haven"`)
	kept(t, r, list.Items[0].Number)
	assert.Contains(t, r.Asked(t, "ng-edge-01", `<steering xmlns="urn:everypost:yang:ep-wan"><choice><name>main</name></choice></steering>`), "<to>10.1.20.0/24</to>")
}
