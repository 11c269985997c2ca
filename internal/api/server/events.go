package server

import (
	"context"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

// beatEvery is how often a quiet stream shows that it lives. A listener that hears nothing for three times as long knows
// that what it shows is old.
const beatEvery = 5 * time.Second

func (s *server) eventRoutes(api huma.API) {
	type streamInput struct {
		LastEventID uint64 `header:"Last-Event-ID" minimum:"0" maximum:"9007199254740991" doc:"Go on after this event"`
		After       uint64 `query:"after" minimum:"0" maximum:"9007199254740991" doc:"Go on after this event"`
	}
	op := described(may(rights.See, rights.Events), http.MethodGet, "/events", "stream-events", "What happens, as it happens")
	op.Description = "Server-sent events. The first is `reset`: read everything anew. With Last-Event-ID, those after that one follow, also after a restart of the service. " + op.Description
	sse.Register(api, op, map[string]any{"event": v1.Event{}, "reset": v1.Reset{}, "beat": v1.Beat{}},
		func(ctx context.Context, in *streamInput, send sse.Sender) {
			s.stream(ctx, max(in.LastEventID, in.After), send)
		})

	type logQuery struct {
		Where  string `query:"where" maxLength:"4000" doc:"A selector: event.kind = port and site = tern-haven"`
		Scope  string `query:"scope" maxLength:"4000" doc:"A selector of the network as it is now: what happened to the devices that it picks"`
		Device string `query:"device" maxLength:"63"`
		Cursor int64  `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"50"`
	}
	register(s, api, may(rights.See, rights.Events), http.MethodGet, "/event-log", "list-events", "What happened, the newest first",
		func(ctx context.Context, in *logQuery) (*body[v1.List[v1.Event]], error) {
			where, err := s.askedIn(ctx, catalog.Log, selector.Device, in.Where, nil, may(rights.See, rights.Events))
			if err != nil {
				return nil, err
			}
			q := store.EventQuery{Where: where.Where, Not: unseen(person(ctx)), Before: in.Cursor, Limit: in.Limit, Now: time.Now()}
			if q.Devices, err = s.devicesIn(ctx, in.Scope, where.Within); err != nil {
				return nil, err
			}
			if in.Device != "" {
				q.Devices = slices.DeleteFunc([]string{in.Device}, func(d string) bool { return q.Devices != nil && !slices.Contains(q.Devices, d) })
			}
			s.Inventory.Written()
			list, err := s.Store.Events(ctx, q)
			out := listOf(list, func(e store.Event) v1.Event {
				out := v1.Event{At: e.At, Kind: e.Kind, Device: e.Device, Port: e.Port, Text: eventText(e), ImportedBy: e.By}
				if e.What != nil {
					out.Seq, out.Code, out.Change = uint64(e.Number), string(e.Code()), changeOf(e.Fact)
				}
				return out
			})
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return out, err
		})
}

// eventText is what happened, in a sentence.
func eventText(e store.Event) string {
	if e.What == nil {
		return e.Text
	}
	if _, foreign := e.What.(fact.Foreign); foreign {
		return e.Text
	}
	return words.English.Fact(e.Fact)
}

// unseen are the kinds of events that the log leaves out for a person: what he may see of them stands in lists of their own.
func unseen(p access.Person) (out []fact.Kind) {
	if !permission.Everywhere(p, may(rights.See, rights.Changes)) {
		out = append(out, fact.Change)
	}
	if !permission.Everywhere(p, seeJobs) {
		out = append(out, fact.Job)
	}
	if !reflect.DeepEqual(permission.Within(p, seeAlarms), permission.Within(p, may(rights.See, rights.Events))) {
		out = append(out, fact.Alarm)
	}
	return out
}

// devicesIn lists the devices that a selector picks now, of those that an expression picks whose events there are for who makes
// the request, or nil for all.
func (s *server) devicesIn(ctx context.Context, scope string, within selector.Expr) ([]string, error) {
	q, err := s.asked(ctx, selector.Device, scope, may(rights.See, rights.Events))
	if err != nil {
		return nil, err
	}
	q.Within = selector.Both(q.Within, within)
	if selector.Both(q.Where, q.Within) == (selector.All{}) {
		return nil, nil
	}
	picked := s.Inventory.Devices(q).Rows
	names := make([]string, len(picked))
	for i, d := range picked {
		names[i] = d.Name
	}
	return names, nil
}

func (s *server) stream(ctx context.Context, after uint64, send sse.Sender) {
	listener, again := person(ctx), again(ctx)
	sub, missed := s.Feed.FollowAfter(ctx, feed.Everything, int64(after))
	if after == 0 || !missed && sub.Behind() > replayed {
		sub.Close()
		sub, missed = s.Feed.Follow(feed.Everything), true
	}
	defer sub.Close()
	// What is in no journal, as that a draft was edited, may have happened in an absence: what is shown is to be read anew in any case.
	if send(sse.Message{Data: v1.Reset{Seq: uint64(sub.At()), Missed: missed}}) != nil {
		return
	}
	// pass sends on what there is, and tells whether to go on.
	pass := func() bool {
		for {
			item, ok, err := sub.Take(ctx)
			if err != nil {
				return false // the browser comes back and asks for what it missed
			}
			if !ok {
				return true
			}
			if m, seen := s.messageFor(ctx, item, listener); seen && send(m) != nil {
				return false
			}
		}
	}
	beat := time.NewTicker(beatEvery)
	defer beat.Stop()
	for {
		var m sse.Message
		select {
		case <-sub.Bell():
			if !pass() {
				return
			}
			continue
		case now := <-beat.C:
			p, err := again()
			if err != nil || !p.May(rights.See, rights.Events) {
				return
			}
			listener = p
			m = sse.Message{Data: v1.Beat{At: now.UTC()}}
		case <-ctx.Done():
			return
		case <-s.closing.Done():
			return
		}
		if send(m) != nil {
			return
		}
	}
}

// replayed is how many events are told again to who was away; who missed more reads everything anew.
const replayed = 1000

// messageFor is what of the feed goes to a person, and whether anything does. What is in the journal has its number.
func (s *server) messageFor(ctx context.Context, item feed.Item, p access.Person) (sse.Message, bool) {
	if item.State != nil {
		out, seen := s.shownTo(ctx, p, item.State.Kind, item.State.Device, item.State.Change, v1.Event{At: time.Now().UTC(), Operation: item.State.Operation, Job: item.State.Job})
		return sse.Message{Data: out}, seen
	}
	f := *item.Fact
	out := v1.Event{Seq: uint64(f.Number), At: f.At, Code: string(f.Code()), Port: f.Subject.PortName(), Text: words.English.Fact(f), Health: f.Health()}
	out, seen := s.shownTo(ctx, p, f.Code().Kind(), f.Subject.OnDevice(), changeOf(f), out)
	return sse.Message{ID: int(f.Number), Data: out}, seen
}

func changeOf(f fact.Fact) int64 {
	if f.Subject.Is == fact.OfChange {
		return f.Subject.Number
	}
	return 0
}

// shownTo is an event for a person, and whether there is one for him: nobody hears that something happened where he may see
// nothing. Of what is of no place, as that there is another site, who is bound to a place hears the kind alone, to read anew what
// he may see of it.
func (s *server) shownTo(ctx context.Context, p access.Person, kind fact.Kind, device string, change int64, e v1.Event) (v1.Event, bool) {
	e.Kind, e.Device, e.Change = string(kind), device, change
	need := may(rights.See, rights.Events)
	switch kind {
	case fact.Operation:
		need = may(rights.See, rights.Tests)
	case fact.Alarm:
		need = seeAlarms
	case fact.Guest:
		if need = seeGuests; !p.May(need.Verb, need.Feature) {
			return v1.Event{}, false
		}
	case fact.Job:
		if need = seeJobs; !p.May(need.Verb, need.Feature) {
			return v1.Event{}, false
		}
	}
	where := permission.Within(p, need)
	switch {
	case change != 0:
		if permission.Everywhere(p, may(rights.See, rights.Changes)) {
			return e, true
		}
		c, err := s.Changes.Get(ctx, change)
		return e, err == nil && s.Permission.SeesChange(p, c)
	case permission.Everywhere(p, need), device != "" && s.Inventory.HoldsDevice(device, where):
		return e, true
	case device != "":
		return v1.Event{}, false
	case kind == fact.Search:
		return e, p.May(rights.See, rights.Discovery)
	}
	return v1.Event{Seq: e.Seq, Kind: e.Kind}, true
}
