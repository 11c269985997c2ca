package changes

import (
	"context"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/store"
)

// Layers is what the package needs of the layers.
type Layers interface {
	Stage(ctx context.Context, devices []string) (intent.Stage, error)
	After(ctx context.Context, stage intent.Stage, edits []intent.Edit, change int64) intent.Stage
	Check(before, after intent.Layers, edits []intent.Edit) error
	Settle(ctx context.Context, in layers.Settlement, keep func(l intent.Layers, back []intent.Edit) error) error
	Control(device string) network.Control
	Look(devices ...string)
}

// expansion is what edits come to.
type expansion struct {
	edits         []intent.Edit // of devices, with their values
	before, after intent.Stage  // empty where the edits are plain
	plain         bool
}

// expand works out what edits come to on devices, as the layers are now.
func (s *Service) expand(ctx context.Context, edits []intent.Edit) (expansion, error) {
	if len(edits) == 0 {
		return expansion{plain: true}, nil
	}
	devices := intent.Devices(edits)
	if intent.OnLayers(edits) {
		devices = nil
	}
	before, err := s.layers.Stage(ctx, devices)
	if err != nil {
		return expansion{}, err
	}
	if intent.Plain(edits) && len(before.Layers.Templates) == 0 {
		return expansion{edits: edits, plain: true}, nil
	}
	after := s.layers.After(ctx, before, edits, 0)
	if err := s.layers.Check(before.Layers, after.Layers, edits); err != nil {
		return expansion{}, err
	}
	out := intent.Expand(before, after, edits)
	// A device that is not changed from here is no hindrance to a template: it does not follow.
	named := map[string]bool{}
	for _, d := range intent.Devices(edits) {
		named[d] = true
	}
	out = slices.DeleteFunc(out, func(e intent.Edit) bool {
		return !named[e.Port.Device] && s.layers.Control(e.Port.Device) != network.ControlHere
	})
	return expansion{edits: out, before: before, after: after}, nil
}

// ComesTo returns the edits of devices that edits come to, as the layers are now.
func (s *Service) ComesTo(ctx context.Context, edits []intent.Edit) ([]intent.Edit, error) {
	x, err := s.expand(ctx, edits)
	return x.edits, err
}

// sayLayers tells, of what becomes different on a device, which layer says so where that is not the device's own.
func (x expansion) sayLayers(device string, before, after network.Config) map[string]string {
	if x.plain {
		return nil
	}
	out := map[string]string{}
	for _, d := range intent.Compare(device, before, after) {
		s, err := setting.Lookup(setting.KindOf(d.Port.Port), d.Field)
		if err != nil {
			continue
		}
		value, layer, ok := x.after.Layers.Holds(x.after.Spots[device], d.Port.Port, s)
		if ok && layer != intent.DeviceLayer && value == d.After {
			out[layerKey(d.Port.Port, d.Field)] = layer
		}
	}
	return out
}

func layerKey(object, field string) string { return object + " " + field }

// says tells whether a change makes layers say something else, even where no device is changed by it.
func (x expansion) says(edits []intent.Edit) bool {
	for _, e := range edits {
		if e.Act == intent.Restore {
			continue
		}
		was, had := x.before.Layers.Words(e.Port).Of(e.Port.Port, e.Field)
		is, has := x.after.Layers.Words(e.Port).Of(e.Port.Port, e.Field)
		if (e.Act != intent.Set || intent.OnLayer(e.Port)) && (had != has || was.Value != is.Value) {
			return true
		}
	}
	return false
}

// conclude keeps a change that is at its good end, and has the layers say what devices now run.
func (w *worker) conclude(what ...fact.Happening) error {
	in := layers.Settlement{Edits: w.c.Edits, Change: w.c.Number, Was: map[string]network.Config{}, Runs: map[string]network.Config{}}
	for _, d := range w.c.Devices {
		in.Was[d.Device], in.Runs[d.Device] = d.Before, d.After
	}
	return w.s.layers.Settle(w.ctx, in, func(l intent.Layers, back []intent.Edit) error {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.c.Back, w.c.UpdatedAt = back, now()
		return w.s.store.PutKept(w.ctx, w.c, l, about(w.c.Number, what)...)
	})
}

// TakeBack makes a draft that takes a change that was kept back: layers are to say what they said before, and devices to run
// what they ran.
func (s *Service) TakeBack(ctx context.Context, number int64, owner string) (store.Change, error) {
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	if c.State != Kept {
		return c, fmt.Errorf("%w: change %d is %s, and only one that is kept can be taken back", ErrState, number, c.State)
	}
	edits := c.Back
	x, err := s.expand(ctx, edits)
	if err != nil {
		return c, err
	}
	for _, d := range c.Devices {
		after, _ := intent.ApplyEach(d.After, slices.DeleteFunc(slices.Clone(x.edits), func(e intent.Edit) bool { return e.Port.Device != d.Device }))
		for _, diff := range intent.Compare(d.Device, after, d.Before) {
			if e, err := intent.New(diff.Port, diff.Field, diff.After); err == nil {
				edits = intent.Add(edits, e)
			} // what does not apply any more is set by what makes it so: the mode, the bundle, present=off
		}
	}
	return s.Create(ctx, owner, fmt.Sprintf("takes change %d back", number), edits)
}

// Restore makes a draft that has devices run what is intended again, as far as targets name it.
func (s *Service) Restore(ctx context.Context, number int64, owner, why string, drift []layers.Difference) (store.Change, error) {
	var edits []intent.Edit
	for _, d := range drift {
		if e, err := intent.NewAct(d.On, d.Field, intent.Restore); err == nil {
			edits = append(edits, e)
		}
	}
	return s.Bulk(ctx, number, owner, why, edits)
}
