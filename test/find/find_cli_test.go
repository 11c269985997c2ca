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
