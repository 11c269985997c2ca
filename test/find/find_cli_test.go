package find_test

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

// The work of a technician who adds a terminal's devices, by command line.
func TestDiscoveryByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	c := rig.SignedIn(t, r)
	c.Good("site", "set", "annex", "--title", "Quay annex", "--code", "QA", "--position", "56.4,-5.6", "--time-zone", "Etc/UTC")
	assert.Contains(t, c.Good("sites", "site.code = qa").Out, "Quay annex")
	bad := c.Run("", "site", "set", "annex", "--position", "north")
	assert.Equal(t, 2, bad.Code)
	assert.Contains(t, bad.Err, "write latitude,longitude")
	c.Good("site", "set", "annex", "--contact", "Bram Oar")
	assert.Contains(t, c.Good("sites", "annex", "-o", "json").Out, `"code": "QA"`, "what no flag names stays")

	search := c.Run(rig.DevicePassword+"\n", "discover", r.World.Address("mp-sw-01"), "--user", rig.DeviceUser, "--hops", "1")
	require.Zero(t, search.Code, search.Err)
	assert.Contains(t, search.Err, "3 devices found")
	assert.NotContains(t, search.Err, rig.DevicePassword)
	found := c.Good("found").Out
	assert.Contains(t, found, r.World.Serials()["mp-ap-01"])
	assert.Contains(t, found, "mp-sw-01, 1/1/1", "who told of it")

	no := c.Run("no\n", "accept", "mp-ap-01")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "SHA256:", "the key is shown before it is accepted")
	assert.Contains(t, no.Err, "nothing was accepted")
	accepted := c.Run("yes\n", "accept", "mp-ap-01", "mp-sw-01")
	require.Zero(t, accepted.Code, accepted.Err)
	assert.Equal(t, 3, c.Run("", "accept", "nobody", "--yes").Code)
	c.Good("accept", "mp-edge-01", "--dismiss")
	assert.Contains(t, c.Good("found").Err, "Nothing waits")
	r.AwaitAll(t)
	assert.Equal(t, 2, c.Run("", "accept").Code, "nothing is taken for all")

	c.Good("device", "describe", "mp-sw-01", "--building", "Pier hut", "--rack", "R1", "--unit", "3", "--tag", "critical,outdoor")
	c.Good("device", "describe", "mp-sw-01", "--no-tag", "outdoor", "--floor", "0")
	assert.Contains(t, c.Good("devices", "tag = critical and not tag = outdoor and building ~ pier*").Out, "mp-sw-01")
	show := c.Good("device", "show", "mp-sw-01").Out
	for _, text := range []string{"Hardware", "psu1", "rpm", "Links"} {
		assert.Contains(t, show, text)
	}
	c.Good("device", "retire", "mp-ap-01")
	assert.Contains(t, c.Good("devices", "reach = retired").Out, "mp-ap-01")
	c.Good("device", "reinstate", "mp-ap-01")
	r.AwaitAll(t)
	refused := c.Run("", "device", "forget", "mp-ap-01")
	assert.Equal(t, 3, refused.Code)
	assert.Contains(t, refused.Err, "retire it first")
	c.Good("device", "retire", "mp-ap-01")
	assert.Equal(t, 2, c.Run("", "device", "forget", "mp-ap-01").Code, "nobody said yes")
	assert.NotZero(t, c.Run("mp-ap-02\n", "device", "forget", "mp-ap-01").Code)
	assert.Contains(t, c.Good("devices", "reach = retired").Out, "mp-ap-01")
	forgotten := c.Run("mp-ap-01\n", "device", "forget", "mp-ap-01")
	assert.Zero(t, forgotten.Code, forgotten.Err)
	merged := c.Good("site", "merge", "marram-point", "annex")
	assert.Contains(t, merged.Err, "now part of annex")
	assert.Contains(t, c.Good("devices", "site = annex", "--count", "kind").Out, "switch")
	assert.Equal(t, 3, c.Run("", "site", "remove", "annex").Code)
}

func TestFindingByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("fields").Out, "port.poe.watts")
	assert.Contains(t, c.Good("fields", "--of", "log").Out, "event.kind")
	rows, err := csv.NewReader(strings.NewReader(c.Good("ports", "--where", "port.poe.watts > 0", "--sort", "-port.poe.watts", "-o", "csv").Out)).ReadAll()
	require.NoError(t, err)
	assert.Contains(t, rows[1][0], ":1/1/21", "a gate draws most")
	assert.Contains(t, c.Good("ports", "--limit", "3").Err, "3 of 99 are shown")
	assert.Contains(t, c.Good("devices", "--count", "kind,health").Out, "access-point")
	var counts map[string][]v1.Count
	require.NoError(t, json.Unmarshal([]byte(c.Good("ports", "--count", "port.mode", "-o", "json").Out), &counts))
	assert.NotEmpty(t, counts["port.mode"])

	for name, tc := range map[string]struct {
		args []string
		code int
		says string
	}{
		"misspelt":  {[]string{"devices", "knd", "=", "switch"}, 3, "unknown field `knd` at 1: did you mean `kind`?"},
		"both ways": {[]string{"devices", "switch", "--where", "kind = edge"}, 2, "not both"},
		"the past":  {[]string{"events", "health = down"}, 3, "known only of this moment"},
	} {
		got := c.Run("", tc.args...)
		assert.Equal(t, tc.code, got.Code, name)
		assert.Contains(t, got.Err, tc.says, name)
	}

	mac := ""
	for m, at := range r.World.Stations() {
		if at == rig.Printer {
			mac = m
		}
	}
	assert.Contains(t, c.Good("clients", "name = th-sw-02 and port = 1/1/7").Out, mac)
	c.Good("client", "name", mac, "Ticket printer")
	assert.Contains(t, c.Good("clients", "ticket printer").Out, mac)
	assert.Contains(t, c.Good("events", "--last", "50").Out, "th-sw-02 is connected.")
	assert.Contains(t, c.Good("events", "name = th-sw-02 and event.kind = device").Out, "is connected")

	// Completion of a selector, as a shell asks for it.
	assert.Contains(t, c.Good("__complete", "devices", "kind", "=", "sw").Out, "switch")
	assert.Contains(t, c.Good("__complete", "devices", "kind = sw").Out, "kind = switch")
	assert.Contains(t, c.Good("__complete", "ports", "--sort=-port.po").Out, "-port.poe.watts")
	assert.Contains(t, c.Good("__complete", "site", "merge", "").Out, "tern-haven")
}

// The security officer proves what was done, and that nothing of it was changed since.
func TestAuditByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	c.Good("device", "describe", "th-sw-02", "--tag", "critical")
	assert.Contains(t, c.Good("audit", "describe-device").Out, "th-sw-02")
	rows, err := csv.NewReader(strings.NewReader(c.Good("audit", "--last", "3", "-o", "csv").Out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 4)
	verdict := c.Good("audit", "verify")
	assert.Contains(t, verdict.Err, "follow from each other")
	assert.Regexp(t, "^head [0-9a-f]{64}\n$", verdict.Out)
	isla := r.As(t, "isla", "viewer")
	_, err = isla.VerifyAudit(t.Context())
	assert.Error(t, err, "only who may administer")
}
