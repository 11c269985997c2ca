package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/fleet"
)

// serviceVLANRoutes are about what devices carry for others.
func (s *server) serviceVLANRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodGet, "/service-vlans", "list-service-vlans", "The service VLANs, in which devices carry untouched what somebody else sends: at which ports, and whether these reach each other",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.ServiceVLAN]], error) {
			lines, configs, err := s.VLANs.ServiceLines(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.ServiceVLAN{}
			for _, l := range lines {
				if v := s.serviceVLANOut(ctx, l, configs); len(v.Ports)+len(v.Breaks) > 0 {
					out = append(out, v)
				}
			}
			return listOf(out, func(v v1.ServiceVLAN) v1.ServiceVLAN { return v }), nil
		})
	type carryInput struct {
		VLANPath
		Body v1.ServiceCarryRequest
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodPost, "/service-vlans/{vlan}/carriage", "carry-service-vlan", "What it takes to have what is sent into one port come out at another untouched, in a service VLAN",
		func(ctx context.Context, in *carryInput) (*body[v1.Carriage], error) {
			var ends [2]network.PortRef
			for i, text := range []string{in.Body.From, in.Body.To} {
				end, err := network.ParsePortRef(text)
				if err != nil {
					return nil, fmt.Errorf("%w: %w", errInvalid, err)
				}
				if err := s.onDevice(ctx, may(rights.See, rights.Devices), end.Device); err != nil {
					return nil, err
				}
				ends[i] = end
			}
			draft, err := s.seenDraft(ctx, in.Body.Change)
			if err != nil {
				return nil, err
			}
			c, err := s.VLANs.CarryService(ctx, network.VLANID(in.VLAN), ends[0], ends[1], draft)
			if err != nil {
				return nil, err
			}
			return s.carriageOut(ctx, c)
		})
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/service-vlans/{vlan}/ending", "end-service-vlan", "What it takes to take a service VLAN off all ports",
		func(ctx context.Context, in *VLANPath) (*body[v1.Carriage], error) {
			edits, err := s.VLANs.EndService(ctx, network.VLANID(in.VLAN), nil)
			if err != nil {
				return nil, err
			}
			return s.carriageOut(ctx, intent.Carriage{Edits: edits})
		})
}

// serviceVLANOut is what who asks may see of a service VLAN: the ports of his devices, and where a way breaks off at one of them.
func (s *server) serviceVLANOut(ctx context.Context, l topology.ServiceLine, configs map[string]network.Config) v1.ServiceVLAN {
	out := v1.ServiceVLAN{ID: int(l.VLAN), Joined: l.Joined(), Ports: []v1.ServicePort{}, Breaks: []string{}}
	sees := func(device string) bool { return s.onDevice(ctx, seeConfigurations, device) == nil }
	for i, part := range l.Parts {
		for _, ref := range part {
			if !sees(ref.Device) {
				continue
			}
			d, _, err := s.Inventory.Device(ref.Device)
			if err != nil {
				continue
			}
			p, single := configs[ref.Device].Ports[ref.Port]
			if !single {
				p = configs[ref.Device].Bundles[ref.Port]
			}
			view, _ := s.Fleet.View(ref.Device)
			out.Ports = append(out.Ports, v1.ServicePort{Port: ref.String(), Site: d.Site.Name, Description: p.Description, Up: isUp(view, ref.Port), Part: i + 1})
		}
	}
	for _, e := range l.Ends {
		switch {
		case l.Joined() || !sees(e.Near.Device) || !sees(e.Far.Device):
		case e.Down:
			out.Breaks = append(out.Breaks, fmt.Sprintf("The link from %s to %s is down.", e.Near, e.Far))
		default:
			out.Breaks = append(out.Breaks, fmt.Sprintf("%s carries it, and %s does not.", e.Near, e.Far))
		}
	}
	return out
}

// isUp tells whether a port has a link, or a member of a bundle.
func isUp(v fleet.View, name string) bool {
	for port, st := range v.State.Ports {
		if (port == name || v.Config.Ports[port].LAG == name) && st.Oper == network.Up {
			return true
		}
	}
	return false
}
