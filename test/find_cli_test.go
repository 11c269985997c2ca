package test

import (
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
)

// The work of a technician who adds a terminal's devices, by command line.
func TestDiscoveryByCommandLine(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	c := signedIn(t, r)
	c.good("site", "set", "annex", "--title", "Quay annex", "--code", "QA", "--position", "56.4,-5.6", "--time-zone", "Etc/UTC")
	assert.Contains(t, c.good("sites", "site.code = qa").out, "Quay annex")
	bad := c.run("", "site", "set", "annex", "--position", "north")
	assert.Equal(t, 2, bad.code)
	assert.Contains(t, bad.err, "write latitude,longitude")
	c.good("site", "set", "annex", "--contact", "Bram Oar")
	assert.Contains(t, c.good("sites", "annex", "-o", "json").out, `"code": "QA"`, "what no flag names stays")

	search := c.run(devicePassword+"\n", "discover", r.world.Address("mp-sw-01"), "--user", deviceUser, "--hops", "1")
	require.Zero(t, search.code, search.err)
	assert.Contains(t, search.err, "3 devices found")
	assert.NotContains(t, search.err, devicePassword)
	found := c.good("found").out
	assert.Contains(t, found, r.world.Serials()["mp-ap-01"])
	assert.Contains(t, found, "mp-sw-01, 1/1/1", "who told of it")

	no := c.run("no\n", "accept", "mp-ap-01")
	assert.Equal(t, 3, no.code)
	assert.Contains(t, no.err, "SHA256:", "the key is shown before it is accepted")
	assert.Contains(t, no.err, "nothing was accepted")
	accepted := c.run("yes\n", "accept", "mp-ap-01", "mp-sw-01")
	require.Zero(t, accepted.code, accepted.err)
	assert.Equal(t, 3, c.run("", "accept", "nobody", "--yes").code)
	c.good("accept", "mp-edge-01", "--dismiss")
	assert.Contains(t, c.good("found").err, "Nothing waits")
	r.awaitAll(t)
	assert.Equal(t, 2, c.run("", "accept").code, "nothing is taken for all")

	c.good("device", "describe", "mp-sw-01", "--building", "Pier hut", "--rack", "R1", "--unit", "3", "--tag", "critical,outdoor")
	c.good("device", "describe", "mp-sw-01", "--no-tag", "outdoor", "--floor", "0")
	assert.Contains(t, c.good("devices", "tag = critical and not tag = outdoor and building ~ pier*").out, "mp-sw-01")
	show := c.good("device", "show", "mp-sw-01").out
	for _, text := range []string{"Hardware", "psu1", "rpm", "Links"} {
		assert.Contains(t, show, text)
	}
	c.good("device", "retire", "mp-ap-01")
	assert.Contains(t, c.good("devices", "reach = retired").out, "mp-ap-01")
	c.good("device", "reinstate", "mp-ap-01")
	r.awaitAll(t)
	refused := c.run("", "device", "forget", "mp-ap-01")
	assert.Equal(t, 3, refused.code)
	assert.Contains(t, refused.err, "retire it first")
	c.good("device", "retire", "mp-ap-01")
	assert.Equal(t, 2, c.run("", "device", "forget", "mp-ap-01").code, "nobody said yes")
	assert.NotZero(t, c.run("mp-ap-02\n", "device", "forget", "mp-ap-01").code)
	assert.Contains(t, c.good("devices", "reach = retired").out, "mp-ap-01")
	forgotten := c.run("mp-ap-01\n", "device", "forget", "mp-ap-01")
	assert.Zero(t, forgotten.code, forgotten.err)
	merged := c.good("site", "merge", "marram-point", "annex")
	assert.Contains(t, merged.err, "now part of annex")
	assert.Contains(t, c.good("devices", "site = annex", "--count", "kind").out, "switch")
	assert.Equal(t, 3, c.run("", "site", "remove", "annex").code)
}

func TestFindingByCommandLine(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	c := signedIn(t, r)
	assert.Contains(t, c.good("fields").out, "port.poe.watts")
	assert.Contains(t, c.good("fields", "--of", "log").out, "event.kind")
	rows, err := csv.NewReader(strings.NewReader(c.good("ports", "--where", "port.poe.watts > 0", "--sort", "-port.poe.watts", "-o", "csv").out)).ReadAll()
	require.NoError(t, err)
	assert.Contains(t, rows[1][0], ":1/1/21", "a gate draws most")
	assert.Contains(t, c.good("ports", "--limit", "3").err, "3 of 99 are shown")
	assert.Contains(t, c.good("devices", "--count", "kind,health").out, "access-point")
	var counts map[string][]v1.Count
	require.NoError(t, json.Unmarshal([]byte(c.good("ports", "--count", "port.mode", "-o", "json").out), &counts))
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
		got := c.run("", tc.args...)
		assert.Equal(t, tc.code, got.code, name)
		assert.Contains(t, got.err, tc.says, name)
	}

	mac := ""
	for m, at := range r.world.Stations() {
		if at == printer {
			mac = m
		}
	}
	assert.Contains(t, c.good("clients", "name = th-sw-02 and port = 1/1/7").out, mac)
	c.good("client", "name", mac, "Ticket printer")
	assert.Contains(t, c.good("clients", "ticket printer").out, mac)
	assert.Contains(t, c.good("events", "--last", "50").out, "th-sw-02 is connected.")
	assert.Contains(t, c.good("events", "name = th-sw-02 and event.kind = device").out, "is connected")

	// Completion of a selector, as a shell asks for it.
	assert.Contains(t, c.good("__complete", "devices", "kind", "=", "sw").out, "switch")
	assert.Contains(t, c.good("__complete", "devices", "kind = sw").out, "kind = switch")
	assert.Contains(t, c.good("__complete", "ports", "--sort=-port.po").out, "-port.poe.watts")
	assert.Contains(t, c.good("__complete", "site", "merge", "").out, "tern-haven")
}

// The security officer proves what was done, and that nothing of it was changed since.
func TestAuditByCommandLine(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	c := signedIn(t, r)
	c.good("device", "describe", "th-sw-02", "--tag", "critical")
	assert.Contains(t, c.good("audit", "describe-device").out, "th-sw-02")
	rows, err := csv.NewReader(strings.NewReader(c.good("audit", "--last", "3", "-o", "csv").out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 4)
	verdict := c.good("audit", "verify")
	assert.Contains(t, verdict.err, "follow from each other")
	assert.Regexp(t, "^head [0-9a-f]{64}\n$", verdict.out)
	isla := r.as(t, "isla", "viewer")
	_, err = isla.VerifyAudit(t.Context())
	assert.Error(t, err, "only who may administer")
}
