package store_test

import (
	"bytes"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/store"
)

// Captures of a device push out older ones of that device, and those of no other; they go with their operation.
func TestCapturesAreBoundedByDevice(t *testing.T) {
	t.Parallel()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "quay"}))
	number := func(device string) int64 {
		n, err := s.AddOperation(t.Context(), store.Operation{Device: device, By: "ada", State: "running", StartedAt: time.Now(), Request: operation.Request{Kind: operation.Capture}})
		require.NoError(t, err)
		return n
	}
	for _, d := range []string{"a", "b"} {
		require.NoError(t, s.AddDevice(t.Context(), store.Device{Name: d, Site: "quay", Address: d + ":830", Secret: []byte{}, EnrolledAt: time.Now(), Identity: network.Identity{Serial: d}}))
	}
	large := bytes.Repeat([]byte("x"), 20<<20)
	other := number("b")
	require.NoError(t, s.PutCapture(t.Context(), other, large))
	var mine []int64
	for range 3 {
		n := number("a")
		require.NoError(t, s.PutCapture(t.Context(), n, large))
		mine = append(mine, n)
	}
	_, err = s.Capture(t.Context(), mine[0])
	assert.ErrorIs(t, err, store.ErrNotFound, "the oldest of the device is gone")
	for _, n := range []int64{other, mine[1], mine[2]} {
		file, err := s.Capture(t.Context(), n)
		require.NoError(t, err)
		assert.Len(t, file, len(large))
	}
	require.NoError(t, s.PutCapture(t.Context(), mine[2], nil))
	file, err := s.Capture(t.Context(), mine[2])
	require.NoError(t, err)
	assert.Empty(t, file)
	assert.Error(t, s.PutCapture(t.Context(), 999, large), "of no operation")
}
