// Package alarms raises, changes and clears alarms, and keeps what operators do about them.
//
// It looks at the whole network again and again, at the latest after some seconds and soon after something happened, and holds what stands
// against what is open. So nothing is missed that was not heard of, and after a restart nothing is raised twice.
package alarms

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// Inventory is the network as it is known.
type Inventory interface {
	Devices(q catalog.Query) catalog.Result[*catalog.Device]
	Ports(q catalog.Query) catalog.Result[*catalog.Port]
	Links(q catalog.Query) catalog.Result[*catalog.Link]
	ClientsAt(device string) int
	SetAlarms(by map[string][]*catalog.Alarm)
}

// Layers tells how many settings of a device differ from what is intended.
type Layers interface{ Drifted() map[string]int }

// ErrOver tells that an alarm does not stand any more.
var ErrOver = errors.New("the alarm is over")

// ErrInvalid tells that something cannot be done to an alarm.
var ErrInvalid = errors.New("that cannot be done to an alarm")

const (
	soon     = 300 * time.Millisecond // after something happened
	suspect  = 15 * time.Minute       // before an alarm: a change then may be why
	maxNotes = 200
)

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	store     *store.Store
	inventory Inventory
	layers    Layers
	feed      *feed.Feed
	leases    *leases.Leases
	expand    func(ctx context.Context, e selector.Expr) (selector.Expr, error)
	history   History
	clientsAt func(device string) int
	disk      func() float64
	promises  func(ctx context.Context) alarm.Promises
	log       *slog.Logger
	now       func() time.Time
	timing    Timing

	stop context.CancelFunc
	wg   sync.WaitGroup

	mu    sync.Mutex
	known []alarm.Alarm // open, or cleared lately; the newest first
	watch alarm.Watch
	own   own
	last  map[string]touched // when devices were changed, and by what

	promised beside[alarm.Promises]
	caps     func(ctx context.Context) alarm.Caps
	capped   beside[alarm.Caps]
}

// beside is what takes long to find out: it is asked beside the looks, so that no alarm waits for it.
type beside[T any] struct {
	sync.Mutex
	at     time.Time
	asking bool
	value  T
}

// touched is a change on a device.
type touched struct {
	at     time.Time
	change int64
	by     string
}

// Timing says how often the service looks. What is 0 is as usual.
type Timing struct {
	Latest   time.Duration // between two looks
	Apart    time.Duration // two looks are at least
	Promises time.Duration // between two times that promises are held against what runs: each is many questions
	Caps     time.Duration // between two times that is added up what went through circuits
}

func (t Timing) orUsual() Timing {
	t.Latest, t.Apart, t.Promises = cmp.Or(t.Latest, 5*time.Second), cmp.Or(t.Apart, time.Second), cmp.Or(t.Promises, 10*time.Second)
	t.Caps = cmp.Or(t.Caps, 10*time.Minute)
	return t
}

// Parts are what the service is made of.
type Parts struct {
	Store     *store.Store
	Inventory Inventory
	Layers    Layers
	Feed      *feed.Feed
	Leases    *leases.Leases
	Expand    func(ctx context.Context, e selector.Expr) (selector.Expr, error) // groups in selectors
	History   History
	Promises  func(ctx context.Context) alarm.Promises // how they stand; nil for none
	Caps      func(ctx context.Context) alarm.Caps     // which circuits are over what may go through them; nil for none
	Disk      func() float64                           // how much of the service's own disk is used, in parts of 1
	Log       *slog.Logger
	Now       func() time.Time
	Timing    Timing
}

// New returns the service, which works until Close.
func New(ctx context.Context, p Parts) (*Service, error) {
	own, stop := context.WithCancel(context.Background())
	s := &Service{store: p.Store, inventory: p.Inventory, layers: p.Layers, feed: p.Feed, leases: p.Leases, expand: p.Expand, history: p.History, clientsAt: p.Inventory.ClientsAt, disk: p.Disk, promises: p.Promises, caps: p.Caps, log: p.Log, now: p.Now, timing: p.Timing.orUsual(), stop: stop, last: map[string]touched{}}
	var err error
	if s.known, err = p.Store.Alarms(ctx, store.AlarmQuery{Since: p.Now().Add(-alarm.Again), Limit: math.MaxInt32}); err != nil {
		stop()
		return nil, err
	}
	s.show()
	if err := s.beginOwn(ctx); err != nil {
		stop()
		return nil, err
	}
	news := p.Feed.Follow(feed.Wants{Kinds: []fact.Kind{fact.Port, fact.Device, fact.Config, fact.Fleet, fact.Drift, fact.Change}})
	s.wg.Go(func() { s.run(own, news) })
	return s, nil
}

// Close ends it and waits.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

func (s *Service) run(ctx context.Context, news *feed.Follower) {
	defer news.Close()
	next := time.NewTimer(soon)
	defer next.Stop()
	looked, pruned := time.Time{}, time.Now()
	for {
		select {
		case <-ctx.Done():
			return
		case <-news.Bell():
			heard := false
			for more := true; more; {
				var item feed.Item
				var err error
				if item, more, err = news.Take(ctx); err != nil || !more {
					break
				}
				heard = heard || item.Fact != nil
				if item.Fact != nil {
					s.hear(ctx, *item.Fact)
				}
			}
			if heard {
				next.Reset(max(soon, s.timing.Apart-time.Since(looked)))
			}
			continue
		case <-next.C:
		}
		looked = time.Now()
		if err := s.Look(ctx); err != nil && ctx.Err() == nil {
			s.log.Error("alarms could not be kept", "err", err)
		}
		if time.Since(pruned) > time.Hour {
			pruned = time.Now()
			if err := s.store.PruneAlarms(ctx); err != nil && ctx.Err() == nil {
				s.log.Error("old alarms could not be dropped", "err", err)
			}
		}
		next.Reset(s.timing.Latest)
	}
}

// hear remembers what was changed where.
func (s *Service) hear(ctx context.Context, f fact.Fact) {
	switch w := f.What.(type) {
	case fact.ConfigChanged:
		if !w.Own {
			s.touch(f.Subject.Name, touched{at: f.At, by: w.By})
		}
	case fact.ChangeOnTrial:
		c, err := s.store.Change(ctx, f.Subject.Number)
		if err != nil {
			return
		}
		for _, d := range c.Devices {
			s.touch(d.Device, touched{at: f.At, change: c.Number, by: c.PushedBy})
		}
	}
}

func (s *Service) touch(device string, t touched) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.last[device] = t
}

// seen is the network for a look.
func (s *Service) seen() alarm.Network {
	all := catalog.Query{Limit: math.MaxInt, Now: s.now()}
	n := alarm.Network{Devices: s.inventory.Devices(all).Rows, Drift: s.layers.Drifted(), DiskUsed: s.disk(), Now: s.now()}
	n.Restarting = map[string]bool{}
	for _, d := range n.Devices {
		if s.leases.Restarting(d.Name) {
			n.Restarting[d.Name] = true
		}
	}
	n.Links = slices.DeleteFunc(slices.Clone(s.inventory.Links(all).Rows), func(l *catalog.Link) bool { return !l.First() })
	return n
}

// lately is what was found out lately, and whether it ever was. What is older than it may be is found out anew, beside.
func lately[T any](ctx context.Context, s *Service, b *beside[T], every time.Duration, find func(ctx context.Context) T) (T, bool) {
	b.Lock()
	defer b.Unlock()
	if s.now().Sub(b.at) >= every && !b.asking && ctx.Err() == nil {
		b.asking = true
		s.wg.Go(func() {
			value := find(ctx)
			b.Lock()
			defer b.Unlock()
			if b.asking = false; ctx.Err() == nil {
				b.value, b.at = value, s.now()
			}
		})
	}
	return b.value, !b.at.IsZero()
}

// promisedNow is how promises stood lately.
func (s *Service) promisedNow(ctx context.Context) alarm.Promises {
	if s.promises == nil {
		return alarm.Promises{}
	}
	stand, known := lately(ctx, s, &s.promised, s.timing.Promises, s.promises)
	stand.Unasked = stand.Unasked || !known
	return stand
}

// cappedNow is which circuits were over their caps lately.
func (s *Service) cappedNow(ctx context.Context) alarm.Caps {
	if s.caps == nil {
		return alarm.Caps{}
	}
	caps, known := lately(ctx, s, &s.capped, s.timing.Caps, s.caps)
	caps.Unasked = caps.Unasked || !known
	return caps
}

// Look holds what stands against what is open, once.
func (s *Service) Look(ctx context.Context) error {
	n := s.seen()
	promised, caps := s.promisedNow(ctx), s.cappedNow(ctx)
	var err error
	if n.Licences, err = s.store.RadioLicences(ctx); err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	n.Promises, n.Caps = promised, caps
	if err := s.rename(ctx, n); err != nil {
		return err
	}
	standing := append(alarm.Standing(n), s.standingByRules(ctx)...)
	at := s.now().UTC().Truncate(time.Microsecond)
	unseen := blind(n)
	changed := s.watch.Look(s.known, standing, at, unseen)
	for i, a := range changed {
		if a.Number == 0 || a.ChangedAt.Equal(at) && a.ClearedAt.IsZero() && a.Change == 0 && a.By == "" {
			changed[i].Change, changed[i].By = s.suspect(a, at)
		}
	}
	before := map[int64]alarm.Alarm{}
	for _, a := range s.known {
		before[a.Number] = a
	}
	if len(changed) > 0 {
		// New ones are kept first, without being told: what follows from what is known by their numbers.
		fresh := slices.DeleteFunc(slices.Clone(changed), func(a alarm.Alarm) bool { return a.Number != 0 })
		if err := s.store.PutAlarms(ctx, fresh, nil); err != nil {
			return err
		}
		changed = append(slices.DeleteFunc(changed, func(a alarm.Alarm) bool { return a.Number == 0 }), fresh...)
	}
	now := s.with(changed, at)
	changed = s.caused(now, changed, n)
	if len(changed) == 0 {
		s.known = now
		s.show()
		return nil
	}
	err = s.store.PutAlarms(ctx, changed, func(list []alarm.Alarm) (out []fact.Fact) {
		for _, a := range list {
			was, known := before[a.Number]
			switch {
			case a.ClearedAt.IsZero() && (!known || !was.ClearedAt.IsZero() || a.Severity.Compare(was.Severity) < 0): // or it is worse than it was
				out = append(out, fact.Of(at, a.Subject, fact.AlarmRaised{Alarm: a.Number, Type: a.Type, Name: a.Name, Severity: string(a.Severity), Args: a.Args, Cause: a.Cause}))
			case !a.ClearedAt.IsZero() && was.ClearedAt.IsZero() && known && was.ClosedBy == "":
				out = append(out, fact.Of(at, a.Subject, fact.AlarmCleared{Alarm: a.Number, Type: a.Type, Args: a.Args}))
			}
		}
		return out
	})
	if err != nil {
		return err
	}
	s.known = s.with(changed, at)
	s.told()
	return nil
}

// rename has alarms be of the devices that they are of now: one may have got another name, or be forgotten.
func (s *Service) rename(ctx context.Context, n alarm.Network) error {
	there := map[string]bool{"": true}
	for _, d := range n.Devices {
		there[d.Name] = true
	}
	var out []alarm.Alarm
	for _, a := range s.known {
		if !there[a.Subject.OnDevice()] {
			kept, err := s.store.Alarm(ctx, a.Number)
			if errors.Is(err, store.ErrNotFound) {
				continue
			}
			if err != nil {
				return err
			}
			a.Subject = kept.Subject
		}
		out = append(out, a)
	}
	s.known = out
	return nil
}

// with are the known alarms with some that changed, the newest first, without those that are over too long to come back.
func (s *Service) with(changed []alarm.Alarm, at time.Time) []alarm.Alarm {
	by := map[int64]alarm.Alarm{}
	for _, a := range changed {
		by[a.Number] = a
	}
	var out []alarm.Alarm
	for _, a := range s.known {
		if now, is := by[a.Number]; is {
			a = now
			delete(by, a.Number)
		}
		out = append(out, a)
	}
	for _, a := range by {
		out = append(out, a)
	}
	out = slices.DeleteFunc(out, func(a alarm.Alarm) bool { return !a.ClearedAt.IsZero() && at.Sub(a.ClearedAt) >= alarm.Again })
	slices.SortFunc(out, func(a, b alarm.Alarm) int { return int(b.Number - a.Number) })
	return out
}

// caused notes which alarms follow from which, and returns those that change with it besides.
func (s *Service) caused(known, changed []alarm.Alarm, n alarm.Network) []alarm.Alarm {
	var open []alarm.Alarm
	for _, a := range known {
		if a.ClearedAt.IsZero() {
			open = append(open, a)
		}
	}
	causes := alarm.Causes(open, n.Links, entriesOf(n.Devices))
	for _, a := range open {
		cause := causes[a.Number]
		if a.Cause == cause {
			continue
		}
		a.Cause = cause
		if i := slices.IndexFunc(changed, func(o alarm.Alarm) bool { return o.Number == a.Number }); i >= 0 {
			changed[i].Cause = cause
		} else {
			changed = append(changed, a)
		}
	}
	return changed
}

// entriesOf are the devices through which the management network comes in.
func entriesOf(devices []*catalog.Device) []string {
	seen := map[string]bool{}
	for _, d := range devices {
		if d.Site.Entry != "" {
			seen[d.Site.Entry] = true
		}
	}
	out := make([]string, 0, len(seen))
	for name := range seen {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// blind returns what tells of which alarms nobody can say now whether they stand.
func blind(n alarm.Network) func(alarm.Alarm) bool {
	reach := map[string]network.Reach{}
	for _, d := range n.Devices {
		reach[d.Name] = d.Reach
	}
	unknown := map[string]bool{}
	for _, l := range n.Links {
		if l.Health == network.HealthUnknown {
			unknown[l.A.Device+":"+l.A.Name] = true
		}
	}
	return func(a alarm.Alarm) bool {
		r, kept := reach[a.Subject.OnDevice()]
		switch {
		case a.Type == alarm.Broken:
			return n.Promises.Unasked || n.Promises.Doubtful[a.Name]
		case a.Type == alarm.CircuitCap:
			return n.Caps.Unasked
		case a.Subject.OnDevice() == "" || !kept || r == network.ReachRetired:
			return false
		case a.Type == alarm.DeviceGone || a.Type == alarm.DeviceRefused:
			return r == network.ReachWaiting
		case a.Type == alarm.LinkDown || a.Type == alarm.LinkPart || a.Type == alarm.TunnelDown:
			far, _, _ := strings.Cut(a.Name, ":")
			return unknown[a.Subject.String()] || r != network.ReachConnected && reach[far] != network.ReachConnected
		}
		return r != network.ReachConnected
	}
}

// suspect is what was changed on what an alarm touches shortly before.
func (s *Service) suspect(a alarm.Alarm, at time.Time) (change int64, by string) {
	far, _, _ := strings.Cut(a.Name, ":")
	for _, device := range []string{a.Subject.OnDevice(), far} {
		if t, ok := s.last[device]; ok && at.Sub(t.at) < suspect {
			return t.change, t.by
		}
	}
	return 0, ""
}

// Get returns an alarm.
func (s *Service) Get(ctx context.Context, number int64) (alarm.Alarm, error) {
	return s.store.Alarm(ctx, number)
}

// List lists alarms.
func (s *Service) List(ctx context.Context, q store.AlarmQuery) ([]alarm.Alarm, error) {
	return s.store.Alarms(ctx, q)
}

// Act is something that an operator does about an alarm.
type Act struct {
	What string // acknowledge, unacknowledge, assign, note, close, silence
	To   string // whom it is assigned to; "" for nobody any more
	Text string // of a note; why it is closed
	// Until is until when nobody wants to hear of it; in the past for no longer.
	Until time.Time
}

// Do does something about an alarm for somebody.
func (s *Service) Do(ctx context.Context, number int64, by string, act Act) (alarm.Alarm, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	a, err := s.store.Alarm(ctx, number)
	if err != nil {
		return a, err
	}
	at := s.now().UTC().Truncate(time.Microsecond)
	said := ""
	text := strings.TrimSpace(act.Text)
	if act.What != "note" && !a.Open() {
		return a, fmt.Errorf("%w: alarm %d", ErrOver, number)
	}
	closed := false
	switch act.What {
	case "acknowledge":
		a.AckedBy, a.AckedAt, said = by, at, "acknowledged it"
	case "unacknowledge":
		a.AckedBy, a.AckedAt, said = "", time.Time{}, "took the acknowledgement back"
	case "assign":
		a.AssignedTo, said = act.To, "gave it to "+act.To
		if act.To == "" {
			said = "gave it to nobody"
		}
	case "note":
		if text == "" {
			return a, fmt.Errorf("%w: the note is empty", ErrInvalid)
		}
		said, text = text, ""
	case "close":
		if text == "" {
			return a, fmt.Errorf("%w: say why it is closed although it stands", ErrInvalid)
		}
		a.ClosedBy, a.ClosedWhy, said, closed = by, text, "closed it", true
	case "silence":
		if act.Until.After(at.Add(31 * 24 * time.Hour)) {
			return a, fmt.Errorf("%w: it is silenced for 31 days at most", ErrInvalid)
		}
		if a.SilencedBy, a.SilenceUntil, said = by, act.Until.UTC(), "silenced it until "+act.Until.UTC().Format("2006-01-02 15:04 MST"); !act.Until.After(at) {
			a.SilencedBy, a.SilenceUntil, said = "", time.Time{}, "silences it no more"
		}
	default:
		return a, fmt.Errorf("%w: there is no %q", ErrInvalid, act.What)
	}
	if text != "" {
		said += ": " + text
	}
	if a.Notes = append(slices.Clone(a.Notes), alarm.Note{At: at, By: by, Text: said}); len(a.Notes) > maxNotes {
		a.Notes = a.Notes[len(a.Notes)-maxNotes:]
	}
	a.ChangedAt = at
	list := []alarm.Alarm{a}
	if err := s.store.PutAlarms(ctx, list, func([]alarm.Alarm) (out []fact.Fact) {
		if closed {
			out = append(out, fact.Of(at, a.Subject, fact.AlarmCleared{Alarm: a.Number, Type: a.Type, Args: a.Args, By: by, Why: text}))
		}
		return out
	}); err != nil {
		return a, err
	}
	for i, k := range s.known {
		if k.Number == a.Number {
			s.known[i] = a
		}
	}
	s.told()
	return a, nil
}

// show has things be picked by the alarms that are open.
func (s *Service) show() {
	by := map[string][]*catalog.Alarm{}
	for _, a := range s.known {
		if device := a.Subject.OnDevice(); a.Open() && device != "" {
			by[device] = append(by[device], &catalog.Alarm{Number: a.Number, Type: a.Type, Severity: string(a.Severity), Port: a.Subject.PortName(), RaisedAt: a.RaisedAt,
				Acked: a.AckedBy != "", AssignedTo: a.AssignedTo})
		}
	}
	s.inventory.SetAlarms(by)
}

func (s *Service) told() {
	s.show()
	s.feed.Note(fact.State{Kind: fact.Alarm})
	s.feed.Recorded()
}
