package server

import (
	"context"
	"errors"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/notify"
	"example.net/everypost/internal/store"
)

var administerAlarms = may(rights.Administer, rights.Alarms)

func (s *server) noticeRoutes(api huma.API) {
	// Notices are of the whole network: who is bound to a part of it has none.
	whole := func(ctx context.Context) error {
		if everywhere(ctx, rights.Administer, rights.Alarms) {
			return nil
		}
		return with(http.StatusForbidden, v1.ProblemForbidden, errors.New("notices are of the whole network, and your right to administer alarms is of a part of it"))
	}
	register(s, api, administerAlarms, http.MethodGet, "/notices", "list-notices", "Who is told of alarms, and how",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Notice]], error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			list, err := s.Notify.List(ctx)
			return listOf(list, noticeOut), err
		})
	type putInput struct {
		Name string `path:"name" maxLength:"63"`
		Body v1.NoticeRequest
	}
	register(s, api, administerAlarms, http.MethodPut, "/notices/{name}", "put-notice", "Make or replace a notice",
		func(ctx context.Context, in *putInput) (*body[v1.NoticeAnswer], error) {
			n := store.Notice{Name: in.Name, Mail: in.Body.Mail, People: in.Body.People, Webhook: in.Body.Webhook, Severity: in.Body.Severity, Pick: in.Body.Pick, Hours: in.Body.Hours, Zone: in.Body.Zone, After: in.Body.After}
			out := v1.NoticeAnswer{}
			err := s.act(ctx, "put-notice", in.Name, whole(ctx), func(string) (err error) {
				out.Secret, err = s.Notify.Put(ctx, n)
				return err
			})
			out.Notice = noticeOut(n)
			return &body[v1.NoticeAnswer]{out}, err
		})
	type namePath struct {
		Name string `path:"name" maxLength:"63"`
	}
	register(s, api, administerAlarms, http.MethodDelete, "/notices/{name}", "remove-notice", "Remove a notice",
		func(ctx context.Context, in *namePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-notice", in.Name, whole(ctx), func(string) error {
				return missing(s.Notify.Remove(ctx, in.Name), "notice "+in.Name)
			})
		})
	register(s, api, administerAlarms, http.MethodPost, "/notices/{name}/test", "test-notice", "Have a notice tell something for a test",
		func(ctx context.Context, in *namePath) (*body[v1.Delivery], error) {
			var d store.Delivery
			err := s.act(ctx, "test-notice", in.Name, whole(ctx), func(string) (err error) {
				d, err = s.Notify.Try(ctx, in.Name)
				return missing(err, "notice "+in.Name)
			})
			if err != nil {
				return nil, err
			}
			return &body[v1.Delivery]{deliveryOut(d)}, nil
		})
	type deliveriesQuery struct {
		Cursor int64 `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int   `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	}
	register(s, api, administerAlarms, http.MethodGet, "/deliveries", "list-deliveries", "What was told of alarms and is to be, the newest first",
		func(ctx context.Context, in *deliveriesQuery) (*body[v1.List[v1.Delivery]], error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			list, err := s.Notify.Deliveries(ctx, in.Cursor, in.Limit)
			out := listOf(list, deliveryOut)
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return out, err
		})
	register(s, api, administerAlarms, http.MethodGet, "/mail-server", "get-mail-server", "By which mail is sent",
		func(ctx context.Context, _ *struct{}) (*body[v1.MailServer], error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			m, err := s.Notify.MailServer(ctx)
			if errors.Is(err, store.ErrNotFound) {
				return &body[v1.MailServer]{v1.MailServer{TLS: "starttls"}}, nil
			}
			return &body[v1.MailServer]{v1.MailServer{Address: m.Address, From: m.From, TLS: m.TLS, User: m.User}}, err
		})
	register(s, api, administerAlarms, http.MethodPut, "/mail-server", "put-mail-server", "Set by which mail is sent",
		func(ctx context.Context, in *body[v1.MailServerRequest]) (*body[v1.MailServer], error) {
			m := in.Body
			err := s.act(ctx, "put-mail-server", m.Address, whole(ctx), func(string) error {
				return s.Notify.PutMailServer(ctx, store.MailServer{Address: m.Address, From: m.From, TLS: m.TLS, User: m.User}, m.Password)
			})
			return &body[v1.MailServer]{m.MailServer}, err
		})
}

func noticeOut(n store.Notice) v1.Notice {
	return v1.Notice{Name: n.Name, NoticeRequest: v1.NoticeRequest{Mail: n.Mail, People: n.People, Webhook: n.Webhook, Severity: n.Severity, Pick: n.Pick, Hours: n.Hours, Zone: n.Zone, After: n.After}}
}

func deliveryOut(d store.Delivery) v1.Delivery {
	out := v1.Delivery{Number: d.Number, Notice: d.Notice, Alarm: d.Alarm, Kind: d.Kind, State: d.State, Tries: d.Tries, CreatedAt: d.CreatedAt, Said: d.Said}
	if d.State == notify.Waiting {
		out.Next = &d.Next
	}
	if !d.EndedAt.IsZero() {
		out.EndedAt = &d.EndedAt
	}
	return out
}
