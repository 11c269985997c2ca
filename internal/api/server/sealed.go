package server

import (
	"context"
	"fmt"
	"maps"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// sealed has a secret that a person typed kept, and returns the reference that stands for it from here on; any other value
// comes back as it is. Every way on which values come in passes here, and an error never quotes a secret.
func (s *server) sealed(ctx context.Context, on network.PortRef, name, value string) (string, error) {
	st, err := setting.Lookup(setting.KindOf(on.Port), name)
	if err != nil || st.Value.Type != setting.Secret { // what is wrong with it, others say
		return value, nil
	}
	if err := st.Value.CheckPlain(value); err != nil {
		return "", fmt.Errorf("%s: %w", name, err)
	}
	reference, err := s.Vault.Take(ctx, value, st.Value.Hashed)
	if err != nil {
		return "", fmt.Errorf("%s: %w", name, err)
	}
	return reference, nil
}

// sealedSet is sealed for values by setting, of things of which all are to get the same.
func (s *server) sealedSet(ctx context.Context, on []network.PortRef, set map[string]string) (map[string]string, error) {
	out := maps.Clone(set)
	for name, value := range set {
		for _, ref := range on {
			reference, err := s.sealed(ctx, ref, name, value)
			if err != nil {
				return nil, err
			}
			if out[name] = reference; reference != value {
				break
			}
		}
	}
	return out, nil
}
