package netconf

import (
	"fmt"

	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/xmlnode"
)

// secrets takes secrets out of trees that are read from devices, leaving references, and puts them into trees that are
// written. Nothing above this package ever has a secret of a configuration.
type secrets struct{ keeper driver.Secrets }

func secretsOf(keeper driver.Secrets) secrets { return secrets{keeper} }

// hide replaces what stands in leaves of secrets by references to it.
func (s secrets) hide(data *xmlnode.Node) error {
	return eachSecret(data, func(leaf *xmlnode.Node) error {
		if s.keeper == nil {
			leaf.Text = ""
			return nil
		}
		reference, err := s.keeper.Hide(leaf.Text)
		leaf.Text = reference
		return err
	})
}

// reveal replaces the references by what they refer to.
func (s secrets) reveal(config *xmlnode.Node) error {
	return eachSecret(config, func(leaf *xmlnode.Node) error {
		if leaf.Text == "" {
			return nil // it is taken away
		}
		if s.keeper == nil {
			return fmt.Errorf("%s: nobody keeps the secrets that are to be written", leaf.Name)
		}
		plain, err := s.keeper.Reveal(leaf.Text)
		if err != nil {
			return fmt.Errorf("%s: %w", leaf.Name, err)
		}
		leaf.Text = plain
		return nil
	})
}

var secretMappings = func() []mapping {
	var out []mapping
	for _, m := range mappings {
		if m.setting.Value.Type == setting.Secret {
			out = append(out, m)
		}
	}
	return out
}()

func eachSecret(tree *xmlnode.Node, f func(leaf *xmlnode.Node) error) error {
	var failed error
	do := func(below *xmlnode.Node, steps []step) {
		for _, leaf := range leaves(below, steps) {
			if err := f(leaf); err != nil && failed == nil {
				failed = err
			}
		}
	}
	for _, m := range secretMappings {
		outer, inner := m.at.list()
		if outer == nil {
			do(tree, m.at.steps)
			continue
		}
		entries(tree, outer, func(_ string, entry *xmlnode.Node) { do(entry, inner) })
	}
	return failed
}
