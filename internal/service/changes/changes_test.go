package changes

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

var errLost = errors.New("the session was lost")

func TestFarDeviceRunsItFirst(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	steps := b.steps()
	last := max(slices.Index(steps, "propose sw-a"), slices.Index(steps, "propose sw-b"))
	far, near := slices.Index(steps, "trial sw-b"), slices.Index(steps, "trial sw-a")
	assert.Less(t, last, far, "nothing runs before all have found it good: %v", steps)
	assert.Less(t, far, near)
	assert.Equal(t, "40 40", b.vlans())
}

func TestKeepGivesTimeBeforeItKeeps(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	c = b.until(c.Number, Kept)
	steps := b.steps()
	extended := max(slices.Index(steps, "extend sw-a"), slices.Index(steps, "extend sw-b"))
	kept := min(slices.Index(steps, "keep sw-a"), slices.Index(steps, "keep sw-b"))
	assert.Less(t, extended, kept, "%v", steps)
	assert.Equal(t, "ada", c.EndedBy)
	assert.Equal(t, "40 40", b.vlans())
}

func TestDeviceThatWentBackBeforeItCouldBeKeptHasTheOtherPutBack(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	// sw-b is kept first; then sw-a's own time runs out right before it is kept.
	b.when("keep sw-a", func() { b.fleet.devices["sw-a"].revert() })
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	c = b.until(c.Number, Undone)
	assert.Equal(t, "20 20", b.vlans())
	assert.Contains(t, c.Outcome, "sw-a went back before the change could be kept")
	for _, d := range c.Devices {
		assert.Equal(t, StepUndone, d.Step)
		if d.Device == "sw-b" {
			assert.Equal(t, "the old settings were written again", d.Said)
		}
	}
}

func TestDeviceThatCannotBeGivenTimeIsNotKept(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	b.when("extend sw-a", func() { b.fleet.devices["sw-a"].revert() })
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Undone)
	assert.Equal(t, "20 20", b.vlans())
	assert.NotContains(t, b.steps(), "keep sw-b", "nothing was made permanent")
}

func TestAnswerToKeepThatGotLost(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	// The device keeps it, and the answer does not come back: asked again it knows of no trial, and runs the change.
	b.when("keep sw-b", func() { b.fleet.devices["sw-b"].trial = "" })
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Kept)
	assert.Equal(t, "40 40", b.vlans())
}

func TestKeepGoesOnAfterAHiccup(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	b.fail(errLost, "extend sw-b", "keep sw-b", "keep sw-a")
	_, err := b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Kept)
	assert.Equal(t, "40 40", b.vlans())
}

func TestSecondDeviceThatDoesNotAnswerIsUndoneWithTheFirst(t *testing.T) {
	t.Parallel()
	for name, runs := range map[string]bool{"and runs it": true, "and does not run it": false} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := newBench(t)
			c := b.checked("sw-a", "sw-b")
			b.fleet.before = func(step string) error {
				if step != "trial sw-a" {
					return nil
				}
				if d := b.fleet.devices["sw-a"]; runs {
					for token, after := range d.prepared {
						d.previous, d.running, d.trial = d.running, after, token
					}
				}
				return errLost
			}
			b.push(c)
			c = b.until(c.Number, Undone)
			assert.Equal(t, "20 20", b.vlans())
			assert.Contains(t, c.Outcome, "sw-a was lost when it ran the change")
		})
	}
}

func TestDeviceThatDoesNotRunWhatItWasSent(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	// It answers well, and its configuration is not what it should be: a server that loses an edit over a validate does so.
	var once bool
	b.fleet.before = func(step string) error {
		if step == "trial sw-a" && !once {
			once = true
			for token := range b.fleet.devices["sw-a"].prepared {
				b.fleet.devices["sw-a"].prepared[token] = b.fleet.devices["sw-a"].running
			}
		}
		return nil
	}
	b.push(c)
	c = b.until(c.Number, Undone)
	assert.Contains(t, c.Outcome, "sw-a does not run what it was sent")
	assert.Equal(t, "20 20", b.vlans())
}

func TestLostDeviceIsWaitedForAndRead(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	b.fleet.mu.Lock()
	b.fleet.devices["sw-b"].gone = true
	b.fleet.mu.Unlock()
	c = b.until(c.Number, Undoing)
	assert.Contains(t, c.Outcome, "sw-b cannot be reached any more")
	assert.Equal(t, StepOnTrial, c.Devices[0].Step, "what was not read is not claimed")
	b.feed.Tell(fact.Of(time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC), fact.TheDevice("sw-b"), fact.ConfigTimedOut{}))
	b.fleet.mu.Lock()
	b.fleet.devices["sw-b"].gone = false
	b.fleet.devices["sw-b"].revert()
	b.fleet.mu.Unlock()
	c = b.until(c.Number, Undone)
	assert.Equal(t, "the device went back by itself at 12:00:00 UTC", c.Devices[0].Said)
}

func TestLinkThatIsLostUndoesTheChange(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	set := func(o network.OperStatus) {
		b.fleet.mu.Lock()
		defer b.fleet.mu.Unlock()
		b.fleet.devices["sw-b"].neighbours = map[string]network.PortState{"1": {Oper: o}, "up": b.fleet.devices["sw-b"].neighbours["up"]}
	}
	set(network.Down)
	c = b.until(c.Number, Undone)
	assert.Contains(t, c.Outcome, "sw-b:1 lost its link")
}

func TestKeptByItselfOnceAllHasBeenWell(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-a", "sw-b")
	_, err := b.Push(t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial, KeepAfter: time.Second})
	require.NoError(t, err)
	c = b.until(c.Number, Kept)
	assert.Empty(t, c.EndedBy, "nobody said so")
	assert.Equal(t, "40 40", b.vlans())
}

func TestNotKeptByItselfWhenSomethingIsLost(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-b")
	b.fleet.mu.Lock()
	b.fleet.before = func(step string) error {
		if step == "trial sw-b" { // what it runs costs it the link of port 1
			b.fleet.devices["sw-b"].neighbours = map[string]network.PortState{"1": {Oper: network.Down}, "up": b.fleet.devices["sw-b"].neighbours["up"]}
		}
		return nil
	}
	b.fleet.mu.Unlock()
	_, err := b.Push(t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial, KeepAfter: time.Second})
	require.NoError(t, err)
	c = b.until(c.Number, Undone, Kept)
	assert.Equal(t, Undone, c.State)
	assert.Equal(t, "20", b.vlan("sw-b"))
}

func TestResume(t *testing.T) {
	t.Parallel()
	// Each row is a moment at which an earlier life of the service ended: what was recorded, and what the devices run.
	type device struct {
		step  string
		runs  bool // the change
		trial bool // is open
	}
	for name, tc := range map[string]struct {
		state    string
		over     bool // the trial's time
		a, b     device
		want     string
		vlans    string
		keepThen bool
	}{
		"before anything was sent":             {Pushing, false, device{StepWaiting, false, false}, device{StepWaiting, false, false}, Failed, "20 20", false},
		"one was being sent and runs":          {Pushing, false, device{StepReady, false, false}, device{StepRunning, true, true}, Failed, "20 20", false},
		"one was being sent and does not run":  {Pushing, false, device{StepReady, false, false}, device{StepRunning, false, false}, Failed, "20 20", false},
		"one runs, one was being sent":         {Pushing, false, device{StepRunning, true, true}, device{StepOnTrial, true, true}, Failed, "20 20", false},
		"both run, not yet read back":          {Pushing, false, device{StepOnTrial, true, true}, device{StepOnTrial, true, true}, Failed, "20 20", false},
		"on trial, with time":                  {OnTrial, false, device{StepOnTrial, true, true}, device{StepOnTrial, true, true}, OnTrial, "40 40", true},
		"on trial, one went back":              {OnTrial, false, device{StepOnTrial, true, true}, device{StepOnTrial, false, false}, Undone, "20 20", false},
		"on trial, time over, devices not yet": {OnTrial, true, device{StepOnTrial, true, true}, device{StepOnTrial, true, true}, Undone, "20 20", false},
		"on trial, time over, all went back":   {OnTrial, true, device{StepOnTrial, false, false}, device{StepOnTrial, false, false}, Undone, "20 20", false},
		"keeping, none kept":                   {Keeping, false, device{StepOnTrial, true, true}, device{StepOnTrial, true, true}, Kept, "40 40", false},
		"keeping, one kept":                    {Keeping, false, device{StepOnTrial, true, true}, device{StepKept, true, false}, Kept, "40 40", false},
		"keeping, one kept but not recorded":   {Keeping, false, device{StepOnTrial, true, true}, device{StepKeeping, true, false}, Kept, "40 40", false},
		"keeping, one kept, one went back":     {Keeping, false, device{StepOnTrial, false, false}, device{StepKept, true, false}, Undone, "20 20", false},
		"keeping, none kept, all went back":    {Keeping, false, device{StepOnTrial, false, false}, device{StepOnTrial, false, false}, Undone, "20 20", false},
		"undoing, none undone":                 {Undoing, false, device{StepOnTrial, true, true}, device{StepOnTrial, true, true}, Undone, "20 20", false},
		"undoing, one undone":                  {Undoing, false, device{StepOnTrial, true, true}, device{StepUndone, false, false}, Undone, "20 20", false},
		"undoing, one undone, not recorded":    {Undoing, false, device{StepOnTrial, false, false}, device{StepOnTrial, true, true}, Undone, "20 20", false},
		"undoing, somebody else kept one":      {Undoing, false, device{StepOnTrial, true, false}, device{StepOnTrial, true, true}, Undone, "20 20", false},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := newBench(t)
			c := b.checked("sw-a", "sw-b")
			c.State, c.PushedBy, c.TrialSecs, c.Deadline = tc.state, "ada", 20, now().Add(20*time.Second)
			if tc.over {
				c.Deadline = now().Add(-time.Second)
			}
			for i := range c.Devices {
				d, was := &c.Devices[i], tc.a
				if d.Device == "sw-b" {
					was = tc.b
				}
				d.Token, d.Step = "token-"+d.Device, was.step
				f := b.fleet.devices[d.Device]
				f.previous = f.running
				if was.runs {
					f.running = d.After
				}
				if was.trial {
					f.trial = d.Token
				}
			}
			require.NoError(t, b.store.PutChange(t.Context(), c))
			b.again()
			c = b.until(c.Number, tc.want)
			assert.Equal(t, tc.vlans, b.vlans(), "%v", c.Log)
			for name, d := range b.fleet.devices {
				if tc.want != OnTrial {
					assert.Empty(t, d.trial, name)
				}
			}
			if tc.keepThen {
				require.Eventually(t, func() bool {
					_, err := b.Keep(t.Context(), c.Number, "ada")
					return err == nil
				}, 5*time.Second, 5*time.Millisecond)
				b.until(c.Number, Kept)
			}
		})
	}
}

func TestRefusalsOfTheDesk(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	ctx := t.Context()
	c := b.checked("sw-a")
	for name, err := range map[string]error{
		"keep":             second(b.Keep(ctx, c.Number, "ada")),
		"undo":             second(b.Undo(ctx, c.Number, "ada")),
		"a trial of 1 s":   second(b.Push(ctx, c.Number, PushOptions{Trial: time.Second})),
		"kept too late":    second(b.Push(ctx, c.Number, PushOptions{Trial: MinTrial, KeepAfter: MinTrial})),
		"a trial of 1 day": second(b.Push(ctx, c.Number, PushOptions{Trial: 24 * time.Hour})),
	} {
		assert.ErrorIs(t, err, ErrState, name)
	}
	_, err := b.Get(ctx, 99)
	require.ErrorIs(t, err, store.ErrNotFound)
	_, err = b.TakeOut(ctx, c.Number, "ada", network.PortRef{Device: "sw-a", Port: "1"}, "poe")
	require.ErrorIs(t, err, store.ErrNotFound)
	require.ErrorIs(t, b.Discard(ctx, 99), store.ErrNotFound)
	var edit *intent.EditError
	_, err = b.Create(ctx, "ada", "", []intent.Edit{{Port: network.PortRef{Device: "nobody", Port: "1"}, Field: "vlan", Value: "40"}})
	require.ErrorAs(t, err, &edit)
	assert.Empty(t, b.steps(), "no device was asked for any of it")
}

func second[T any](_ T, err error) error { return err }

func TestDraftIsEditedExplainedAndThrownAway(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	ctx := t.Context()
	c := b.checked("sw-a", "sw-b")
	c, err := b.Explain(ctx, c.Number, "ada", "because")
	require.NoError(t, err)
	assert.Equal(t, Checked, c.State, "a reason changes nothing on the network")
	c, err = b.TakeOut(ctx, c.Number, "ada", network.PortRef{Device: "sw-a", Port: "1"}, "vlan")
	require.NoError(t, err)
	assert.Equal(t, Draft, c.State, "what is no longer what was checked is a draft again")
	assert.Len(t, b.Differences(t.Context(), c), 1)
	require.NoError(t, b.Discard(ctx, c.Number))
	_, err = b.Get(ctx, c.Number)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestAbsentDeviceStopsThePush(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.fleet.devices["sw-b"].gone = true
	c := b.checked("sw-a", "sw-b")
	assert.Contains(t, levelOf(c.Findings), "stop in-hand:sw-b")
	_, err := b.Push(t.Context(), c.Number, PushOptions{Accept: []string{"in-hand:sw-b"}})
	var blocked *BlockedError
	require.ErrorAs(t, err, &blocked)
	assert.ErrorIs(t, err, ErrBlocked)
	assert.True(t, strings.Contains(blocked.Findings[0].What, "sw-b is not connected"))
}

func TestStopAndGoOnIsNotAnUndo(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	c := b.checked("sw-b")
	b.push(c)
	b.until(c.Number, OnTrial)
	b.again()
	got := b.until(c.Number, OnTrial)
	assert.Equal(t, "40", b.vlan("sw-b"))
	assert.NotEmpty(t, got.Deadline)
}
