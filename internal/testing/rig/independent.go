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

// readState asks a device, as an independent NETCONF client, for parts of what it observes.
const readState = `
print(m.get(filter=("subtree", sys.argv[2])).data_xml)
m.close_session()
`

// Told is what an independent NETCONF client reads of what a device observes.
func (r *Rig) Told(t *testing.T, device, filter string) string {
	t.Helper()
	out, err := peers.NETCONF(t, r.World.Address(device), DevicePassword, readState, filter).CombinedOutput()
	require.NoError(t, err, string(out))
	return strings.Join(strings.Fields(string(out)), "")
}

// readPort asks a device, as an independent NETCONF client, for the access VLAN and the PoE setting of a port.
const readPort = `
x = m.get_config("running", filter=("subtree", '<interfaces xmlns="http://openconfig.net/yang/interfaces"><interface><name>%s</name></interface></interfaces>' % sys.argv[2])).data_xml
print(x.split("access-vlan>")[1].split("<")[0], x.split("/yang/poe")[1].split("enabled>")[1].split("<")[0])
m.close_session()
`

// Independently tells what a port runs as an independent NETCONF client reads it.
func (r *Rig) Independently(t testing.TB, ref string) string {
	t.Helper()
	device, port, _ := CutPort(ref)
	out, err := peers.NETCONF(t, r.World.Address(device), DevicePassword, readPort, port).CombinedOutput()
	require.NoError(t, err, string(out))
	return strings.TrimSpace(string(out))
}
