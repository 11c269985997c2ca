package changes

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// people are those who may still push and approve.
type people struct {
	mu           sync.Mutex
	gone         map[string]bool
	pushesAsked  int
	edits        []intent.Edit
	approveAsked int
}

var errGone = errors.New("bram is not a user any more")

func (p *people) still(name string) error {
	if p.gone[name] {
		return errGone
	}
	return nil
}

func (p *people) StillMayPush(_ context.Context, name string, _ store.Change, comeTo []intent.Edit) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.pushesAsked++
	p.edits = comeTo
	return p.still(name)
}

func (p *people) StillMayApprove(_ context.Context, name string, _ store.Change) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.approveAsked++
	return p.still(name)
}

func (p *people) lose(name string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.gone[name] = true
}

func TestAPushThatWaitedDoesNotOutliveTheRightToIt(t *testing.T) {
	t.Parallel()
	p := &people{gone: map[string]bool{}}
	b := newBench(t)
	b.permits = p
	b.Start()
	c := b.checked("sw-a")
	_, err := b.have(c, PushOptions{At: time.Now().Add(3 * time.Second)})
	require.NoError(t, err)
	p.lose("bram")
	c = b.until(c.Number, Checked)
	assert.Contains(t, c.Log[len(c.Log)-1].Text, "bram is not a user any more")
	assert.Equal(t, "20 20", b.vlans())
	assert.Nil(t, c.Waits)
}

func TestAnApprovalDoesNotOutliveTheRightToIt(t *testing.T) {
	t.Parallel()
	p := &people{gone: map[string]bool{}}
	b := newBench(t)
	b.permits, b.rules = p, &houseRules{approval: []string{"core"}}
	c := b.checked("sw-a")
	_, err := b.have(c, PushOptions{At: time.Now().Add(time.Second)})
	require.NoError(t, err)
	_, err = b.Approve(t.Context(), c.Number, "coral", "go on")
	require.NoError(t, err)
	p.lose("coral")
	b.Start()
	require.Eventually(t, func() bool {
		c, err = b.Get(t.Context(), c.Number)
		return err == nil && len(c.Approvals) == 0
	}, 20*time.Second, 5*time.Millisecond)
	assert.Equal(t, Waiting, c.State, "it waits for somebody else")
	assert.Equal(t, "20 20", b.vlans())
}

func TestWhoApprovesDoesNotPush(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.rules = &houseRules{approval: []string{"core"}}
	c := b.checked("sw-a")
	_, err := b.Approve(t.Context(), c.Number, "bram", "")
	require.NoError(t, err)
	_, err = b.have(c, PushOptions{})
	require.ErrorIs(t, err, ErrSecondPerson)
	_, err = b.Push(t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial})
	require.NoError(t, err)
}

// Who makes a draft another by taking something out of it, or by saying something else of it, has had a hand in it.
func TestTakingOutIsEditingToo(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.rules = &houseRules{approval: []string{"core"}}
	c := b.checked("sw-a", "sw-b")
	_, err := b.TakeOut(t.Context(), c.Number, "bram", network.PortRef{Device: "sw-b", Port: "1"}, "vlan")
	require.NoError(t, err)
	_, err = b.Check(t.Context(), c.Number)
	require.NoError(t, err)
	_, err = b.Approve(t.Context(), c.Number, "bram", "")
	require.ErrorIs(t, err, ErrSecondPerson)

	_, err = b.Approve(t.Context(), c.Number, "dunstan", "")
	require.NoError(t, err)
	c, err = b.Explain(t.Context(), c.Number, "coral", "something else")
	require.NoError(t, err)
	assert.Empty(t, c.Approvals, "another reason was not approved")
	_, err = b.Approve(t.Context(), c.Number, "coral", "")
	require.ErrorIs(t, err, ErrSecondPerson)
}
