package events

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEverybodyGetsEventsInOrder(t *testing.T) {
	b := New(100)
	one, _ := b.Subscribe(0)
	two, _ := b.Subscribe(0)
	for range 3 {
		b.Publish(Event{Kind: PortState})
	}
	for _, s := range []*Subscription{one, two} {
		for i := range 3 {
			assert.Equal(t, uint64(101+i), (<-s.Events()).Seq)
		}
		s.Close()
		_, open := <-s.Events()
		assert.False(t, open)
		assert.False(t, s.Lost())
		s.Close() // closing twice is fine
	}
}

func TestGoOnWhereOneWas(t *testing.T) {
	b := New(0)
	for range 5 {
		b.Publish(Event{})
	}
	s, missed := b.Subscribe(3)
	require.False(t, missed)
	assert.Equal(t, uint64(4), (<-s.Events()).Seq)
	assert.Equal(t, uint64(5), (<-s.Events()).Seq)
	s, missed = b.Subscribe(5)
	require.False(t, missed)
	assert.Empty(t, s.Events())
}

func TestWhatIsNotToBeHadAnyMoreIsSaid(t *testing.T) {
	b := New(1000)
	_, missed := b.Subscribe(7) // a number of an earlier life
	assert.True(t, missed)
	_, missed = b.Subscribe(5000) // a number of nobody
	assert.True(t, missed)
	for range kept + 2 {
		b.Publish(Event{})
	}
	_, missed = b.Subscribe(1001)
	assert.True(t, missed)
	_, missed = b.Subscribe(1002)
	assert.False(t, missed)
}

func TestWhoFallsBehindIsToldAndHoldsNobodyUp(t *testing.T) {
	b := New(0)
	slow, _ := b.Subscribe(0)
	for range kept + queued + 1 {
		b.Publish(Event{})
	}
	n := 0
	for range slow.Events() {
		n++
	}
	assert.Equal(t, kept+queued, n)
	assert.True(t, slow.Lost())
}
