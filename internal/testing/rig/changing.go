package rig

import (
	"context"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
)

// Findings are the ids of what a check found.
func Findings(c v1.Change) (out []string) {
	for _, f := range c.Findings {
		out = append(out, f.ID)
	}
	return out
}

// PushAndKeep pushes a checked change and keeps it.
func (r *Rig) PushAndKeep(t testing.TB, c v1.Change) {
	t.Helper()
	for _, f := range c.Findings {
		require.Equal(t, "note", f.Level, f.What)
	}
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
}

// Draft makes a checked change of edits, each written as port, field, value.
func (r *Rig) Draft(t testing.TB, edits ...[3]string) v1.Change {
	t.Helper()
	var in v1.ChangeRequest
	for _, e := range edits {
		in.Edits = append(in.Edits, v1.Edit{Port: e[0], Field: e[1], Value: e[2]})
	}
	c, err := r.MakeChange(t.Context(), in)
	require.NoError(t, err)
	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	return c
}

// Until follows a change until it is in one of the states.
func (r *Rig) Until(t testing.TB, number int64, states ...string) v1.Change {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	c, err := r.Follow(ctx, number, func(v1.Change) {}, func(c v1.Change) bool {
		for _, s := range states {
			if c.State == s {
				return true
			}
		}
		return false
	})
	require.NoError(t, err, "change %d is %s and not %v: %v", number, c.State, states, c.Log)
	return c
}

// Runs tells what the stand-in really runs on a port: VLAN and whether it feeds power.
func (r *Rig) Runs(port string) (vlan string, poe string) {
	device, name, _ := CutPort(port)
	for _, i := range r.World.Running(device).Child("interfaces").All("interface") {
		if i.TextAt("name") == name {
			return i.TextAt("ethernet/switched-vlan/config/access-vlan"), i.TextAt("ethernet/poe/config/enabled")
		}
	}
	return "", ""
}

// KeepRows has rows drafted, checked, pushed and kept.
func (r *Rig) KeepRows(t testing.TB, rows ...v1.BulkRow) v1.Change {
	t.Helper()
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: rows})
	require.NoError(t, err)
	require.NotNil(t, answer.Change, "%v", answer.Results)
	c, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	if len(c.Devices) > 0 {
		r.PushAndKeep(t, c)
		return c
	}
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{})
	require.NoError(t, err)
	return r.Until(t, c.Number, "kept")
}

// Cameras makes the template of the cameras.
func (r *Rig) Cameras(t testing.TB, set map[string]string) v1.Change {
	t.Helper()
	return r.KeepRows(t, v1.BulkRow{On: []string{"template/camera:self"}, Set: map[string]string{"present": "on", "pick": `port.description ~ "Camera*"`}}, v1.BulkRow{On: []string{"template/camera:port"}, Set: set})
}

// Drifted waits until so many settings of a device differ.
func (r *Rig) Drifted(t testing.TB, device string, n int) v1.Drift {
	t.Helper()
	var out v1.Drift
	require.Eventually(t, func() bool {
		list, err := r.Drift(t.Context())
		out = v1.Drift{}
		for _, d := range list.Items {
			if d.Device == device {
				out = d
			}
		}
		return err == nil && len(out.Differences) == n
	}, WaitLong, 10*time.Millisecond, "%d settings of %s should differ", n, device)
	return out
}

func CutPort(ref string) (device, port string, ok bool) { return strings.Cut(ref, ":") }

const Printer = "th-sw-02:1/1/7"
