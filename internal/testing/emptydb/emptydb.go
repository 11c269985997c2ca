// Package emptydb gives tests a database of today's schema without going through all that it was before: that is done once, and copied.
package emptydb

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/store"
)

var content = sync.OnceValues(func() ([]byte, error) {
	dir, err := os.MkdirTemp("", "everypost-emptydb")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	file := filepath.Join(dir, "x.db")
	s, err := store.Open(context.Background(), file)
	if err != nil {
		return nil, err
	}
	if err := s.Close(); err != nil { // which leaves all in the one file
		return nil, err
	}
	return os.ReadFile(file)
})

// Put puts an empty database at a path where there is none.
func Put(t testing.TB, file string) {
	t.Helper()
	if _, err := os.Stat(file); err == nil {
		return
	}
	b, err := content()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, b, 0o600))
}
