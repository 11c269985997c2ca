package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/store"
)

func (s *server) operationRoutes(api huma.API) {
	seeTests := may(rights.See, rights.Tests)
	register(s, api, signedIn, http.MethodGet, "/operations/kinds", "list-operation-kinds", "What devices can be asked to do",
		func(context.Context, *struct{}) (*body[v1.List[v1.OperationKind]], error) {
			return listOf(operation.Kinds(), kindOut), nil
		})
	type operationsQuery struct {
		Device string `query:"device" maxLength:"63"`
		Cursor int64  `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"200" default:"50"`
	}
	register(s, api, seeTests, http.MethodGet, "/operations", "list-operations", "What devices were asked to do, the newest first",
		func(ctx context.Context, in *operationsQuery) (*body[v1.List[v1.Operation]], error) {
			q := store.OperationQuery{Before: in.Cursor, Limit: in.Limit}
			if !everywhere(ctx, rights.See, rights.Tests) {
				q.Devices = []string{}
				for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Tests), Limit: math.MaxInt, Now: time.Now()}).Rows {
					q.Devices = append(q.Devices, d.Name)
				}
			}
			if in.Device != "" {
				q.Devices = slices.DeleteFunc([]string{in.Device}, func(d string) bool { return q.Devices != nil && !slices.Contains(q.Devices, d) })
			}
			list, err := s.Operations.List(ctx, q)
			out := listOf(list, func(o store.Operation) v1.Operation {
				one := operationOut(o)
				one.Lines = []v1.OperationLine{}
				return one
			})
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return out, err
		})
	type numberPath struct {
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
	}
	register(s, api, seeTests, http.MethodGet, "/operations/{number}", "get-operation", "What a device was asked to do, and what came back",
		func(ctx context.Context, in *numberPath) (*body[v1.Operation], error) {
			o, err := s.seenOperation(ctx, in.Number)
			return &body[v1.Operation]{operationOut(o)}, err
		})
	type startInput struct {
		Name string `path:"name" maxLength:"63"`
		Body v1.OperationRequest
	}
	register(s, api, seeTests, http.MethodPost, "/devices/{name}/operations", "start-operation", "Have a device do something now: it takes the right that its kind tells, there",
		func(ctx context.Context, in *startInput) (*body[v1.Operation], error) {
			r, err := operation.New(operation.Kind(in.Body.Kind), in.Body.Args)
			if err != nil {
				return nil, err
			}
			var o store.Operation
			err = s.act(ctx, "operate", in.Name+": "+r.String(), s.mayAsk(ctx, in.Name, r), func(by string) error {
				o, err = s.Operations.Start(ctx, in.Name, by, r)
				return err
			})
			if err != nil {
				return nil, err
			}
			return &body[v1.Operation]{operationOut(o)}, nil
		})
	type devicePath struct {
		Name string `path:"name" maxLength:"63"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/devices/{name}/behind", "get-behind", "What is cut off while a device is away, as far as you may see it",
		func(ctx context.Context, in *devicePath) (*body[v1.Behind], error) {
			seen := may(rights.See, rights.Devices)
			if err := s.onDevice(ctx, seen, in.Name); err != nil {
				return nil, err
			}
			n, err := s.Changes.Network(ctx)
			if err != nil {
				return nil, err
			}
			out := v1.Behind{Device: in.Name, Devices: []string{}, Clients: s.clientsAt(ctx, in.Name)}
			for _, d := range topology.NewGraph(n.Links, n.Entries()).Behind(in.Name) {
				if s.Inventory.HoldsDevice(d, within(ctx, seen.Verb, seen.Feature)) {
					out.Devices, out.Clients = append(out.Devices, d), out.Clients+s.clientsAt(ctx, d)
				}
			}
			return &body[v1.Behind]{out}, nil
		})
	register(s, api, seeTests, http.MethodPost, "/operations/{number}/cancel", "cancel-operation", "End what a device was asked to do",
		func(ctx context.Context, in *numberPath) (*struct{}, error) {
			o, err := s.seenOperation(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			return nil, s.act(ctx, "cancel-operation", fmt.Sprintf("%d on %s: %s", o.Number, o.Device, o.Request), s.mayAsk(ctx, o.Device, o.Request), func(string) error {
				return s.Operations.Cancel(ctx, in.Number)
			})
		})
}

// mayAsk tells why who makes the request may not ask a device for something, or nil.
func (s *server) mayAsk(ctx context.Context, device string, r operation.Request) error {
	about, _ := operation.Of(r.Kind)
	n := may(about.Verb, about.Feature)
	if err := s.onDevice(ctx, may(rights.See, rights.Devices), device); err != nil {
		return err
	}
	if ports := r.Ports(); about.Feature == rights.Ports {
		on := make([]network.PortRef, len(ports))
		for i, p := range ports {
			on[i] = network.PortRef{Device: device, Port: p}
		}
		return s.Permission.OnPorts(person(ctx), n, on)
	}
	return s.onDevice(ctx, n, device)
}

// seenOperation is an operation that who makes the request may see.
func (s *server) seenOperation(ctx context.Context, number int64) (store.Operation, error) {
	o, err := s.Operations.Get(ctx, number)
	if err == nil && !everywhere(ctx, rights.See, rights.Tests) && !s.Inventory.HoldsDevice(o.Device, within(ctx, rights.See, rights.Tests)) {
		err = store.ErrNotFound
	}
	return o, missing(err, fmt.Sprintf("operation %d", number))
}

func kindOut(a operation.About) v1.OperationKind {
	out := v1.OperationKind{Kind: string(a.Kind), Title: a.Title, Does: a.Does, Params: []v1.OperationParam{}, Columns: []v1.OperationColumn{},
		Right: string(a.Verb) + " " + string(a.Feature), Disturbs: a.Disturbs, Leaves: a.Leaves, Captures: a.Captures}
	for _, p := range a.Params {
		if p.Person {
			continue
		}
		out.Params = append(out.Params, v1.OperationParam{Name: p.Name, Title: p.Title, Help: p.Help, Default: p.Default, Free: p.Free, Form: p.Value.Form, Unit: p.Value.Unit,
			Ports: p.Value.Type == setting.List, Choices: p.Value.Choices})
	}
	for _, c := range a.Columns {
		out.Columns = append(out.Columns, v1.OperationColumn(c))
	}
	return out
}

func operationOut(o store.Operation) v1.Operation {
	out := v1.Operation{Number: o.Number, Device: o.Device, Kind: string(o.Request.Kind), Args: o.Request.Args, Text: o.Request.String(), By: o.By, State: o.State, Why: o.Why,
		StartedAt: o.StartedAt, Lines: []v1.OperationLine{}, Summary: []v1.OperationFact{}}
	if out.Args == nil {
		out.Args = map[string]string{}
	}
	if !o.EndedAt.IsZero() {
		out.EndedAt = &o.EndedAt
	}
	for _, l := range o.Lines {
		out.Lines = append(out.Lines, v1.OperationLine(l))
	}
	for _, f := range o.Request.Summary(o.Lines) {
		out.Summary = append(out.Summary, v1.OperationFact(f))
	}
	return out
}
