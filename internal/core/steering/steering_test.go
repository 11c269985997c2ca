package steering

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var begin = time.Date(2026, 11, 30, 2, 0, 0, 0, time.UTC)

func fibre(delay, loss float64) Path {
	return Path{Tunnel: "fibre", Underlay: "fibre", Port: "wan1", Up: true, DelayMs: delay, LossPercent: loss}
}

func cellular(delay float64) Path {
	return Path{Tunnel: "cellular", Underlay: "cellular", Port: "cell0", Up: true, DelayMs: delay, LossPercent: 0.3}
}

func down(p Path) Path {
	p.Up = false
	return p
}

// calls leave what is slow or lossy after 5 s, and go back after 60 s.
var calls = Rule{Over: []string{"fibre", "cellular"}, Limits: Limits{DelayMs: 150, LossPercent: 1}, Within: 5 * time.Second, Back: time.Minute}

// A brown-out moves calls after the time that was set, not before; they go back once the better way was good for as long as was set; a moment in between
// begins that time anew.
func TestABrownOutMovesCallsAndTheyGoBack(t *testing.T) {
	var s State
	var moves []Move
	at := begin
	pass := func(seconds int, f Path) {
		for range seconds {
			var m *Move
			if s, m = calls.Step(s, at, []Path{cellular(40), f}); m != nil {
				moves = append(moves, *m)
			}
			at = at.Add(time.Second)
		}
	}
	pass(10, fibre(8, 0))
	assert.Equal(t, [2]string{"fibre", First}, [2]string{s.Tunnel, s.Why})
	pass(4, fibre(180, 4))
	assert.Equal(t, "fibre", s.Tunnel, "not before its time")
	pass(2, fibre(180, 4))
	require.Len(t, moves, 1)
	assert.Equal(t, Move{At: begin.Add(15 * time.Second), From: "fibre", To: "cellular", Why: Limit, Was: fibre(180, 4)}, moves[0])
	pass(50, fibre(8, 0))
	pass(1, fibre(8, 3))
	pass(60, fibre(8, 0))
	assert.Equal(t, "cellular", s.Tunnel, "it begins anew")
	pass(1, fibre(8, 0))
	assert.Equal(t, [2]string{"fibre", Return}, [2]string{s.Tunnel, s.Why})
	require.Len(t, moves, 2)
}

func TestWhatGoesDownIsLeftAtOnce(t *testing.T) {
	s, m := calls.Step(State{}, begin, []Path{fibre(8, 0), cellular(40)})
	assert.Nil(t, m)
	s, m = calls.Step(s, begin.Add(time.Second), []Path{down(fibre(0, 0)), cellular(400)})
	require.NotNil(t, m)
	assert.Equal(t, [2]string{"cellular", Down}, [2]string{m.To, m.Why}, "what breaks a limit is better than nothing")
	s, m = calls.Step(s, begin.Add(2*time.Second), []Path{down(fibre(0, 0)), down(cellular(0))})
	require.NotNil(t, m)
	assert.Equal(t, [2]string{"", Lost}, [2]string{m.To, m.Why})
	_, m = calls.Step(s, begin.Add(3*time.Second), []Path{fibre(8, 0), down(cellular(0))})
	require.NotNil(t, m)
	assert.Equal(t, [2]string{"fibre", Return}, [2]string{m.To, m.Why})
}

// What a rule does not name is used where nothing else is left, and left again with the same patience; or never.
func TestWhatIsNotNamed(t *testing.T) {
	r := Rule{Over: []string{"FIBRE"}, Back: 10 * time.Second}
	s, _ := r.Step(State{}, begin, []Path{cellular(40), down(fibre(8, 0))})
	assert.Equal(t, "cellular", s.Tunnel)
	s, _ = r.Step(s, begin.Add(time.Second), []Path{cellular(40), fibre(8, 0)})
	assert.Equal(t, "cellular", s.Tunnel)
	s, m := r.Step(s, begin.Add(11*time.Second), []Path{cellular(40), fibre(8, 0)})
	require.NotNil(t, m)
	assert.Equal(t, [2]string{"fibre", Return}, [2]string{s.Tunnel, m.Why})
	r.Only = true
	s, _ = r.Step(s, begin.Add(12*time.Second), []Path{cellular(40), down(fibre(8, 0))})
	assert.Empty(t, s.Tunnel)
}

// Packets that go twice are lost only where both are, and come as soon as the sooner one.
func TestWhatGoesTwice(t *testing.T) {
	r := Rule{Over: []string{"wan1", "cell0"}, Twice: true}
	paths := []Path{fibre(90, 10), cellular(40)}
	s, _ := r.Step(State{}, begin, paths)
	felt, up := s.Felt(paths)
	assert.True(t, up)
	assert.Equal(t, [2]string{"fibre", "cellular"}, [2]string{s.Tunnel, s.Second})
	assert.Equal(t, 40.0, felt.DelayMs)
	assert.InDelta(t, 0.03, felt.LossPercent, 1e-9)
}

// Over what was measured, a rule says where traffic would have gone and how calls would have been, beside those that nothing steers.
func TestReplay(t *testing.T) {
	var samples []Sample
	for i := range 60 {
		f := fibre(8, 0)
		if i >= 20 && i < 40 {
			f = fibre(190, 8)
		}
		samples = append(samples, Sample{begin.Add(time.Duration(i) * time.Minute), []Path{f, cellular(40)}})
	}
	o := calls.Replay(samples, time.Minute)
	assert.Equal(t, time.Hour, o.Known)
	require.Len(t, o.Moves, 2)
	assert.Equal(t, begin.Add(21*time.Minute), o.Moves[0].At, "a sample later: it was broken for that long then")
	assert.Greater(t, o.With.Rating, o.Unled.Rating+3)
	assert.Equal(t, 20*time.Minute, o.Unled.Bad)
	assert.Less(t, o.With.Bad, 2*time.Minute)
	assert.InDelta(t, 1, o.Over["fibre"]+o.Over["cellular"], 1e-9)
	assert.Zero(t, calls.Replay(nil, time.Minute).Known)
}

// Whatever is measured: traffic goes over what is up, over something if anything is, stays where it is while that keeps the limits and nothing better does,
// and never moves twice within the patience of a limit and of a return.
func TestStepHolds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := Rule{Over: rapid.SampledFrom([][]string{nil, {"fibre"}, {"cellular", "fibre"}, {"wan1", "cell0"}}).Draw(t, "over"), Limits: Limits{DelayMs: 100, LossPercent: 1},
			Within: time.Duration(rapid.IntRange(1, 5).Draw(t, "within")) * time.Second, Back: time.Duration(rapid.IntRange(1, 20).Draw(t, "back")) * time.Second, Twice: rapid.Bool().Draw(t, "twice")}
		var s State
		var last *Move
		for i := range 60 {
			at := begin.Add(time.Duration(i) * time.Second)
			f, c := fibre(float64(rapid.SampledFrom([]int{10, 200}).Draw(t, "f")), 0), cellular(float64(rapid.SampledFrom([]int{40, 300}).Draw(t, "c")))
			f.Up, c.Up = rapid.IntRange(0, 9).Draw(t, "fup") > 0, rapid.IntRange(0, 9).Draw(t, "cup") > 0
			paths := []Path{f, c}
			before := s
			var m *Move
			s, m = r.Step(s, at, paths)
			if (f.Up || c.Up) != (s.Tunnel != "") {
				t.Fatalf("%v over %q", paths, s.Tunnel)
			}
			if s.Second != "" && s.Second == s.Tunnel {
				t.Fatal("twice over one")
			}
			for _, p := range paths {
				if p.Tunnel == s.Tunnel && !p.Up {
					t.Fatalf("over %s, which is down", s.Tunnel)
				}
				if m != nil && m.Why == Return && before.Why != Lost && p.Tunnel == s.Tunnel && !r.Limits.Keeps(p) {
					t.Fatal("back to what is bad")
				}
			}
			if (m == nil) != (before.Tunnel == s.Tunnel) && before.Why != "" {
				t.Fatalf("%q to %q, and a move is %v", before.Tunnel, s.Tunnel, m)
			}
			if m != nil && last != nil && m.Why == Return && last.Why != Lost && at.Sub(last.At) < r.Back {
				t.Fatalf("back after %s", at.Sub(last.At))
			}
			if m != nil {
				last = m
			}
		}
	})
}

func TestHowAPathFared(t *testing.T) {
	for want, c := range map[string]struct {
		p  Path
		up float64
	}{
		"": {fibre(20, 0), 1}, "warning": {fibre(20, 0), 0.9}, "minor": {fibre(180, 8), 1}, "major": {fibre(600, 12), 1}, "critical": {fibre(20, 0), 0.2},
	} {
		assert.Equal(t, want, Fared(c.p, c.up), "%+v", c)
	}
}
