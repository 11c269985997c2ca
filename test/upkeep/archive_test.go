package upkeep_test

import (
	"bytes"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/service/archive"
	"example.net/everypost/internal/testing/rig"
)

// A service that is brought back elsewhere has its devices in hand with the secrets that it kept, its people, its jobs and its firmware.
func TestAServiceIsBroughtBackElsewhere(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	toRun(t, r, halyard, false)
	_, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup", Title: "Nightly", When: v1.JobWhen{Rule: "FREQ=DAILY;BYHOUR=2"}})
	require.NoError(t, err)
	var saved bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), r.Dir, &saved, true, "test", time.Now()))
	r.Halt(t)
	r.Dir = filepath.Join(t.TempDir(), "elsewhere")
	_, err = archive.Restore(t.Context(), &saved, r.Dir)
	require.NoError(t, err)
	r.Open(t)
	r.AwaitAll(t)
	jobs, err := r.Jobs(t.Context())
	require.NoError(t, err)
	require.Len(t, jobs.Items, 1)
	assert.Equal(t, "Nightly", jobs.Items[0].Title)
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "upgrade", Where: "name = th-sw-02"})
	require.NoError(t, err)
	assert.Equal(t, "done", ended(t, r.Client, j.Last.Number).State)
	r.PushAndKeep(t, r.Draft(t, [3]string{rig.Printer, "description", "Brought back"}))
}
