package setup_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// Where devices are managed stands on them, as an independent client reads: in another VLAN, when both ends of the way are put there
// at once; and on a port and in a VRF of its own.
func TestWhereADeviceIsManagedStandsOnIt(t *testing.T) {
	t.Parallel()
	t.Run("in another VLAN", func(t *testing.T) {
		t.Parallel()
		r := rig.StartPart(t, "gs-sw-01", "grey-skerry")
		require.NoError(t, r.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: "Grey Skerry", Entry: "gs-sw-01"}))
		var edits [][3]string
		for _, sw := range []string{"gs-sw-01", "gs-sw-02"} {
			edits = append(edits, [3]string{sw, "management-vlan", "20"})
		}
		c := r.Draft(t, edits...)
		assert.Equal(t, []string{"management-path:gs-rl-01", "out-of-sight:gs-sw-02"}, rig.Findings(c), "what stays in the old VLAN is cut off, and that must be accepted")
		keepAccepting(t, r, c)
		for _, sw := range []string{"gs-sw-01", "gs-sw-02"} {
			assert.Contains(t, leaves(t, r, sw), "interfaces/interface[vlan10]/routed-vlan/config/vlan = 20")
		}
	})
	t.Run("on a port of its own", func(t *testing.T) {
		t.Parallel()
		p := rig.Only("hh-core-02")
		p.Hosts = nil
		w, err := standin.New(p, standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
		require.NoError(t, err)
		require.NoError(t, w.Start(t.Context()))
		t.Cleanup(w.Close)
		r := rig.Start(t, w)
		keepAccepting(t, r, r.Draft(t, [3]string{"hh-core-02", "management-port", "mgmt0"}, [3]string{"hh-core-02", "management-vrf", "apart"}))
		leaves := leaves(t, r, "hh-core-02")
		assert.Contains(t, leaves, "management-plane/own-port/port = mgmt0")
		assert.Contains(t, leaves, "management-plane/vrf = apart")
	})
}
