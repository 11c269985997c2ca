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

// Rules of access lists that an older database holds as one text are read row by row, wherever they are kept.
func TestRulesOfAnOlderDatabaseAreTakenOverRowByRow(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	db, err := open(file, "immediate")
	require.NoError(t, err)
	dir, err := fs.Sub(migrations, "migrations")
	require.NoError(t, err)
	p, err := goose.NewProvider(goose.DialectSQLite3, db, dir)
	require.NoError(t, err)
	_, err = p.UpTo(t.Context(), 17)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), `INSERT INTO changes (number, state, body, created_at, updated_at) VALUES (1, 'draft', '{"why": "desks"}', 1, 2);
		INSERT INTO change_edits (number, edits) VALUES (1, '[{"port": "sw-a:acl/desks", "field": "present", "value": "on"},
			{"port": "sw-a:acl/desks", "field": "rules", "value": "permit tcp from any to any port 443\ndeny ip from any to any"}]');
		INSERT INTO change_devices (number, device, body) VALUES (1, 'sw-a',
			'{"order": 0, "before": {}, "after": {"objects": {"acl/desks": {"rules": "deny ip from any to any"}}}}');
		INSERT INTO change_steps VALUES (1, 'sw-a', 'waiting', '', '');
		INSERT INTO templates (name, words) VALUES ('office', '{"self": {"for": {"value": "devices"}}, "acl/desks": {"rules": {"value": "deny ip from any to any", "change": 7}}}')`)
	require.NoError(t, err)
	require.NoError(t, db.Close())

	s, err := Open(t.Context(), file)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	c, err := s.Change(t.Context(), 1)
	require.NoError(t, err)
	at := network.PortRef{Device: "sw-a", Port: "acl/desks"}
	assert.Equal(t, []intent.Edit{{Port: at, Field: "present", Value: "on"}, {Port: at, Field: "rules/10", Value: "permit tcp from any to any port 443"},
		{Port: at, Field: "rules/20", Value: "deny ip from any to any"}}, c.Edits)
	require.Len(t, c.Devices, 1)
	assert.Equal(t, network.Settings{"rules/10": "deny ip from any to any"}, c.Devices[0].After.Objects["acl/desks"])
	templates, err := s.Templates(t.Context())
	require.NoError(t, err)
	assert.Equal(t, map[string]intent.Word{"rules/10": {Value: "deny ip from any to any", Change: 7}}, templates["office"]["acl/desks"])
}
