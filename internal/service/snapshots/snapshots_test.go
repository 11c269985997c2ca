package snapshots

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/store"
)

var noon = time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)

// seen opens a store in which one device was seen with three host names, at noon and 10 and 20 minutes later, the second
// by a change and the third by somebody on the device.
func seen(t *testing.T) *Service {
	t.Helper()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "tern-haven", Title: "Tern Haven"}))
	for _, name := range []string{"sw", "never-read"} {
		require.NoError(t, s.AddDevice(t.Context(), store.Device{Name: name, Site: "tern-haven", Address: name + ":830", User: "fleet", Secret: []byte("sealed"), HostKey: "SHA256:x",
			Identity: network.Identity{Serial: name, Kind: network.Switch}, EnrolledAt: noon, SeenAt: noon}))
	}
	for i, name := range []string{"one", "two", "three"} {
		snap := store.Snapshot{Device: "sw", TakenAt: noon.Add(time.Duration(i) * 10 * time.Minute), Document: []byte(name), Config: network.Config{Hostname: name}}
		if i > 0 { // the first was kept before it was known what devices can be told
			snap.Config.Features = setting.Features()
		}
		if i == 2 {
			snap.By = "night-shift"
		}
		_, err := s.AddSnapshot(t.Context(), snap)
		require.NoError(t, err)
	}
	n, err := s.AddChange(t.Context(), store.Change{State: "kept", CreatedAt: noon, UpdatedAt: noon})
	require.NoError(t, err)
	require.NoError(t, s.PutChange(t.Context(), store.Change{Number: n, State: "kept", CreatedAt: noon, UpdatedAt: noon,
		PushedAt: noon.Add(9 * time.Minute), EndedAt: noon.Add(10*time.Minute - time.Second), Devices: []store.ChangeDevice{{Device: "sw", Step: "kept"}}}))
	return New(s)
}

func TestSnapshotsSayWhichChangeMadeThem(t *testing.T) {
	list, err := seen(t).List(t.Context(), "sw")
	require.NoError(t, err)
	assert.Equal(t, []Snapshot{
		{At: noon.Add(20 * time.Minute), By: "night-shift"},
		{At: noon.Add(10 * time.Minute), Change: 1},
		{At: noon},
	}, list, "what is read within three seconds after a change is of the change")
}

func TestTwoMoments(t *testing.T) {
	s := seen(t)
	for name, c := range map[string]struct {
		from, to time.Duration
		names    []string // before and after
		steps    int
	}{
		"nothing happened":            {11 * time.Minute, 19 * time.Minute, nil, 0},
		"the change":                  {0, 15 * time.Minute, []string{"one", "two"}, 1},
		"all of it":                   {0, time.Hour, []string{"one", "three"}, 2},
		"a moment on the very second": {10 * time.Minute, 20 * time.Minute, []string{"two", "three"}, 1},
		"before it was ever seen":     {-time.Hour, 5 * time.Minute, nil, 0},
	} {
		t.Run(name, func(t *testing.T) {
			differ, read, err := s.Compare(t.Context(), []string{"never-read", "sw"}, noon.Add(c.from), noon.Add(c.to))
			require.NoError(t, err)
			assert.Equal(t, 1, read, "what was never read is not compared")
			if c.names == nil {
				assert.Empty(t, differ)
				return
			}
			require.Len(t, differ, 1)
			require.Len(t, differ[0].Differences, 1)
			d := differ[0].Differences[0]
			assert.Equal(t, c.names, []string{d.Before, d.After})
			assert.Len(t, differ[0].Steps, c.steps)
		})
	}
}
