package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

const (
	handedEvents = 300
	handedBefore = 15 * time.Minute // what happened so long before an alarm is handed over with it
)

// handOverRoutes put what is known of an incident, or of a device, into one file for somebody else.
func (s *server) handOverRoutes(api huma.API) {
	type numberPath struct {
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
	}
	register(s, api, seeAlarms, http.MethodGet, "/alarms/{number}/hand-over", "hand-over-alarm", "All that is known of an incident as one text (Markdown), as far as you may see it",
		func(ctx context.Context, in *numberPath) (*octets, error) {
			a, err := s.seenAlarm(ctx, seeAlarms, in.Number)
			if err != nil {
				return nil, err
			}
			text, err := s.handOver(ctx, a)
			return fileOut("text/markdown; charset=utf-8", fmt.Sprintf("alarm-%d.md", in.Number), text), err
		})
	type devicePath struct {
		Name string `path:"name" maxLength:"63"`
	}
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/devices/{name}/support", "get-support", "All that is known of a device as one file (ZIP), without secrets, for who made it",
		func(ctx context.Context, in *devicePath) (*octets, error) {
			if err := s.onDevice(ctx, may(rights.See, rights.Configuration), in.Name); err != nil {
				return nil, err
			}
			file, err := s.support(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			s.audit(ctx, person(ctx).Name, "get-support", in.Name, "done")
			return fileOut("application/zip", "support-"+in.Name+".zip", file), nil
		})
}

// handOver writes what is known of an alarm and of what follows from it.
func (s *server) handOver(ctx context.Context, a alarm.Alarm) ([]byte, error) {
	detail, err := s.alarmDetail(ctx, a)
	if err != nil {
		return nil, err
	}
	d := detail.Body
	var b strings.Builder
	say := func(format string, args ...any) {
		for i, x := range args {
			if t, is := x.(string); is {
				args[i] = plainText(t)
			}
		}
		fmt.Fprintf(&b, format+"\n", args...)
	}
	when := func(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05 MST") }
	say("# Alarm %d: %s\n", d.Number, d.Text)
	say("- Severity: %s\n- Resource: %s\n- Raised: %s", d.Severity, d.Resource, when(d.RaisedAt))
	if d.ClearedAt != nil {
		say("- Cleared: %s", when(*d.ClearedAt))
	} else {
		say("- State: %s, as of %s", d.State, when(time.Now()))
	}
	if d.Count > 1 {
		say("- Raised %d times", d.Count)
	}
	say("- What comes of it: %s\n- What to do: %s", d.Effect, d.Remedy)
	if d.Change > 0 {
		say("- Before it: change %d, by %s", d.Change, d.ChangedBy)
	}
	if d.AckedBy != "" {
		say("- Acknowledged by %s", d.AckedBy)
	}
	if d.AssignedTo != "" {
		say("- Given to %s", d.AssignedTo)
	}
	devices := []string{d.Device}
	say("\n## What follows from it\n")
	for _, f := range d.Follow {
		say("- %s, %s: %s", when(f.RaisedAt), f.Severity, f.Text)
		devices = append(devices, f.Device)
	}
	switch {
	case len(d.Follow) > 0:
	case d.State == "open":
		say("Nothing that is open.")
	default:
		say("Nothing.")
	}
	say("\n## What was said and done about it\n")
	for _, n := range d.Notes {
		say("- %s, %s: %s", when(n.At), n.By, n.Text)
	}
	if len(d.Notes) == 0 {
		say("Nothing.")
	}
	if far, _, is := strings.Cut(a.Name, ":"); is {
		devices = append(devices, far)
	}
	slices.Sort(devices)
	devices = slices.Compact(devices)
	if err := s.handEvents(ctx, say, devices, d); err != nil {
		return nil, err
	}
	err = s.handTests(ctx, say, devices, d)
	return []byte(b.String()), err
}

// handEvents tells what happened to devices around an alarm.
func (s *server) handEvents(ctx context.Context, say func(string, ...any), devices []string, d v1.AlarmDetail) error {
	say("\n## What happened there\n")
	seen := within(ctx, rights.See, rights.Events)
	devices = slices.DeleteFunc(slices.Clone(devices), func(name string) bool { return name == "" || !s.Inventory.HoldsDevice(name, seen) })
	if len(devices) == 0 {
		say("You may not see events there.")
		return nil
	}
	s.Inventory.Written()
	list, err := s.Store.Events(ctx, store.EventQuery{Devices: devices, Not: unseen(person(ctx)), Limit: handedEvents, Now: time.Now()})
	if err != nil {
		return err
	}
	slices.Reverse(list)
	told := 0
	for _, e := range list {
		if e.At.Before(d.RaisedAt.Add(-handedBefore)) || d.ClearedAt != nil && e.At.After(d.ClearedAt.Add(handedBefore)) {
			continue
		}
		told++
		say("- %s, %s: %s", e.At.UTC().Format("2006-01-02 15:04:05"), e.Device, eventText(e))
	}
	if told == 0 {
		say("Nothing besides.")
	}
	return nil
}

// handTests tells what devices were asked to do since an alarm.
func (s *server) handTests(ctx context.Context, say func(string, ...any), devices []string, d v1.AlarmDetail) error {
	say("\n## What was tried\n")
	seen := within(ctx, rights.See, rights.Tests)
	devices = slices.DeleteFunc(slices.Clone(devices), func(name string) bool { return name == "" || !s.Inventory.HoldsDevice(name, seen) })
	list, err := s.Operations.List(ctx, store.OperationQuery{Devices: devices, Limit: 100})
	if err != nil {
		return err
	}
	told := 0
	for _, o := range list {
		if o.StartedAt.Before(d.RaisedAt) {
			continue
		}
		one := operationOut(o)
		result := one.Why
		for _, f := range one.Summary {
			result += fmt.Sprintf(" %s %s.", f.Title, f.Value)
		}
		told++
		say("- %s, %s on %s by %s: %s. %s", o.StartedAt.UTC().Format("2006-01-02 15:04:05"), one.Text, o.Device, o.By, o.State, strings.TrimSpace(result))
	}
	if told == 0 {
		say("Nothing.")
	}
	return nil
}

// plainText takes out of a text that others chose what Markdown, or a page made of it, would do more with than show.
func plainText(s string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, strings.NewReplacer("<", "&lt;", ">", "&gt;", "[", "\\[", "`", "'", "*", "\\*").Replace(s))
}

// support puts what is known of a device into a file.
func (s *server) support(ctx context.Context, name string) ([]byte, error) {
	device, err := s.device(ctx, name)
	if err != nil {
		return nil, err
	}
	alarms := []v1.Alarm{}
	if s.onDevice(ctx, seeAlarms, name) == nil {
		list, err := s.Alarms.List(ctx, store.AlarmQuery{Devices: []string{name}, Limit: 200})
		if err != nil {
			return nil, err
		}
		if alarms, _, err = s.alarmsOut(ctx, list); err != nil {
			return nil, err
		}
	}
	operations := []v1.Operation{}
	if s.onDevice(ctx, may(rights.See, rights.Tests), name) == nil {
		list, err := s.Operations.List(ctx, store.OperationQuery{Devices: []string{name}, Limit: 50})
		if err != nil {
			return nil, err
		}
		for _, o := range list {
			operations = append(operations, operationOut(o))
		}
	}
	type event struct {
		At   time.Time `json:"at"`
		Text string    `json:"text"`
	}
	events := []event{}
	if s.onDevice(ctx, may(rights.See, rights.Events), name) == nil {
		s.Inventory.Written()
		list, err := s.Store.Events(ctx, store.EventQuery{Devices: []string{name}, Not: unseen(person(ctx)), Limit: 1000, Now: time.Now()})
		if err != nil {
			return nil, err
		}
		for _, e := range list {
			events = append(events, event{e.At, eventText(e)})
		}
	}
	files := map[string][]byte{}
	for file, v := range map[string]any{"device.json": device.Body, "alarms.json": alarms, "tests.json": operations, "events.json": events,
		"service.json": map[string]any{"version": s.opts.Version, "written_at": time.Now().UTC(), "written_by": person(ctx).Name}} {
		if files[file], err = json.MarshalIndent(v, "", "  "); err != nil {
			return nil, err
		}
	}
	snap, err := s.Store.LastSnapshot(ctx, name)
	switch {
	case err == nil:
		files["configuration.xml"] = snap.Document
	case !errors.Is(err, store.ErrNotFound):
		return nil, err
	}
	return zipped("support-"+name, files)
}
