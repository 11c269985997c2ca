package change_test

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

func TestMovePortAndKeep(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{rig.Printer, "poe", "off"})
	assert.Equal(t, "checked", c.State)
	assert.Empty(t, c.Findings)
	assert.Equal(t, []v1.Difference{{Port: rig.Printer, Field: "vlan", Before: "20", After: "40"}, {Port: rig.Printer, Field: "poe", Before: "on", After: "off"}}, c.Differences)

	_, err := r.Push(t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "on-trial")
	vlan, poe := r.Runs(rig.Printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})

	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	c = r.Until(t, c.Number, "kept")
	assert.False(t, r.World.TrialOpen("th-sw-02"))
	vlan, poe = r.Runs(rig.Printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
}

func TestMovePortAndUndo(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Equal(t, "undone on the service's word", c.Devices[0].Said)
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "20", vlan)
}

func TestChangeThatCutsOffIsUndoneByTheSwitchItself(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	const uplink = "th-sw-02:1/1/25"
	c := r.Draft(t, [3]string{uplink, "trunk-vlans", "20,30,40"})
	var ids []string
	for _, f := range c.Findings {
		ids = append(ids, f.ID)
	}
	require.Contains(t, ids, "management-path:th-sw-02")
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 25})
	require.Error(t, err, "a warning must be accepted by name")
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 25, Accept: ids})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Devices[0].Said, "went back by itself at")
	assert.Contains(t, c.Outcome, "th-sw-02 was lost")
	assert.NotEmpty(t, c.Accepted)
	ap, err := r.Device(t.Context(), "th-ap-01")
	require.NoError(t, err)
	assert.NotEmpty(t, ap.Name)
}

func TestSecondDeviceRefusesAndBothStayAsTheyWere(t *testing.T) {
	t.Parallel()
	for _, fault := range []standin.Fault{standin.RefuseValidate, standin.RefuseCommit} {
		t.Run(string(fault), func(t *testing.T) {
			r := rig.Start(t, rig.World(t))
			require.NoError(t, r.World.Throw(fault, "th-sw-01"))
			c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{"th-sw-01:1/1/7", "vlan", "40"})
			assert.Equal(t, "th-sw-02", c.Devices[0].Device, "the farther one runs it first")
			_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 20})
			require.NoError(t, err)
			c = r.Until(t, c.Number, "failed")
			for _, port := range []string{rig.Printer, "th-sw-01:1/1/7"} {
				vlan, _ := r.Runs(port)
				assert.Equal(t, "20", vlan, port)
			}
			assert.Contains(t, c.Outcome, "th-sw-01 refused")
			assert.Regexp(t, "worn out|consistency check", c.Outcome, "in the device's own words")
			assert.False(t, r.World.TrialOpen("th-sw-02"))
		})
	}
}

func TestLosingWhatHangsBehindUndoesTheChange(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{"th-sw-02:1/1/1", "poe", "off"}) // the access point's power
	require.Len(t, c.Findings, 1)
	assert.Contains(t, c.Findings[0].What, "th-ap-01 is behind it, an access point")
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: []string{c.Findings[0].ID}})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Outcome, "th-ap-01 cannot be reached any more")
	assert.Eventually(t, func() bool { return r.World.PortUp("th-ap-01:eth0") }, rig.WaitLong, 50*time.Millisecond)
}

func TestNobodyKeepsIt(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 10})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Outcome, "Nobody kept it in time")
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "20", vlan)
}

func TestRestartOnTrialGoesOn(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 40})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	r.Restart(t)
	require.Eventually(t, func() bool {
		c, err := r.Change(t.Context(), c.Number)
		return err == nil && strings.Contains(c.Log[len(c.Log)-1].Text, "goes on with the trial")
	}, rig.WaitLong, 50*time.Millisecond)
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "40", vlan)
}

func TestDeviceRestartsInMidCommit(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.World.Throw(standin.DieInCommit, "th-sw-02"))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{"th-sw-01:1/1/7", "vlan", "40"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 20})
	require.NoError(t, err)
	c = r.Until(t, c.Number, "undone", "failed")
	for _, port := range []string{rig.Printer, "th-sw-01:1/1/7"} {
		vlan, _ := r.Runs(port)
		assert.Equal(t, "20", vlan, port)
	}
	assert.Contains(t, c.Outcome, "th-sw-02")
}

func TestCutCableIsSeenWithinASecond(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	events := make(chan v1.Event, 100)
	listening := make(chan struct{})
	go func() {
		_ = r.Events(t.Context(), 0, func(e v1.Event) bool {
			if e.Kind == "reset" {
				close(listening)
			}
			if e.Kind == "port" {
				events <- e
			}
			return true
		})
	}()
	<-listening
	require.NoError(t, r.World.Throw(standin.Cut, rig.Printer))
	select {
	case e := <-events:
		assert.Equal(t, "th-sw-02", e.Device)
		assert.Equal(t, "1/1/7", e.Port)
		assert.Equal(t, "down", e.Health)
	case <-time.After(time.Second):
		require.Fail(t, "no event within a second")
	}
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	for _, p := range d.PortList {
		if p.Ref == rig.Printer {
			assert.Equal(t, "down", p.Oper)
		}
	}
}

func TestNothingIsForgotten(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	before, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	r.Restart(t)
	r.AwaitAll(t)
	after, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	require.Len(t, after.Items, len(before.Items))
	for i := range after.Items {
		assert.Equal(t, before.Items[i].Serial, after.Items[i].Serial)
		assert.Equal(t, "connected", after.Items[i].Reach)
	}
	again, err := r.Change(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Equal(t, c.Edits, again.Edits)
	assert.Equal(t, "checked", again.State)
}

func TestDeviceOnWhichAChangeRunsIsNotRetired(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	c, err := r.Push(t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	rig.Problem(t, r.Retire(t.Context(), "th-sw-02"), http.StatusConflict, v1.ProblemInUse, "is on-trial on th-sw-02")
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "undone")
	require.NoError(t, r.Retire(t.Context(), "th-sw-02"))
}
