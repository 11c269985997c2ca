package server

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/events"
	"example.net/everypost/internal/store"
)

// beatEvery is how often a quiet stream shows that it lives. A listener that hears nothing for three times as long knows
// that what it shows is old.
const beatEvery = 5 * time.Second

func (s *server) eventRoutes(api huma.API) {
	type streamInput struct {
		LastEventID uint64 `header:"Last-Event-ID" doc:"Go on after this event"`
		After       uint64 `query:"after" doc:"Go on after this event"`
	}
	op := operation(may(rights.See, rights.Events), http.MethodGet, "/events", "stream-events", "What happens, as it happens")
	op.Description = "Server-sent events. " + op.Description
	sse.Register(api, op, map[string]any{"event": v1.Event{}, "reset": v1.Reset{}, "beat": v1.Beat{}},
		func(ctx context.Context, in *streamInput, send sse.Sender) {
			s.stream(ctx, max(in.LastEventID, in.After), send)
		})

	type logQuery struct {
		Where  string `query:"where" maxLength:"4000" doc:"A selector: event.kind = port and site = tern-haven"`
		Scope  string `query:"scope" maxLength:"4000" doc:"A selector of the network as it is now: what happened to the devices that it picks"`
		Device string `query:"device" maxLength:"63"`
		Cursor int64  `query:"cursor" minimum:"0" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"50"`
	}
	register(s, api, may(rights.See, rights.Events), http.MethodGet, "/event-log", "list-events", "What happened, the newest first",
		func(ctx context.Context, in *logQuery) (*body[v1.List[v1.Event]], error) {
			where, err := s.parseIn(ctx, catalog.Log, in.Where)
			if err != nil {
				return nil, err
			}
			q := store.EventQuery{Where: where, Before: in.Cursor, Limit: in.Limit, Now: time.Now()}
			if q.Devices, err = s.devicesIn(ctx, in.Scope); err != nil {
				return nil, err
			}
			if in.Device != "" {
				q.Devices = slices.DeleteFunc([]string{in.Device}, func(d string) bool { return q.Devices != nil && !slices.Contains(q.Devices, d) })
			}
			list, err := s.Store.Events(ctx, q)
			out := listOf(list, func(e store.Event) v1.Event {
				return v1.Event{At: e.At, Kind: e.Kind, Device: e.Device, Port: e.Port, Text: e.Text}
			})
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].ID, 10)
			}
			return out, err
		})
}

// devicesIn lists the devices that a selector picks now and whose events there are for who makes the request, or nil for
// all.
func (s *server) devicesIn(ctx context.Context, scope string) ([]string, error) {
	where, err := s.parse(ctx, scope)
	if err != nil {
		return nil, err
	}
	if where = selector.Both(where, within(ctx, rights.See, rights.Events)); where == (selector.All{}) {
		return nil, nil
	}
	picked := s.Inventory.Devices(catalog.Query{Where: where, Limit: 1 << 20, Now: time.Now()}).Rows
	names := make([]string, len(picked))
	for i, d := range picked {
		names[i] = d.Name
	}
	return names, nil
}

func (s *server) stream(ctx context.Context, after uint64, send sse.Sender) {
	where := within(ctx, rights.See, rights.Events)
	sub, missed := s.Bus.Subscribe(after)
	defer sub.Close()
	if missed || after == 0 {
		if send(sse.Message{Data: v1.Reset{Seq: s.Bus.Seq()}}) != nil {
			return
		}
	}
	beat := time.NewTicker(beatEvery)
	defer beat.Stop()
	for {
		var m sse.Message
		select {
		case e, ok := <-sub.Events():
			if !ok {
				return // the browser comes back and asks for what it missed
			}
			m = sse.Message{ID: int(e.Seq), Data: s.eventFor(e, where)}
		case now := <-beat.C:
			p, err := again(ctx)
			if err != nil || !p.May(rights.See, rights.Events) {
				return
			}
			where, _ = p.Of(rights.See, rights.Events)
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

// eventFor is an event for who may see those of the devices that an expression picks. Of the others it tells only that
// something is to be read anew.
func (s *server) eventFor(e events.Event, where selector.Expr) v1.Event {
	if where == selector.Expr(selector.All{}) || e.Device != "" && s.Inventory.HoldsDevice(e.Device, where) {
		return eventOut(e)
	}
	return v1.Event{Seq: e.Seq, At: e.At, Kind: string(e.Kind)}
}

func eventOut(e events.Event) v1.Event {
	return v1.Event{Seq: e.Seq, At: e.At, Kind: string(e.Kind), Device: e.Device, Port: e.Port, Change: e.Change, Text: e.Text, Health: e.Health}
}
