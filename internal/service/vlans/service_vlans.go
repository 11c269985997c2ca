package vlans

import (
	"context"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/inventory"
)

// ServiceLines are the service VLANs of the network by number, and which of their ports reach each other as things are.
func (s *Service) ServiceLines(ctx context.Context) ([]topology.ServiceLine, map[string]network.Config, error) {
	n, err := s.changes.Network(ctx)
	if err != nil {
		return nil, nil, err
	}
	return topology.ServiceLines(n.Configs, n.Links, func(l topology.Link) bool {
		for _, end := range []network.PortRef{l.A, l.B} {
			if st, known := n.States[end.Device].Ports[end.Port]; known && (st.Oper != network.Up || n.Gone[end.Device]) {
				return false
			}
		}
		return topology.Passes(n.Configs, l)
	}), n.Configs, nil
}

// CarryService works out what it takes to have what is sent into one port come out at another untouched, on the network as it is, or as a draft will make it.
func (s *Service) CarryService(ctx context.Context, id network.VLANID, from, to network.PortRef, draft []intent.Edit) (intent.Carriage, error) {
	n, err := s.changes.NetworkAfter(ctx, draft)
	if err != nil {
		return intent.Carriage{}, err
	}
	out, err := intent.CarryService(n.Configs, n.Links, id, from, to)
	if err != nil {
		return out, inventory.Invalid(err.Error())
	}
	return out, nil
}

// EndService works out what takes a service VLAN off all ports.
func (s *Service) EndService(ctx context.Context, id network.VLANID, draft []intent.Edit) ([]intent.Edit, error) {
	n, err := s.changes.NetworkAfter(ctx, draft)
	if err != nil {
		return nil, err
	}
	return intent.EndService(n.Configs, id), nil
}
