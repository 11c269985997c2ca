// Package layers keeps what templates, sites and devices say of settings, works out where each device stands among them, and
// notices when a device runs something else than is intended. It changes no device: that is for drafts.
package layers

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/netip"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/groups"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	Views() []fleet.View
}

// MaxTemplates bounds how many there may be: each is asked about every device and port.
const MaxTemplates = 100

// Service is the capability. Make it with New.
type Service struct {
	store     *store.Store
	inventory *inventory.Service
	groups    *groups.Service
	fleet     Fleet
	leases    *leases.Leases // a device on which a change is under way is for that change to say
	feed      *feed.Feed
	news      *feed.Follower
	log       *slog.Logger

	ctx   context.Context
	stop  context.CancelFunc
	wg    sync.WaitGroup
	wake  chan struct{}
	delay time.Duration // between a sign that something changed and looking at it, so that many signs are looked at at once

	settling sync.Mutex // one at a time changes what layers say
	judging  sync.Mutex // one at a time finds out what drifts

	mu     sync.Mutex
	words  map[string]intent.Words // of devices, as far as they were asked for
	dirty  map[string]bool         // devices to be looked at
	drifts map[string]Drift        // by device: those that run other than intended
	bySite bool                    // some layer says what is another at each site
}

// New returns the service.
func New(s *store.Store, f Fleet, inv *inventory.Service, g *groups.Service, ls *leases.Leases, fd *feed.Feed, log *slog.Logger) *Service {
	ctx, stop := context.WithCancel(context.Background())
	return &Service{store: s, fleet: f, inventory: inv, groups: g, leases: ls, feed: fd, news: fd.Follow(wants), log: log, ctx: ctx, stop: stop, wake: make(chan struct{}, 1), delay: 100 * time.Millisecond,
		words: map[string]intent.Words{}, dirty: map[string]bool{}, drifts: map[string]Drift{}}
}

// Start begins to look at devices as they are read.
func (s *Service) Start() { s.wg.Go(s.look) }

// wants is what it follows: configurations that were read, and names that are no longer those of the devices that had them.
var wants = feed.Wants{Kinds: []fact.Kind{fact.Fleet}, States: []fact.Kind{fact.Config}}

// hear takes note of what happened.
func (s *Service) hear() {
	for {
		item, ok, err := s.news.Take(s.ctx)
		switch {
		case err != nil || !ok:
			return
		case item.State != nil:
			s.Look(s.with(item.State.Device)...)
		default:
			if name, gone := fact.NameFreed(*item.Fact); gone {
				s.letGo(name)
			}
		}
	}
}

// with is a device, and those of its site whose places speak of the networks of which it is the gateway.
func (s *Service) with(device string) []string {
	out := []string{device}
	s.mu.Lock()
	bySite := s.bySite
	s.mu.Unlock()
	v, ok := s.fleet.View(device)
	if !bySite || !ok || len(setting.Gateways(v.Config)) == 0 {
		return out
	}
	at, _ := s.inventory.Kept(device)
	for _, other := range s.fleet.Views() {
		if kept, _ := s.inventory.Kept(other.Name); kept.Site == at.Site && other.Config.Has(setting.Firewall) {
			out = append(out, other.Name)
		}
	}
	return out
}

// Close ends that and waits.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
	s.news.Close()
}

// letGo forgets what was known under the name of a device that has it no longer.
func (s *Service) letGo(device string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.words, device)
	delete(s.drifts, device)
}

// Control tells who changes a device.
func (s *Service) Control(device string) network.Control {
	d, _ := s.inventory.Kept(device)
	return d.Control
}

// Stage returns the layers with where some devices stand among them; nil stands for all devices.
func (s *Service) Stage(ctx context.Context, devices []string) (intent.Stage, error) {
	if devices == nil {
		for _, v := range s.fleet.Views() {
			devices = append(devices, v.Name)
		}
	}
	var l intent.Layers
	var err error
	if l.Templates, err = s.store.Templates(ctx); err != nil {
		return intent.Stage{}, err
	}
	if l.Sites, err = s.store.SiteWords(ctx); err != nil {
		return intent.Stage{}, err
	}
	if l.Devices, err = s.deviceWords(ctx, devices); err != nil {
		return intent.Stage{}, err
	}
	stage := intent.Stage{Layers: l, Spots: s.spots(ctx, l, devices)}
	return stage, s.fill(ctx, &stage)
}

// After returns a stage as edits make it, under the number of their change.
func (s *Service) After(ctx context.Context, stage intent.Stage, edits []intent.Edit, change int64) intent.Stage {
	out := intent.Stage{Layers: stage.Layers.With(edits, change)}
	out.Spots = s.spots(ctx, out.Layers, slices.Collect(maps.Keys(stage.Spots)))
	return out
}

// spots works out where devices stand, by what they run with their own words over it. A template whose selector cannot be
// read (any more) picks nothing.
func (s *Service) spots(ctx context.Context, l intent.Layers, devices []string) map[string]intent.Spot {
	out := make(map[string]intent.Spot, len(devices))
	as := map[string]network.Config{}
	var at map[string]map[network.VLANID][]netip.Prefix
	bySite := l.BySite()
	if bySite {
		at = s.networks(l)
	}
	s.mu.Lock()
	s.bySite = s.bySite || bySite
	s.mu.Unlock()
	for _, name := range devices {
		kept, _ := s.inventory.Kept(name)
		out[name] = intent.Spot{Device: name, Site: kept.Site, Ports: map[string][]string{}, Networks: at[kept.Site]}
		if v, ok := s.fleet.View(name); ok && len(l.Templates) > 0 {
			if own, differs := l.Own(name, v.Config); differs {
				as[name] = own
			}
		}
	}
	var picks []inventory.Pick
	var names []string
	for _, t := range l.InOrder() {
		w := l.Templates[t]
		where, err := s.pick(ctx, w)
		if err != nil {
			s.log.Warn("a template picks nothing", "template", t, "err", err)
		}
		if where != nil && err == nil {
			picks, names = append(picks, inventory.Pick{Where: where, Ports: w.Self("for") != intent.ForDevices}), append(names, t)
		}
	}
	s.inventory.Picked(devices, as, picks, func(i int, on network.PortRef) {
		spot := out[on.Device]
		if !picks[i].Ports {
			spot.Templates = append(spot.Templates, names[i])
			out[on.Device] = spot
			return
		}
		spot.Ports[on.Port] = append(spot.Ports[on.Port], names[i])
	})
	return out
}

// networks are those of the VLANs of each site, as gateways there have them with their own words over what they run.
func (s *Service) networks(l intent.Layers) map[string]map[network.VLANID][]netip.Prefix {
	out := map[string]map[network.VLANID][]netip.Prefix{}
	for _, v := range s.fleet.Views() {
		own, _ := l.Own(v.Name, v.Config)
		kept, _ := s.inventory.Kept(v.Name)
		for _, g := range setting.Gateways(own) {
			if !g.Address.IsValid() {
				continue
			}
			of := out[kept.Site]
			if of == nil {
				of = map[network.VLANID][]netip.Prefix{}
				out[kept.Site] = of
			}
			if p := g.Address.Masked(); !slices.Contains(of[g.VLAN], p) {
				of[g.VLAN] = append(of[g.VLAN], p)
			}
		}
	}
	for _, of := range out {
		for _, list := range of {
			slices.SortFunc(list, netip.Prefix.Compare)
		}
	}
	return out
}

// pick is what a template picks, nil for nothing.
func (s *Service) pick(ctx context.Context, w intent.Words) (selector.Expr, error) {
	text := w.Self("pick")
	if text == "" {
		return nil, nil
	}
	e, err := catalog.Network.Parse(text)
	if err != nil {
		return nil, err
	}
	return s.groups.Expand(ctx, e)
}

// ErrTemplate tells that a template cannot be as edits would make it.
var ErrTemplate = errors.New("the template cannot be like that")

// Check tells why layers cannot be as edits make them, or nil.
func (s *Service) Check(before, after intent.Layers, edits []intent.Edit) error {
	if len(after.Templates) > MaxTemplates {
		return fmt.Errorf("%w: there are %d templates, and that is all there may be", ErrTemplate, MaxTemplates)
	}
	sites := map[string]bool{}
	for _, site := range s.inventory.Sites(catalog.Query{Limit: 1 << 30, Now: time.Now()}).Rows {
		sites[site.Name] = true
	}
	for _, e := range edits {
		if name, ok := intent.SiteOf(e.Port); ok && !sites[name] {
			return fmt.Errorf("%w: there is no site %s", ErrTemplate, name)
		}
		name, ok := intent.TemplateOf(e.Port)
		if !ok {
			continue
		}
		w := after.Templates[name]
		if w == nil {
			if before.Templates[name] == nil {
				return fmt.Errorf("%w: there is no template %s", ErrTemplate, name)
			}
			continue
		}
		if w.Self(setting.Present) != "on" {
			return fmt.Errorf("%w: there is no template %s: make it first, with template/%s:self present=on", ErrTemplate, name, name)
		}
		if err := checkTemplate(name, w); err != nil {
			return err
		}
	}
	return nil
}

func checkTemplate(name string, w intent.Words) error {
	e, err := catalog.Network.Parse(w.Self("pick"))
	if err != nil {
		return fmt.Errorf("%w: what template %s picks: %w", ErrTemplate, name, err)
	}
	if (catalog.Query{Where: e}).SpeaksOfLinks() {
		return fmt.Errorf("%w: template %s cannot pick by links", ErrTemplate, name)
	}
	ports := w.Self("for") != intent.ForDevices
	for object := range w {
		switch {
		case object == intent.Self:
		case ports && object != intent.EachPort:
			return fmt.Errorf("%w: %s is for ports, and speaks of %q besides; a template for devices can", ErrTemplate, name, object)
		case !ports && object == intent.EachPort:
			return fmt.Errorf("%w: %s is for devices, and speaks of their ports besides; a template for ports can", ErrTemplate, name)
		}
	}
	return nil
}

// deviceWords returns what is said for single devices, as far as something is kept of them.
func (s *Service) deviceWords(ctx context.Context, devices []string) (map[string]intent.Words, error) {
	out := make(map[string]intent.Words, len(devices))
	var missing []string
	s.mu.Lock()
	for _, name := range devices {
		if w, ok := s.words[name]; ok {
			out[name] = w
		} else {
			missing = append(missing, name)
		}
	}
	s.mu.Unlock()
	if len(missing) == 0 {
		return out, nil
	}
	kept, err := s.store.DeviceWords(ctx, missing)
	if err != nil {
		return nil, err
	}
	for name, w := range kept {
		out[name] = s.remember(name, w)
	}
	return out, nil
}

// fill fills the devices of a stage of which nothing is kept yet with what they run.
func (s *Service) fill(ctx context.Context, stage *intent.Stage) error {
	for name, spot := range stage.Spots {
		v, there := s.fleet.View(name)
		if stage.Layers.Devices[name] != nil || !there || !read(v) {
			continue
		}
		w := stage.Layers.Fill(spot, v.Config)
		if err := s.store.FillDevice(ctx, name, w); err != nil {
			return err
		}
		stage.Layers.Devices[name] = s.remember(name, w)
	}
	return nil
}

// remember keeps the words of a device in memory, unless somebody was quicker: then those are returned.
func (s *Service) remember(name string, w intent.Words) intent.Words {
	s.mu.Lock()
	defer s.mu.Unlock()
	if newer, ok := s.words[name]; ok {
		return newer
	}
	s.words[name] = w
	return w
}

// Settlement is what becomes of the layers when something is made intended.
type Settlement struct {
	Edits     []intent.Edit
	Change    int64                     // under which they are said, 0 for what was found
	Was, Runs map[string]network.Config // what devices ran before, and run now
}

// Settle takes over what edits make of the layers, so that what devices now run is intended. keep writes it, with whatever
// belongs to it, and must be all or nothing; back is what brings the layers back to what they said before.
func (s *Service) Settle(ctx context.Context, in Settlement, keep func(l intent.Layers, back []intent.Edit) error) error {
	s.settling.Lock()
	defer s.settling.Unlock()
	var devices []string
	if !intent.OnLayers(in.Edits) {
		devices = slices.AppendSeq(intent.Devices(in.Edits), maps.Keys(in.Runs))
	}
	stage, err := s.Stage(ctx, devices)
	if err != nil {
		return err
	}
	after := s.After(ctx, stage, in.Edits, in.Change)
	l := intent.Settle(stage, after, in.Edits, in.Change, in.Was, in.Runs)
	changed := map[string]intent.Words{}
	for name := range stage.Spots {
		if was, is := stage.Layers.Devices[name], l.Devices[name]; was != nil && !sameWords(was, is) {
			changed[name] = is
		}
	}
	l.Devices = changed
	if err := keep(l, stage.Layers.Before(in.Edits)); err != nil {
		return err
	}
	s.mu.Lock()
	for name, w := range changed {
		if w == nil {
			w = intent.Words{}
		}
		s.words[name] = w
	}
	s.mu.Unlock()
	if intent.OnLayers(in.Edits) {
		s.Look()
	} else {
		s.Look(devices...)
	}
	return nil
}

func sameWords(a, b intent.Words) bool {
	return maps.EqualFunc(a, b, func(x, y map[string]intent.Word) bool { return maps.Equal(x, y) })
}

// Template is a template, and how far it holds.
type Template struct {
	Name    string
	Words   intent.Words
	Picks   []network.PortRef // the devices or ports that it picks
	Devices int               // on how many devices
	Others  []Other           // settings of what it picks of which a stronger layer speaks
}

// Other is a setting of something that a template picks, of which a stronger layer speaks.
type Other struct {
	On           network.PortRef
	Field, Value string
	Layer        string
}

// Templates lists the templates, the weakest first, as a draft's edits would make them.
func (s *Service) Templates(ctx context.Context, draft []intent.Edit) ([]Template, error) {
	stage, err := s.Stage(ctx, nil)
	if err != nil {
		return nil, err
	}
	return describe(s.After(ctx, stage, draft, 0)), nil
}

// describe tells of the templates of a stage, the weakest first.
func describe(stage intent.Stage) []Template {
	by := map[string]*Template{}
	names := stage.Layers.InOrder()
	for _, name := range names {
		by[name] = &Template{Name: name, Words: stage.Layers.Templates[name]}
	}
	for _, device := range slices.Sorted(maps.Keys(stage.Spots)) {
		spot := stage.Spots[device]
		touched := map[string]bool{}
		add := func(t string, object, from string) {
			d := by[t]
			touched[t] = true
			on := network.PortRef{Device: device, Port: object}
			for _, name := range slices.Sorted(maps.Keys(d.Words[from])) {
				s, err := setting.Lookup(setting.KindOf(object), name)
				if err != nil {
					continue
				}
				if value, layer, _ := stage.Layers.Holds(spot, object, s); layer != intent.TemplateLayer(t) {
					d.Others = append(d.Others, Other{on, name, value, layer})
				}
			}
		}
		for _, t := range spot.Templates {
			by[t].Picks = append(by[t].Picks, network.PortRef{Device: device})
			for object := range by[t].Words {
				if object != intent.Self {
					add(t, object, object)
				}
			}
		}
		ports := slices.SortedFunc(maps.Keys(spot.Ports), network.ComparePorts)
		for _, port := range ports {
			for _, t := range spot.Ports[port] {
				by[t].Picks = append(by[t].Picks, network.PortRef{Device: device, Port: port})
				add(t, port, intent.EachPort)
			}
		}
		for _, t := range names {
			if touched[t] {
				by[t].Devices++
			}
		}
	}
	out := make([]Template, len(names))
	for i, name := range names {
		out[i] = *by[name]
	}
	return out
}
