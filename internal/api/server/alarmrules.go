package server

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/alarms"
)

func (s *server) alarmRuleRoutes(api huma.API) {
	// A rule is of the whole network, and what it is tried on too.
	whole := func(ctx context.Context) error {
		if everywhere(ctx, rights.Administer, rights.Alarms) && everywhere(ctx, rights.See, rights.Devices) && everywhere(ctx, rights.See, rights.Ports) {
			return nil
		}
		return with(http.StatusForbidden, v1.ProblemForbidden, errors.New("rules for alarms are of the whole network, and your rights are of a part of it"))
	}
	register(s, api, administerAlarms, http.MethodGet, "/alarm-rules", "list-alarm-rules", "The rules of the house: what besides the ready rules is an alarm",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.AlarmRule]], error) {
			if err := whole(ctx); err != nil { // they name places
				return nil, err
			}
			list, err := s.Alarms.Rules(ctx)
			return listOf(list, alarmRuleOut), err
		})
	type putInput struct {
		Name string `path:"name" maxLength:"63"`
		Body v1.AlarmRuleRequest
	}
	register(s, api, administerAlarms, http.MethodPut, "/alarm-rules/{name}", "put-alarm-rule", "Make or replace a rule for alarms",
		func(ctx context.Context, in *putInput) (*body[v1.AlarmRule], error) {
			r := alarmRuleIn(in.Name, in.Body)
			err := s.act(ctx, "put-alarm-rule", in.Name, whole(ctx), func(string) (err error) {
				r, err = s.Alarms.PutRule(ctx, r)
				return err
			})
			return &body[v1.AlarmRule]{alarmRuleOut(r)}, err
		})
	type namePath struct {
		Name string `path:"name" maxLength:"63"`
	}
	register(s, api, administerAlarms, http.MethodDelete, "/alarm-rules/{name}", "remove-alarm-rule", "Remove a rule for alarms; its alarms are over",
		func(ctx context.Context, in *namePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-alarm-rule", in.Name, whole(ctx), func(string) error {
				return missing(s.Alarms.RemoveRule(ctx, in.Name), "rule "+in.Name)
			})
		})
	register(s, api, administerAlarms, http.MethodPost, "/alarm-rules/try", "try-alarm-rule", "When a rule would have had alarms in the last seven days; nothing is made",
		func(ctx context.Context, in *body[v1.AlarmRuleRequest]) (*body[v1.AlarmRuleTrial], error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			t, err := s.Alarms.TryRule(ctx, alarmRuleIn("trial", in.Body))
			if err != nil {
				return nil, err
			}
			return &body[v1.AlarmRuleTrial]{trialOut(t)}, nil
		})
}

func alarmRuleIn(name string, in v1.AlarmRuleRequest) alarm.Rule {
	return alarm.Rule{Name: name, Pick: in.Pick, Part: series.Part(in.Part), Metric: in.Metric, Is: alarm.Comparison(in.Is), Limit: in.Limit, Back: in.Back,
		For: time.Duration(in.ForSeconds) * time.Second, Severity: alarm.Severity(in.Severity), Effect: in.Effect, Remedy: in.Remedy, Off: in.Off}
}

func alarmRuleOut(r alarm.Rule) v1.AlarmRule {
	return v1.AlarmRule{Name: r.Name, AlarmRuleRequest: v1.AlarmRuleRequest{Pick: r.Pick, Part: string(r.Part), Metric: r.Metric, Is: string(r.Is), Limit: r.Limit, Back: r.Back,
		ForSeconds: int(r.For / time.Second), Severity: string(r.Severity), Effect: r.Effect, Remedy: r.Remedy, Off: r.Off}}
}

func trialOut(t alarms.Trial) v1.AlarmRuleTrial {
	out := v1.AlarmRuleTrial{From: t.From, To: t.To, StepSeconds: int(t.Step / time.Second), Things: t.Things, More: t.More, Total: t.Total, Times: []v1.AlarmRuleTime{}}
	for _, e := range t.Times {
		one := v1.AlarmRuleTime{Device: e.Device, Thing: e.Thing, From: e.From, Worst: e.Worst}
		if !e.To.IsZero() {
			one.To = &e.To
		}
		out.Times = append(out.Times, one)
	}
	return out
}
