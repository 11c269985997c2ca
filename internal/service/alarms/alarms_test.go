package alarms_test

import (
	"context"
	"log/slog"
	"maps"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// bench is the service over a network that a test makes as it likes, with a clock that is set by hand.
type bench struct {
	*alarms.Service
	file  string
	store *store.Store
	feed  *feed.Feed

	leases leases.Leases

	mu    sync.Mutex
	at    time.Time
	rows  []*catalog.Device
	links []*catalog.Link
	drift map[string]int
}

func (b *bench) Devices(catalog.Query) catalog.Result[*catalog.Device] {
	b.mu.Lock()
	defer b.mu.Unlock()
	return catalog.Result[*catalog.Device]{Rows: b.rows}
}
func (b *bench) Ports(catalog.Query) catalog.Result[*catalog.Port] {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out []*catalog.Port
	for _, d := range b.rows {
		for _, name := range slices.Sorted(maps.Keys(d.State.Ports)) {
			out = append(out, &catalog.Port{Ref: network.PortRef{Device: d.Name, Port: name}, Device: d})
		}
	}
	return catalog.Result[*catalog.Port]{Rows: out}
}
func (b *bench) ClientsAt(string) int                  { return 3 }
func (b *bench) SetAlarms(map[string][]*catalog.Alarm) {}
func (b *bench) Links(catalog.Query) catalog.Result[*catalog.Link] {
	b.mu.Lock()
	defer b.mu.Unlock()
	return catalog.Result[*catalog.Link]{Rows: b.links}
}
func (b *bench) Drifted() map[string]int {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.drift
}
func (b *bench) now() time.Time {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.at
}

func device(name string, reach network.Reach, troubles ...network.Trouble) *catalog.Device {
	return &catalog.Device{Record: catalog.Record{Name: name}, Sight: catalog.Sight{Reach: reach}, Site: &catalog.Site{Site: network.Site{Name: "tern-haven", Entry: "th-sw-01"}}, Troubles: troubles}
}

var fan = network.Trouble{Key: "fan fan1", Code: "fan", Args: map[string]any{"name": "fan1"}}

func open(t *testing.T) *bench {
	t.Helper()
	b := &bench{file: filepath.Join(t.TempDir(), "x.db"), at: time.Date(2026, 11, 29, 8, 0, 0, 0, time.UTC), drift: map[string]int{}}
	b.begin(t)
	require.NoError(t, b.store.PutSite(t.Context(), network.Site{Name: "tern-haven"}))
	for _, name := range []string{"th-sw-01", "th-sw-02"} {
		require.NoError(t, b.store.AddDevice(t.Context(), store.Device{Name: name, Site: "tern-haven", Address: name + ":830", Secret: []byte{}, Identity: network.Identity{Serial: name}, EnrolledAt: b.at}))
	}
	t.Cleanup(func() { b.end(t) })
	return b
}

func (b *bench) begin(t *testing.T) {
	t.Helper()
	var err error
	b.store, err = store.Open(t.Context(), b.file)
	require.NoError(t, err)
	b.feed, err = feed.New(t.Context(), b.store, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	b.Service, err = alarms.New(t.Context(), alarms.Parts{Store: b.store, Inventory: b, Layers: b, Feed: b.feed, Leases: &b.leases, Expand: func(_ context.Context, e selector.Expr) (selector.Expr, error) { return e, nil }, Disk: func() float64 { return 0.2 }, Log: slog.New(slog.DiscardHandler), Now: b.now})
	require.NoError(t, err)
}

func (b *bench) end(t *testing.T) {
	b.Close()
	b.feed.Close()
	assert.NoError(t, b.store.Close())
}

// after lets time pass, makes the network another one, and looks.
func (b *bench) after(t *testing.T, d time.Duration, links []*catalog.Link, devices ...*catalog.Device) {
	t.Helper()
	b.mu.Lock()
	b.at = b.at.Add(d)
	b.rows, b.links = devices, links
	b.mu.Unlock()
	require.NoError(t, b.Look(t.Context()))
}

func (b *bench) all(t *testing.T, q store.AlarmQuery) []alarm.Alarm {
	t.Helper()
	q.Limit = 100
	list, err := b.List(t.Context(), q)
	require.NoError(t, err)
	return list
}

func TestAnAlarmLivesOverRestarts(t *testing.T) {
	t.Parallel()
	b := open(t)
	sick := device("th-sw-02", network.ReachConnected, fan)
	b.after(t, 0, nil, sick)
	first := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, first, 1)
	assert.Equal(t, [3]any{"fan", "th-sw-02", alarm.Minor}, [3]any{first[0].Type, first[0].Subject.String(), first[0].Severity})

	b.end(t)
	b.begin(t)
	b.after(t, time.Minute, nil, device("th-sw-02", network.ReachWaiting))
	again := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, again, 1, "before the device was reached nobody can tell")
	b.after(t, time.Second, nil, sick)
	again = b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, again, 1)
	assert.Equal(t, [2]int64{first[0].Number, 1}, [2]int64{again[0].Number, int64(again[0].Count)}, "it is the same, and was not raised again")
	b.after(t, time.Second, nil, device("th-sw-02", network.ReachConnected))
	assert.Empty(t, b.all(t, store.AlarmQuery{Open: true}))
	over := b.all(t, store.AlarmQuery{Over: true})
	require.Len(t, over, 1)

	// What was told: raised once and cleared once, in the journal.
	b.feed.Settle()
	events, err := b.store.Events(t.Context(), store.EventQuery{Limit: 10, Now: time.Now()})
	require.NoError(t, err)
	var codes []fact.Code
	for _, e := range events {
		codes = append(codes, e.Code())
	}
	assert.Equal(t, []fact.Code{"alarm.cleared", "alarm.raised"}, codes)
}

// A device that restarts as it was told is a warning, and nothing is said of its links; once it should be back it is what it is.
func TestAPlannedRestartIsNoCriticalAlarm(t *testing.T) {
	t.Parallel()
	b := open(t)
	core, sw := device("th-sw-01", network.ReachConnected), device("th-sw-02", network.ReachGone)
	down := []*catalog.Link{{Line: topology.Line{Kind: topology.Cable, A: topology.End{Device: "th-sw-01", Name: "1"}, B: topology.End{Device: "th-sw-02", Name: "2"}, Members: 1}, Health: network.HealthDown}}
	down[0].Own = down[0].A
	over := b.leases.Restarts("th-sw-02")
	for range 4 {
		b.after(t, 3*time.Second, down, core, sw)
	}
	open := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, open, 1)
	assert.Equal(t, [3]any{alarm.DeviceGone, alarm.Warning, "it restarts, as it was told"}, [3]any{open[0].Type, open[0].Severity, open[0].Args["why"]})
	number := open[0].Number
	over()
	for range 4 {
		b.after(t, 3*time.Second, down, core, sw)
	}
	severities := map[int64]alarm.Severity{}
	for _, a := range b.all(t, store.AlarmQuery{Open: true}) {
		severities[a.Number] = a.Severity
	}
	assert.Len(t, severities, 2, "the link too")
	assert.Equal(t, alarm.Critical, severities[number], "it is the same, and worse")
	b.feed.Settle()
	facts, err := b.store.FactsAfter(t.Context(), 0, 100)
	require.NoError(t, err)
	var raised []string
	for _, f := range facts {
		if w, ok := f.What.(fact.AlarmRaised); ok && w.Alarm == number {
			raised = append(raised, w.Severity)
		}
	}
	assert.Equal(t, []string{"warning", "critical"}, raised, "who is told of critical ones only is told then")
}

func TestWhatFollowsIsFolded(t *testing.T) {
	t.Parallel()
	b := open(t)
	core, sw := device("th-sw-01", network.ReachConnected), device("th-sw-02", network.ReachGone)
	down := []*catalog.Link{{Line: topology.Line{Kind: topology.Cable, A: topology.End{Device: "th-sw-01", Name: "1"}, B: topology.End{Device: "th-sw-02", Name: "2"}, Members: 1}, Health: network.HealthDown}}
	for i := range down {
		down[i].Own = down[i].A
	}
	b.after(t, 0, down, core, sw)
	b.after(t, 3*time.Second, down, core, sw)
	b.after(t, 3*time.Second, down, core, sw)
	roots := b.all(t, store.AlarmQuery{Open: true, Roots: true})
	require.Len(t, roots, 1)
	assert.Equal(t, alarm.LinkDown, roots[0].Type)
	follow := b.all(t, store.AlarmQuery{Open: true, Causes: []int64{roots[0].Number}})
	require.Len(t, follow, 1)
	assert.Equal(t, alarm.DeviceGone, follow[0].Type)

	// The cable is mended and the device is still away: it stands for itself now.
	up := []*catalog.Link{{Line: down[0].Line, Own: down[0].A, Health: network.Well}}
	b.after(t, time.Second, up, core, sw)
	roots = b.all(t, store.AlarmQuery{Open: true, Roots: true})
	require.Len(t, roots, 1)
	assert.Equal(t, alarm.DeviceGone, roots[0].Type)
}

func TestAChangeShortlyBeforeIsNamed(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.feed.Tell(fact.Of(b.now(), fact.TheDevice("th-sw-02"), fact.ConfigChanged{By: "night-shift"}))
	require.Eventually(t, func() bool {
		b.after(t, time.Second, nil, device("th-sw-02", network.ReachConnected))
		b.after(t, time.Second, nil, device("th-sw-02", network.ReachConnected, fan))
		list := b.all(t, store.AlarmQuery{Open: true})
		return len(list) == 1 && list[0].By == "night-shift"
	}, 20*time.Second, 20*time.Millisecond)
}

func TestWhatOperatorsDo(t *testing.T) {
	t.Parallel()
	b := open(t)
	sick := device("th-sw-02", network.ReachConnected, fan)
	b.after(t, 0, nil, sick)
	n := b.all(t, store.AlarmQuery{Open: true})[0].Number
	do := func(act alarms.Act) alarm.Alarm {
		a, err := b.Do(t.Context(), n, "ada", act)
		require.NoError(t, err)
		return a
	}
	assert.Equal(t, "ada", do(alarms.Act{What: "acknowledge", Text: "on my way"}).AckedBy)
	assert.Equal(t, "coral", do(alarms.Act{What: "assign", To: "coral"}).AssignedTo)
	assert.True(t, do(alarms.Act{What: "silence", Until: b.now().Add(time.Hour)}).Silent(b.now().Add(59*time.Minute)))
	b.after(t, time.Minute, nil, sick)
	a := do(alarms.Act{What: "note", Text: " the part is ordered "})
	require.Len(t, a.Notes, 4)
	assert.Equal(t, "acknowledged it: on my way", a.Notes[0].Text)
	assert.Equal(t, "the part is ordered", a.Notes[3].Text)
	for _, bad := range []alarms.Act{{What: "close"}, {What: "note", Text: " "}, {What: "paint"}, {What: "silence", Until: b.now().Add(100 * 24 * time.Hour)}} {
		_, err := b.Do(t.Context(), n, "ada", bad)
		assert.ErrorIs(t, err, alarms.ErrInvalid, "%+v", bad)
	}
	// Closed by hand it stays closed while it stands, and opens when it comes back.
	assert.False(t, do(alarms.Act{What: "close", Text: "the fan is not needed"}).Open())
	b.after(t, time.Minute, nil, sick)
	assert.Empty(t, b.all(t, store.AlarmQuery{Open: true}))
	_, err := b.Do(t.Context(), n, "ada", alarms.Act{What: "acknowledge"})
	assert.ErrorIs(t, err, alarms.ErrOver)
	b.after(t, time.Minute, nil, device("th-sw-02", network.ReachConnected))
	b.after(t, time.Minute, nil, sick)
	back := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, back, 1)
	assert.Equal(t, [2]any{n, 2}, [2]any{back[0].Number, back[0].Count})
	_, err = b.Do(t.Context(), 99, "ada", alarms.Act{What: "acknowledge"})
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// An alarm goes with the name of its device, and with the device.
func TestAlarmsGoWithTheirDevice(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.after(t, 0, nil, device("th-sw-02", network.ReachConnected, fan))
	n := b.all(t, store.AlarmQuery{Open: true})[0].Number
	require.NoError(t, b.store.RenameDevice(t.Context(), "th-sw-02", "th-quay"))
	b.after(t, time.Second, nil, device("th-quay", network.ReachConnected, fan))
	list := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, list, 1)
	assert.Equal(t, [3]any{n, "th-quay", 1}, [3]any{list[0].Number, list[0].Subject.Name, list[0].Count})
	require.NoError(t, b.store.RemoveDevice(t.Context(), "th-quay"))
	b.after(t, time.Second, nil)
	assert.Empty(t, b.all(t, store.AlarmQuery{}))
}
