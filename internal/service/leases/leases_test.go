package leases_test

import (
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/service/leases"
)

func TestLeases(t *testing.T) {
	t.Parallel()
	var l leases.Leases
	first, second := l.Take("a", "b"), l.Take("a")
	_, ok := l.Try("a")
	assert.False(t, ok)
	first()
	first() // once is enough
	assert.True(t, l.Held("a"))
	assert.False(t, l.Held("b"))
	second()
	giveBack, ok := l.Try("a")
	assert.True(t, ok)
	assert.True(t, l.Held("a"))
	giveBack()
	assert.False(t, l.Held("a"))

	over := l.Restarts("a")
	again := l.Restarts("a")
	over()
	assert.True(t, l.Restarting("a"))
	again()
	assert.False(t, l.Restarting("a"))
	assert.False(t, l.Held("a"))
}

func TestOneOfManyGetsIt(t *testing.T) {
	t.Parallel()
	var l leases.Leases
	var got atomic.Int32
	var wg sync.WaitGroup
	for range 50 {
		wg.Go(func() {
			if _, ok := l.Try("a"); ok {
				got.Add(1)
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 1, got.Load())
}
