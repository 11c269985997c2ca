package change_test

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// withoutAWayBack starts a rig of which the switch th-sw-02 cannot go back by itself.
func withoutAWayBack(t *testing.T) *rig.Rig {
	plant := standin.TernHaven()
	for i := range plant.Devices {
		plant.Devices[i].NoTrial = plant.Devices[i].Name == "th-sw-02"
	}
	w, err := standin.New(plant, standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return rig.Start(t, w)
}

const forGood = "no-way-back:th-sw-02"

// A device that cannot go back by itself is changed all the same: it is warned of, read back, kept, and put back by what it ran
// before, on somebody's word and where something is lost.
func TestADeviceWithoutAWayBackIsChanged(t *testing.T) {
	t.Parallel()
	r := withoutAWayBack(t)
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Contains(t, d.Abilities, "no trial")
	move := func(vlan string) v1.Change {
		c := r.Draft(t, [3]string{rig.Printer, "vlan", vlan})
		require.Equal(t, []string{forGood}, rig.Findings(c))
		_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
		rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "cannot go back by itself")
		_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: []string{forGood}})
		require.NoError(t, err)
		return r.Until(t, c.Number, "on-trial")
	}
	c := move("40")
	assert.Equal(t, "40", strings.Fields(r.Independently(t, rig.Printer))[0])
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Equal(t, "20", strings.Fields(r.Independently(t, rig.Printer))[0])
	assert.Contains(t, c.Devices[0].Said, "the old settings were written again")

	c = move("40")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	assert.Equal(t, "40", strings.Fields(r.Independently(t, rig.Printer))[0])

	// What hangs behind is lost: the access point has no power any more.
	c = r.Draft(t, [3]string{"th-sw-02:1/1/1", "poe", "off"})
	var accept []string
	for _, f := range c.Findings {
		accept = append(accept, f.ID)
	}
	require.Contains(t, accept, forGood)
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Outcome, "th-ap-01 cannot be reached any more")
	_, poe := r.Runs("th-sw-02:1/1/1")
	assert.Equal(t, "true", poe)
	r.Connected(t, "th-ap-01")
}

// The service stops while such a change runs, and finds it again.
func TestARestartOnADeviceWithoutAWayBack(t *testing.T) {
	t.Parallel()
	r := withoutAWayBack(t)
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 120, Accept: []string{forGood}})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	r.Restart(t)
	r.AwaitAll(t)
	assert.Equal(t, "40", strings.Fields(r.Independently(t, rig.Printer))[0])
	require.Eventually(t, func() bool {
		_, err := r.Undo(t.Context(), c.Number)
		return err == nil
	}, rig.WaitLong, rig.WaitStep)
	r.Until(t, c.Number, "undone")
	assert.Equal(t, "20", strings.Fields(r.Independently(t, rig.Printer))[0])
}
