package rig

import (
	"context"
	"fmt"
	"os"
	"slices"
	"sync"
	"testing"

	"example.net/everypost/internal/api/client"
)

// Shared is a rig of Tern Haven that all tests of a package have in common: for those that only look, or do no more than draft. A test that makes
// people, changes what runs or breaks something starts its own. A package that uses it runs its tests by Main.
func Shared(t testing.TB) *Rig {
	t.Helper()
	r := shared()
	own := *r
	own.Client = &client.Client{Base: r.Base, Token: r.Token} // what a test sets on it is its own
	return &own
}

var shared = sync.OnceValue(func() *Rig {
	t := &lasting{}
	atEnd(t.end)
	return Start(t, World(t))
})

// Main runs the tests of a package, and ends what they had in common.
func Main(m *testing.M) {
	code := m.Run()
	for _, f := range slices.Backward(ending.list) {
		f()
	}
	os.Exit(code)
}

var ending struct {
	sync.Mutex
	list []func()
}

func atEnd(f func()) {
	ending.Lock()
	defer ending.Unlock()
	ending.list = append(ending.list, f)
}

// lasting is what a test is to those who start something, for what outlives a test.
type lasting struct {
	testing.TB // nil: whatever is not here ends all tests by a panic

	cleanups []func()
}

func (l *lasting) Helper()                   {}
func (l *lasting) Context() context.Context  { return context.Background() }
func (l *lasting) Cleanup(f func())          { l.cleanups = append(l.cleanups, f) }
func (l *lasting) Errorf(s string, a ...any) { panic(fmt.Sprintf(s, a...)) }

func (l *lasting) TempDir() string {
	dir, err := os.MkdirTemp("", "everypost-test")
	if err != nil {
		panic(err)
	}
	l.Cleanup(func() { _ = os.RemoveAll(dir) })
	return dir
}

func (l *lasting) end() {
	for _, f := range slices.Backward(l.cleanups) {
		f()
	}
}
