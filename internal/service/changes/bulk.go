package changes

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/store"
)

// Row sets the same things on several objects.
type Row struct {
	On      []network.PortRef
	Set     map[string]string // values by setting, as typed
	Inherit []string          // settings of which the things are to say nothing themselves
	Steps   []intent.TableStep
}

// wanted is what is asked of one thing of a row.
type wanted struct {
	on    network.PortRef
	edits []intent.Edit
	steps []intent.TableStep
}

// byRow are the edits of what is wanted, those of tables row by row. rows tells which a table has now.
func (w wanted) byRow(rows func(on network.PortRef, table string) []setting.Row) ([]intent.Edit, error) {
	out := intent.ByRow(w.edits, rows)
	have := map[string][]setting.Row{}
	for _, step := range w.steps {
		now, begun := have[step.Table]
		if !begun {
			now = rows(w.on, step.Table)
		}
		edits, next, err := step.Edits(w.on, now)
		if err != nil {
			return nil, err
		}
		out, have[step.Table] = intent.Add(out, edits...), next
	}
	return out, nil
}

// draftsRow tells whether edits are of a row that a draft has edits of.
func draftsRow(draft, edits []intent.Edit) bool {
	return slices.ContainsFunc(edits, func(e intent.Edit) bool {
		return intent.IsRow(e) && slices.ContainsFunc(draft, func(d intent.Edit) bool { return d.Port == e.Port && d.Field == e.Field })
	})
}

func rowsOn(c network.Config) func(network.PortRef, string) []setting.Row {
	return func(on network.PortRef, table string) []setting.Row { return setting.RowsOf(c.Objects[on.Port], table) }
}

func rowsSaid(l intent.Layers) func(network.PortRef, string) []setting.Row {
	return func(on network.PortRef, table string) []setting.Row { return l.Words(on).RowsIn(on.Port, table) }
}

// edits returns the edits of one thing of a row.
func (r Row) edits(on network.PortRef) ([]intent.Edit, error) {
	var out []intent.Edit
	for _, name := range sorted(r.Set) {
		e, err := intent.New(on, name, r.Set[name])
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	for _, name := range r.Inherit {
		e, err := intent.NewAct(on, name, intent.Inherit)
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, nil
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

// Plan turns rows into edits on the network as it is, or as a draft will make it: object by object, all of one or nothing,
// each with its result. Values that are no values of their setting are the caller's fault, and an error.
func (s *Service) Plan(ctx context.Context, rows []Row, draft []intent.Edit) ([]intent.Edit, []Result, error) {
	p := plan{results: map[network.PortRef]Result{}}
	byDevice := map[string][]wanted{}
	var order []network.PortRef
	inherits, onLayers := false, false
	for i, row := range rows {
		inherits = inherits || len(row.Inherit) > 0
		for _, on := range row.On {
			group, err := row.edits(on)
			if err != nil {
				return nil, nil, fmt.Errorf("row %d, %s: %w", i+1, on, err)
			}
			onLayers = onLayers || intent.OnLayer(on)
			byDevice[on.Device] = append(byDevice[on.Device], wanted{on, group, row.Steps})
			order = append(order, on)
		}
	}
	var stage intent.Stage
	if inherits || onLayers {
		var devices []string
		if !onLayers {
			devices = slices.Collect(maps.Keys(byDevice))
		}
		before, err := s.layers.Stage(ctx, devices)
		if err != nil {
			return nil, nil, err
		}
		stage = s.layers.After(ctx, before, draft, 0)
	}
	x, err := s.expand(ctx, draft)
	if err != nil {
		x = expansion{}
	}
	drafted := intent.ByDevice(x.edits)
	for device, groups := range byDevice {
		v, ok := s.fleet.View(device)
		config := v.Config
		if after, err := intent.Apply(device, config, drafted[device]); err == nil {
			config = after
		}
		for _, w := range groups {
			switch on := w.on; {
			case intent.OnLayer(on):
				group, err := w.byRow(rowsSaid(stage.Layers))
				if err != nil {
					p.take(Result{On: on, Outcome: Refused, Why: err.Error()}, nil)
					continue
				}
				p.take(planOnLayer(stage, on, group), group)
				if len(w.steps) > 0 {
					stage.Layers = stage.Layers.With(group, 0)
				}
			case !ok:
				p.take(Result{On: on, Outcome: Refused, Why: "there is no such device"}, nil)
			case !v.Known:
				p.take(Result{On: on, Outcome: Refused, Why: "its configuration was never read"}, nil)
			case s.layers.Control(device) != network.ControlHere:
				p.take(Result{On: on, Outcome: Refused, Why: notFromHere(device, s.layers.Control(device))}, nil)
			default:
				var r Result
				group, err := w.byRow(rowsOn(config))
				if err != nil {
					p.take(Result{On: on, Outcome: Refused, Why: err.Error()}, nil)
					continue
				}
				r, config = planOn(config, stage, on, group)
				if r.Outcome == Unchanged && draftsRow(draft, group) {
					r.Outcome = Set // drafted once more, on the row as it is now
				}
				p.take(r, group)
			}
		}
	}
	return p.edits, p.inOrder(order), nil
}

// plan is what comes of rows, thing by thing.
type plan struct {
	results map[network.PortRef]Result
	edits   []intent.Edit
}

func (p *plan) take(r Result, group []intent.Edit) {
	if earlier, twice := p.results[r.On]; twice && earlier.Outcome == Refused {
		r = earlier
	} else if twice && r.Outcome == Unchanged {
		r.Outcome = earlier.Outcome
	}
	if p.results[r.On] = r; r.Outcome == Set {
		p.edits = append(p.edits, group...)
	}
}

func (p *plan) inOrder(order []network.PortRef) []Result {
	out := make([]Result, 0, len(order))
	for _, on := range order {
		if r, ok := p.results[on]; ok {
			out = append(out, r)
			delete(p.results, on)
		}
	}
	return out
}

// planOn plans the edits of one thing on a device that runs a configuration.
func planOn(config network.Config, stage intent.Stage, on network.PortRef, group []intent.Edit) (Result, network.Config) {
	valued, spoke := group, false
	if slices.ContainsFunc(group, func(e intent.Edit) bool { return e.Act != intent.Set }) {
		valued, spoke = withoutWords(stage, group)
	}
	after, faults := intent.ApplyObject(config, valued)
	switch {
	case len(faults) > 0:
		return Result{On: on, Outcome: Refused, Why: reasons(faults)}, config
	case !spoke && sameObject(config, after, on.Port):
		return Result{On: on, Outcome: Unchanged}, after
	}
	return Result{On: on, Outcome: Set}, after
}

// withoutWords are the edits of one thing with the values that come to it where it is to say nothing itself, and whether it said
// something so far.
func withoutWords(stage intent.Stage, group []intent.Edit) (valued []intent.Edit, spoke bool) {
	bare := stage.Layers.With(group, 0)
	var inherited []intent.Edit
	for _, e := range group {
		if e.Act == intent.Set {
			valued = append(valued, e)
			continue
		}
		_, had := stage.Layers.Words(e.Port).Of(e.Port.Port, e.Field)
		spoke = spoke || had
		if s, err := setting.Lookup(setting.KindOf(e.Port.Port), e.Field); err == nil {
			if value, _, ok := bare.Holds(stage.Spots[e.Port.Device], e.Port.Port, s); ok {
				e.Value = value
				inherited = append(inherited, e)
			}
		}
	}
	return append(valued, inherited...), spoke
}

// planOnLayer plans the edits of a part of a layer.
func planOnLayer(stage intent.Stage, on network.PortRef, group []intent.Edit) Result {
	r := Result{On: on, Outcome: Unchanged}
	for _, e := range group {
		word, said := stage.Layers.Words(e.Port).Of(e.Port.Port, e.Field)
		if said != (e.Act == intent.Set) || said && word.Value != e.Value {
			r.Outcome = Set
		}
	}
	return r
}

func sameObject(before, after network.Config, object string) bool {
	for _, s := range intent.SettingsOf(before, after, object) {
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
	return s.Edit(ctx, number, owner, edits)
}

// Standing is how some things stand on a setting.
type Standing struct {
	Setting *setting.Setting
	Values  map[string]int // how many have each value
	Layers  map[string]int // how many have it from each layer
	Applies int
	Why     string          // why it does not apply to the others
	Offers  []Offer         // VLANs and names that all of the devices have
	Says    []intent.Saying // of one thing: what every layer says, the weakest first
}

// Offer is a value that a setting may take on all of some devices.
type Offer struct{ Value, Text string }

// offers lists what a setting may name on all devices.
func offers(s *setting.Setting, configs map[string]network.Config) []Offer {
	of := s.Value.Refers()
	if of == "" {
		return nil
	}
	count, text := map[string]int{}, map[string]string{}
	for _, c := range configs {
		for _, object := range setting.Objects(c) {
			if setting.KindOf(object) != of {
				continue
			}
			value := strings.TrimPrefix(object, setting.AboutKind(of).Prefix())
			count[value]++
			if called := setting.Called(c, object); called != "" {
				text[value] = called
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
func (s *Service) Standings(ctx context.Context, on []network.PortRef, draft []intent.Edit, set map[string]string) ([]Standing, error) {
	x, err := s.expand(ctx, draft)
	if err != nil {
		x = expansion{}
	}
	var devices []string
	for _, ref := range on {
		if !intent.OnLayer(ref) {
			devices = append(devices, ref.Device)
		}
	}
	if intent.OnLayers(draft) {
		devices = nil
	} else {
		slices.Sort(devices)
		devices = append([]string{}, slices.Compact(devices)...)
	}
	stage, err := s.layers.Stage(ctx, devices)
	if err != nil {
		return nil, err
	}
	st := standings{by: map[string]*Standing{}, stage: s.layers.After(ctx, stage, draft, 0), busy: s.leases.Held, alone: len(on) == 1}
	configs := map[string]network.Config{}
	for _, ref := range on {
		if intent.OnLayer(ref) {
			st.addLayer(ref)
			continue
		}
		config, ok := configs[ref.Device]
		if !ok {
			v, _ := s.fleet.View(ref.Device)
			config = v.Config
			if after, err := intent.Apply(ref.Device, config, x.edits); err == nil {
				config = after
			}
			configs[ref.Device] = config
		}
		st.add(pretend(config, ref, set), ref)
	}
	out := make([]Standing, len(st.order))
	for i, name := range st.order {
		out[i] = *st.by[name]
		out[i].Offers = offers(out[i].Setting, configs)
	}
	return out, nil
}

// standings gathers how things stand.
type standings struct {
	by    map[string]*Standing
	order []string
	stage intent.Stage
	busy  func(device string) bool // a change is under way on it
	alone bool                     // there is only one thing
}

func (st *standings) of(s *setting.Setting) *Standing {
	one := st.by[s.Name]
	if one == nil {
		one = &Standing{Setting: s, Values: map[string]int{}, Layers: map[string]int{}}
		st.by[s.Name] = one
		st.order = append(st.order, s.Name)
	}
	return one
}

// add adds a thing of a device.
func (st *standings) add(config network.Config, on network.PortRef) {
	spot := st.stage.Spots[on.Device]
	for _, s := range setting.OfObject(config, on.Port) {
		one := st.of(s)
		v, err := s.Get(config, on.Port)
		if err != nil {
			one.Why = err.Error()
			continue
		}
		one.Applies++
		one.Values[v]++
		if value, layer, ok := st.stage.Layers.Holds(spot, on.Port, s); ok && value == v {
			one.Layers[layer]++
		} else if ok {
			one.Layers[st.unsaid(on.Device)]++
		}
		if st.alone {
			one.Says = st.stage.Layers.Sayings(spot, on.Port, s)
		}
	}
}

// What stands for a layer where a device runs what none says: by a change that is under way on it, or without.
const (
	Trying  = "trial"
	Drifted = "drift"
)

func (st *standings) unsaid(device string) string {
	if st.busy(device) {
		return Trying
	}
	return Drifted
}

// addLayer adds a part of a layer: its settings stand at what it says, or at nothing.
func (st *standings) addLayer(on network.PortRef) {
	words := st.stage.Layers.Words(on)
	for _, s := range setting.OfWords(on.Port, words[on.Port]) {
		one := st.of(s)
		one.Applies++
		if word, said := words.Of(on.Port, s.Name); said {
			one.Values[word.Value]++
			one.Layers[on.Device]++
			one.Says = []intent.Saying{{Layer: on.Device, Word: word}}
		}
	}
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

// Configs are the configurations of the devices of a change before and after it: as it was checked, or as a draft would make them now.
func (s *Service) Configs(ctx context.Context, c store.Change) (before, after map[string]network.Config, err error) {
	before, after = map[string]network.Config{}, map[string]network.Config{}
	if c.State != Draft {
		for _, d := range c.Devices {
			before[d.Device], after[d.Device] = d.Before, d.After
		}
		return before, after, nil
	}
	x, err := s.expand(ctx, c.Edits)
	if err != nil {
		return nil, nil, err
	}
	for device, edits := range intent.ByDevice(x.edits) {
		v, ok := s.fleet.View(device)
		if !ok || !v.Known {
			continue
		}
		before[device] = v.Config
		after[device], _ = intent.ApplyEach(v.Config, edits)
	}
	return before, after, nil
}

// NetworkAfter is the network as a draft will make it.
func (s *Service) NetworkAfter(ctx context.Context, draft []intent.Edit) (Network, error) {
	n, err := s.Network(ctx)
	if err != nil {
		return n, err
	}
	x, err := s.expand(ctx, draft)
	for device, edits := range intent.ByDevice(x.edits) {
		if after, err := intent.Apply(device, n.Configs[device], edits); err == nil {
			n.Configs[device] = after
		}
	}
	return n, err
}
