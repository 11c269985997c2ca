package store

import (
	"context"
	"errors"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/testing/race"
)

// What is remembered is what is kept, whatever was done in between and whatever callers do with what they were given.
func TestRecentChangesAreAsTheyAreKept(t *testing.T) {
	s := fresh(t)
	s.recent.most = 100
	ctx := t.Context()
	at := time.UnixMicro(1_700_000_000_000_000).UTC()
	edit := func(value string) intent.Edit {
		return intent.Edit{Port: network.PortRef{Device: "sw-a", Port: "1"}, Field: "description", Value: value}
	}
	left := race.Fewer(100, 15)
	rapid.Check(t, func(t *rapid.T) {
		if left--; left < 0 {
			return
		}
		var numbers []int64
		one := func(t *rapid.T) Change {
			if len(numbers) == 0 {
				t.Skip("there is none yet")
			}
			c, err := s.Change(ctx, rapid.SampledFrom(numbers).Draw(t, "number"))
			require.NoError(t, err)
			return c
		}
		t.Repeat(map[string]func(*rapid.T){
			"add": func(t *rapid.T) {
				c := Change{State: "draft", Owner: "ada", CreatedAt: at, UpdatedAt: at, Edits: slices.Repeat([]intent.Edit{edit("x")}, rapid.IntRange(1, 40).Draw(t, "edits")),
					Findings: []guard.Finding{}, Accepted: []Acceptance{}, Log: []LogLine{{At: at, Text: "drafted"}}}
				number, err := s.AddChange(ctx, c)
				require.NoError(t, err)
				numbers = append(numbers, number)
			},
			"put": func(t *rapid.T) {
				c := one(t)
				c.Why = rapid.SampledFrom([]string{"a", "b", "c"}).Draw(t, "why")
				c.Devices = []ChangeDevice{{Device: "sw-a", Step: "waiting", Token: c.Why}, {Device: "sw-b", Order: 1}}
				require.NoError(t, s.PutChange(ctx, c))
			},
			"step": func(t *rapid.T) {
				c := one(t)
				for i := range c.Devices {
					c.Devices[i].Step = rapid.SampledFrom([]string{"ready", "running", "on-trial"}).Draw(t, "step")
					c.Devices[i].Said = c.Devices[i].Step
				}
				c.State = "pushing"
				require.NoError(t, s.PutSteps(ctx, c))
			},
			"drop": func(t *rapid.T) {
				c := one(t)
				require.NoError(t, s.DropChange(ctx, c.Number))
				numbers = slices.DeleteFunc(numbers, func(n int64) bool { return n == c.Number })
				_, err := s.Change(ctx, c.Number)
				require.ErrorIs(t, err, ErrNotFound)
			},
			"fail": func(t *rapid.T) {
				c := one(t)
				c.Why = "never"
				c.Devices = []ChangeDevice{{Device: "sw-a"}, {Device: "sw-c", Layers: map[string]string{"x": "y"}}}
				ended, end := context.WithCancel(ctx)
				end()
				require.Error(t, s.PutChange(ended, c))
			},
			"scribble": func(t *rapid.T) {
				c := one(t)
				c.Edits[0] = edit("scribbled")
				c.Edits = append(c.Edits[:len(c.Edits):cap(c.Edits)], edit("scribbled"))
				c.Log = append(c.Log, LogLine{Text: "scribbled"})
				for i := range c.Devices {
					c.Devices[i].Said = "scribbled"
				}
			},
			"": func(t *rapid.T) {
				assert.LessOrEqual(t, s.recent.weight, s.recent.most)
				assert.Len(t, s.recent.order, len(s.recent.by))
				for _, number := range numbers {
					want, err := s.readChange(ctx, number)
					require.NoError(t, err)
					got, err := s.Change(ctx, number)
					require.NoError(t, err)
					require.Equal(t, want.Edits, got.Edits)
					want.Edits, got.Edits = nil, nil
					require.Equal(t, toJSON(want), toJSON(got))
					require.Equal(t, [2]any{want.State, want.UpdatedAt}, [2]any{got.State, got.UpdatedAt})
					require.Len(t, got.Devices, len(want.Devices))
					for i, d := range want.Devices {
						require.Equal(t, [4]string{d.Device, d.Step, d.Said, d.Token}, [4]string{got.Devices[i].Device, got.Devices[i].Step, got.Devices[i].Said, got.Devices[i].Token})
					}
				}
			},
		})
		for _, n := range numbers {
			require.NoError(t, s.DropChange(ctx, n))
		}
	})
}

func TestAChangeThatIsWrittenWhileItIsReadIsNotRememberedOld(t *testing.T) {
	var r recent
	_, _, before := r.get(7)
	require.NoError(t, r.wrote(Change{Number: 8}, nil)) // whatever it is: it might have been that one
	r.read(Change{Number: 7, Why: "old"}, before)
	_, ok, now := r.get(7)
	require.False(t, ok)
	r.read(Change{Number: 7, Why: "new"}, now)
	c, ok, _ := r.get(7)
	require.True(t, ok)
	assert.Equal(t, "new", c.Why)
	full := errors.New("the disk is full")
	require.ErrorIs(t, r.wrote(Change{Number: 7, Why: "newer"}, full), full)
	_, ok, _ = r.get(7)
	assert.False(t, ok, "whether it was written is not known")
}

// A device that is renamed has its new name in changes at once.
func TestRecentChangesFollowARenamedDevice(t *testing.T) {
	s := fresh(t)
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "here", Title: "Here"}))
	require.NoError(t, s.AddDevice(t.Context(), Device{Name: "sw-a", Site: "here", Address: "x", Secret: []byte{1}, Identity: network.Identity{Serial: "1"}}))
	n, err := s.AddChange(t.Context(), Change{State: "kept"})
	require.NoError(t, err)
	require.NoError(t, s.PutChange(t.Context(), Change{Number: n, State: "kept", Devices: []ChangeDevice{{Device: "sw-a", Step: "kept", Said: "yes"}}}))
	require.NoError(t, s.RenameDevice(t.Context(), "sw-a", "sw-b"))
	c, err := s.Change(t.Context(), n)
	require.NoError(t, err)
	require.Len(t, c.Devices, 1)
	assert.Equal(t, [3]string{"sw-b", "kept", "yes"}, [3]string{c.Devices[0].Device, c.Devices[0].Step, c.Devices[0].Said})
}
