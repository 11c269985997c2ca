package changes

import (
	"context"
	"errors"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// What is remembered is what is kept, whatever was done in between and whatever callers do with what they were given.
func TestRecentChangesAreAsTheyAreKept(t *testing.T) {
	t.Parallel()
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, st.Close()) })
	ctx := t.Context()
	rapid.Check(t, func(t *rapid.T) {
		r := remember(st)
		var numbers []int64
		at := time.UnixMicro(1_700_000_000_000_000).UTC()
		edit := func(value string) intent.Edit {
			return intent.Edit{Port: network.PortRef{Device: "sw-a", Port: "1"}, Field: "description", Value: value}
		}
		one := rapid.Custom(func(t *rapid.T) int64 { return rapid.SampledFrom(numbers).Draw(t, "number") })
		t.Repeat(map[string]func(*rapid.T){
			"add": func(t *rapid.T) {
				c := store.Change{State: Draft, Owner: "ada", CreatedAt: at, UpdatedAt: at, Edits: []intent.Edit{edit("x")},
					Findings: []guard.Finding{}, Accepted: []store.Acceptance{}, Log: []store.LogLine{{At: at, Text: "drafted"}}}
				number, err := r.AddChange(ctx, c)
				require.NoError(t, err)
				numbers = append(numbers, number)
			},
			"put": func(t *rapid.T) {
				if len(numbers) == 0 {
					t.Skip("nothing to put")
				}
				c, err := r.Change(ctx, one.Draw(t, "of"))
				require.NoError(t, err)
				c.Why = rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "why")
				c.Devices = []store.ChangeDevice{{Device: "sw-a", Step: StepWaiting, Token: c.Why}}
				require.NoError(t, r.PutChange(ctx, c))
			},
			"step": func(t *rapid.T) {
				if len(numbers) == 0 {
					t.Skip("nothing to step")
				}
				c, err := r.Change(ctx, one.Draw(t, "of"))
				require.NoError(t, err)
				for i := range c.Devices {
					c.Devices[i].Step = rapid.SampledFrom([]string{StepReady, StepRunning, StepOnTrial}).Draw(t, "step")
				}
				c.State = Pushing
				require.NoError(t, r.PutSteps(ctx, c))
			},
			"drop": func(t *rapid.T) {
				if len(numbers) == 0 {
					t.Skip("nothing to drop")
				}
				number := one.Draw(t, "which")
				require.NoError(t, r.DropChange(ctx, number))
				numbers = slices.DeleteFunc(numbers, func(n int64) bool { return n == number })
				_, err := r.Change(ctx, number)
				require.ErrorIs(t, err, store.ErrNotFound)
			},
			"scribble": func(t *rapid.T) {
				if len(numbers) == 0 {
					t.Skip("nothing to scribble on")
				}
				c, err := r.Change(ctx, one.Draw(t, "on"))
				require.NoError(t, err)
				c.Edits = append(c.Edits, edit("scribbled"))
				c.Log = append(c.Log, store.LogLine{Text: "scribbled"})
				for i := range c.Devices {
					c.Devices[i].Said = "scribbled"
				}
			},
			"": func(t *rapid.T) {
				assert.LessOrEqual(t, len(r.by), maxRecent)
				assert.Len(t, r.order, len(r.by))
				for _, number := range numbers {
					want, err := st.Change(ctx, number)
					require.NoError(t, err)
					got, err := r.Change(ctx, number)
					require.NoError(t, err)
					require.Equal(t, want.Why, got.Why)
					require.Equal(t, want.State, got.State)
					require.Equal(t, want.Edits, got.Edits)
					require.Equal(t, want.Log, got.Log)
					require.Equal(t, want.UpdatedAt, got.UpdatedAt)
					require.Len(t, got.Devices, len(want.Devices))
					for i, d := range want.Devices {
						require.Equal(t, [4]string{d.Device, d.Step, d.Said, d.Token}, [4]string{got.Devices[i].Device, got.Devices[i].Step, got.Devices[i].Said, got.Devices[i].Token})
					}
				}
			},
		})
	})
}

// slowStore answers a question with what stood there before it was written.
type slowStore struct {
	Store
	during func()
	fail   error
}

func (s *slowStore) Change(ctx context.Context, number int64) (store.Change, error) {
	c, err := s.Store.Change(ctx, number)
	s.during()
	return c, err
}

func (s *slowStore) PutChange(ctx context.Context, c store.Change) error {
	return errors.Join(s.Store.PutChange(ctx, c), s.fail)
}

func TestARecentChangeThatIsWrittenWhileItIsReadIsNotRememberedOld(t *testing.T) {
	t.Parallel()
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, st.Close()) })
	c := store.Change{State: Draft, Owner: "ada"}
	c.Number, err = st.AddChange(t.Context(), c)
	require.NoError(t, err)
	slow := &slowStore{Store: st}
	r := remember(slow)
	slow.during = func() {
		c.Why = "new"
		require.NoError(t, r.PutChange(t.Context(), c))
		r.mu.Lock()
		r.forget(c.Number)
		r.mu.Unlock()
	}
	got, err := r.Change(t.Context(), c.Number)
	require.NoError(t, err)
	require.Empty(t, got.Why, "it was read before")
	slow.during = func() {}
	got, err = r.Change(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Equal(t, "new", got.Why)

	slow.fail = errors.New("the disk is full")
	c.Why = "newer"
	require.Error(t, r.PutChange(t.Context(), c), "it may have been written or not")
	got, err = r.Change(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Equal(t, "newer", got.Why, "what is there was read")
}
