package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/service/promises"
)

// promiseRoutes say what must always, or must never, reach what. A promise is of the whole network: it is seen by who may see configuration
// everywhere, and made by who may say everywhere what is an alarm.
func (s *server) promiseRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodGet, "/promises", "list-promises", "What must always, or must never, reach what, and how that stands",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Promise]], error) {
			if err := s.wholeNetwork(ctx, seeConfigurations); err != nil {
				return nil, err
			}
			list, err := s.Promises.List(ctx)
			if err != nil {
				return nil, err
			}
			n, err := s.Changes.Network(ctx)
			if err != nil {
				return nil, err
			}
			return listOf(s.Promises.Held(ctx, n.Asked(n.Configs), list...), promiseOut), nil
		})
	type promiseInput struct {
		NamePath
		Body v1.PromiseRequest
	}
	register(s, api, administerAlarms, http.MethodPut, "/promises/{name}", "put-promise", "Promise something, or change a promise",
		func(ctx context.Context, in *promiseInput) (*body[v1.Promise], error) {
			var p reach.Promise
			err := s.act(ctx, "put-promise", in.Name, s.wholeNetwork(ctx, administerAlarms), func(string) (err error) {
				p, err = s.Promises.Put(ctx, promiseIn(in.Name, in.Body))
				return err
			})
			if err != nil {
				return nil, err
			}
			return s.promise(ctx, p)
		})
	register(s, api, administerAlarms, http.MethodDelete, "/promises/{name}", "remove-promise", "Promise something no more",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-promise", in.Name, s.wholeNetwork(ctx, administerAlarms), func(string) error {
				return missing(s.Promises.Drop(ctx, in.Name), "promise "+in.Name)
			})
		})
	register(s, api, seeConfigurations, http.MethodPost, "/promises/try", "try-promise", "How a promise would stand that is not made yet; nothing is kept",
		func(ctx context.Context, in *body[v1.PromiseRequest]) (*body[v1.Promise], error) {
			if err := s.wholeNetwork(ctx, seeConfigurations); err != nil {
				return nil, err
			}
			n, err := s.Changes.Network(ctx)
			if err != nil {
				return nil, err
			}
			r, err := s.Promises.Try(ctx, promiseIn("trial", in.Body), n.Asked(n.Configs))
			return &body[v1.Promise]{promiseOut(r)}, err
		})
}

// promise answers with one as it stands.
func (s *server) promise(ctx context.Context, p reach.Promise) (*body[v1.Promise], error) {
	n, err := s.Changes.Network(ctx)
	if err != nil {
		return nil, err
	}
	return &body[v1.Promise]{promiseOut(s.Promises.Held(ctx, n.Asked(n.Configs), p)[0])}, nil
}

func promiseIn(name string, r v1.PromiseRequest) reach.Promise {
	return reach.Promise{Name: name, Title: r.Title, Never: r.Never, From: r.From, To: r.To, Protocol: r.Protocol, Port: uint16(r.Port)} //nolint:gosec // it is bounded by the contract
}

func promiseOut(r promises.Result) v1.Promise {
	out := v1.Promise{Name: r.Name, PromiseRequest: v1.PromiseRequest{Title: r.Title, Never: r.Never, From: r.From, To: r.To, Protocol: r.Protocol, Port: int(r.Port)},
		Standing: "kept", Why: r.Why, Asked: r.Asked, Breaches: []v1.PromiseBreach{}}
	for _, b := range r.Breaches {
		out.Breaches = append(out.Breaches, v1.PromiseBreach{From: b.From.Name, To: b.To.Name, Why: b.Why})
	}
	switch {
	case len(r.Breaches) > 0:
		out.Standing = "broken"
	case r.Why != "":
		out.Standing = "unknown"
	}
	return out
}
