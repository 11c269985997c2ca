package rig

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
)

// readSettings asks a device, as an independent NETCONF client, for parts of what it runs.
const readSettings = `
print(m.get_config("running", filter=("subtree", sys.argv[2])).data_xml)
m.close_session()
`

// Asked is what an independent NETCONF client reads of a device.
func (r *Rig) Asked(t *testing.T, device, filter string) string {
	t.Helper()
	out, err := peers.NETCONF(t, r.World.Address(device), DevicePassword, readSettings, filter).CombinedOutput()
	require.NoError(t, err, string(out))
	return strings.Join(strings.Fields(string(out)), "")
}
