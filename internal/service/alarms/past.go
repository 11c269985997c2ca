package alarms

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/store"
)

const (
	oldest   = 20 // years ago an alarm may be that is taken over
	mostArgs = 20
)

// Import keeps alarms of devices that another system kept from before they were enrolled, all or nothing. Nobody is told of them. enrolled tells since when a
// device is.
func (s *Service) Import(ctx context.Context, list []store.PastAlarm, enrolled func(device string) time.Time, by string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := s.now().UTC().Truncate(time.Microsecond)
	for i := range list {
		if err := checkPast(list[i], i, enrolled(list[i].Subject.OnDevice()), now); err != nil {
			return fmt.Errorf("alarm %d of the list: %w", i+1, err)
		}
		list[i].Notes = append(slices.Clone(list[i].Notes), alarm.Note{At: now, By: by, Text: "took it over from another system"})
		list[i].ChangedAt = list[i].ClearedAt
	}
	if err := s.store.AddPastAlarms(ctx, list); err != nil {
		return err
	}
	s.told()
	return nil
}

func checkPast(a store.PastAlarm, at int, enrolled, now time.Time) error {
	known := slices.ContainsFunc(alarm.Types(), func(t alarm.Type) bool { return t.ID == a.Type })
	stamp := func(t time.Time) string { return t.UTC().Format(time.RFC3339) }
	switch {
	case !known:
		return fmt.Errorf("%w: there is no type %q; there are %s", ErrInvalid, a.Type, strings.Join(typeNames(), ", "))
	case a.ClearedAt.Before(a.RaisedAt):
		return fmt.Errorf("%w: it is cleared at %s, before it is raised at %s", ErrInvalid, stamp(a.ClearedAt), stamp(a.RaisedAt))
	case !a.ClearedAt.Before(enrolled):
		return fmt.Errorf("%w: it is cleared at %s, but %s was enrolled at %s, and of the time since there are alarms of this service", ErrInvalid, stamp(a.ClearedAt), a.Subject.OnDevice(), stamp(enrolled))
	case a.RaisedAt.Before(enrolled.AddDate(-oldest, 0, 0)):
		return fmt.Errorf("%w: it was raised more than %d years ago, at %s: is the date right?", ErrInvalid, oldest, stamp(a.RaisedAt))
	case a.Follows >= at:
		return fmt.Errorf("%w: it follows from alarm %d of the list, which has to stand before it", ErrInvalid, a.Follows+1)
	case len(a.Notes) > maxNotes-1:
		return fmt.Errorf("%w: it has %d notes, and %d are kept", ErrInvalid, len(a.Notes), maxNotes-1)
	}
	if a.AckedAt.After(now) || slices.ContainsFunc(a.Notes, func(n alarm.Note) bool { return n.At.After(now) }) {
		return fmt.Errorf("%w: it was acknowledged or noted in the future", ErrInvalid)
	}
	if len(a.Args) > mostArgs {
		return fmt.Errorf("%w: it has %d args, and no alarm has more than %d", ErrInvalid, len(a.Args), mostArgs)
	}
	for name, v := range a.Args {
		if len(name) > 40 {
			return fmt.Errorf("%w: the name of one of its args is longer than 40 octets", ErrInvalid)
		}
		switch v := v.(type) {
		case float64, bool:
		case string:
			if len(v) > 300 || !utf8.ValidString(v) {
				return fmt.Errorf("%w: args.%s is longer than 300 octets", ErrInvalid, name)
			}
		default:
			return fmt.Errorf("%w: args.%s is neither text nor a number, nor true or false", ErrInvalid, name)
		}
	}
	return nil
}

func typeNames() (out []string) {
	for _, t := range alarm.Types() {
		out = append(out, t.ID)
	}
	return out
}
