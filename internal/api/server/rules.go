package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

func (s *server) ruleRoutes(api huma.API) {
	administer := may(rights.Administer, rights.Changes)
	register(s, api, may(rights.See, rights.Changes), http.MethodGet, "/change-rules", "list-change-rules", "The rules of the house for changes",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.ChangeRule]], error) {
			list, err := s.Rules.List(ctx)
			if err != nil {
				return nil, err
			}
			return listOf(list, func(r store.ChangeRule) v1.ChangeRule { return v1.ChangeRule(r) }), nil
		})
	type ruleInput struct {
		NamePath
		Body v1.ChangeRule
	}
	register(s, api, administer, http.MethodPut, "/change-rules/{name}", "put-change-rule", "Make or replace a rule of the house for changes",
		func(ctx context.Context, in *ruleInput) (*body[v1.ChangeRule], error) {
			in.Body.Name = in.Name
			r, err := s.Rules.Put(ctx, store.ChangeRule(in.Body))
			s.audit(ctx, person(ctx).Name, "put-change-rule", in.Name, outcome(err))
			if err != nil {
				return nil, err
			}
			return &body[v1.ChangeRule]{v1.ChangeRule(r)}, nil
		})
	register(s, api, administer, http.MethodDelete, "/change-rules/{name}", "remove-change-rule", "Remove a rule of the house for changes",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-change-rule", in.Name, nil, func(string) error { return missing(s.Rules.Remove(ctx, in.Name), fmt.Sprintf("rule %s", in.Name)) })
		})
}
