package server

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

// need is what an operation asks of who calls it: a verb on a feature somewhere. On what just there, its handler asks.
type need = permission.Need

func may(v rights.Verb, f rights.Feature) need { return permission.To(v, f) }

var (
	open     = need{Verb: "-"} // is there for signing in
	signedIn = need{}          // for everybody who is signed in, about what is his own
)

// needKey is where an operation's need stands among its metadata, rightExtension where its description tells it.
const (
	needKey        = "need"
	rightExtension = "x-everypost-right"
)

// described describes an operation of the interface.
func described(n need, method, path, id, summary string) huma.Operation {
	op := huma.Operation{
		OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary,
		Metadata: map[string]any{needKey: n}, MaxBodyBytes: maxBody,
	}
	if n == open {
		return op
	}
	op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	if n != signedIn {
		op.Description = "Needs the right to " + string(n.Verb) + " " + string(n.Feature) + "."
		op.Extensions = map[string]any{rightExtension: n.String()}
	}
	return op
}

// register adds an operation. Errors are turned into problems here, for all.
func register[I, O any](s *server, api huma.API, n need, method, path, id, summary string, f func(context.Context, *I) (*O, error)) {
	registerLarge(s, api, maxBody, n, method, path, id, summary, f)
}

// registerLarge is register for an operation that takes a body of another size.
func registerLarge[I, O any](s *server, api huma.API, size int64, n need, method, path, id, summary string, f func(context.Context, *I) (*O, error)) {
	op := described(n, method, path, id, summary)
	op.MaxBodyBytes = size
	registerOp(s, api, op, n, f)
}

// registerOctets is register for an operation whose handler reads the body itself, as it comes in.
func registerOctets[I, O any](s *server, api huma.API, n need, method, path, id, summary string, f func(context.Context, *I) (*O, error)) {
	op := described(n, method, path, id, summary)
	op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}
	registerOp(s, api, op, n, f)
}

func registerOp[I, O any](s *server, api huma.API, op huma.Operation, n need, f func(context.Context, *I) (*O, error)) {
	id := op.OperationID
	declared(id, reflect.TypeFor[O]())
	huma.Register(api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := f(ctx, in)
		if err == nil && n != signedIn {
			err = s.mayBeShown(ctx, id, out)
		}
		return out, s.problem(err)
	})
}

type (
	personKey struct{}
	againKey  struct{}
)

// person is who makes the request. Every operation that is not open has one.
func person(ctx context.Context) access.Person {
	p, _ := ctx.Value(personKey{}).(access.Person)
	return p
}

// again finds out anew who makes a request that lasts, and what he may do now.
func again(ctx context.Context) func() (access.Person, error) {
	return ctx.Value(againKey{}).(func() (access.Person, error))
}

// guard lets an operation be called only by who has, somewhere, the right that it needs.
func (s *server) guard(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		op := ctx.Operation()
		n, ok := op.Metadata[needKey].(need)
		if ok && n == open {
			next(ctx)
			return
		}
		r := ctx.(*exchange).echo.Request()
		p, err := s.identify(r)
		forbid := func(kind string, err error) {
			if unsafe(r.Method) {
				s.audit(r.Context(), p.Name, op.OperationID, strings.TrimPrefix(r.URL.Path, "/api/v1"), outcome(err))
			}
			s.refuse(api, ctx, with(http.StatusForbidden, kind, err))
		}
		switch {
		case err != nil:
			s.refuse(api, ctx, s.problem(err))
		case p.CSRF != "" && unsafe(r.Method) && subtle.ConstantTimeCompare([]byte(r.Header.Get(v1.CSRFHeader)), []byte(p.CSRF)) != 1:
			s.refuse(api, ctx, with(http.StatusForbidden, v1.ProblemForbidden, errors.New("the header "+v1.CSRFHeader+" is missing or wrong")))
		case p.Trying && unsafe(r.Method) && op.OperationID != "sign-out":
			forbid(v1.ProblemTrying, errors.New("you are trying the role "+p.Role+": nothing is done until you stop"))
		case p.ReadOnly && unsafe(r.Method) && n == signedIn && op.OperationID != "sign-out":
			forbid(v1.ProblemForbidden, errors.New("your token may only see: this takes one that may do more, or a password"))
		case n != signedIn && !p.May(n.Verb, n.Feature):
			forbid(v1.ProblemForbidden, lacks(p, n))
		case unsafe(r.Method) && op.OperationID != "sign-out" && s.writes.broken(r.Context()):
			s.refuse(api, ctx, s.problem(access.ErrUnrecorded))
		default:
			next(huma.WithValue(huma.WithValue(ctx, personKey{}, p), againKey{}, func() (access.Person, error) { return s.identify(r) }))
		}
	}
}

func unsafe(method string) bool { return method != http.MethodGet && method != http.MethodHead }

// lacks says which right is missing.
func lacks(p access.Person, n need) error {
	why := ""
	if p.ReadOnly {
		why = "; your token may only see"
	}
	return fmt.Errorf("your role (%s) has not the right to %s %s%s", p.Role, n.Verb, n.Feature, why)
}

func (s *server) refuse(api huma.API, ctx huma.Context, err error) {
	problem := err.(*huma.ErrorModel)
	ctx.SetHeader("Content-Type", "application/problem+json")
	ctx.SetStatus(problem.Status)
	_ = api.Marshal(ctx.BodyWriter(), "application/json", problem)
}

// identify finds out who makes a request: by a bearer token, or else by a session's cookie. Who may administer people may
// ask to be treated as somebody of another role.
func (s *server) identify(r *http.Request) (access.Person, error) {
	p, err := s.identifyOwn(r)
	try := r.Header.Get(v1.TryRoleHeader)
	if err != nil || try == "" {
		return p, err
	}
	if !p.May(rights.Administer, rights.People) {
		return p, with(http.StatusForbidden, v1.ProblemForbidden, errors.New("only who may administer people can try a role"))
	}
	return s.Access.Try(p, try)
}

func (s *server) identifyOwn(r *http.Request) (access.Person, error) {
	if s.Service == nil {
		return access.Person{}, access.ErrNoSession
	}
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return s.Access.ByToken(r.Context(), token)
	}
	if secret := sessionOf(r); secret != "" {
		return s.Access.BySession(r.Context(), secret)
	}
	return access.Person{}, access.ErrNoSession
}

// within is what of a feature there is for who makes the request.
func within(ctx context.Context, v rights.Verb, f rights.Feature) selector.Expr {
	return permission.Within(person(ctx), may(v, f))
}

// everywhere tells whether who makes the request may do something without any bounds.
func everywhere(ctx context.Context, v rights.Verb, f rights.Feature) bool {
	return permission.Everywhere(person(ctx), may(v, f))
}

// onDevice tells why who makes the request may not do something with a device, or nil. What follows does so for other things:
// all say what permission says.
func (s *server) onDevice(ctx context.Context, n need, name string) error {
	return s.Permission.OnDevice(person(ctx), n, name)
}

func (s *server) atSite(ctx context.Context, n need, site string) error {
	return s.Permission.AtSite(person(ctx), n, site)
}

func (s *server) onSite(ctx context.Context, n need, name string) error {
	return s.Permission.OnSite(person(ctx), n, name)
}

// wholeNetwork tells why who makes the request may not do something that is of the whole network, or nil.
func (s *server) wholeNetwork(ctx context.Context, n need) error {
	if permission.Everywhere(person(ctx), n) {
		return nil
	}
	return &permission.Refusal{Need: n, At: "any place: it is of the whole network"}
}

func (s *server) onClient(ctx context.Context, n need, mac string) error {
	return s.Permission.OnClient(person(ctx), n, mac)
}

// onThings tells why who makes the request may not change things, or nil.
func (s *server) onThings(ctx context.Context, on []network.PortRef) error {
	return s.Permission.Change(person(ctx), on)
}

// onEdits tells why who makes the request may not make edits, or nil.
func (s *server) onEdits(ctx context.Context, edits []intent.Edit) error {
	comeTo := edits
	if intent.OnLayers(edits) {
		var err error
		if comeTo, err = s.Changes.ComesTo(ctx, edits); err != nil {
			return err
		}
	}
	return s.Permission.Edits(person(ctx), edits, comeTo)
}

func (s *server) seesChange(ctx context.Context, c store.Change) bool {
	return s.Permission.SeesChange(person(ctx), c)
}
