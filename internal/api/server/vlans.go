package server

import (
	"context"
	"net/http"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/service/vlans"
	"example.net/everypost/internal/store"
)

// VLANPath is the number of a VLAN in an address.
type VLANPath struct {
	VLAN int `path:"vlan" minimum:"1" maximum:"4094"`
}

func (s *server) vlanRoutes(api huma.API) {
	type listInput struct {
		Where string `query:"where" maxLength:"4000" doc:"A selector: on which devices"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/vlans", "list-vlans", "The VLANs of the network",
		func(ctx context.Context, in *listInput) (*body[v1.List[v1.NetworkVLAN]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			list, err := s.VLANs.List(ctx, s.vlanView(ctx, selector.Both(q.Where, q.Within)))
			if in.Where != "" {
				list = slices.DeleteFunc(list, func(v vlans.VLAN) bool { return len(v.Devices) == 0 })
			}
			return listOf(list, func(v vlans.VLAN) v1.NetworkVLAN { return vlanOut(v, false) }), err
		})
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/vlans/{vlan}", "get-vlan", "A VLAN, and where it is",
		func(ctx context.Context, in *VLANPath) (*body[v1.NetworkVLAN], error) {
			v, err := s.VLANs.Get(ctx, network.VLANID(in.VLAN), s.vlanView(ctx, within(ctx, rights.See, rights.Devices)))
			if err != nil {
				return nil, err
			}
			return &body[v1.NetworkVLAN]{vlanOut(v, true)}, nil
		})
	type recordInput struct {
		VLANPath
		Body v1.VLANRecord
	}
	register(s, api, may(rights.Change, rights.Devices), http.MethodPut, "/vlans/{vlan}", "describe-vlan", "Say what a VLAN is for; with nothing to say it is forgotten",
		func(ctx context.Context, in *recordInput) (*struct{}, error) {
			var err error
			if !everywhere(ctx, rights.Change, rights.Devices) {
				err = &permission.Refusal{Need: may(rights.Change, rights.Devices), At: "VLAN " + strconv.Itoa(in.VLAN) + ", which is of the whole network"}
			} else {
				err = s.VLANs.Describe(ctx, store.VLANRecord{ID: network.VLANID(in.VLAN), Purpose: in.Body.Purpose, Subnets: in.Body.Subnets, Gateways: in.Body.Gateways, Wanted: in.Body.Wanted})
			}
			s.audit(ctx, person(ctx).Name, "describe-vlan", "VLAN "+strconv.Itoa(in.VLAN), outcome(err))
			return nil, err
		})
	type carryInput struct {
		VLANPath
		Body v1.CarryRequest
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodPost, "/vlans/{vlan}/carriage", "carry-vlan", "What it takes to have a VLAN carried from one device to another",
		func(ctx context.Context, in *carryInput) (*body[v1.Carriage], error) {
			for _, d := range []string{in.Body.From, in.Body.To} {
				if err := s.onDevice(ctx, may(rights.See, rights.Devices), d); err != nil {
					return nil, err
				}
			}
			draft, err := s.seenDraft(ctx, in.Body.Change)
			if err != nil {
				return nil, err
			}
			c, err := s.VLANs.Carry(ctx, network.VLANID(in.VLAN), in.Body.From, in.Body.To, draft)
			if err != nil {
				return nil, err
			}
			return s.carriageOut(ctx, c)
		})
}

// carriageOut shows what it takes to who may see all of the way.
func (s *server) carriageOut(ctx context.Context, c intent.Carriage) (*body[v1.Carriage], error) {
	out := v1.Carriage{Links: []string{}, Edits: editsOut(c.Edits), Notes: append([]string{}, c.Notes...)}
	devices := map[string]bool{}
	for _, l := range c.Links {
		devices[l.A.Device], devices[l.B.Device] = true, true
		out.Links = append(out.Links, l.A.String()+" "+l.B.String())
	}
	for _, e := range c.Edits {
		devices[e.Port.Device] = true
	}
	for d := range devices {
		if s.onDevice(ctx, may(rights.See, rights.Devices), d) != nil {
			return nil, &permission.Refusal{Need: may(rights.See, rights.Devices), At: "all devices on the way: have it done by who may see them"}
		}
	}
	return &body[v1.Carriage]{out}, nil
}

// vlanView is what who makes the request may see of VLANs, on the devices that an expression picks.
func (s *server) vlanView(ctx context.Context, devices selector.Expr) vlans.View {
	return vlans.View{Devices: devices, Clients: selector.Both(devices, within(ctx, rights.See, rights.Clients)), Whole: everywhere(ctx, rights.See, rights.Devices)}
}

func vlanOut(v vlans.VLAN, places bool) v1.NetworkVLAN {
	out := v1.NetworkVLAN{ID: int(v.ID), Names: append([]string{}, v.Names...), Devices: len(v.Devices), Access: v.Access, Trunks: v.Trunks, Clients: v.Clients, Missing: []v1.VLANMissing{},
		VLANRecord: v1.VLANRecord{Purpose: v.Purpose, Subnets: v.Subnets, Gateways: v.Gateways, Wanted: v.Wanted}}
	for _, m := range v.Missing {
		out.Missing = append(out.Missing, v1.VLANMissing(m))
	}
	if places {
		for _, p := range v.Devices {
			out.Places = append(out.Places, v1.VLANPlace(p))
		}
	}
	return out
}
