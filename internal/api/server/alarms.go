package server

import (
	"context"
	"fmt"
	"maps"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/store"
)

var (
	seeAlarms     = may(rights.See, rights.Alarms)
	operateAlarms = may(rights.Operate, rights.Alarms)
)

func (s *server) alarmRoutes(api huma.API) {
	type alarmsQuery struct {
		Where  string `query:"where" maxLength:"4000" doc:"A selector of devices: those on them"`
		Device string `query:"device" maxLength:"63"`
		Over   bool   `query:"over" doc:"Those that are cleared or closed instead of those that are open"`
		All    bool   `query:"all" doc:"Those that follow from others too"`
		Cursor int64  `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
	}
	register(s, api, seeAlarms, http.MethodGet, "/alarms", "list-alarms", "What is out of order, the worst first; or was, the newest first",
		func(ctx context.Context, in *alarmsQuery) (*body[v1.List[v1.Alarm]], error) {
			q := store.AlarmQuery{Open: !in.Over, Over: in.Over, Roots: !in.All && in.Device == "", Before: in.Cursor, Limit: in.Limit}
			var err error
			if q.Devices, err = s.alarmsOn(ctx, in.Where, in.Device); err != nil {
				return nil, err
			}
			list, err := s.Alarms.List(ctx, q)
			if err != nil {
				return nil, err
			}
			shown, followers, err := s.alarmsOut(ctx, list)
			if err != nil {
				return nil, err
			}
			out := listOf(shown, func(a v1.Alarm) v1.Alarm {
				a.Notes, a.Followers = nil, followers[a.Number]
				return a
			})
			if in.Over && len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return out, nil
		})
	register(s, api, seeAlarms, http.MethodGet, "/alarms/counts", "count-alarms", "How many are open, by severity",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000"`
		}) (*body[v1.AlarmCounts], error) {
			devices, err := s.alarmsOn(ctx, in.Where, "")
			if err != nil {
				return nil, err
			}
			list, err := s.Alarms.List(ctx, store.AlarmQuery{Devices: devices, Open: true, Roots: true, Limit: math.MaxInt32})
			var out v1.AlarmCounts
			count := map[alarm.Severity]*int{alarm.Critical: &out.Critical, alarm.Major: &out.Major, alarm.Minor: &out.Minor, alarm.Warning: &out.Warning}
			for _, a := range list {
				if n := count[a.Severity]; n != nil && !a.Silent(time.Now()) {
					*n++
				}
			}
			return &body[v1.AlarmCounts]{out}, err
		})
	type numberPath struct {
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
	}
	register(s, api, seeAlarms, http.MethodGet, "/alarms/{number}", "get-alarm", "An alarm, with what follows from it",
		func(ctx context.Context, in *numberPath) (*body[v1.AlarmDetail], error) {
			a, err := s.seenAlarm(ctx, seeAlarms, in.Number)
			if err != nil {
				return nil, err
			}
			return s.alarmDetail(ctx, a)
		})
	type pastInput struct {
		Body v1.PastAlarms
	}
	importing := may(rights.Administer, rights.Alarms)
	register(s, api, importing, http.MethodPost, "/alarms/past", "import-alarms", "Take over alarms that another system kept of devices from before they were enrolled: all of a list, or none",
		func(ctx context.Context, in *pastInput) (*struct{}, error) {
			return nil, s.importAlarms(ctx, importing, in.Body.Alarms)
		})
	type actInput struct {
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
		Body   v1.AlarmAct
	}
	register(s, api, operateAlarms, http.MethodPost, "/alarms/{number}/acts", "act-on-alarm", "Acknowledge, assign, note, close or silence an alarm",
		func(ctx context.Context, in *actInput) (*body[v1.AlarmDetail], error) {
			if in.Body.To != "" {
				if _, err := s.Store.User(ctx, in.Body.To); err != nil {
					return nil, fmt.Errorf("%w: there is no user %q", errInvalid, in.Body.To)
				}
			}
			if _, err := s.seenAlarm(ctx, seeAlarms, in.Number); err != nil {
				return nil, err
			}
			_, refused := s.seenAlarm(ctx, operateAlarms, in.Number)
			if refused != nil {
				refused = with(http.StatusForbidden, v1.ProblemForbidden, lacks(person(ctx), operateAlarms))
			}
			var a alarm.Alarm
			err := s.act(ctx, in.Body.Act+"-alarm", strconv.FormatInt(in.Number, 10), refused, func(by string) (err error) {
				a, err = s.Alarms.Do(ctx, in.Number, by, alarms.Act{What: in.Body.Act, To: in.Body.To, Text: in.Body.Text, Until: time.Now().Add(time.Duration(in.Body.Minutes) * time.Minute)})
				return err
			})
			if err != nil {
				return nil, err
			}
			return s.alarmDetail(ctx, a)
		})
}

// importAlarms takes over alarms of the past, of devices on all of which who asks has a right.
func (s *server) importAlarms(ctx context.Context, n need, list []v1.PastAlarm) error {
	var refused error
	enrolled := map[string]time.Time{}
	for _, a := range list {
		if _, asked := enrolled[a.Device]; asked {
			continue
		}
		enrolled[a.Device] = time.Time{}
		if refused = s.onDevice(ctx, n, a.Device); refused != nil {
			break
		}
		record, _, err := s.Inventory.Device(a.Device)
		if err != nil {
			return err
		}
		enrolled[a.Device] = record.EnrolledAt
	}
	return s.act(ctx, "import-alarms", strings.Join(slices.Sorted(maps.Keys(enrolled)), " "), refused, func(by string) error {
		past := make([]store.PastAlarm, len(list))
		for i, a := range list {
			past[i] = pastAlarm(a)
			if err := words.English.CanTell(a.Type, past[i].Subject.String(), a.Args); err != nil && slices.ContainsFunc(alarm.Types(), func(t alarm.Type) bool { return t.ID == a.Type }) {
				return fmt.Errorf("%w: alarm %d of the list has not in its args what is told of a %s: %w", errInvalid, i+1, a.Type, err)
			}
		}
		return s.Alarms.Import(ctx, past, func(device string) time.Time { return enrolled[device] }, by)
	})
}

func pastAlarm(a v1.PastAlarm) store.PastAlarm {
	at := fact.TheDevice(a.Device)
	if a.Port != "" {
		at = fact.ThePort(a.Device, a.Port)
	}
	out := store.PastAlarm{Follows: a.Follows - 1, Alarm: alarm.Alarm{Condition: alarm.Condition{Type: a.Type, Subject: at, Name: a.Name, Severity: alarm.Severity(a.Severity), Args: a.Args},
		RaisedAt: a.RaisedAt.UTC(), ClearedAt: a.ClearedAt.UTC(), Count: max(1, a.Count), AckedBy: a.AckedBy, AssignedTo: a.AssignedTo}}
	if to, is := a.Args["to"].(string); is && a.Name == "" {
		out.Name = to
	}
	if a.AckedAt != nil {
		out.AckedAt = a.AckedAt.UTC()
	}
	for _, n := range a.Notes {
		out.Notes = append(out.Notes, alarm.Note(n))
	}
	return out
}

// alarmsOn lists the devices that a selector picks of those whose alarms who makes the request may see; nil for all, and the service itself.
func (s *server) alarmsOn(ctx context.Context, where, device string) ([]string, error) {
	return s.devicesAsked(ctx, where, device, seeAlarms)
}

// seenAlarm is an alarm on which who makes the request has a right.
func (s *server) seenAlarm(ctx context.Context, n need, number int64) (alarm.Alarm, error) {
	a, err := s.Alarms.Get(ctx, number)
	if err == nil && !everywhere(ctx, n.Verb, n.Feature) && (a.Subject.OnDevice() == "" || !s.Inventory.HoldsDevice(a.Subject.OnDevice(), within(ctx, n.Verb, n.Feature))) {
		err = store.ErrNotFound
	}
	return a, missing(err, fmt.Sprintf("alarm %d", number))
}

func (s *server) alarmDetail(ctx context.Context, a alarm.Alarm) (*body[v1.AlarmDetail], error) {
	follow, err := s.Alarms.List(ctx, store.AlarmQuery{Open: a.Open(), Causes: []int64{a.Number}, Limit: 1000})
	if err != nil {
		return nil, err
	}
	if !everywhere(ctx, rights.See, rights.Alarms) {
		where := within(ctx, rights.See, rights.Alarms)
		follow = slices.DeleteFunc(follow, func(f alarm.Alarm) bool { return !s.Inventory.HoldsDevice(f.Subject.OnDevice(), where) })
	}
	shown, _, err := s.alarmsOut(ctx, append([]alarm.Alarm{a}, follow...))
	if err != nil {
		return nil, err
	}
	shown[0].Followers = len(follow)
	return &body[v1.AlarmDetail]{v1.AlarmDetail{Alarm: shown[0], Follow: append([]v1.Alarm{}, shown[1:]...)}}, nil
}

// alarmsOut are alarms as they are shown, and how many follow from each: of one that stands, those that stand too.
func (s *server) alarmsOut(ctx context.Context, list []alarm.Alarm) ([]v1.Alarm, map[int64]int, error) {
	sites := map[string]string{}
	for _, d := range s.Inventory.Devices(catalog.Query{Limit: math.MaxInt, Now: time.Now()}).Rows {
		sites[d.Name] = d.Site.Name
	}
	stands := make(map[int64]bool, len(list))
	numbers := make([]int64, len(list))
	for i, a := range list {
		stands[a.Number], numbers[i] = a.Open(), a.Number
	}
	follow, err := s.Alarms.List(ctx, store.AlarmQuery{Causes: numbers, Limit: math.MaxInt32})
	followers := map[int64]int{}
	where, all := within(ctx, rights.See, rights.Alarms), everywhere(ctx, rights.See, rights.Alarms)
	for _, a := range follow {
		if (a.Open() || !stands[a.Cause]) && (all || s.Inventory.HoldsDevice(a.Subject.OnDevice(), where)) {
			followers[a.Cause]++
		}
	}
	out := make([]v1.Alarm, len(list))
	for i, a := range list {
		out[i] = alarmOut(a, sites[a.Subject.OnDevice()])
		if a.Cause != 0 && !all { // what it follows from may lie elsewhere
			if cause, err := s.Alarms.Get(ctx, a.Cause); err != nil || !s.Inventory.HoldsDevice(cause.Subject.OnDevice(), where) {
				out[i].Cause = 0
			}
		}
		if a.Change != 0 {
			if c, err := s.Changes.Get(ctx, a.Change); err != nil || !s.Permission.SeesChange(person(ctx), c) {
				out[i].Change, out[i].ChangedBy = 0, ""
			}
		}
	}
	return out, followers, err
}

func alarmOut(a alarm.Alarm, site string) v1.Alarm {
	said := words.English.Alarm(a.Type, a.Subject.String(), a.Args)
	out := v1.Alarm{Number: a.Number, Type: a.Type, Severity: string(a.Severity), Resource: a.Subject.String(), Device: a.Subject.OnDevice(), Site: site,
		Text: said.What, Effect: said.Effect, Remedy: said.Remedy, State: "open", RaisedAt: a.RaisedAt, ChangedAt: a.ChangedAt, Count: a.Count, Cause: a.Cause,
		Change: a.Change, ChangedBy: a.By, AckedBy: a.AckedBy, AssignedTo: a.AssignedTo, ClosedBy: a.ClosedBy, ClosedWhy: a.ClosedWhy}
	if a.ClosedBy != "" {
		out.State = "closed"
	}
	if !a.ClearedAt.IsZero() {
		out.State, out.ClearedAt = "cleared", &a.ClearedAt
	}
	if !a.AckedAt.IsZero() {
		out.AckedAt = &a.AckedAt
	}
	if a.Silent(time.Now()) {
		out.SilencedBy, out.Silence = a.SilencedBy, &a.SilenceUntil
	}
	for _, n := range a.Notes {
		out.Notes = append(out.Notes, v1.AlarmNote(n))
	}
	return out
}
