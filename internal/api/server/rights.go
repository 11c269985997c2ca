package server

import (
	"cmp"
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/store"
)

// need is what an operation asks of who calls it: a verb on a feature somewhere. On what just there, its handler asks.
type need struct {
	verb    rights.Verb
	feature rights.Feature
}

func may(v rights.Verb, f rights.Feature) need { return need{v, f} }

var (
	open     = need{verb: "-"} // is there for signing in
	signedIn = need{}          // for everybody who is signed in, about what is his own
)

// needKey is where an operation's need stands among its metadata, rightExtension where its description tells it.
const (
	needKey        = "need"
	rightExtension = "x-everypost-right"
)

func (n need) String() string { return string(n.verb) + " " + string(n.feature) }

// operation describes an operation of the interface.
func operation(n need, method, path, id, summary string) huma.Operation {
	op := huma.Operation{
		OperationID: id, Method: method, Path: "/api/v1" + path, Summary: summary,
		Metadata: map[string]any{needKey: n}, MaxBodyBytes: maxBody,
	}
	if n == open {
		return op
	}
	op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	if n != signedIn {
		op.Description = "Needs the right to " + string(n.verb) + " " + string(n.feature) + "."
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
	op := operation(n, method, path, id, summary)
	op.MaxBodyBytes = size
	huma.Register(api, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := f(ctx, in)
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
func again(ctx context.Context) (access.Person, error) {
	return ctx.Value(againKey{}).(func() (access.Person, error))()
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
		case n != signedIn && !p.May(n.verb, n.feature):
			forbid(v1.ProblemForbidden, lacks(p, n))
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
	return fmt.Errorf("your role (%s) has not the right to %s %s%s", p.Role, n.verb, n.feature, why)
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
	if c, err := r.Cookie(v1.SessionCookie); err == nil {
		return s.Access.BySession(r.Context(), c.Value)
	}
	return access.Person{}, access.ErrNoSession
}

// nothing is an expression that picks nothing.
var nothing = selector.Not{Of: selector.All{}}

// within is what of a feature there is for who makes the request.
func within(ctx context.Context, v rights.Verb, f rights.Feature) selector.Expr {
	if where, some := person(ctx).Of(v, f); some {
		return where
	}
	return nothing
}

// everywhere tells whether who makes the request may do something without any bounds.
func everywhere(ctx context.Context, v rights.Verb, f rights.Feature) bool {
	return within(ctx, v, f) == selector.Expr(selector.All{})
}

func forbidden(ctx context.Context, n need, what string) error {
	return with(http.StatusForbidden, v1.ProblemForbidden, fmt.Errorf("you have not the right to %s %s at %s", n.verb, n.feature, what))
}

// onDevice tells whether who makes the request may do something with a device. A device that he may not see is not there
// for him.
func (s *server) onDevice(ctx context.Context, n need, name string) error {
	if !s.Inventory.HoldsDevice(name, within(ctx, rights.See, rights.Devices)) {
		return fmt.Errorf("device %s: %w", name, store.ErrNotFound)
	}
	if !s.Inventory.HoldsDevice(name, within(ctx, n.verb, n.feature)) {
		return forbidden(ctx, n, name)
	}
	return nil
}

// atSite is onDevice for a device that would be at a site.
func (s *server) atSite(ctx context.Context, n need, site string) error {
	if !s.Inventory.HoldsPlace(site, within(ctx, n.verb, n.feature)) {
		return forbidden(ctx, n, cmp.Or(site, "no site"))
	}
	return nil
}

// onSite is onDevice for a site. One that is not there yet may be made by who is bound to no place.
func (s *server) onSite(ctx context.Context, n need, name string) error {
	if everywhere(ctx, n.verb, n.feature) || s.Inventory.HoldsSite(name, within(ctx, n.verb, n.feature)) {
		return nil
	}
	return forbidden(ctx, n, name)
}

// onPorts tells whether who makes the request may change the ports and devices of all edits.
func (s *server) onPorts(ctx context.Context, edits []intent.Edit) error {
	where := within(ctx, rights.Change, rights.Ports)
	var ports []network.PortRef
	asking := map[network.PortRef]bool{} // once for each device and feature
	for _, e := range edits {
		feature := rights.Devices
		switch setting.KindOf(e.Port.Port) {
		case setting.OnPort:
			ports = append(ports, e.Port)
			continue
		case setting.OnBundle:
			feature = rights.Ports
		}
		if asked := (network.PortRef{Device: e.Port.Device, Port: string(feature)}); !asking[asked] {
			asking[asked] = true
			if err := s.onDevice(ctx, may(rights.Change, feature), e.Port.Device); err != nil {
				return err
			}
		}
	}
	if where == selector.Expr(selector.All{}) || len(ports) == 0 {
		return nil
	}
	missing := s.Inventory.NotHeld(ports, where)
	if len(missing) == 0 {
		return nil
	}
	details := make([]*huma.ErrorDetail, len(missing))
	for i, p := range missing {
		details[i] = &huma.ErrorDetail{Location: p.String(), Message: "you have not the right to change this port"}
	}
	return with(http.StatusForbidden, v1.ProblemForbidden, fmt.Errorf("you have not the right to change %s%s", missing[0], andMore(len(missing)-1)), details...)
}

func andMore(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(" and %d more", n)
}

// seesChange tells whether who makes the request may see a change: one that is his own, or that touches only devices that
// he may see.
func (s *server) seesChange(ctx context.Context, c store.Change) bool {
	p := person(ctx)
	where := within(ctx, rights.See, rights.Changes)
	if where == selector.Expr(selector.All{}) || c.Owner == p.Name && !p.Trying {
		return true
	}
	devices := intent.Devices(c.Edits)
	for _, d := range c.Devices {
		devices = append(devices, d.Device)
	}
	for _, d := range devices {
		if !s.Inventory.HoldsDevice(d, where) {
			return false
		}
	}
	return len(devices) > 0
}
