package kill_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/race"
	"example.net/everypost/internal/testing/rig"
)

// killed is a service that is killed.
type killed struct{ *rig.Process }

// settle waits until no change is under way, undoing those that wait for a word.
func (p killed) settle(number int64) v1.Change {
	p.T.Helper()
	var c v1.Change
	require.Eventually(p.T, func() bool {
		var err error
		if c, err = p.Change(p.T.Context(), number); err != nil {
			return false
		}
		if c.State == "on-trial" {
			_, _ = p.Undo(p.T.Context(), number)
		}
		return c.State == "kept" || c.State == "undone" || c.State == "failed" || c.State == "checked"
	}, rig.WaitLong, 50*time.Millisecond, "change %d: %s %v", number, c.State, c.Log)
	return c
}

var killPorts = []string{"th-sw-02:1/1/7", "th-sw-01:1/1/7"}

// kills is how often the service is killed in each of the four states: 200 times in all.
var kills = race.Fewer(50, 15)

// TestKilledService kills the service many times in each state of a push over two devices, at moments spread over it, and
// holds what the devices really run against what the service says after it was started again.
func TestKilledService(t *testing.T) {
	for _, phase := range []string{"pushing", "on-trial", "keeping", "undoing"} {
		t.Run(phase, func(t *testing.T) {
			t.Parallel()
			w := rig.World(t)
			r := &rig.Rig{World: w}
			p := killed{rig.StartProcess(t, w)}
			random := rand.New(rand.NewPCG(1, uint64(len(phase))))
			ends := map[string]int{}
			for round := range kills {
				want := 40
				if vlan, _ := r.Runs(killPorts[0]); vlan == "40" {
					want = 20
				}
				c := p.pushBoth(want)
				// The moments are spread evenly over what the phase takes, with some chance.
				share := (float64(round) + random.Float64()) / float64(kills)
				p.into(phase, c.Number, share)
				p.Kill()
				p.Start()
				c = p.settle(c.Number)
				ends[c.State]++
				p.AwaitDevices(len(w.Devices()))
				p.agrees(r, c, want)
			}
			t.Logf("%s: %v", phase, ends)
		})
	}
}

func (p killed) pushBoth(vlan int) v1.Change {
	p.T.Helper()
	var edits []v1.Edit
	for _, port := range killPorts {
		edits = append(edits, v1.Edit{Port: port, Field: "vlan", Value: fmt.Sprint(vlan)})
	}
	c, err := p.MakeChange(p.T.Context(), v1.ChangeRequest{Edits: edits})
	require.NoError(p.T, err)
	c, err = p.Check(p.T.Context(), c.Number)
	require.NoError(p.T, err)
	_, err = p.Push(p.T.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 20})
	require.NoError(p.T, err)
	return c
}

// into brings a change to a phase and lets a share of it pass. The moment is the subject here, so time is what is waited
// for: with these devices a push takes some 60 ms, keeping and undoing some 30 ms.
func (p killed) into(phase string, number int64, share float64) {
	p.T.Helper()
	length := 60 * time.Millisecond
	if phase != "pushing" {
		require.Eventually(p.T, func() bool {
			c, err := p.Change(p.T.Context(), number)
			return err == nil && c.State == "on-trial"
		}, rig.WaitLong, 2*time.Millisecond)
		length = time.Second
	}
	var err error
	switch phase {
	case "keeping":
		_, err = p.Keep(p.T.Context(), number)
		length = 30 * time.Millisecond
	case "undoing":
		_, err = p.Undo(p.T.Context(), number)
		length = 30 * time.Millisecond
	}
	require.NoError(p.T, err)
	<-time.After(time.Duration(share * float64(length)))
}

// agrees holds the devices against the change and against what the service says of the ports.
func (p killed) agrees(r *rig.Rig, c v1.Change, want int) {
	p.T.Helper()
	expected := "20"
	if (c.State == "kept") == (want == 40) {
		expected = "40"
	}
	for _, port := range killPorts {
		device, name, _ := rig.CutPort(port)
		vlan, _ := r.Runs(port)
		assert.Equal(p.T, expected, vlan, "%s after change %d %s: %v", port, c.Number, c.State, c.Log)
		assert.False(p.T, r.World.TrialOpen(device), device)
		d, err := p.Device(p.T.Context(), device)
		require.NoError(p.T, err)
		for _, port := range d.PortList {
			if port.Port == name {
				assert.Equal(p.T, vlan, fmt.Sprint(port.AccessVLAN), "what the service says of %s", port.Ref)
			}
		}
	}
}
