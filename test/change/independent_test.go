package change_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// readPort asks a device, as an independent NETCONF client, for the access VLAN and the PoE setting of a port.
const readPort = `
x = m.get_config("running", filter=("subtree", '<interfaces xmlns="http://openconfig.net/yang/interfaces"><interface><name>%s</name></interface></interfaces>' % sys.argv[2])).data_xml
print(x.split("access-vlan>")[1].split("<")[0], x.split("/yang/poe")[1].split("enabled>")[1].split("<")[0])
m.close_session()
`

func independently(t *testing.T, r *rig.Rig, ref string) string {
	t.Helper()
	device, port, _ := rig.CutPort(ref)
	out, err := peers.NETCONF(t, r.World.Address(device), rig.DevicePassword, readPort, port).CombinedOutput()
	require.NoError(t, err, string(out))
	return strings.TrimSpace(string(out))
}

func TestIndependentClientSeesWhatWasKeptAndWhatWasUndone(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	assert.Equal(t, "20 true", independently(t, r, rig.Printer))

	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{rig.Printer, "poe", "off"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	assert.Equal(t, "40 false", independently(t, r, rig.Printer))
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "undone")
	assert.Equal(t, "20 true", independently(t, r, rig.Printer))

	c = r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{rig.Printer, "poe", "off"})
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	assert.Equal(t, "40 false", independently(t, r, rig.Printer))
}
