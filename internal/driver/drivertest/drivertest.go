// Package drivertest puts an implementation of driver.Connector through the contract in package driver, against a device
// that the caller provides.
package drivertest

import (
	"context"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/driver"
)

// Bench is what the suite is run on: a device that may be changed at will, and an access port of it.
type Bench struct {
	Connector driver.Connector
	Target    driver.Target // HostKey is filled in by the suite
	Port      string        // an access port that is free to be changed
	OtherVLAN network.VLANID
	// Flip makes the port lose its link, as pulling the cable does.
	Flip func()
	// Refuse makes the device find fault with the next changes; nil when that cannot be arranged.
	Refuse func()
	// Slow makes the device take longer than 50 ms for an answer; nil when that cannot be arranged.
	Slow   func()
	Accept func() // ends Refuse and Slow
}

// Run puts the bench through the whole contract.
func Run(t *testing.T, b Bench) {
	t.Helper()
	ctx := t.Context()
	key, err := b.Connector.HostKey(ctx, b.Target.Address)
	require.NoError(t, err)
	require.Regexp(t, `^SHA256:`, key)
	b.Target.HostKey = key

	t.Run("refuses a device that shows another key", func(t *testing.T) {
		wrong := b.Target
		wrong.HostKey = "SHA256:not-this-one"
		_, err := b.Connector.Connect(ctx, wrong)
		var keyErr *driver.KeyError
		require.ErrorAs(t, err, &keyErr)
		assert.Equal(t, key, keyErr.Shown)
	})
	t.Run("tells that it is not let in", func(t *testing.T) {
		wrong := b.Target
		wrong.Password += "x"
		_, err := b.Connector.Connect(ctx, wrong)
		assert.ErrorIs(t, err, driver.ErrCredentials)
	})
	t.Run("gives up when its context ends", func(t *testing.T) {
		short, cancel := context.WithCancel(ctx)
		cancel()
		_, err := b.Connector.Connect(short, b.Target)
		assert.ErrorIs(t, err, context.Canceled)
	})

	s := connect(t, b)
	t.Run("identifies", func(t *testing.T) {
		id, err := s.Identify(ctx)
		require.NoError(t, err)
		assert.NotEmpty(t, id.Hostname)
		assert.NotEmpty(t, id.Serial)
		assert.NotEmpty(t, id.Model)
	})
	config, tellsConfig := s.(driver.ConfigReader)
	state, observes := s.(driver.StateReader)
	if tellsConfig {
		t.Run("reads what it runs", func(t *testing.T) {
			c, err := config.ReadConfig(ctx)
			require.NoError(t, err)
			assert.NotEmpty(t, c.Document())
			assert.NotEmpty(t, c.Ports)
		})
	}
	if observes {
		t.Run("reads what it observes", func(t *testing.T) {
			st, err := state.ReadState(ctx)
			require.NoError(t, err)
			assert.NotEmpty(t, st.Ports)
			assert.WithinDuration(t, time.Now(), st.ObservedAt, time.Minute)
		})
	}
	if tellsConfig && observes {
		t.Run("observes every port that it has set up", func(t *testing.T) {
			c, err := config.ReadConfig(ctx)
			require.NoError(t, err)
			st, err := state.ReadState(ctx)
			require.NoError(t, err)
			for name := range c.Ports {
				assert.Contains(t, st.Ports, name)
			}
		})
	}
	t.Run("gives a sign of life", func(t *testing.T) { assert.NoError(t, s.Ping(ctx)) })
	if _, ok := s.(driver.Writer); ok {
		id, err := s.Identify(ctx)
		require.NoError(t, err)
		if slices.Contains(id.Abilities, network.CanOnlyRun) {
			b.runsForGood(t)
		} else {
			b.writes(t)
		}
	}
	if _, ok := s.(driver.Watcher); ok {
		t.Run("watches", b.watches)
	}
	if o, ok := s.(driver.Operator); ok {
		b.operates(t, s, o)
	}
	t.Run("ends", func(t *testing.T) {
		require.NoError(t, s.Close())
		<-s.Done()
		_, err := s.Identify(ctx)
		assert.Error(t, err)
	})
}

func connect(t *testing.T, b Bench) driver.Session {
	t.Helper()
	s, err := b.Connector.Connect(t.Context(), b.Target)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// change returns the running configuration and one with the port in the other VLAN.
func (b Bench) change(t *testing.T, s driver.Session) (before, after network.Config) {
	t.Helper()
	c, err := s.(driver.ConfigReader).ReadConfig(t.Context())
	require.NoError(t, err)
	after = c.Config.Clone()
	p, ok := after.Ports[b.Port]
	require.True(t, ok, "the bench has no port %s", b.Port)
	p.AccessVLAN, p.Description = b.OtherVLAN, "changed by the suite & <read back>"
	after.Ports[b.Port] = p
	return c.Config, after
}

func (b Bench) running(t *testing.T, s driver.Session) network.Config {
	t.Helper()
	c, err := s.(driver.ConfigReader).ReadConfig(t.Context())
	require.NoError(t, err)
	return c.Config
}

func (b Bench) writes(t *testing.T) {
	s := connect(t, b)
	w := s.(driver.Writer)
	ctx := t.Context()
	before, after := b.change(t, s)

	t.Run("a proposal changes nothing that runs", func(t *testing.T) {
		p, err := w.Propose(ctx, before, after)
		require.NoError(t, err)
		assert.True(t, before.Equal(b.running(t, s)))
		require.NoError(t, p.Release(ctx))
	})
	t.Run("a proposal keeps others out until it is released", func(t *testing.T) {
		p, err := w.Propose(ctx, before, after)
		require.NoError(t, err)
		other := connect(t, b).(driver.Writer)
		_, err = other.Propose(ctx, before, after)
		assert.ErrorIs(t, err, driver.ErrBusy)
		require.NoError(t, p.Release(ctx))
		p, err = other.Propose(ctx, before, after)
		require.NoError(t, err)
		require.NoError(t, p.Release(ctx))
	})
	t.Run("a proposal does not outlive its session", func(t *testing.T) {
		lost := connect(t, b)
		_, err := lost.(driver.Writer).Propose(ctx, before, after)
		require.NoError(t, err)
		require.NoError(t, lost.Close())
		require.EventuallyWithT(t, func(c *assert.CollectT) {
			p, err := w.Propose(ctx, before, after)
			if assert.NoError(c, err) {
				assert.NoError(c, p.Release(ctx))
			}
		}, 5*time.Second, 20*time.Millisecond)
	})
	t.Run("a trial runs the change and is undone from another session", func(t *testing.T) {
		b.trial(t, w, before, after, "suite-undo", time.Minute)
		assert.True(t, after.Equal(b.running(t, s)))
		require.NoError(t, connect(t, b).(driver.Writer).Undo(ctx, "suite-undo"))
		assert.True(t, before.Equal(b.running(t, s)))
		assert.ErrorIs(t, w.Undo(ctx, "suite-undo"), driver.ErrNoTrial)
		assert.ErrorIs(t, w.Keep(ctx, "suite-undo"), driver.ErrNoTrial)
	})
	t.Run("a trial is not ended by another token", func(t *testing.T) {
		b.trial(t, w, before, after, "suite-right", time.Minute)
		assert.ErrorIs(t, w.Undo(ctx, "suite-wrong"), driver.ErrNoTrial)
		assert.ErrorIs(t, w.Keep(ctx, "suite-wrong"), driver.ErrNoTrial)
		assert.True(t, after.Equal(b.running(t, s)))
		require.NoError(t, w.Undo(ctx, "suite-right"))
	})
	t.Run("a trial goes back by itself, also when its session is lost", func(t *testing.T) {
		lost := connect(t, b)
		b.trial(t, lost.(driver.Writer), before, after, "suite-time", time.Second)
		require.NoError(t, lost.Close())
		require.Eventually(t, func() bool { return before.Equal(b.running(t, s)) }, 10*time.Second, 200*time.Millisecond)
	})
	t.Run("a trial is extended and kept, and can be put back", func(t *testing.T) {
		b.trial(t, w, before, after, "suite-keep", 30*time.Second)
		require.NoError(t, w.Extend(ctx, "suite-keep", time.Minute))
		require.NoError(t, w.Keep(ctx, "suite-keep"))
		assert.True(t, after.Equal(b.running(t, s)))
		b.trial(t, w, after, before, "suite-back", 30*time.Second)
		require.NoError(t, w.Keep(ctx, "suite-back"))
		assert.True(t, before.Equal(b.running(t, s)))
	})
	if b.Slow != nil {
		t.Run("an answer to a trial that does not come leaves no lock behind", func(t *testing.T) { b.unanswered(t, before, after) })
	}
	if b.Refuse == nil {
		return
	}
	t.Run("a refusal is in the device's words and changes nothing", func(t *testing.T) {
		b.Refuse()
		defer b.Accept()
		_, err := w.Propose(ctx, before, after)
		var refusal *driver.Refusal
		require.ErrorAs(t, err, &refusal)
		assert.NotEmpty(t, refusal.Words)
		assert.True(t, before.Equal(b.running(t, s)))
	})
}

// runsForGood is writes for a device that cannot go back by itself.
func (b Bench) runsForGood(t *testing.T) {
	s := connect(t, b)
	w := s.(driver.Writer)
	ctx := t.Context()
	before, after := b.change(t, s)

	t.Run("a proposal changes nothing that runs", func(t *testing.T) {
		p, err := w.Propose(ctx, before, after)
		require.NoError(t, err)
		assert.True(t, before.Equal(b.running(t, s)))
		require.NoError(t, p.Release(ctx))
	})
	t.Run("what it is told it runs for good, whatever becomes of the session", func(t *testing.T) {
		lost := connect(t, b)
		b.trial(t, lost.(driver.Writer), before, after, "suite-good", time.Second)
		require.NoError(t, lost.Close())
		assert.True(t, after.Equal(b.running(t, s)))
		require.NoError(t, w.Extend(ctx, "suite-good", time.Minute))
		assert.ErrorIs(t, w.Undo(ctx, "suite-good"), driver.ErrNoTrial)
		assert.ErrorIs(t, w.Keep(ctx, "suite-good"), driver.ErrNoTrial)
		assert.True(t, after.Equal(b.running(t, s)), "it stays")
	})
	t.Run("it is put back by writing what was before", func(t *testing.T) {
		b.trial(t, w, after, before, "suite-back", time.Minute)
		assert.True(t, before.Equal(b.running(t, s)))
	})
}

func (b Bench) unanswered(t *testing.T, before, after network.Config) {
	p, err := connect(t, b).(driver.Writer).Propose(t.Context(), before, after)
	require.NoError(t, err)
	b.Slow()
	short, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	require.Error(t, p.Trial(short, "suite-unanswered", time.Minute))
	b.Accept()
	other := connect(t, b).(driver.Writer)
	require.EventuallyWithT(t, func(c *assert.CollectT) {
		// Whether the change runs is open; once it is undone, if it does, the device is free.
		if err := other.Undo(t.Context(), "suite-unanswered"); err != nil {
			assert.ErrorIs(c, err, driver.ErrNoTrial)
		}
		p, err := other.Propose(t.Context(), before, after)
		if assert.NoError(c, err) {
			assert.NoError(c, p.Release(t.Context()))
		}
	}, 5*time.Second, 50*time.Millisecond)
}

func (b Bench) trial(t *testing.T, w driver.Writer, before, after network.Config, token string, d time.Duration) {
	t.Helper()
	p, err := w.Propose(t.Context(), before, after)
	require.NoError(t, err)
	require.NoError(t, p.Trial(t.Context(), token, d))
}

func (b Bench) watches(t *testing.T) {
	w := connect(t, b).(driver.Watcher)
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	events := make(chan driver.Event, 100)
	ready := make(chan struct{})
	ended := make(chan error, 1)
	go func() {
		ended <- w.Watch(ctx, time.Time{}, func() { close(ready) }, func(e driver.Event) { events <- e })
	}()
	select {
	case <-ready:
	case err := <-ended:
		require.NoError(t, err)
	}
	b.Flip()
	for {
		select {
		case e := <-events:
			if e.Port == nil || e.Port.Port != b.Port {
				continue
			}
			assert.Equal(t, network.Down, e.Port.Oper)
			assert.False(t, e.At.IsZero())
			cancel()
			assert.ErrorIs(t, <-ended, context.Canceled)
			return
		case <-time.After(5 * time.Second):
			require.Fail(t, "no event within 5 s of the cable being pulled")
		}
	}
}

// operates puts what the device can be asked to do through the contract: what comes back, a no in its words, and that it leaves
// what nobody waits for any more.
func (b Bench) operates(t *testing.T, s driver.Session, o driver.Operator) {
	ctx := t.Context()
	id, err := s.Identify(ctx)
	require.NoError(t, err)
	ping := func(args map[string]string) operation.Request {
		r, err := operation.New(operation.Ping, args)
		require.NoError(t, err)
		return r
	}
	if !slices.Contains(o.Operations(), operation.Ping) {
		return
	}
	t.Run("has itself answer", func(t *testing.T) {
		var lines []operation.Line
		_, err := o.Operate(ctx, ping(map[string]string{"to": id.Hostname, "count": "2"}), func(l operation.Line) { lines = append(lines, l) })
		require.NoError(t, err)
		require.Len(t, lines, 2)
		for i, l := range lines {
			assert.Equal(t, strconv.Itoa(i+1), l.Cells["seq"])
			assert.NotEmpty(t, l.Cells["time"])
			assert.WithinDuration(t, time.Now(), l.At, time.Minute)
		}
	})
	t.Run("says in its words what cannot be done", func(t *testing.T) {
		_, err := o.Operate(ctx, ping(map[string]string{"to": "nobody.test"}), func(operation.Line) { t.Error("nothing can come back") })
		var refusal *driver.Refusal
		require.ErrorAs(t, err, &refusal)
		assert.Contains(t, refusal.Words, "nobody.test")
	})
	t.Run("leaves what nobody waits for", func(t *testing.T) {
		short, cancel := context.WithCancel(ctx)
		n := 0
		_, err := o.Operate(short, ping(map[string]string{"to": id.Hostname, "count": "100"}), func(operation.Line) {
			n++
			cancel()
		})
		require.ErrorIs(t, err, context.Canceled)
		assert.Less(t, n, 5)
	})
}
