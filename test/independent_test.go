package test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/peers"
)

// readPort asks a device, as an independent NETCONF client, for the access VLAN and the PoE setting of a port.
const readPort = `
x = m.get_config("running", filter=("subtree", '<interfaces xmlns="http://openconfig.net/yang/interfaces"><interface><name>%s</name></interface></interfaces>' % sys.argv[2])).data_xml
print(x.split("access-vlan>")[1].split("<")[0], x.split("/yang/poe")[1].split("enabled>")[1].split("<")[0])
m.close_session()
`

func independently(t *testing.T, r *rig, ref string) string {
	t.Helper()
	device, port, _ := cutPort(ref)
	out, err := peers.NETCONF(t, r.world.Address(device), devicePassword, readPort, port).CombinedOutput()
	require.NoError(t, err, string(out))
	return strings.TrimSpace(string(out))
}

func TestIndependentClientSeesWhatWasKeptAndWhatWasUndone(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	assert.Equal(t, "20 true", independently(t, r, printer))

	c := r.draft(t, [3]string{printer, "vlan", "40"}, [3]string{printer, "poe", "off"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.until(t, c.Number, "on-trial")
	assert.Equal(t, "40 false", independently(t, r, printer))
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.until(t, c.Number, "undone")
	assert.Equal(t, "20 true", independently(t, r, printer))

	c = r.draft(t, [3]string{printer, "vlan", "40"}, [3]string{printer, "poe", "off"})
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.until(t, c.Number, "kept")
	assert.Equal(t, "40 false", independently(t, r, printer))
}
