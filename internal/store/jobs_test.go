package store

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/job"
)

// Jobs that are over do not grow without end; one of which a run goes on is not forgotten, however old.
func TestJobsThatAreOverAreForgottenSomeTime(t *testing.T) {
	t.Parallel()
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	_, err = s.write.ExecContext(t.Context(), `WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1100) INSERT INTO jobs (kind, owner, state, body) SELECT 'backup', 'ada', 'over', '{}' FROM n`)
	require.NoError(t, err)
	oldest, err := s.Job(t.Context(), 1)
	require.NoError(t, err)
	_, err = s.AddRun(t.Context(), oldest, job.Run{Job: 1, State: job.Running, BegunAt: time.Now()}, nil, func(job.Run) []fact.Fact { return nil })
	require.NoError(t, err)
	number, err := s.AddJob(t.Context(), job.Job{Kind: job.Backup, Owner: "ada", State: job.Active, NextAt: time.Now()})
	require.NoError(t, err)
	all, err := s.Jobs(t.Context(), 5000)
	require.NoError(t, err)
	assert.Len(t, all, overKept+2, "those, the new one, and the one that goes on")
	assert.Equal(t, number, all[0].Number)
	_, err = s.Job(t.Context(), 1)
	require.NoError(t, err)
	_, err = s.Job(t.Context(), 2)
	require.ErrorIs(t, err, ErrNotFound)
}
