package server

import (
	"cmp"
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/arrivals"
	"example.net/everypost/internal/store"
)

// SerialPath is the serial number in an address.
type SerialPath struct {
	Serial string `path:"serial" maxLength:"64"`
}

func (s *server) arrivalRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/claims", "list-claims", "The devices that are expected",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.ClaimedDevice]], error) {
			list, err := s.Arrivals.Claims(ctx)
			list = slices.DeleteFunc(list, func(c store.Claim) bool {
				return !s.Inventory.HoldsPlace(c.Site, within(ctx, rights.See, rights.Devices))
			})
			return listOf(list, claimOut), err
		})
	register(s, api, operateDevices, http.MethodPost, "/claims", "claim-devices", "Claim devices by their serial numbers",
		func(ctx context.Context, in *body[v1.ClaimRequest]) (*body[v1.List[v1.ClaimResult]], error) {
			results := make([]v1.ClaimResult, len(in.Body.Claims))
			for i, c := range in.Body.Claims {
				err := s.claim(ctx, c)
				s.audit(ctx, person(ctx).Name, "claim", c.Serial+" as "+cmp.Or(c.Name, c.Replaces), outcome(err))
				if results[i].Serial = c.Serial; err != nil {
					results[i].Problem = err.Error()
				}
			}
			return listOf(results, func(r v1.ClaimResult) v1.ClaimResult { return r }), nil
		})
	register(s, api, operateDevices, http.MethodDelete, "/claims/{serial}", "drop-claim", "Take a claim back",
		func(ctx context.Context, in *SerialPath) (*struct{}, error) {
			c, err := s.Store.Claim(ctx, in.Serial)
			if err == nil {
				err = s.atSite(ctx, operateDevices, c.Site)
			}
			if err == nil {
				err = s.Arrivals.Drop(ctx, in.Serial, person(ctx).Name)
			}
			s.audit(ctx, person(ctx).Name, "drop-claim", in.Serial, outcome(err))
			return nil, missing(err, "claim of "+in.Serial)
		})
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/doors", "get-doors", "Where devices come by themselves",
		func(context.Context, *struct{}) (*body[v1.Doors], error) {
			return &body[v1.Doors]{v1.Doors{CallHome: s.Arrivals.Home()}}, nil
		})
	type renameInput struct {
		NamePath
		Body v1.RenameRequest
	}
	register(s, api, operateDevices, http.MethodPost, "/devices/{name}/rename", "rename-device", "Give a device another name; its own host name stays",
		func(ctx context.Context, in *renameInput) (*struct{}, error) {
			return nil, s.act(ctx, "rename-device", in.Name+" to "+in.Body.Name, s.onDevice(ctx, operateDevices, in.Name), func(by string) error {
				return s.Inventory.Rename(ctx, in.Name, in.Body.Name, by)
			})
		})
}

func (s *server) claim(ctx context.Context, c v1.Claim) error {
	edits, err := s.editsIn(ctx, c.Edits)
	if err != nil {
		return err
	}
	if c.Replaces != "" {
		err = s.onDevice(ctx, operateDevices, c.Replaces)
	} else {
		err = s.atSite(ctx, operateDevices, c.Site)
	}
	for _, other := range []string{c.Like, c.Replaces} { // the one with this serial number is handed what that other runs
		if err == nil && other != "" {
			err = s.onDevice(ctx, may(rights.See, rights.Configuration), other)
		}
	}
	for i := 0; err == nil && i < len(edits); i++ {
		err = s.Permission.ChangeExpected(person(ctx), edits[i].Port, c.Name, c.Replaces, c.Site)
	}
	if err != nil {
		return err
	}
	return s.Arrivals.Claim(ctx, arrivals.Claim{Serial: c.Serial, Name: c.Name, Site: c.Site, Like: c.Like, Replaces: c.Replaces, Edits: edits,
		Particulars: particularsIn(c.Particulars)}, person(ctx).Name)
}

func claimOut(c store.Claim) v1.ClaimedDevice {
	out := v1.ClaimedDevice{Claim: v1.Claim{Serial: c.Serial, Name: c.Name, Site: c.Site, Like: c.Like, Replaces: c.Replaces, Edits: editsOut(c.Edits),
		Particulars: particularsOut(c.Particulars)}, Step: "expected", Model: c.Model, HostKey: c.HostKey, By: c.By, At: c.At,
		AskedAt: orNil(c.AskedAt), ToldAt: orNil(c.ToldAt), Said: c.Said}
	switch {
	case c.HostKey != "":
		out.Step = "told"
	case !c.AskedAt.IsZero():
		out.Step = "asked"
	}
	return out
}
