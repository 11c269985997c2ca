package store

import (
	"io/fs"
	"path/filepath"
	"testing"

	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// Changes that a database holds in which their steps stood with them are read as they were.
func TestChangesOfAnOlderDatabaseAreTakenOver(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	db, err := open(file, "immediate")
	require.NoError(t, err)
	dir, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, db, dir)
	require.NoError(t, err)
	_, err = p.UpTo(t.Context(), 14)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), `INSERT INTO changes (number, state, body, created_at, updated_at) VALUES
		(1, 'kept', '{"why": "cameras", "edits": [{"port": "sw-a:1", "field": "vlan", "value": "40"}], "log": []}', 1, 2), (2, 'draft', '{"edits": null}', 3, 3)`)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), `INSERT INTO change_devices (number, device, step, body) VALUES
		(1, 'sw-b', 'kept', '{"order": 0, "token": "t", "said": "it did"}'), (1, 'sw-a', 'undone', '{"order": 1, "said": ""}')`)
	require.NoError(t, err)
	require.NoError(t, db.Close())

	s, err := Open(t.Context(), file)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	c, err := s.Change(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "cameras", c.Why)
	assert.Equal(t, []intent.Edit{{Port: network.PortRef{Device: "sw-a", Port: "1"}, Field: "vlan", Value: "40"}}, c.Edits)
	assert.Equal(t, []ChangeDevice{{Device: "sw-b", Step: "kept", Token: "t", Said: "it did"}, {Device: "sw-a", Step: "undone", Order: 1}}, c.Devices)
	draft, err := s.Change(t.Context(), 2)
	require.NoError(t, err)
	assert.Empty(t, draft.Edits)
}
