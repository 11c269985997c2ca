package server

import (
	"cmp"
	"context"
	"encoding/hex"
	"fmt"
	"net"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/store"
)

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
type Caller struct{ of access.Caller }

// Resolve implements huma.Resolver.
func (c *Caller) Resolve(ctx huma.Context) []error {
	c.of.Address, _, _ = net.SplitHostPort(ctx.RemoteAddr())
	c.of.Agent = ctx.Header("User-Agent")
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
	register(s, api, open, http.MethodPost, "/session", "sign-in", "Sign in with a browser",
		func(ctx context.Context, in *signInInput) (*session, error) {
			p, secret, err := s.Access.SignIn(ctx, in.Body.Name, in.Body.Password, in.of)
			if err != nil {
				return nil, err
			}
			return &session{SetCookie: s.cookie(secret, p.ExpiresAt), Body: s.personOut(p)}, nil
		})
	register(s, api, signedIn, http.MethodGet, "/session", "who-am-i", "Who is signed in",
		func(ctx context.Context, _ *struct{}) (*body[v1.Person], error) {
			return &body[v1.Person]{s.personOut(person(ctx))}, nil
		})
	type cookieInput struct{ SessionCookie }
	type signedOut struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}
	register(s, api, signedIn, http.MethodDelete, "/session", "sign-out", "Sign out",
		func(ctx context.Context, in *cookieInput) (*signedOut, error) {
			s.audit(ctx, person(ctx).Name, "sign-out", "", "")
			return &signedOut{s.cookie("", time.Unix(1, 0))}, s.Access.SignOut(ctx, in.session)
		})
	type tokenSignIn struct {
		Caller
		Body v1.TokenSignIn
	}
	register(s, api, open, http.MethodPost, "/sign-in-token", "sign-in-token", "Make a token with a password",
		func(ctx context.Context, in *tokenSignIn) (*body[v1.NewToken], error) {
			t, secret, err := s.Access.SignInToken(ctx, in.Body.Name, in.Body.Password, in.of, in.Body.Label, in.Body.ReadOnly, lifeOf(in.Body.TokenRequest))
			return newTokenOut(t, secret, err)
		})
	register(s, api, signedIn, http.MethodPost, "/tokens", "make-token", "Make a token for oneself",
		func(ctx context.Context, in *body[v1.TokenRequest]) (*body[v1.NewToken], error) {
			t, secret, err := s.Access.NewToken(ctx, person(ctx), in.Body.Label, in.Body.ReadOnly, lifeOf(in.Body))
			s.audit(ctx, person(ctx).Name, "make-token", in.Body.Label, outcome(err))
			return newTokenOut(t, secret, err)
		})
	register(s, api, signedIn, http.MethodGet, "/tokens", "list-tokens", "One's own tokens",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Token]], error) {
			tokens, err := s.Store.Tokens(ctx, person(ctx).Name)
			return listOf(tokens, tokenOut), err
		})
	register(s, api, signedIn, http.MethodGet, "/preferences", "list-preferences", "How one likes tables and pages, by name",
		func(ctx context.Context, _ *struct{}) (*body[map[string]string], error) {
			out, err := s.Store.Preferences(ctx, person(ctx).Name)
			return &body[map[string]string]{out}, err
		})
	type preferenceInput struct {
		PreferencePath
		Body v1.Preference
	}
	register(s, api, signedIn, http.MethodPut, "/preferences/{preference}", "set-preference", "Keep how one likes something",
		func(ctx context.Context, in *preferenceInput) (*struct{}, error) {
			return nil, s.Store.SetPreference(ctx, person(ctx).Name, in.Preference, in.Body.Value)
		})
	register(s, api, signedIn, http.MethodDelete, "/tokens/{id}", "drop-token", "Take back a token of one's own",
		func(ctx context.Context, in *TokenPath) (*struct{}, error) {
			return nil, s.act(ctx, "drop-token", fmt.Sprint(in.ID), nil, func(by string) error {
				return missing(s.Store.DropToken(ctx, by, in.ID), fmt.Sprintf("token %d", in.ID))
			})
		})
	type passwordInput struct {
		Caller
		SessionCookie
		Body v1.OwnPassword
	}
	register(s, api, signedIn, http.MethodPut, "/session/password", "change-password", "Change one's own password; other sessions and tokens of one's own end",
		func(ctx context.Context, in *passwordInput) (*struct{}, error) {
			p := person(ctx)
			err := s.Access.ChangePassword(ctx, p, in.Body.Old, in.Body.Password, in.of.Address, in.session)
			s.audit(ctx, p.Name, "change-password", p.Name, outcome(err))
			return nil, err
		})
	register(s, api, signedIn, http.MethodGet, "/sessions", "list-sessions", "One's own sessions of browsers",
		func(ctx context.Context, in *cookieInput) (*body[v1.List[v1.Session]], error) {
			list, err := s.Access.Sessions(ctx, person(ctx).Name)
			return listOf(list, func(v store.Session) v1.Session {
				return v1.Session{ID: v.ID(), Address: v.Address, Agent: v.Agent, MadeAt: v.MadeAt, SeenAt: v.SeenAt, ExpiresAt: v.ExpiresAt, This: access.IsSession(v, in.session)}
			}), err
		})
	type sessionPath struct {
		ID string `path:"id" pattern:"^[0-9a-f]{16}$"`
	}
	register(s, api, signedIn, http.MethodDelete, "/sessions/{id}", "end-session", "End a session of one's own",
		func(ctx context.Context, in *sessionPath) (*struct{}, error) {
			return nil, s.act(ctx, "end-session", in.ID, nil, func(by string) error { return s.Access.EndSession(ctx, by, in.ID) })
		})
	type auditQuery struct {
		Before int64  `query:"before" minimum:"0" maximum:"9007199254740991" doc:"Only entries before the one of this id"`
		User   string `query:"user" maxLength:"64" doc:"Only what this person did"`
		Text   string `query:"text" maxLength:"200" doc:"Only entries in which this text stands"`
		Limit  int    `query:"limit" minimum:"1" maximum:"10000" default:"100"`
	}
	register(s, api, may(rights.See, rights.Audit), http.MethodGet, "/audit", "list-audit", "The audit log, the newest first",
		func(ctx context.Context, in *auditQuery) (*body[v1.List[v1.AuditEntry]], error) {
			entries, err := s.Store.AuditEntries(ctx, store.AuditQuery{Before: in.Before, User: in.User, Text: in.Text, Limit: in.Limit})
			return listOf(entries, func(e store.AuditEntry) v1.AuditEntry { return v1.AuditEntry(e) }), err
		})
	register(s, api, may(rights.See, rights.Audit), http.MethodGet, "/audit/verdict", "verify-audit", "Hold every entry of the audit log against the chain of hashes",
		func(ctx context.Context, _ *struct{}) (*body[v1.AuditVerdict], error) {
			v, err := s.Store.VerifyAudit(ctx)
			return &body[v1.AuditVerdict]{v1.AuditVerdict{Entries: v.Entries, Older: v.Older, Head: hex.EncodeToString(v.Head), Broken: v.Broken}}, err
		})
}

// SessionCookie is the secret of the session by which a request comes; "" for none.
type SessionCookie struct{ session string }

// Resolve implements huma.Resolver.
func (c *SessionCookie) Resolve(ctx huma.Context) []error {
	for _, name := range sessionCookies {
		if found, err := huma.ReadCookie(ctx, name); err == nil {
			c.session = found.Value
			break
		}
	}
	return nil
}

// sessionCookies are the names of the cookie of a session: over TLS, and without.
var sessionCookies = []string{"__Host-" + v1.SessionCookie, v1.SessionCookie}

// sessionOf is the secret of the session by which a request comes.
func sessionOf(r *http.Request) string {
	for _, name := range sessionCookies {
		if c, err := r.Cookie(name); err == nil {
			return c.Value
		}
	}
	return ""
}

// TokenPath is the number of a token in an address.
type TokenPath struct {
	ID int64 `path:"id" minimum:"0" maximum:"9007199254740991"`
}

// PreferencePath is the name of a preference in an address.
type PreferencePath struct {
	Preference string `path:"preference" maxLength:"64" pattern:"^[a-z0-9.-]+$"`
}

func (s *server) cookie(secret string, expires time.Time) http.Cookie {
	return http.Cookie{Name: s.cookieName(), Value: secret, Path: "/", Expires: expires, HttpOnly: true, Secure: s.opts.Secure, SameSite: http.SameSiteStrictMode}
}

// cookieName is that of the session's cookie. Over TLS the browser takes one of this prefix only from this very host.
func (s *server) cookieName() string {
	if s.opts.Secure {
		return sessionCookies[0]
	}
	return sessionCookies[1]
}

func (s *server) personOut(p access.Person) v1.Person {
	return v1.Person{Name: p.Name, FullName: p.FullName, Role: p.Role, Only: p.Only, Trying: p.Trying, Rights: rightsOut(p.Grants),
		CSRF: p.CSRF, ExpiresAt: p.ExpiresAt, Version: s.opts.Version}
}

// lifeOf is how long a token is to live.
func lifeOf(r v1.TokenRequest) time.Duration {
	return time.Duration(cmp.Or(r.Days, 30)) * 24 * time.Hour
}

func newTokenOut(t store.Token, secret string, err error) (*body[v1.NewToken], error) {
	if err != nil {
		return nil, err
	}
	return &body[v1.NewToken]{v1.NewToken{Token: tokenOut(t), Secret: secret}}, nil
}

func tokenOut(t store.Token) v1.Token {
	return v1.Token{ID: t.ID, Label: t.Label, ReadOnly: t.ReadOnly, CreatedAt: t.CreatedAt, ExpiresAt: t.ExpiresAt}
}
