package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/store"
)

var (
	seePeople        = may(rights.See, rights.People)
	administerPeople = may(rights.Administer, rights.People)
)

func (s *server) peopleRoutes(api huma.API) {
	s.userRoutes(api)
	s.roleRoutes(api)
}

func (s *server) userRoutes(api huma.API) {
	register(s, api, seePeople, http.MethodGet, "/users", "list-users", "Who may sign in",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.User]], error) {
			users, err := s.Access.Users(ctx)
			if err != nil {
				return nil, err
			}
			tokens, err := s.Store.TokenCounts(ctx)
			return listOf(users, func(u store.User) v1.User {
				return v1.User{Name: u.Name, UserRequest: v1.UserRequest{FullName: u.FullName, Role: u.Role, Only: u.Only, Mail: u.Mail}, CreatedAt: u.CreatedAt, RADIUS: u.Password == "", Tokens: tokens[u.Name]}
			}), err
		})
	register(s, api, administerPeople, http.MethodPost, "/users", "make-user", "Make a user",
		func(ctx context.Context, in *body[v1.NewUser]) (*struct{}, error) {
			u := userIn(in.Body.Name, in.Body.UserRequest)
			u.Elsewhere = in.Body.RADIUS
			err := s.Access.AddUser(ctx, u, in.Body.Password)
			s.audit(ctx, person(ctx).Name, "make-user", in.Body.Name, said(in.Body.UserRequest, err))
			return nil, err
		})
	type userInput struct {
		NamePath
		Body v1.UserRequest
	}
	register(s, api, administerPeople, http.MethodPut, "/users/{name}", "put-user", "Change a user's full name, role, bounds and address of mail",
		func(ctx context.Context, in *userInput) (*struct{}, error) {
			err := s.Access.PutUser(ctx, userIn(in.Name, in.Body))
			s.audit(ctx, person(ctx).Name, "put-user", in.Name, said(in.Body, err))
			return nil, err
		})
	register(s, api, administerPeople, http.MethodDelete, "/users/{name}", "remove-user", "Remove a user with sessions and tokens",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-user", in.Name, nil, func(string) error { return s.Access.RemoveUser(ctx, in.Name) })
		})
	type passwordInput struct {
		NamePath
		Body v1.NewPassword
	}
	register(s, api, administerPeople, http.MethodPut, "/users/{name}/password", "reset-password", "Give a user a new password; all sessions of the user end",
		func(ctx context.Context, in *passwordInput) (*struct{}, error) {
			return nil, s.act(ctx, "reset-password", in.Name, nil, func(string) error { return s.Access.ResetPassword(ctx, in.Name, in.Body.Password) })
		})
	register(s, api, seePeople, http.MethodGet, "/users/{name}/tokens", "list-user-tokens", "The tokens of a user",
		func(ctx context.Context, in *NamePath) (*body[v1.List[v1.Token]], error) {
			tokens, err := s.Store.Tokens(ctx, in.Name)
			return listOf(tokens, tokenOut), err
		})
	type tokenInput struct {
		NamePath
		TokenPath
	}
	register(s, api, administerPeople, http.MethodDelete, "/users/{name}/tokens/{id}", "drop-user-token", "Take back a token of a user",
		func(ctx context.Context, in *tokenInput) (*struct{}, error) {
			return nil, s.act(ctx, "drop-token", fmt.Sprintf("%d of %s", in.ID, in.Name), nil, func(string) error {
				return missing(s.Store.DropToken(ctx, in.Name, in.ID), fmt.Sprintf("token %d of %s", in.ID, in.Name))
			})
		})
}

func userIn(name string, r v1.UserRequest) access.User {
	return access.User{Name: name, FullName: r.FullName, Role: r.Role, Only: r.Only, Mail: r.Mail}
}

// said tells what was made of a user, or why not.
func said(r v1.UserRequest, err error) string {
	if err != nil {
		return outcome(err)
	}
	if r.Only == "" {
		return r.Role
	}
	return r.Role + " where " + r.Only
}

func (s *server) roleRoutes(api huma.API) {
	register(s, api, signedIn, http.MethodGet, "/right-meanings", "list-right-meanings", "What the verbs of rules come to for the features",
		func(context.Context, *struct{}) (*body[v1.List[v1.RightMeaning]], error) {
			return listOf(rights.Meanings(), func(m rights.Meaning) v1.RightMeaning {
				return v1.RightMeaning{Verb: string(m.Verb), Feature: string(m.Feature), Placed: m.Feature.Placed(), Help: m.Help}
			}), nil
		})
	register(s, api, seePeople, http.MethodGet, "/roles", "list-roles", "The roles, and what their rules come to",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Role]], error) {
			users, err := s.Access.Users(ctx)
			return listOf(s.Access.Roles(), func(r rights.Role) v1.Role { return roleOut(r, users) }), err
		})
	type roleInput struct {
		NamePath
		Body v1.RoleRequest
	}
	register(s, api, administerPeople, http.MethodPut, "/roles/{name}", "put-role", "Make or change a role",
		func(ctx context.Context, in *roleInput) (*struct{}, error) {
			r := rights.Role{Name: in.Name, Title: in.Body.Title, Rules: make([]rights.Rule, len(in.Body.Rules))}
			for i, rule := range in.Body.Rules {
				var err error
				if r.Rules[i], err = ruleIn(rule); err != nil {
					return nil, fmt.Errorf("rule %d is %w: %w", i+1, errInvalid, err)
				}
			}
			return nil, s.act(ctx, "put-role", in.Name, nil, func(string) error { return s.Access.PutRole(ctx, r) })
		})
	register(s, api, administerPeople, http.MethodDelete, "/roles/{name}", "remove-role", "Remove a role that nobody has",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-role", in.Name, nil, func(string) error { return s.Access.RemoveRole(ctx, in.Name) })
		})
}

func roleOut(r rights.Role, users []store.User) v1.Role {
	out := v1.Role{Name: r.Name, Ready: r.Ready, People: []string{}, RoleRequest: v1.RoleRequest{Title: r.Title, Rules: []v1.Rule{}}}
	for _, rule := range r.Rules {
		out.Rules = append(out.Rules, v1.Rule{Sentence: rule.String(), Effect: string(rule.Effect), Verbs: texts(rule.Verbs), Features: texts(rule.Features), Where: rule.Where})
	}
	for _, u := range users {
		if u.Role == r.Name {
			out.People = append(out.People, u.Name)
		}
	}
	grants, err := rights.Compile(r.Rules, nil)
	if err != nil {
		out.Grants = []v1.Right{}
		return out
	}
	out.Grants = rightsOut(grants)
	return out
}

func ruleIn(r v1.Rule) (rights.Rule, error) {
	if r.Sentence != "" {
		return rights.ParseRule(r.Sentence)
	}
	out := rights.Rule{Effect: rights.Effect(r.Effect), Where: r.Where}
	for _, v := range r.Verbs {
		out.Verbs = append(out.Verbs, rights.Verb(v))
	}
	for _, f := range r.Features {
		out.Features = append(out.Features, rights.Feature(f))
	}
	return out, nil
}

func texts[T ~string](in []T) []string {
	out := make([]string, len(in))
	for i, v := range in {
		out[i] = string(v)
	}
	return out
}

func rightsOut(g rights.Grants) []v1.Right {
	out := []v1.Right{}
	for _, x := range g.List() {
		out = append(out, v1.Right{Verb: string(x.Verb), Feature: string(x.Feature), Where: x.Where})
	}
	return out
}
