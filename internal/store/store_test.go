package store

import (
	"database/sql"
	"fmt"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

var at = time.Date(2026, 3, 1, 12, 0, 0, 123000, time.UTC)

func reopen(t *testing.T, file string) *Store {
	t.Helper()
	s, err := Open(t.Context(), file)
	require.NoError(t, err)
	return s
}

func fresh(t *testing.T) *Store {
	t.Helper()
	s := reopen(t, filepath.Join(t.TempDir(), "x.db"))
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "tern-haven", Title: "Tern Haven"}))
	return s
}

func device(name string) Device {
	return Device{Name: name, Site: "tern-haven", Address: name + ":830", User: "fleet", Secret: []byte("sealed"), HostKey: "SHA256:x",
		Identity: network.Identity{Serial: "S-" + name, Kind: network.Switch}, EnrolledAt: at, EnrolledBy: "ada", SeenAt: at}
}

func TestWhatIsWrittenOutlivesTheProcess(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	s := reopen(t, file)
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "tern-haven", Title: "Tern Haven", Entry: "e"}))
	require.NoError(t, s.AddDevice(t.Context(), device("sw")))
	number, err := s.AddChange(t.Context(), Change{State: "draft", Owner: "ada", CreatedAt: at, UpdatedAt: at})
	require.NoError(t, err)
	c := Change{Number: number, State: "checked", Owner: "ada", CreatedAt: at, UpdatedAt: at.Add(time.Second),
		Edits:   []intent.Edit{{Port: network.PortRef{Device: "sw", Port: "1"}, Field: "vlan", Value: "40"}},
		Devices: []ChangeDevice{{Device: "b", Step: "waiting", Order: 0, Token: "t"}, {Device: "a", Step: "ready", Order: 1, After: network.Config{Hostname: "x"}}}}
	require.NoError(t, s.PutChange(t.Context(), c))
	require.NoError(t, s.Close())

	s = reopen(t, file)
	defer func() { assert.NoError(t, s.Close()) }()
	got, err := s.Change(t.Context(), number)
	require.NoError(t, err)
	assert.Equal(t, c, got)
	devices, err := s.Devices(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []Device{device("sw")}, devices)
}

func TestDevicesAreOneOfAKind(t *testing.T) {
	s := fresh(t)
	require.NoError(t, s.AddDevice(t.Context(), device("sw")))
	for name, spoil := range map[string]func(*Device){
		"the name":    func(d *Device) { d.Address, d.Identity.Serial = "x:1", "x" },
		"the address": func(d *Device) { d.Name, d.Identity.Serial = "x", "x" },
		"the serial":  func(d *Device) { d.Name, d.Address = "x", "x:1" },
	} {
		d := device("sw")
		spoil(&d)
		assert.ErrorIs(t, s.AddDevice(t.Context(), d), ErrExists, name)
	}
	d := device("other")
	d.Site = "atlantis"
	assert.Error(t, s.AddDevice(t.Context(), d), "a site that there is not")
}

func TestObserveKeepsTheLastConfigWhenOnlyStateIsRead(t *testing.T) {
	s := fresh(t)
	require.NoError(t, s.AddDevice(t.Context(), device("sw")))
	state := func(o network.OperStatus) network.State {
		return network.State{Ports: map[string]network.PortState{"1": {Oper: o, Changed: at}}}
	}
	config := network.Config{Ports: map[string]network.PortConfig{"1": {Enabled: true, Description: "desk"}}}
	require.NoError(t, s.Observe(t.Context(), Observation{Device: "sw", At: at, Config: &config, State: state(network.Up)}))
	require.NoError(t, s.Observe(t.Context(), Observation{Device: "sw", At: at.Add(time.Minute), State: state(network.Down)}))
	ports, err := s.PortStates(t.Context(), "sw")
	require.NoError(t, err)
	assert.Equal(t, network.Down, ports["1"].Oper)
	var kept string
	require.NoError(t, s.read.QueryRowContext(t.Context(), `SELECT config FROM ports`).Scan(&kept))
	assert.Contains(t, kept, "desk")
	assert.ErrorIs(t, s.Observe(t.Context(), Observation{Device: "nobody", At: at}), ErrNotFound)
}

func TestSnapshotsAreKeptOnceAndToldApart(t *testing.T) {
	s := fresh(t)
	require.NoError(t, s.AddDevice(t.Context(), device("sw")))
	snap := func(text string, after time.Duration) bool {
		changed, err := s.AddSnapshot(t.Context(), Snapshot{Device: "sw", TakenAt: at.Add(after), Config: network.Config{Hostname: text}, Document: []byte(strings.Repeat(text, 1000))})
		require.NoError(t, err)
		return changed
	}
	assert.False(t, snap("a", 0), "the first is no change")
	assert.False(t, snap("a", time.Second))
	assert.True(t, snap("b", 2*time.Second))
	assert.True(t, snap("a", 3*time.Second), "back again is a change too")
	last, err := s.LastSnapshot(t.Context(), "sw")
	require.NoError(t, err)
	assert.Equal(t, "a", last.Config.Hostname)
	assert.Len(t, last.Document, 1000)
	var documents, snapshots int
	require.NoError(t, s.read.QueryRowContext(t.Context(), `SELECT (SELECT count(*) FROM documents), (SELECT count(*) FROM snapshots)`).Scan(&documents, &snapshots))
	assert.Equal(t, []int{2, 3}, []int{documents, snapshots}, "the same content is kept once")
	_, err = s.LastSnapshot(t.Context(), "nobody")
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestChangesByStateAndDevice(t *testing.T) {
	s := fresh(t)
	for _, state := range []string{"draft", "kept", "kept"} {
		n, err := s.AddChange(t.Context(), Change{State: state, CreatedAt: at, UpdatedAt: at})
		require.NoError(t, err)
		if n == 3 {
			require.NoError(t, s.PutChange(t.Context(), Change{Number: n, State: state, Devices: []ChangeDevice{{Device: "sw", Step: "kept"}}}))
		}
	}
	numbers := func(q ChangeQuery) (out []int64) {
		list, err := s.Changes(t.Context(), q)
		require.NoError(t, err)
		for _, c := range list {
			out = append(out, c.Number)
		}
		return out
	}
	assert.Equal(t, []int64{3, 2, 1}, numbers(ChangeQuery{}))
	assert.Equal(t, []int64{3, 2}, numbers(ChangeQuery{States: []string{"kept"}}))
	assert.Equal(t, []int64{3}, numbers(ChangeQuery{Device: "sw"}))
	assert.Equal(t, []int64{3}, numbers(ChangeQuery{Limit: 1}))
	assert.Equal(t, []int64{2}, numbers(ChangeQuery{States: []string{"kept"}, Except: []int64{3}}))
	assert.Equal(t, []int64{3, 2, 1}, numbers(ChangeQuery{Except: []int64{}}))
	require.NoError(t, s.DropChange(t.Context(), 3))
	_, err := s.Change(t.Context(), 3)
	require.ErrorIs(t, err, ErrNotFound)
	n, err := s.AddChange(t.Context(), Change{State: "draft"})
	require.NoError(t, err)
	assert.Equal(t, int64(4), n, "a number is never given twice")
}

func TestAFailedChangeOfSeveralTablesLeavesNothing(t *testing.T) {
	s := fresh(t)
	err := s.PutChange(t.Context(), Change{Number: 99, Devices: []ChangeDevice{{Device: "sw"}}})
	require.ErrorIs(t, err, ErrNotFound)
	var n int
	require.NoError(t, s.read.QueryRowContext(t.Context(), `SELECT count(*) FROM change_devices`).Scan(&n))
	assert.Zero(t, n)
}

func TestDamagedDatabaseIsRefused(t *testing.T) {
	file := filepath.Join(t.TempDir(), "x.db")
	db, err := sql.Open("sqlite", "file:"+file)
	require.NoError(t, err)
	_, err = db.ExecContext(t.Context(), `CREATE TABLE sites (x)`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = Open(t.Context(), file)
	assert.ErrorContains(t, err, file)
}

// An entry of the audit log that is changed, taken out or put in breaks the chain at its place.
func TestAuditChain(t *testing.T) {
	s := fresh(t)
	for i := range 5 {
		require.NoError(t, s.Audit(t.Context(), AuditEntry{At: time.Unix(int64(i), 0), User: "ada", Action: "enrol", Object: fmt.Sprint("d", i), Detail: "done"}))
	}
	good, err := s.VerifyAudit(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 5, good.Entries)
	assert.Zero(t, good.Broken)
	assert.Len(t, good.Head, 32)
	for name, tc := range map[string]struct {
		spoil  string
		broken int64
	}{
		"changed":   {`UPDATE audit SET user = 'bram' WHERE id = 3`, 3},
		"moved":     {`UPDATE audit SET object = 'd', detail = '2done' WHERE id = 3`, 3},
		"taken out": {`DELETE FROM audit WHERE id = 3`, 4},
		"first out": {`DELETE FROM audit WHERE id = 1`, 2},
		"put in":    {`INSERT INTO audit (id, at, user, action, object, detail, hash) VALUES (9, 9, 'x', 'x', 'x', 'x', x'00')`, 9},
		"unchained": {`UPDATE audit SET hash = x'' WHERE id = 4`, 4},
	} {
		tx, err := s.write.BeginTx(t.Context(), nil)
		require.NoError(t, err)
		_, err = tx.ExecContext(t.Context(), tc.spoil)
		require.NoError(t, err)
		require.NoError(t, tx.Commit())
		v, err := s.VerifyAudit(t.Context())
		require.NoError(t, err)
		assert.Equal(t, tc.broken, v.Broken, name)
		_, err = s.write.ExecContext(t.Context(), `DELETE FROM audit`)
		require.NoError(t, err)
		for i := range 5 {
			require.NoError(t, s.Audit(t.Context(), AuditEntry{At: time.Unix(int64(i), 0), User: "ada", Action: "enrol", Object: fmt.Sprint("d", i), Detail: "done"}))
		}
	}
	list, err := s.AuditEntries(t.Context(), AuditQuery{Text: "D3", Limit: 10})
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "d3", list[0].Object)
}
