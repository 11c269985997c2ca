package changes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/store"
)

// Row sets the same things on several objects.
type Row struct {
	On  []network.PortRef
	Set map[string]string // values by setting, as typed
}

// Outcome is what became of one object of a bulk edit.
type Outcome string

// The outcomes.
const (
	Set       Outcome = "set"       // the edits are in the draft
	Unchanged Outcome = "unchanged" // it has all that already
	Refused   Outcome = "refused"   // it cannot have that, and nothing was set on it
)

// Result is one object of a bulk edit.
type Result struct {
	On      network.PortRef
	Outcome Outcome
	Why     string
}

// Plan turns rows into edits on the network as it is, or as a draft will make it: object by object, all of one or nothing, each with its result. Values
// that are no values of their setting are the caller's fault, and an error.
func (s *Service) Plan(rows []Row, draft []intent.Edit) ([]intent.Edit, []Result, error) {
	byDevice := map[string][][]intent.Edit{}
	var order []network.PortRef
	for i, row := range rows {
		for _, on := range row.On {
			var group []intent.Edit
			for _, name := range sorted(row.Set) {
				e, err := intent.New(on, name, row.Set[name])
				if err != nil {
					return nil, nil, fmt.Errorf("row %d, %s: %w", i+1, on, err)
				}
				group = append(group, e)
			}
			byDevice[on.Device] = append(byDevice[on.Device], group)
			order = append(order, on)
		}
	}
	results := map[network.PortRef]Result{}
	var edits []intent.Edit
	for device, groups := range byDevice {
		v, ok := s.fleet.View(device)
		config := v.Config
		if after, err := intent.Apply(device, config, draft); err == nil {
			config = after
		}
		for _, group := range groups {
			on := group[0].Port
			r := Result{On: on, Outcome: Set}
			switch {
			case !ok:
				r.Outcome, r.Why = Refused, "there is no such device"
			case !v.Known:
				r.Outcome, r.Why = Refused, "its configuration was never read"
			default:
				after, faults := intent.ApplyObject(config, group)
				switch {
				case len(faults) > 0:
					r.Outcome, r.Why = Refused, reasons(faults)
				case sameObject(config, after, on.Port):
					r.Outcome = Unchanged
				}
				config = after
			}
			if earlier, twice := results[on]; twice && earlier.Outcome == Refused {
				r = earlier
			} else if twice && r.Outcome == Unchanged {
				r.Outcome = earlier.Outcome
			}
			if results[on] = r; r.Outcome == Set {
				edits = append(edits, group...)
			}
		}
	}
	out := make([]Result, 0, len(order))
	for _, on := range order {
		if r, ok := results[on]; ok {
			out = append(out, r)
			delete(results, on)
		}
	}
	return edits, out, nil
}

func sameObject(before, after network.Config, object string) bool {
	for _, s := range setting.OfObject(after, object) {
		b, _ := s.Get(before, object)
		if a, _ := s.Get(after, object); a != b {
			return false
		}
	}
	return true
}

func reasons(faults []*intent.EditError) string {
	var out []string
	for _, f := range faults {
		if text := f.Edit.Field + ": " + f.Reason; !slices.Contains(out, text) {
			out = append(out, text)
		}
	}
	return strings.Join(out, "; ")
}

func sorted(set map[string]string) []string {
	out := make([]string, 0, len(set))
	for name := range set {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// Bulk puts what rows set into a draft, or (number 0) a new one, as far as it can be. Where nothing can, there is no draft.
func (s *Service) Bulk(ctx context.Context, number int64, owner, why string, edits []intent.Edit) (store.Change, error) {
	switch {
	case len(edits) == 0 && number == 0:
		return store.Change{}, nil
	case number == 0:
		return s.Create(ctx, owner, why, edits)
	case len(edits) == 0:
		return s.Get(ctx, number)
	}
	return s.Edit(ctx, number, edits)
}

// Standing is how some objects stand on a setting.
type Standing struct {
	Setting *setting.Setting
	Values  map[string]int // how many have each value
	Applies int
	Why     string  // why it does not apply to the others
	Offers  []Offer // VLANs and names that all of the devices have
}

// Offer is a value that a setting may take on all of some devices.
type Offer struct{ Value, Text string }

// offers lists what a setting may name on all devices.
func offers(s *setting.Setting, configs map[string]network.Config) []Offer {
	of := s.Value.Of
	if s.Value.Type == setting.VLAN {
		of = setting.OnVLAN
	}
	if of == "" {
		return nil
	}
	count, text := map[string]int{}, map[string]string{}
	for _, c := range configs {
		for _, object := range setting.Objects(c) {
			if setting.KindOf(object) != of {
				continue
			}
			value := strings.TrimPrefix(object, string(of)+"/")
			count[value]++
			if id, err := network.ParseVLAN(value); of == setting.OnVLAN && err == nil {
				text[value] = c.VLANs[id].Name
			}
		}
	}
	var out []Offer
	for value, n := range count {
		if n == len(configs) {
			out = append(out, Offer{value, text[value]})
		}
	}
	slices.SortFunc(out, func(a, b Offer) int { return network.ComparePorts(a.Value, b.Value) })
	return out
}

// Standings tells how objects stand on every setting of their kinds, in the order of settings. What a draft sets already is
// taken as set, and set besides where it can be.
func (s *Service) Standings(on []network.PortRef, draft []intent.Edit, set map[string]string) []Standing {
	configs := map[string]network.Config{}
	byName := map[string]*Standing{}
	var order []string
	for _, ref := range on {
		config, ok := configs[ref.Device]
		if !ok {
			v, _ := s.fleet.View(ref.Device)
			config = v.Config
			if after, err := intent.Apply(ref.Device, config, draft); err == nil {
				config = after
			}
			configs[ref.Device] = config
		}
		config = pretend(config, ref, set)
		for _, one := range setting.OfObject(config, ref.Port) {
			st := byName[one.Name]
			if st == nil {
				st = &Standing{Setting: one, Values: map[string]int{}}
				byName[one.Name] = st
				order = append(order, one.Name)
			}
			v, err := one.Get(config, ref.Port)
			if err != nil {
				st.Why = err.Error()
				continue
			}
			st.Applies++
			st.Values[v]++
		}
	}
	out := make([]Standing, len(order))
	for i, name := range order {
		out[i] = *byName[name]
		out[i].Offers = offers(out[i].Setting, configs)
	}
	return out
}

// pretend is a configuration as if some settings were set on an object.
func pretend(c network.Config, on network.PortRef, set map[string]string) network.Config {
	for _, name := range sorted(set) {
		if e, err := intent.New(on, name, set[name]); err == nil {
			c, _ = intent.ApplyObject(c, []intent.Edit{e})
		}
	}
	return c
}

// ProposeBundle works out a bundle of ports on the network as it is, or as a draft will make it.
func (s *Service) ProposeBundle(ctx context.Context, ports []network.PortRef, name, protocol string, draft []intent.Edit) (intent.Bundle, error) {
	n, err := s.NetworkAfter(ctx, draft)
	if err != nil {
		return intent.Bundle{}, err
	}
	pairs := map[string]string{}
	for _, v := range s.fleet.Views() {
		if c := v.Inside.Cluster; c != nil && c.Kind == "mlag" && len(c.Members) == 2 {
			pairs[c.Members[0].Name], pairs[c.Members[1].Name] = c.Members[1].Name, c.Members[0].Name
		}
	}
	return intent.ProposeBundle(n.Configs, n.Links, pairs, ports, name, protocol)
}

// NetworkAfter is the network as a draft will make it.
func (s *Service) NetworkAfter(ctx context.Context, draft []intent.Edit) (Network, error) {
	n, err := s.Network(ctx)
	for _, device := range intent.Devices(draft) {
		if after, err := intent.Apply(device, n.Configs[device], draft); err == nil {
			n.Configs[device] = after
		}
	}
	return n, err
}

// TakeBack makes a draft that takes a change that was kept back: what it made different is to be as it was before.
func (s *Service) TakeBack(ctx context.Context, number int64, owner string) (store.Change, error) {
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	if c.State != Kept {
		return c, fmt.Errorf("%w: change %d is %s, and only one that is kept can be taken back", ErrState, number, c.State)
	}
	var edits []intent.Edit
	for _, d := range c.Devices {
		for _, diff := range intent.Compare(d.Device, d.After, d.Before) {
			if e, err := intent.New(diff.Port, diff.Field, diff.After); err == nil {
				edits = append(edits, e)
			} // what does not apply any more is set by what makes it so: the mode, the bundle, present=off
		}
	}
	return s.Create(ctx, owner, fmt.Sprintf("takes change %d back", number), edits)
}
