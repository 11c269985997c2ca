package changes

import (
	"context"

	"example.net/everypost/internal/core/intent"
)

// SetupRows works out what a first set-up of devices sets on the network as it is known, and tells what cannot be had.
func (s *Service) SetupRows(ctx context.Context, setup intent.Setup) ([]Row, []string, error) {
	n, err := s.Network(ctx)
	if err != nil {
		return nil, nil, err
	}
	list, notes, err := setup.Rows(n.Configs, n.Links)
	if err != nil {
		return nil, nil, err
	}
	out := make([]Row, len(list))
	for i, r := range list {
		out[i] = Row{On: r.On, Set: r.Set}
	}
	return out, notes, nil
}
