package store

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"example.net/everypost/internal/core/fact"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What somebody imports pushes out nothing that the service itself saw, is told apart, and is bounded.
func TestImportedEventsPushOutNoOthers(t *testing.T) {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	now := time.Now().UTC()
	err = s.AddFacts(t.Context(), []fact.Fact{fact.Of(now.Add(-time.Hour), fact.ThePort("th-sw-02", "1"), fact.LinkBack{})})
	require.NoError(t, err)
	many := make([]Event, 10_000)
	for i := range many {
		many[i] = Event{Fact: fact.Fact{At: now.Add(-time.Duration(i) * time.Minute)}, Kind: "port", Device: "fm-sw-01", Text: "forged", By: "coral"}
	}
	require.NoError(t, s.ImportEvents(t.Context(), many))
	require.NoError(t, s.ImportEvents(t.Context(), many))
	require.ErrorIs(t, s.ImportEvents(t.Context(), many[:1]), ErrFull, "so many of a device")
	for range 2500 { // and those of one device do not push out those of another
		err = s.AddFacts(t.Context(), []fact.Fact{fact.Of(now, fact.ThePort("fm-sw-01", "1"), fact.LinkBack{})})
		require.NoError(t, err)
	}
	list, err := s.Events(t.Context(), EventQuery{Devices: []string{"th-sw-02"}, Limit: 10})
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Empty(t, list[0].By)
	list, err = s.Events(t.Context(), EventQuery{Devices: []string{"fm-sw-01"}, Limit: 100_000})
	require.NoError(t, err)
	imported := 0
	for _, e := range list {
		if e.By == "coral" {
			imported++
		}
	}
	assert.Equal(t, importedOfDevice, imported)
}

func TestEachDeviceHasItsShareOfTheEvents(t *testing.T) {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	_, err = s.write.ExecContext(t.Context(), `WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 7000)
		INSERT INTO events (at, kind, device, port, text) SELECT i, 'port', 'flapping', '1', 'x' FROM n`)
	require.NoError(t, err)
	_, err = s.write.ExecContext(t.Context(), `UPDATE events SET device = 'quiet' WHERE id <= 10`)
	require.NoError(t, err)
	require.NoError(t, s.pruneEvents(t.Context()))
	for device, want := range map[string]int{"quiet": 10, "flapping": keptOfDevice} {
		list, err := s.Events(t.Context(), EventQuery{Devices: []string{device}, Limit: 100_000})
		require.NoError(t, err)
		assert.Len(t, list, want, device)
	}
}

// What somebody who follows has not dealt with yet is not forgotten, up to a bound.
func TestWhatWasNotDealtWithStays(t *testing.T) {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	fill := func(n int) {
		_, err := s.write.ExecContext(t.Context(), `WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?)
			INSERT INTO events (at, kind, device, port, text) SELECT i, 'port', 'flapping', '1', 'x' FROM n`, n)
		require.NoError(t, err)
	}
	fill(7000)
	require.NoError(t, s.PutFollower(t.Context(), "mail", 500))
	require.NoError(t, s.pruneEvents(t.Context()))
	oldest, newest, err := s.FactBounds(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int64{501, 7000}, []int64{oldest, newest})
	require.NoError(t, s.PutFollower(t.Context(), "mail", 6000))
	require.NoError(t, s.pruneEvents(t.Context()))
	oldest, _, err = s.FactBounds(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 7000-keptOfDevice+1, oldest)
	require.NoError(t, s.PutFollower(t.Context(), "gone for ever", 0))
	fill(20_000)
	require.NoError(t, s.pruneEvents(t.Context()))
	oldest, _, err = s.FactBounds(t.Context())
	require.NoError(t, err)
	assert.EqualValues(t, 27_000-4*keptOfDevice+1, oldest, "it may not fill the disk")
}

func TestTheDatabaseIsReadByNobodyElse(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	require.NoError(t, os.WriteFile(file, nil, 0o644))
	s, err := Open(t.Context(), file)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.Try(t.Context()))
	for _, name := range []string{file, file + "-wal", file + "-shm"} {
		info, err := os.Stat(name)
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), name)
	}
}

func TestADamagedDatabaseIsNamed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "everypost.db")
	require.NoError(t, os.WriteFile(file, []byte("this was a database once, and now it is something else altogether"), 0o600))
	_, err := Open(t.Context(), file)
	require.ErrorContains(t, err, file+" is damaged, or is no database")
	assert.ErrorContains(t, err, "put the last backup in their place")
}

// What cannot be written is told by a write that is tried.
func TestAFullDatabaseIsNotReady(t *testing.T) {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	_, err = s.write.ExecContext(t.Context(), `PRAGMA query_only = 1`)
	require.NoError(t, err)
	require.Error(t, s.Try(t.Context()))
	_, err = s.write.ExecContext(t.Context(), `PRAGMA query_only = 0`)
	require.NoError(t, err)
	require.NoError(t, s.Try(t.Context()))
}
