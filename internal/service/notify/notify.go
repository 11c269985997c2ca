// Package notify tells people and other programs of alarms: by mail, and by webhooks.
//
// What is to be told is kept before it is sent, so that a restart loses nothing and tells little twice; what cannot be sent is tried again for
// a day. One alarm is told once, however often it comes and goes within half a minute, and once more when it is over; what follows from
// another alarm is not told by itself.
package notify

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/mail"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/schedule"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// The kinds of what is told.
const (
	Raised = "raised"
	Over   = "over"
	Test   = "test"
)

// The states of a delivery.
const (
	Waiting = "waiting"
	Sent    = "sent"
	Failed  = "failed"
	Dropped = "dropped"
)

// ErrInvalid tells what is wrong with a notice or a mail server.
var ErrInvalid = errors.New("that cannot be")

// Bounds and waits.
const (
	maxNotices   = 100
	maxAddresses = 50
	maxAfter     = 24 * 60                // minutes
	lookEvery    = 100 * time.Millisecond // at most so often
	lookAtLatest = 30 * time.Second
	atOnce       = 20
)

// Timing says how long. Zero values stand for the defaults.
type Timing struct {
	Settle time.Duration // until it is known what an alarm follows from: 10 s
	Over   time.Duration // until what is over counts as over: 30 s
	Retry  time.Duration // before the first new try, doubling with each up to two hours: 30 s
	Send   time.Duration // until a try is given up: 20 s
}

// maxTries spans about a day.
const maxTries = 16

// Inventory tells whether a selector picks a device.
type Inventory interface {
	HoldsDevice(name string, e selector.Expr) bool
}

// People tell where somebody gets mail.
type People interface {
	// Mailbox is the address of a user; "" where he has none. store.ErrNotFound tells that there is no such user.
	Mailbox(ctx context.Context, user string) (string, error)
	// Sees tells whether a user may see the alarms of a device; "" stands for the service itself.
	Sees(ctx context.Context, user, device string) bool
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	store     *store.Store
	inventory Inventory
	people    People
	expand    func(ctx context.Context, e selector.Expr) (selector.Expr, error) // groups in selectors
	sealer    *secrets.Sealer
	feed      *feed.Feed
	log       *slog.Logger
	now       func() time.Time
	timing    Timing

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup
	mu   sync.Mutex // one at a time decides what is to be told of an alarm
	kick chan struct{}
}

// Parts are what the service is made of.
type Parts struct {
	Store     *store.Store
	Inventory Inventory
	People    People
	Expand    func(ctx context.Context, e selector.Expr) (selector.Expr, error)
	Sealer    *secrets.Sealer
	Feed      *feed.Feed
	Log       *slog.Logger
	Now       func() time.Time
	Timing    Timing
}

// New returns the service, which works until Close.
func New(ctx context.Context, p Parts) (*Service, error) {
	own, stop := context.WithCancel(context.Background())
	t := p.Timing
	for d, usual := range map[*time.Duration]time.Duration{&t.Settle: 10 * time.Second, &t.Over: 30 * time.Second, &t.Retry: 30 * time.Second, &t.Send: 20 * time.Second} {
		if *d == 0 {
			*d = usual
		}
	}
	s := &Service{store: p.Store, inventory: p.Inventory, people: p.People, expand: p.Expand, sealer: p.Sealer, feed: p.Feed, log: p.Log, now: p.Now, timing: t, ctx: own, stop: stop, kick: make(chan struct{}, 1)}
	if err := p.Feed.Durable(own, &s.wg, "notify", feed.Wants{Kinds: []fact.Kind{fact.Alarm}}, s.hear); err != nil {
		stop()
		return nil, err
	}
	s.wg.Go(s.run)
	return s, nil
}

// Close ends it and waits. What waits to be sent is sent by the next life of the service.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

// cameBack is why the end of an alarm is not told.
const cameBack = "it came back"

// hear decides what is to be told of an alarm that was raised, or is over.
func (s *Service) hear(ctx context.Context, f fact.Fact) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	notices, err := s.store.Notices(ctx)
	if err != nil {
		return err
	}
	for _, n := range notices {
		switch w := f.What.(type) {
		case fact.AlarmRaised:
			err = s.raised(ctx, n, f, w)
		case fact.AlarmCleared:
			err = s.over(ctx, n, w)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) raised(ctx context.Context, n store.Notice, f fact.Fact, w fact.AlarmRaised) error {
	if alarm.Severity(n.Severity).Compare(alarm.Severity(w.Severity)) < 0 || !s.picks(ctx, n, f.Subject.OnDevice()) {
		return nil
	}
	last, err := s.store.LastDelivery(ctx, n.Name, w.Alarm)
	switch {
	case err != nil && !errors.Is(err, store.ErrNotFound):
		return err
	case err == nil && last.Kind == Raised && (last.State == Waiting || last.State == Sent):
		return nil // it was told, or will be
	case err == nil && last.Kind == Over && last.State == Waiting:
		return s.drop(ctx, last, cameBack)
	case err == nil && last.Kind == Over && last.Said == cameBack:
		return nil // it was told, and this is heard twice
	}
	at := s.now().UTC()
	_, err = s.add(ctx, store.Delivery{Notice: n.Name, Alarm: w.Alarm, Kind: Raised, State: Waiting, CreatedAt: at, Next: at.Add(max(s.timing.Settle, time.Duration(n.After)*time.Minute))})
	return err
}

func (s *Service) over(ctx context.Context, n store.Notice, w fact.AlarmCleared) error {
	last, err := s.store.LastDelivery(ctx, n.Name, w.Alarm)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return nil
	case err != nil:
		return err
	case last.Kind == Raised && last.State == Waiting:
		return s.drop(ctx, last, "it was over before")
	case last.Kind != Raised || last.State != Sent:
		// Of a flap the raised one may stand before an "over" that was dropped: it was told, and its end was not.
		if last.Kind != Over || last.State != Dropped {
			return nil
		}
	}
	at := s.now().UTC()
	_, err = s.add(ctx, store.Delivery{Notice: n.Name, Alarm: w.Alarm, Kind: Over, State: Waiting, CreatedAt: at, Next: at.Add(s.timing.Over)})
	return err
}

func (s *Service) drop(ctx context.Context, d store.Delivery, why string) error {
	d.State, d.Said, d.EndedAt = Dropped, why, s.now().UTC()
	return s.store.PutDelivery(ctx, d)
}

// picks tells whether a notice is about a device; "" is the service itself, of which those without a selector tell.
func (s *Service) picks(ctx context.Context, n store.Notice, device string) bool {
	if n.Pick == "" {
		return true
	}
	if device == "" {
		return false
	}
	e, err := catalog.Network.Parse(n.Pick)
	if err == nil {
		e, err = s.expand(ctx, e)
	}
	if err != nil {
		s.log.Error("a notice cannot tell whom it is about", "notice", n.Name, "err", err)
		return false
	}
	return s.inventory.HoldsDevice(device, e)
}

func (s *Service) run() {
	next := time.NewTimer(0)
	defer next.Stop()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-next.C:
		case <-s.kick:
		}
		next.Reset(s.untilDue())
		due, err := s.store.Due(s.ctx, s.now(), atOnce)
		if err != nil {
			if s.ctx.Err() == nil {
				s.log.Error("what is to be told could not be read", "err", err)
			}
			continue
		}
		var wg sync.WaitGroup
		for _, d := range due {
			wg.Go(func() { s.deliver(d) })
		}
		wg.Wait()
	}
}

// untilDue is how long until something is to be told, at most a while.
func (s *Service) untilDue() time.Duration {
	at, err := s.store.NextDue(s.ctx)
	if err != nil || at.IsZero() {
		return lookAtLatest
	}
	return min(max(at.Sub(s.now()), lookEvery), lookAtLatest)
}

// add keeps something that is to be told.
func (s *Service) add(ctx context.Context, d store.Delivery) (number int64, err error) {
	number, err = s.store.AddDelivery(ctx, d)
	select {
	case s.kick <- struct{}{}:
	default:
	}
	return number, err
}

// deliver sends something, or says why it is not to be sent or when it is tried again.
func (s *Service) deliver(d store.Delivery) {
	ctx, cancel := context.WithTimeout(s.ctx, s.timing.Send)
	defer cancel()
	n, err := s.notice(ctx, d.Notice)
	if errors.Is(err, store.ErrNotFound) {
		s.put(d, Dropped, "the notice was removed")
		return
	}
	var a alarm.Alarm
	if err == nil && d.Kind != Test {
		if a, err = s.store.Alarm(ctx, d.Alarm); errors.Is(err, store.ErrNotFound) {
			s.put(d, Dropped, "its device was forgotten")
			return
		}
	}
	if err != nil {
		return // the store cannot be read: it is due at the next look too
	}
	at := s.now()
	if why := needless(n, d, a); why != "" {
		s.put(d, Dropped, why)
		return
	}
	if until, why := later(n, d, a, at); why != "" {
		d.Next = until.UTC()
		s.put(d, Waiting, why)
		return
	}
	err = s.send(ctx, n, d, a)
	if err != nil && s.ctx.Err() != nil {
		return // the next life of the service tries it
	}
	d.Tries++
	switch {
	case errors.Is(err, errNobody) && d.Kind != Test:
		s.put(d, Dropped, err.Error())
	case err == nil:
		s.put(d, Sent, "")
	case d.Kind == Test || d.Tries >= maxTries:
		s.put(d, Failed, err.Error())
	default:
		d.Next = at.Add(min(s.timing.Retry<<min(d.Tries-1, 20), 2*time.Hour)).UTC()
		s.put(d, Waiting, err.Error())
	}
}

// needless says why something need not be told any more; "" where it must.
func needless(n store.Notice, d store.Delivery, a alarm.Alarm) string {
	if d.Kind != Raised {
		return ""
	}
	switch {
	case !a.Open():
		return "it was over before"
	case n.After > 0 && a.AckedBy != "":
		return a.AckedBy + " acknowledged it"
	}
	return ""
}

// later says until when something need not be told yet, and why: what it follows from may end before it does.
func later(n store.Notice, d store.Delivery, a alarm.Alarm, at time.Time) (until time.Time, why string) {
	if d.Kind == Raised && a.Cause != 0 {
		return at.Add(again), fmt.Sprintf("it follows from alarm %d", a.Cause)
	}
	if d.Kind == Raised && a.Silent(at) {
		return a.SilenceUntil, a.SilencedBy + " silenced it"
	}
	if until, closed := outOfHours(n, d, at); closed {
		return until, "until the hours of the notice"
	}
	return at, ""
}

// again is between looks whether what follows from another alarm does so still.
const again = 15 * time.Second

func outOfHours(n store.Notice, d store.Delivery, at time.Time) (next time.Time, closed bool) {
	if n.Hours == "" || d.Kind == Test {
		return at, false
	}
	week, err := schedule.Parse(n.Hours)
	zone, zoneErr := time.LoadLocation(n.Zone)
	if err != nil || zoneErr != nil || week.Open(at.In(zone)) {
		return at, false
	}
	return week.Next(at.In(zone)), true
}

const maxSaid = 500

func (s *Service) put(d store.Delivery, state, said string) {
	if d.State = state; state != Waiting {
		d.EndedAt = s.now().UTC()
	}
	if d.Said = said; len(said) > maxSaid {
		d.Said = strings.ToValidUTF8(said[:maxSaid], "") + "..."
	}
	if err := s.store.PutDelivery(context.WithoutCancel(s.ctx), d); err != nil {
		s.log.Error("what became of a notice could not be kept", "delivery", d.Number, "err", err)
	}
	s.feed.Note(fact.State{Kind: fact.Alarm})
}

func (s *Service) notice(ctx context.Context, name string) (store.Notice, error) {
	all, err := s.store.Notices(ctx)
	if err != nil {
		return store.Notice{}, err
	}
	for _, n := range all {
		if n.Name == name {
			return n, nil
		}
	}
	return store.Notice{}, fmt.Errorf("notice %s: %w", name, store.ErrNotFound)
}

// List lists the notices by name.
func (s *Service) List(ctx context.Context) ([]store.Notice, error) { return s.store.Notices(ctx) }

// Deliveries lists what was told and is to be, the newest first.
func (s *Service) Deliveries(ctx context.Context, before int64, limit int) ([]store.Delivery, error) {
	return s.store.Deliveries(ctx, before, limit)
}

func invalid(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrInvalid}, args...)...)
}

// Put makes or replaces a notice. Of a webhook it returns the secret by which it is signed, once: when it was made.
func (s *Service) Put(ctx context.Context, n store.Notice) (secret string, err error) {
	if err := network.CheckName(n.Name); err != nil {
		return "", invalid("%s", err)
	}
	to := len(n.Mail) + len(n.People)
	if (to == 0) == (n.Webhook == "") {
		return "", invalid("a notice tells either users and addresses of mail or a webhook")
	}
	if to > maxAddresses {
		return "", invalid("at most %d addresses, these are %d", maxAddresses, to)
	}
	for _, user := range n.People {
		switch at, err := s.people.Mailbox(ctx, user); {
		case errors.Is(err, store.ErrNotFound):
			return "", invalid("there is no user %q", user)
		case err != nil:
			return "", err
		case at == "":
			return "", invalid("%s has no address of mail: give the user one first", user)
		}
	}
	for i, m := range n.Mail {
		parsed, err := mail.ParseAddress(m)
		if err != nil || parsed.Name != "" {
			return "", invalid("%q is no address of mail", m)
		}
		n.Mail[i] = parsed.Address
	}
	if n.Webhook != "" {
		u, err := url.Parse(n.Webhook)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || len(n.Webhook) > 1000 {
			return "", invalid("%q is no address of a page: write it like https://desk.example.net/alarms", n.Webhook)
		}
	}
	if !slices.Contains(alarm.Severities(), alarm.Severity(n.Severity)) {
		return "", invalid("there is no severity %q", n.Severity)
	}
	if _, err := catalog.Network.Parse(n.Pick); err != nil {
		return "", err
	}
	if n.Hours != "" {
		week, err := schedule.Parse(n.Hours)
		if err != nil {
			return "", invalid("hours: %s", err)
		}
		n.Hours = week.String()
	}
	if _, err := time.LoadLocation(n.Zone); err != nil || n.Zone == "Local" {
		return "", invalid("%q is not a time zone: write it like Europe/London", n.Zone)
	}
	if n.After < 0 || n.After > maxAfter {
		return "", invalid("after: it is 0 to %d minutes", maxAfter)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	all, err := s.store.Notices(ctx)
	if err != nil {
		return "", err
	}
	i := slices.IndexFunc(all, func(o store.Notice) bool { return o.Name == n.Name })
	switch {
	case i < 0 && len(all) >= maxNotices:
		return "", invalid("there are at most %d notices", maxNotices)
	case n.Webhook == "":
	case i >= 0 && all[i].Webhook == n.Webhook:
		n.Secret = all[i].Secret
	default:
		key := make([]byte, 32)
		_, _ = rand.Read(key)
		secret = "whsec_" + base64.StdEncoding.EncodeToString(key) // as Standard Webhooks writes it
		n.Secret = s.sealer.Seal("notice "+n.Name, secret)
	}
	return secret, s.store.PutNotice(ctx, n)
}

// Remove forgets a notice.
func (s *Service) Remove(ctx context.Context, name string) error {
	return s.store.DropNotice(ctx, name)
}

// Try has a notice tell something for a test, at once; what became of it stands among the deliveries.
func (s *Service) Try(ctx context.Context, name string) (store.Delivery, error) {
	if _, err := s.notice(ctx, name); err != nil {
		return store.Delivery{}, err
	}
	at := s.now().UTC()
	d := store.Delivery{Notice: name, Kind: Test, State: Waiting, CreatedAt: at, Next: at}
	var err error
	d.Number, err = s.add(ctx, d)
	return d, err
}

// MailServer returns by which mail is sent; store.ErrNotFound tells that there is none.
func (s *Service) MailServer(ctx context.Context) (store.MailServer, error) {
	return s.store.MailServer(ctx)
}

// PutMailServer keeps by which mail is sent. A password that is left out stays as it was for the same user at the same address.
func (s *Service) PutMailServer(ctx context.Context, m store.MailServer, password string) error {
	host, port, err := net.SplitHostPort(m.Address)
	if err != nil || host == "" || port == "" {
		return invalid("%q is no address of a server: write it like mail.example.net:587", m.Address)
	}
	if from, err := mail.ParseAddress(m.From); err != nil {
		return invalid("%q is no address of mail", m.From)
	} else {
		m.From = from.Address
	}
	if !slices.Contains([]string{"starttls", "tls", "none"}, m.TLS) {
		return invalid("tls is starttls, tls or none")
	}
	if m.TLS == "none" && m.User != "" {
		return invalid("a password is not sent without TLS: take starttls or tls, or no user")
	}
	was, err := s.store.MailServer(ctx)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	switch {
	case m.User == "":
	case password != "":
		m.Secret = s.sealer.Seal("mail server", password)
	case was.User == m.User && was.Address == m.Address:
		m.Secret = was.Secret
	default:
		return invalid("the password of %s is missing", m.User)
	}
	return s.store.PutMailServer(ctx, m)
}
