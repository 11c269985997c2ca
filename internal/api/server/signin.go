package server

import (
	"context"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/store"
)

type (
	personKey struct{}
	stillKey  struct{}
)

// stillIn tells whether who made a request that lasts is still signed in.
func stillIn(ctx context.Context) bool {
	still, ok := ctx.Value(stillKey{}).(func() bool)
	return ok && still()
}

// person is who makes the request. Every operation but those without a right has one.
func person(ctx context.Context) access.Person {
	p, _ := ctx.Value(personKey{}).(access.Person)
	return p
}

const (
	rightKey = "right"
	noRight  = access.Right("") // for operations that are there for signing in
)

// register adds an operation that needs a right. Errors are turned into problems here, for all.
func register[I, O any](s *server, api huma.API, right access.Right, method, path, id, summary string, f func(context.Context, *I) (*O, error)) {
	op := huma.Operation{
		OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary,
		Metadata: map[string]any{rightKey: right}, MaxBodyBytes: maxBody,
	}
	if right != noRight {
		op.Description = "Needs the right to " + string(right) + "."
		op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	}
	huma.Register(api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := f(ctx, in)
		return out, s.problem(err)
	})
}

// guard lets an operation be called only by who has the right that it needs.
func (s *server) guard(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		right, ok := ctx.Operation().Metadata[rightKey].(access.Right)
		if ok && right == noRight {
			next(ctx)
			return
		}
		r := ctx.(*exchange).echo.Request()
		p, err := s.identify(r)
		switch {
		case err != nil:
			s.refuse(api, ctx, s.problem(err))
		case p.CSRF != "" && unsafe(r.Method) && subtle.ConstantTimeCompare([]byte(r.Header.Get(v1.CSRFHeader)), []byte(p.CSRF)) != 1:
			s.refuse(api, ctx, with(http.StatusForbidden, v1.ProblemForbidden, errors.New("the header "+v1.CSRFHeader+" is missing or wrong")))
		case !p.May(right):
			s.refuse(api, ctx, with(http.StatusForbidden, v1.ProblemForbidden, errors.New("your role ("+p.Role+") has not the right to "+string(right))))
		default:
			still := func() bool {
				_, err := s.identify(r)
				return err == nil
			}
			next(huma.WithValue(huma.WithValue(ctx, personKey{}, p), stillKey{}, still))
		}
	}
}

func unsafe(method string) bool { return method != http.MethodGet && method != http.MethodHead }

func (s *server) refuse(api huma.API, ctx huma.Context, err error) {
	problem := err.(*huma.ErrorModel)
	ctx.SetHeader("Content-Type", "application/problem+json")
	ctx.SetStatus(problem.Status)
	_ = api.Marshal(ctx.BodyWriter(), "application/json", problem)
}

// identify finds out who makes a request: by a bearer token, or else by a session's cookie.
func (s *server) identify(r *http.Request) (access.Person, error) {
	if s.Service == nil {
		return access.Person{}, access.ErrNoSession
	}
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return s.Access.ByToken(r.Context(), token)
	}
	if c, err := r.Cookie(v1.SessionCookie); err == nil {
		return s.Access.BySession(r.Context(), c.Value)
	}
	return access.Person{}, access.ErrNoSession
}

type body[T any] struct{ Body T }

// listOf makes a whole list of the contract.
func listOf[S, T any](in []S, out func(S) T) *body[v1.List[T]] {
	list := v1.List[T]{Items: make([]T, len(in)), Total: len(in)}
	for i, v := range in {
		list.Items[i] = out(v)
	}
	return &body[v1.List[T]]{list}
}

// Caller is where a request comes from, for slowing down those who guess.
type Caller struct{ address string }

// Resolve implements huma.Resolver.
func (c *Caller) Resolve(ctx huma.Context) []error {
	c.address, _, _ = net.SplitHostPort(ctx.RemoteAddr())
	return nil
}

func (s *server) signInRoutes(api huma.API) {
	type signInInput struct {
		Caller
		Body v1.SignIn
	}
	type session struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
		Body      v1.Person
	}
	register(s, api, noRight, http.MethodPost, "/session", "sign-in", "Sign in with a browser",
		func(ctx context.Context, in *signInInput) (*session, error) {
			p, secret, err := s.Access.SignIn(ctx, in.Body.Name, in.Body.Password, in.address)
			s.audit(ctx, in.Body.Name, "sign-in", "", outcome(err))
			if err != nil {
				return nil, err
			}
			return &session{SetCookie: s.cookie(secret, p.ExpiresAt), Body: s.personOut(p)}, nil
		})
	register(s, api, access.See, http.MethodGet, "/session", "who-am-i", "Who is signed in",
		func(ctx context.Context, _ *struct{}) (*body[v1.Person], error) {
			return &body[v1.Person]{s.personOut(person(ctx))}, nil
		})
	type cookieInput struct {
		Session http.Cookie `cookie:"everypost_session"`
	}
	type signedOut struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	register(s, api, access.See, http.MethodDelete, "/session", "sign-out", "Sign out",
		func(ctx context.Context, in *cookieInput) (*signedOut, error) {
			s.audit(ctx, person(ctx).Name, "sign-out", "", "")
			return &signedOut{s.cookie("", time.Unix(1, 0))}, s.Access.SignOut(ctx, in.Session.Value)
		})
	type tokenSignIn struct {
		Caller
		Body v1.TokenSignIn
	}
	register(s, api, noRight, http.MethodPost, "/sign-in-token", "sign-in-token", "Make a token with a password",
		func(ctx context.Context, in *tokenSignIn) (*body[v1.NewToken], error) {
			p, err := s.Access.Check(ctx, in.Body.Name, in.Body.Password, in.address)
			s.audit(ctx, in.Body.Name, "sign-in", "token "+in.Body.Label, outcome(err))
			if err != nil {
				return nil, err
			}
			return s.newToken(ctx, p.Name, in.Body.TokenRequest)
		})
	register(s, api, access.See, http.MethodPost, "/tokens", "make-token", "Make a token for oneself",
		func(ctx context.Context, in *body[v1.TokenRequest]) (*body[v1.NewToken], error) {
			p := person(ctx)
			in.Body.ReadOnly = in.Body.ReadOnly || p.ReadOnly // a token cannot beget a stronger one
			s.audit(ctx, p.Name, "make-token", in.Body.Label, "")
			return s.newToken(ctx, p.Name, in.Body)
		})
	register(s, api, access.See, http.MethodGet, "/tokens", "list-tokens", "One's own tokens",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Token]], error) {
			tokens, err := s.Store.Tokens(ctx, person(ctx).Name)
			return listOf(tokens, tokenOut), err
		})
	register(s, api, access.See, http.MethodGet, "/preferences", "list-preferences", "How one likes tables and pages, by name",
		func(ctx context.Context, _ *struct{}) (*body[map[string]string], error) {
			out, err := s.Store.Preferences(ctx, person(ctx).Name)
			return &body[map[string]string]{out}, err
		})
	type preferenceInput struct {
		PreferencePath
		Body v1.Preference
	}
	register(s, api, access.See, http.MethodPut, "/preferences/{preference}", "set-preference", "Keep how one likes something",
		func(ctx context.Context, in *preferenceInput) (*struct{}, error) {
			return nil, s.Store.SetPreference(ctx, person(ctx).Name, in.Preference, in.Body.Value)
		})
	type tokenPath struct {
		ID int64 `path:"id"`
	}
	register(s, api, access.See, http.MethodDelete, "/tokens/{id}", "drop-token", "Take back a token of one's own",
		func(ctx context.Context, in *tokenPath) (*struct{}, error) {
			return nil, s.Store.DropToken(ctx, person(ctx).Name, in.ID)
		})
	register(s, api, access.Administer, http.MethodPost, "/users", "make-user", "Make a user",
		func(ctx context.Context, in *body[v1.NewUser]) (*struct{}, error) {
			err := s.Access.AddUser(ctx, in.Body.Name, in.Body.FullName, in.Body.Role, in.Body.Password)
			if errors.Is(err, store.ErrExists) {
				err = errors.Join(errors.New("there is a user "+in.Body.Name+" already"), store.ErrExists)
			}
			s.audit(ctx, person(ctx).Name, "make-user", in.Body.Name, outcome(err))
			return nil, err
		})
	type auditQuery struct {
		Before int64  `query:"before" doc:"Only entries before the one of this id"`
		User   string `query:"user" maxLength:"64" doc:"Only what this person did"`
		Text   string `query:"text" maxLength:"200" doc:"Only entries in which this text stands"`
		Limit  int    `query:"limit" minimum:"1" maximum:"10000" default:"100"`
	}
	register(s, api, access.Administer, http.MethodGet, "/audit", "list-audit", "The audit log, the newest first",
		func(ctx context.Context, in *auditQuery) (*body[v1.List[v1.AuditEntry]], error) {
			entries, err := s.Store.AuditEntries(ctx, store.AuditQuery{Before: in.Before, User: in.User, Text: in.Text, Limit: in.Limit})
			return listOf(entries, func(e store.AuditEntry) v1.AuditEntry { return v1.AuditEntry(e) }), err
		})
	register(s, api, access.Administer, http.MethodGet, "/audit/verdict", "verify-audit", "Hold every entry of the audit log against the chain of hashes",
		func(ctx context.Context, _ *struct{}) (*body[v1.AuditVerdict], error) {
			v, err := s.Store.VerifyAudit(ctx)
			return &body[v1.AuditVerdict]{v1.AuditVerdict{Entries: v.Entries, Older: v.Older, Head: hex.EncodeToString(v.Head), Broken: v.Broken}}, err
		})
}

// PreferencePath is the name of a preference in an address.
type PreferencePath struct {
	Preference string `path:"preference" maxLength:"64" pattern:"^[a-z0-9.-]+$"`
}

func (s *server) cookie(secret string, expires time.Time) http.Cookie {
	return http.Cookie{Name: v1.SessionCookie, Value: secret, Path: "/", Expires: expires, HttpOnly: true, Secure: s.opts.Secure, SameSite: http.SameSiteStrictMode}
}

func (s *server) personOut(p access.Person) v1.Person {
	out := v1.Person{Name: p.Name, FullName: p.FullName, Role: p.Role, Rights: []string{}, CSRF: p.CSRF, ExpiresAt: p.ExpiresAt, Version: s.opts.Version}
	for _, r := range access.Roles[p.Role] {
		if p.May(r) {
			out.Rights = append(out.Rights, string(r))
		}
	}
	return out
}

func (s *server) newToken(ctx context.Context, user string, r v1.TokenRequest) (*body[v1.NewToken], error) {
	if r.Days == 0 {
		r.Days = 30
	}
	t, secret, err := s.Access.NewToken(ctx, user, r.Label, r.ReadOnly, time.Duration(r.Days)*24*time.Hour)
	if err != nil {
		return nil, err
	}
	return &body[v1.NewToken]{v1.NewToken{Token: tokenOut(t), Secret: secret}}, nil
}

func tokenOut(t store.Token) v1.Token {
	return v1.Token{ID: t.ID, Label: t.Label, ReadOnly: t.ReadOnly, CreatedAt: t.CreatedAt, ExpiresAt: t.ExpiresAt}
}

// audit records who did what. What cannot be recorded is at least in the log.
func (s *server) audit(ctx context.Context, user, action, object, detail string) {
	if len(user) > 64 {
		user = user[:64]
	}
	err := s.Store.Audit(context.WithoutCancel(ctx), store.AuditEntry{At: time.Now().UTC(), User: user, Action: action, Object: object, Detail: detail})
	if err != nil {
		s.opts.Log.Error("the audit log could not be written", "user", user, "action", action, "object", object, "err", err)
	}
}

func outcome(err error) string {
	if err != nil {
		return "refused: " + err.Error()
	}
	return "done"
}
