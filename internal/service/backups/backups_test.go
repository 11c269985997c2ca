package backups_test

import (
	"fmt"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/backups"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

type bench struct {
	*backups.Service
	h     *testhouse.House
	later atomic.Int64 // how far the clock is ahead
}

func open(t *testing.T) *bench {
	t.Helper()
	b := &bench{h: testhouse.New(t)}
	b.Service = backups.New(b.h.Fleet, b.h.Inventory, b.h.Store, b.h.Log, func() time.Time { return time.Now().Add(time.Duration(b.later.Load())) })
	t.Cleanup(b.Close)
	b.h.Until(func() bool {
		list, err := b.List(t.Context(), store.BackupQuery{Limit: 100})
		return err == nil && len(list) == 3
	}, "what each device runs is kept")
	return b
}

// describe has somebody change the description of port 1, and waits until that is kept.
func (b *bench) describe(t *testing.T, device, as string) {
	t.Helper()
	b.h.SetPort(device, "1", "night-shift", func(p *network.PortConfig) { p.Description = as })
	b.h.Until(func() bool {
		last, err := b.h.Store.LastSnapshot(t.Context(), device)
		return err == nil && last.Config.Ports["1"].Description == as
	}, "it is kept")
}

func (b *bench) of(t *testing.T, device string) []store.Backup {
	t.Helper()
	list, err := b.List(t.Context(), store.BackupQuery{Devices: []string{device}, Limit: 100})
	require.NoError(t, err)
	return list
}

func TestABackupIsKeptOnce(t *testing.T) {
	t.Parallel()
	b := open(t)
	first, _, err := b.Take(t.Context(), "th-sw-01", backups.ByHand, "ada")
	require.NoError(t, err)
	assert.Equal(t, [4]any{"th-sw-01", backups.ByHand, "ada", true}, [4]any{first.Device, first.Why, first.By, first.Last})
	again, fresh, err := b.Take(t.Context(), "th-sw-01", backups.ByJob, "bram")
	require.NoError(t, err)
	assert.False(t, fresh)
	assert.Equal(t, first.Number, again.Number, "it still runs the same")
	assert.Equal(t, [2]any{backups.ByJob, "bram"}, [2]any{again.Why, again.By})
	assert.False(t, again.ConfirmedAt.Before(first.ConfirmedAt))

	b.describe(t, "th-sw-01", "Gate 1")
	list := b.of(t, "th-sw-01")
	require.Len(t, list, 2, "what changed is kept by itself")
	assert.Equal(t, [2]any{true, false}, [2]any{list[0].Last, list[1].Last})
	last, err := b.List(t.Context(), store.BackupQuery{Last: true, Limit: 100})
	require.NoError(t, err)
	assert.Len(t, last, 3, "one of each device")

	content, err := b.Content(t.Context(), list[0].Number)
	require.NoError(t, err)
	assert.Contains(t, string(content), "Gate 1")
	_, _, err = b.Take(t.Context(), "nothing", backups.ByHand, "ada")
	require.ErrorIs(t, err, fleet.ErrUnknown)
	_, err = b.Get(t.Context(), 999)
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestAStepSaysWhatItKept(t *testing.T) {
	t.Parallel()
	b := open(t)
	steps, err := b.Plan(t.Context(), job.Job{}, []string{"th-sw-01", "th-sw-02"})
	require.NoError(t, err)
	require.Len(t, steps, 2)
	var told []string
	step, err := b.Do(t.Context(), job.Job{Owner: "ada"}, steps[0], func(s job.Step) error {
		told = append(told, s.Doing)
		return nil
	})
	require.NoError(t, err)
	assert.Equal(t, []string{"reading what it runs"}, told)
	assert.Equal(t, job.StepUnchanged, step.State)
	assert.Contains(t, step.Note, "still runs backup")
	_, err = b.Do(t.Context(), job.Job{}, steps[0], func(job.Step) error { return assert.AnError })
	require.ErrorIs(t, err, assert.AnError, "what cannot be recorded is not done")
}

func TestLinesOfBackupsAreFound(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.describe(t, "th-sw-01", "Gate 1")
	b.describe(t, "th-sw-02", strings.Repeat("lamp ", 100)+"gate 2")
	var numbers []int64
	for _, d := range []string{"th-sw-01", "th-sw-02", "fm-sw-01"} {
		for _, x := range b.of(t, d) {
			numbers = append(numbers, x.Number)
		}
	}
	hits, more, err := b.Search(t.Context(), append(numbers, 999), "GATE")
	require.NoError(t, err)
	assert.False(t, more)
	require.Len(t, hits, 2, "whatever the case, and one that was dropped is left out")
	assert.Equal(t, 1, hits[0].Line)
	assert.LessOrEqual(t, len([]rune(hits[1].Text)), 203)
	for _, text := range []string{"", "x", strings.Repeat("x", 201)} {
		_, _, err = b.Search(t.Context(), numbers, text)
		require.ErrorIs(t, err, backups.ErrInvalid)
	}
}

func TestOldBackupsAreDropped(t *testing.T) {
	t.Parallel()
	b := open(t)
	for i := range 5 {
		b.describe(t, "th-sw-01", fmt.Sprint("Gate ", i))
	}
	list := b.of(t, "th-sw-01")
	require.Len(t, list, 6)
	require.NoError(t, b.Pin(t.Context(), list[5].Number, true, "as it was accepted"))
	require.NoError(t, b.SetRule(t.Context(), store.BackupRule{Days: 30, Least: 2}))
	require.NoError(t, b.Prune(t.Context()))
	assert.Len(t, b.of(t, "th-sw-01"), 6, "none is too old")
	b.later.Store(int64(31 * 24 * time.Hour))
	require.NoError(t, b.Prune(t.Context()))
	left := b.of(t, "th-sw-01")
	require.Len(t, left, 3)
	assert.Equal(t, []int64{list[0].Number, list[1].Number, list[5].Number}, []int64{left[0].Number, left[1].Number, left[2].Number}, "the last two, and the one that is pinned")
	assert.Equal(t, "as it was accepted", left[2].Note)
	assert.Len(t, b.of(t, "th-sw-02"), 1, "the last of a device stays, however old")
	_, err := b.Content(t.Context(), list[3].Number)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = b.Content(t.Context(), left[2].Number)
	require.NoError(t, err, "what others hold too is not dropped with them")

	for _, r := range []store.BackupRule{{Days: 0, Least: 1}, {Days: 30, Least: 0}, {Days: 4000, Least: 1}, {Days: 1, Least: 1001}} {
		require.ErrorIs(t, b.SetRule(t.Context(), r), backups.ErrInvalid)
	}
	require.ErrorIs(t, b.Pin(t.Context(), 999, true, ""), store.ErrNotFound)
	require.ErrorIs(t, b.Pin(t.Context(), left[0].Number, true, strings.Repeat("x", 501)), backups.ErrInvalid)
}

func TestADeviceIsBroughtBack(t *testing.T) {
	t.Parallel()
	b := open(t)
	then, _, err := b.Take(t.Context(), "th-sw-01", backups.ByHand, "ada")
	require.NoError(t, err)
	_, err = b.Restore(t.Context(), then.Number, "", backups.Whole)
	require.ErrorContains(t, err, "has all that backup")
	b.describe(t, "th-sw-01", "Gate 1")
	b.h.Runs("th-sw-01", func(c network.Config) bool { return c.Ports["1"].Description == "Gate 1" })

	differences, err := b.Compare(t.Context(), then.Number, 0)
	require.NoError(t, err)
	require.Len(t, differences, 1)
	assert.Equal(t, [2]string{"", "Gate 1"}, [2]string{differences[0].Before, differences[0].After})
	differences, err = b.Compare(t.Context(), then.Number, then.Number)
	require.NoError(t, err)
	assert.Empty(t, differences)

	edits, err := b.Restore(t.Context(), then.Number, "", backups.Whole)
	require.NoError(t, err)
	assert.Equal(t, []intent.Edit{{Port: network.PortRef{Device: "th-sw-01", Port: "1"}, Field: "description", Value: ""}}, edits)
	_, err = b.Restore(t.Context(), then.Number, "", backups.Policies)
	require.ErrorContains(t, err, "has all", "no access list differs")

	// Onto another of the same model, but for what tells it from all others.
	edits, err = b.Restore(t.Context(), b.of(t, "th-sw-01")[0].Number, "th-sw-02", backups.Whole)
	require.NoError(t, err)
	for _, e := range edits {
		assert.NotEqual(t, "hostname", e.Field)
	}
	for _, c := range [][2]string{{"nothing", backups.Whole}, {"th-sw-02", "half"}} {
		_, err = b.Restore(t.Context(), then.Number, c[0], c[1])
		require.ErrorIs(t, err, backups.ErrInvalid)
	}
	_, err = b.h.Store.ConfirmBackup(t.Context(), "th-sw-02", mustContent(t, b, "th-sw-02"), time.Now(), backups.ByHand, "ada", "H48P", "4.1.6")
	require.NoError(t, err)
	_, err = b.Restore(t.Context(), b.of(t, "th-sw-02")[0].Number, "th-sw-01", backups.Whole)
	require.ErrorContains(t, err, "only its policies", "another model")
}

func mustContent(t *testing.T, b *bench, device string) []byte {
	t.Helper()
	c, err := b.Content(t.Context(), b.of(t, device)[0].Number)
	require.NoError(t, err)
	return c
}
