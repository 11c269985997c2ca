package changes

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
)

// On a full disk a change comes to its end as soon as there is space again, and its devices are free for the next.
func TestAFullDiskHoldsAChangeUpButLosesItNot(t *testing.T) {
	t.Parallel()
	for name, tc := range map[string]struct {
		full string // when
		do   func(b *bench, number int64)
		end  string
		runs string
	}{
		"when its trial ends":      {OnTrial, func(*bench, int64) {}, Undone, "20 20"},
		"when it was to be kept":   {Keeping, func(*bench, int64) {}, Kept, "40 40"},
		"when it was to be undone": {Undoing, func(*bench, int64) {}, Undone, "20 20"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := newBench(t)
			c := b.checked("sw-a", "sw-b")
			b.push(c)
			b.until(c.Number, OnTrial)
			switch tc.full {
			case OnTrial:
				b.disk.set(true)
				_, err := b.Keep(t.Context(), c.Number, "ada")
				require.ErrorIs(t, err, errFull, "what cannot be recorded is not promised")
			case Keeping:
				b.when("extend sw-a", func() { b.disk.set(true) })
				_, err := b.Keep(t.Context(), c.Number, "ada")
				require.NoError(t, err)
			case Undoing:
				b.when("undo sw-a", func() { b.disk.set(true) })
				_, err := b.Undo(t.Context(), c.Number, "ada")
				require.NoError(t, err)
			}
			require.Eventually(t, func() bool { return b.disk.failed() > 2 }, 30*time.Second, 10*time.Millisecond, "it is tried again")
			b.disk.set(false)
			b.until(c.Number, tc.end)
			assert.Equal(t, tc.runs, b.vlans())
			b.fleet.mu.Lock()
			b.fleet.before = nil
			b.fleet.mu.Unlock()
			require.Eventually(t, func() bool { return !b.leases.Held("sw-a") }, 5*time.Second, time.Millisecond)
			_, err := b.Create(t.Context(), "ada", "", nil)
			require.NoError(t, err)
		})
	}
}

// Nothing runs that could not be recorded, and no device stays locked for it.
func TestAPushThatCannotBeRecordedRunsNowhere(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.when("propose sw-a", func() { b.disk.set(true) })
	b.push(c)
	require.Eventually(t, func() bool { return b.disk.failed() > 1 }, 30*time.Second, 10*time.Millisecond)
	b.disk.set(false)
	c = b.until(c.Number, Failed)
	assert.Contains(t, c.Outcome, "could not record it")
	assert.Equal(t, "20 20", b.vlans())
	assert.NotContains(t, b.steps(), "trial sw-a")
	assert.Contains(t, b.steps(), "release sw-a")
	assert.Contains(t, b.steps(), "release sw-b")
}

// A watcher of a trial that was slow, and to whom much was told meanwhile, goes on to watch, and at its pace.
func TestAWatcherThatFellBehindGoesOn(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a")
	b.push(c)
	b.until(c.Number, OnTrial)
	unlock := b.records.lock(c.Number) // it waits for this with its next remark
	b.fleet.mu.Lock()
	b.fleet.devices["sw-a"].inside = network.Inside{ObservedAt: time.Now(), Bundles: []network.Bundle{{Name: "lag1", Members: []network.BundleMember{{Port: "1"}}}}}
	b.fleet.mu.Unlock()
	for range 4096 {
		b.feed.Tell(fact.Of(time.Now(), fact.ThePort("sw-b", "1"), fact.LinkBack{}))
	}
	unlock()
	b.fleet.mu.Lock()
	b.fleet.calls = nil
	b.fleet.mu.Unlock()
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Kept)
}

// What joins devices and got worse keeps a change from being kept by itself, and is said; a person may keep it all the same.
func TestWhatGotWorseIsNotKeptByItself(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a")
	half := network.Inside{Bundles: []network.Bundle{{Name: "lag3", Members: []network.BundleMember{{Port: "1"}, {Port: "2", InSync: true}}}}}
	b.when("trial sw-a", func() {
		half.ObservedAt = time.Now().Add(time.Hour)
		b.fleet.devices["sw-a"].inside = half
	})
	_, err := b.Push(t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial, KeepAfter: time.Second})
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		c, err = b.Get(t.Context(), c.Number)
		return err == nil && len(c.Log) > 0 && c.Log[len(c.Log)-1].Text == "worse since the change, so that it is not kept by itself: sw-a: 1 of 2 ports of lag3 are not in the bundle."
	}, 10*time.Second, 5*time.Millisecond)
	c = b.until(c.Number, Undone)
	assert.Contains(t, c.Outcome, "nobody kept it in time: sw-a: 1 of 2 ports of lag3 are not in the bundle.")
	assert.Equal(t, "20 20", b.vlans())
}

// Before it keeps a change by itself, the service reads the inside of what it touched.
func TestNothingIsKeptByItselfBeforeItWasReadAgain(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.fleet.devices["sw-a"].inside = network.Inside{ObservedAt: time.Now().Add(-time.Minute)}
	c := b.checked("sw-a")
	_, err := b.Push(t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial, KeepAfter: time.Second})
	require.NoError(t, err)
	b.until(c.Number, OnTrial)
	at := time.Now()
	require.Eventually(t, func() bool { return time.Since(at) > 2*time.Second }, 5*time.Second, 100*time.Millisecond)
	c, err = b.Get(t.Context(), c.Number)
	require.NoError(t, err)
	require.Equal(t, OnTrial, c.State)
	b.fleet.mu.Lock()
	b.fleet.devices["sw-a"].inside.ObservedAt = time.Now()
	b.fleet.mu.Unlock()
	b.until(c.Number, Kept)
}

// A check that takes long holds up no other change.
func TestOneChangeDoesNotWaitForTheCheckOfAnother(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	slow := b.checked("sw-b")
	c := b.checked("sw-a")
	b.push(c)
	b.until(c.Number, OnTrial)
	defer b.records.lock(slow.Number)() // as while it is being checked
	_, err := b.Undo(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Undone)
}
