package changes

import (
	"context"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// houseRules are rules of the house that a test changes as it goes.
type houseRules struct {
	mu       sync.Mutex
	hours    bool // there are hours of changes
	open     bool // and it is in them
	approval []string
}

func (h *houseRules) For(_ context.Context, devices []string, at time.Time) ([]guard.Window, []string, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	var windows []guard.Window
	if h.hours {
		windows = append(windows, guard.Window{Rule: "night", Devices: devices, Hours: "mon-sun 01:00-04:00 UTC", Open: h.open, Next: at.Add(time.Hour)})
	}
	return windows, slices.Clone(h.approval), nil
}

func (h *houseRules) set(f func()) {
	h.mu.Lock()
	defer h.mu.Unlock()
	f()
}

// waitingBench is a bench with rules, where pushes that wait are looked at.
func waitingBench(t *testing.T, h *houseRules) *bench {
	b := newBench(t)
	b.rules = h
	b.Start()
	return b
}

func (b *bench) have(c store.Change, o PushOptions) (store.Change, error) {
	o.By = "bram"
	return b.Push(b.t.Context(), c.Number, o)
}

func TestAPushWaitsForItsTime(t *testing.T) {
	t.Parallel()
	b := waitingBench(t, &houseRules{})
	c := b.checked("sw-a", "sw-b")
	c, err := b.have(c, PushOptions{At: time.Now().Add(3 * time.Second)})
	require.NoError(t, err)
	require.Equal(t, Waiting, c.State)
	assert.Equal(t, "20 20", b.vlans(), "nothing is sent")
	_, err = b.Edit(t.Context(), c.Number, "ada", []intent.Edit{{Port: network.PortRef{Device: "sw-a", Port: "1"}, Field: "description", Value: "x"}})
	require.ErrorIs(t, err, ErrState, "what waits is as it was checked")
	c = b.until(c.Number, OnTrial)
	assert.Equal(t, "bram", c.PushedBy)
	assert.Equal(t, "40 40", b.vlans())
	assert.False(t, c.PushedAt.Before(c.CreatedAt))
	_, err = b.have(c, PushOptions{At: time.Now().AddDate(1, 0, 0)})
	require.ErrorIs(t, err, ErrState, "not for a year")
}

func TestAPushWaitsForTheHoursOfChanges(t *testing.T) {
	t.Parallel()
	h := &houseRules{hours: true}
	b := waitingBench(t, h)
	c := b.checked("sw-a", "sw-b")
	require.Len(t, c.Findings, 1)
	assert.Equal(t, "change-window:night", c.Findings[0].ID)
	_, err := b.have(c, PushOptions{})
	require.ErrorIs(t, err, ErrBlocked, "at once it has to be accepted")
	c, err = b.have(c, PushOptions{InWindow: true})
	require.NoError(t, err)
	require.Equal(t, Waiting, c.State)
	h.set(func() { h.open = true })
	c = b.until(c.Number, OnTrial)
	assert.Empty(t, c.Accepted, "nothing had to be accepted")
}

func TestASecondPersonApproves(t *testing.T) {
	t.Parallel()
	b := waitingBench(t, &houseRules{approval: []string{"core"}})
	c := b.checked("sw-a", "sw-b")
	assert.Equal(t, []string{"core"}, c.NeedsApproval)
	c, err := b.have(c, PushOptions{})
	require.NoError(t, err)
	require.Equal(t, Waiting, c.State)
	for _, one := range []string{"ada", "bram"} { // who drafted it, and who has it pushed
		_, err = b.Approve(t.Context(), c.Number, one, "")
		require.ErrorIs(t, err, ErrSecondPerson, one)
	}
	_, err = b.Approve(t.Context(), c.Number, "isla", "seen with the harbour")
	require.NoError(t, err)
	c = b.until(c.Number, OnTrial)
	assert.Equal(t, "isla", c.Approvals[0].By)
	assert.Equal(t, "40 40", b.vlans())
}

func TestAnApprovalIsOfTheChangeAsItIs(t *testing.T) {
	t.Parallel()
	b := waitingBench(t, &houseRules{approval: []string{"core"}})
	c := b.checked("sw-a", "sw-b")
	_, err := b.Approve(t.Context(), c.Number, "isla", "")
	require.NoError(t, err)
	_, err = b.Approve(t.Context(), c.Number, "isla", "")
	require.ErrorIs(t, err, ErrState, "once is enough")
	c, err = b.Edit(t.Context(), c.Number, "coral", []intent.Edit{{Port: network.PortRef{Device: "sw-a", Port: "1"}, Field: "description", Value: "x"}})
	require.NoError(t, err)
	assert.Empty(t, c.Approvals)
	c, err = b.Check(t.Context(), c.Number)
	require.NoError(t, err)
	_, err = b.Approve(t.Context(), c.Number, "coral", "")
	require.ErrorIs(t, err, ErrSecondPerson, "she put an edit in")
}

func TestWhatWaitsIsTakenBackOrGivenUp(t *testing.T) {
	t.Parallel()
	b := waitingBench(t, &houseRules{hours: true})
	c := b.checked("sw-a", "sw-b")
	_, err := b.have(c, PushOptions{InWindow: true})
	require.NoError(t, err)
	c, err = b.Withdraw(t.Context(), c.Number, "ada", "not this week")
	require.NoError(t, err)
	assert.Equal(t, Checked, c.State)
	assert.Nil(t, c.Waits)
	_, err = b.Withdraw(t.Context(), c.Number, "ada", "")
	require.ErrorIs(t, err, ErrState)

	// Its time passed while the service was down, and longer ago than that it would still begin.
	old := b.checked("sw-b")
	old.State, old.Waits = Waiting, &store.Waits{By: "bram", At: time.Now().Add(-time.Hour), TrialSecs: 60}
	b.Service.Close()
	require.NoError(t, b.store.PutChange(t.Context(), old))
	b.begin()
	b.Start()
	old = b.until(old.Number, Checked)
	assert.Contains(t, old.Log[len(old.Log)-1].Text, "it could not begin within 15 min")
}

func TestWhatWaitsDoesNotBeginOnAnotherNetwork(t *testing.T) {
	t.Parallel()
	b := waitingBench(t, &houseRules{})
	c := b.checked("sw-a", "sw-b")
	c, err := b.have(c, PushOptions{At: time.Now().Add(2 * time.Second)})
	require.NoError(t, err)
	b.fleet.mu.Lock()
	running := b.fleet.devices["sw-a"].running.Clone()
	p := running.Ports["1"]
	p.AccessVLAN = 10
	running.Ports["1"] = p
	b.fleet.devices["sw-a"].running = running
	b.fleet.mu.Unlock()
	c = b.until(c.Number, Checked)
	require.Eventually(t, func() bool {
		c, err = b.Get(t.Context(), c.Number)
		return err == nil && strings.Contains(c.Log[len(c.Log)-1].Text, "was not: ")
	}, 10*time.Second, 5*time.Millisecond, "why it did not begin is told")
	assert.NotEqual(t, "40 40", b.vlans())
}
