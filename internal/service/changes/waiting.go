package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/store"
)

// Rules tells which rules of the house hold for changes of some devices at a moment: the hours in which they are made, and by
// which rules they need the approval of a second person.
type Rules interface {
	For(ctx context.Context, devices []string, at time.Time) (windows []guard.Window, approval []string, err error)
}

const (
	// lateness is how long after its time a push may still begin, by itself.
	lateness = 15 * time.Minute
	// farthest is how far ahead the time of a push may be.
	farthest = 90 * 24 * time.Hour
	lookWait = 2 * time.Second // between looks at what waits
)

// ErrSecondPerson tells that somebody else has to approve.
var ErrSecondPerson = errors.New("a second person has to approve it")

// touched are the devices of a change.
func touched(c store.Change) []string {
	out := make([]string, len(c.Devices))
	for i, d := range c.Devices {
		out[i] = d.Device
	}
	return out
}

// rule writes down what the rules of the house say of a change.
func (s *Service) rule(ctx context.Context, c *store.Change) error {
	c.Windows, c.NeedsApproval = nil, nil
	if s.rules == nil {
		return nil
	}
	var err error
	c.Windows, c.NeedsApproval, err = s.rules.For(ctx, touched(*c), now())
	return err
}

// notAlone refuses that who approved a change pushes it too: two people are to have looked at it before it runs.
func notAlone(c store.Change, by string) error {
	if len(c.NeedsApproval) > 0 && slices.ContainsFunc(c.Approvals, func(a store.Approval) bool { return a.By == by }) {
		return fmt.Errorf("%w: %s approved change %d, so that somebody else pushes it", ErrSecondPerson, by, c.Number)
	}
	return nil
}

// stillMay drops the approvals of a change whose people may not give them any more, and tells why who has it wait may not push
// it any more, or nil.
func (s *Service) stillMay(c *store.Change) error {
	if s.permits == nil {
		return nil
	}
	c.Approvals = slices.DeleteFunc(slices.Clone(c.Approvals), func(a store.Approval) bool {
		err := s.permits.StillMayApprove(s.ctx, a.By, *c)
		if err != nil {
			note(c, now(), "the approval counts no more: %v", err)
		}
		return err != nil
	})
	comeTo := c.Edits
	if intent.OnLayers(c.Edits) {
		var err error
		if comeTo, err = s.ComesTo(s.ctx, c.Edits); err != nil {
			return err
		}
	}
	return s.permits.StillMayPush(s.ctx, c.Waits.By, *c, comeTo)
}

// approved tells whether a change needs no more approval.
func approved(c store.Change) bool { return len(c.NeedsApproval) == 0 || len(c.Approvals) > 0 }

func inWindows(c store.Change) bool {
	return !slices.ContainsFunc(c.Windows, func(w guard.Window) bool { return !w.Open })
}

// waits tells for what a push has to wait, or nil when it can begin now.
func waits(c store.Change, o PushOptions) *store.Waits {
	w := &store.Waits{By: o.By, Since: now(), At: o.At.UTC(), InWindow: o.InWindow, Accept: o.Accept, TrialSecs: int(o.Trial / time.Second),
		KeepSecs: int((o.KeepAfter + time.Second - 1) / time.Second)}
	w.Approval = !approved(c)
	if w.Approval || o.At.After(now()) || o.InWindow && !inWindows(c) {
		return w
	}
	return nil
}

// waitText says for what it waits.
func waitText(w store.Waits, c store.Change) string {
	var parts []string
	if w.Approval && !approved(c) {
		parts = append(parts, "the approval of a second person ("+strings.Join(c.NeedsApproval, ", ")+")")
	}
	if w.At.After(now()) {
		parts = append(parts, w.At.Format("2006-01-02 15:04")+" UTC")
	}
	if w.InWindow && !inWindows(c) {
		var hours []string
		for _, one := range c.Windows {
			hours = append(hours, one.Hours)
		}
		parts = append(parts, "the hours of changes ("+strings.Join(hours, "; ")+")")
	}
	return strings.Join(parts, ", and ")
}

// Approve has a second person say yes to a change that needs it. A push that waited for nothing else begins.
func (s *Service) Approve(ctx context.Context, number int64, by, why string) (store.Change, error) {
	c, err := s.update(ctx, number, []string{Checked, Waiting}, func(c *store.Change) error {
		mine := c.Owner == by || slices.Contains(c.Editors, by) || c.Waits != nil && c.Waits.By == by
		switch {
		case len(c.NeedsApproval) == 0:
			return fmt.Errorf("%w: change %d needs no approval", ErrState, number)
		case mine:
			return fmt.Errorf("%w: %s had a hand in change %d", ErrSecondPerson, by, number)
		case slices.ContainsFunc(c.Approvals, func(a store.Approval) bool { return a.By == by }):
			return fmt.Errorf("%w: %s approved change %d before", ErrState, by, number)
		}
		at := now()
		c.Approvals = append(c.Approvals, store.Approval{By: by, At: at, Why: why})
		note(c, at, "%s", strings.TrimSuffix(fmt.Sprintf("%s approved it: %s", by, why), ": "))
		return nil
	})
	if err == nil {
		s.kick()
	}
	return c, err
}

// Withdraw takes a change back that waits to be pushed.
func (s *Service) Withdraw(ctx context.Context, number int64, by, why string) (store.Change, error) {
	return s.update(ctx, number, []string{Waiting}, func(c *store.Change) error {
		c.State, c.Waits = Checked, nil
		note(c, now(), "%s", strings.TrimSuffix(fmt.Sprintf("%s took it back, so that it waits no more: %s", by, why), ": "))
		return nil
	})
}

// kick has what waits be looked at.
func (s *Service) kick() {
	select {
	case s.kicked <- struct{}{}:
	default: // it will be already
	}
}

// await begins pushes that waited when it is their time, until the service is closed.
func (s *Service) await() {
	tick := time.NewTicker(lookWait)
	defer tick.Stop()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-tick.C:
		case <-s.kicked:
		}
		list, err := s.store.Changes(s.ctx, store.ChangeQuery{States: []string{Waiting}, Limit: 1000})
		if err != nil {
			continue // the store's trouble is told elsewhere
		}
		for _, c := range slices.Backward(list) { // who came first goes first
			if err := s.tryBegin(c); err != nil && s.ctx.Err() == nil {
				s.giveUp(c.Number, err)
			}
		}
	}
}

// tryBegin begins a push if it is its time. An error says why it cannot wait any longer.
func (s *Service) tryBegin(c store.Change) error {
	w := *c.Waits
	late := !w.At.IsZero() && now().Sub(w.At) > lateness
	switch {
	case w.At.After(now()):
		return nil
	case !approved(c):
		if late {
			return fmt.Errorf("%w: nobody else had approved it by then", ErrSecondPerson)
		}
		return nil
	case late && !w.InWindow:
		return fmt.Errorf("%w: its time was %s, and it could not begin within %s", ErrState, w.At.Format("2006-01-02 15:04 UTC"), spell(lateness))
	}
	if w.InWindow {
		if err := s.rule(s.ctx, &c); err != nil || !inWindows(c) {
			return err
		}
	}
	n, err := s.Network(s.ctx)
	if err != nil {
		return nil // the store's trouble is told elsewhere
	}
	o := PushOptions{By: w.By, Accept: w.Accept, Trial: time.Duration(w.TrialSecs) * time.Second, KeepAfter: time.Duration(w.KeepSecs) * time.Second}
	moved := false
	c, err = s.update(s.ctx, c.Number, []string{Waiting}, func(c *store.Change) (err error) {
		if err := s.stillMay(c); err != nil {
			return err
		}
		if moved, err = s.recheck(s.ctx, c, n); err != nil || moved || !approved(*c) { // by a rule that came meanwhile
			return err
		}
		return s.begin(c, o)
	})
	if err == nil && moved {
		return errMoved(c.Number)
	}
	if errors.Is(err, ErrBusy) && !late {
		return nil // another one is under way there: after it
	}
	if err == nil && c.State == Pushing {
		s.lead(c, (*worker).push)
	}
	return err
}

// giveUp takes a change back that could not begin, and says why.
func (s *Service) giveUp(number int64, why error) {
	_, err := s.update(s.ctx, number, []string{Waiting, Checked}, func(c *store.Change) error {
		c.State, c.Waits = Checked, nil
		note(c, now(), "it waited to be pushed, and was not: %s", why)
		return nil
	}, fact.ChangeNotPushed{Why: why.Error()})
	if err != nil {
		s.log.Error("a change that could not begin is not taken back", "change", number, "err", err)
	}
}
