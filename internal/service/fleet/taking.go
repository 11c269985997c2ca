package fleet

import (
	"maps"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
)

// What a unit does with what its device was read to be, or tells.

func (u *unit) tookConfig(c driver.Configuration, by string) {
	u.telling.Lock()
	defer u.telling.Unlock()
	u.fleet.observer.ConfigRead(u.setConfig(c), c.Document(), by)
}

// takeAwaited tells whether the configuration is known to have changed, and by whom, and has it count as read.
func (u *unit) takeAwaited() (by string, awaited bool) {
	u.mu.Lock()
	defer u.mu.Unlock()
	by, awaited, u.awaited = u.awaitedBy, u.awaited, false
	return by, awaited
}

func (u *unit) isAwaited() bool {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.awaited
}

// sawConfig takes a configuration that was read for somebody.
func (u *unit) sawConfig(c driver.Configuration) {
	u.telling.Lock()
	defer u.telling.Unlock()
	if before := u.snapshot().Config; before.Equal(c.Config) {
		u.setConfig(c)
		return
	}
	u.fleet.observer.Seen(u.setConfig(c))
}

func (u *unit) setConfig(c driver.Configuration) View {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.view.Config, u.view.Known, u.view.SeenAt = c.Config, true, time.Now().UTC()
	return u.view
}

// tookState takes a reading that was begun at a time: what an event told since then is newer.
func (u *unit) tookState(st network.State, begun time.Time) {
	u.telling.Lock()
	defer u.telling.Unlock()
	u.mu.Lock()
	before := u.view.State
	for name, p := range st.Ports {
		old, had := before.Ports[name]
		if !had {
			continue
		}
		if old.Oper != p.Oper && old.ObservedAt.After(begun) {
			p.Oper, p.Changed, p.SpeedMbps = old.Oper, old.Changed, old.SpeedMbps
		}
		p.Rates = network.RatesBetween(old.Counters, p.Counters, st.ObservedAt.Sub(before.ObservedAt))
		if p.Neighbour == nil && p.Oper != network.Up {
			p.Neighbour = old.Neighbour // where a cable led is worth knowing while it is cut
		}
		st.Ports[name] = p
	}
	u.view.State, u.view.SeenAt = st, st.ObservedAt
	v := u.view
	u.mu.Unlock()
	for name, p := range st.Ports {
		if old, had := before.Ports[name]; had && old.Oper != p.Oper {
			u.fleet.observer.PortChanged(v, name, old, p)
		}
	}
	u.fleet.observer.StateRead(v)
}

// handle takes an event that the device reports.
func (u *unit) handle(e driver.Event) {
	now := time.Now()
	u.mu.Lock()
	if at := driver.Believed(e.At, now); at.After(u.lastEvent) {
		u.lastEvent = at
	}
	u.mu.Unlock()
	switch {
	case e.Port != nil:
		u.portEvent(*e.Port)
	case e.Config != nil:
		u.mu.Lock()
		u.awaited, u.awaitedBy = true, e.Config.By
		u.mu.Unlock()
		select {
		case u.reread <- struct{}{}:
		default: // it will be read anyway
		}
	case e.Trial != nil:
		u.fleet.observer.TrialStepped(u.snapshot(), e.At, e.Trial.Step)
	}
}

func (u *unit) portEvent(e driver.PortEvent) {
	now := time.Now().UTC()
	if e.Changed = driver.Believed(e.Changed, now); e.Changed.IsZero() {
		e.Changed = now
	}
	u.telling.Lock()
	defer u.telling.Unlock()
	u.mu.Lock()
	old, known := u.view.State.Ports[e.Port]
	if !known || old.Oper == e.Oper || old.Changed.After(e.Changed) {
		u.mu.Unlock()
		return
	}
	p := old
	p.Oper, p.Changed, p.ObservedAt, p.ShutBy = e.Oper, e.Changed, now, e.ShutBy
	if p.Oper != network.Up {
		p.SpeedMbps, p.Rates = 0, network.Rates{}
	}
	u.view.State.Ports = maps.Clone(u.view.State.Ports) // views that were given out must not change
	u.view.State.Ports[e.Port] = p
	v := u.view
	u.mu.Unlock()
	u.fleet.observer.PortChanged(v, e.Port, old, p)
}
