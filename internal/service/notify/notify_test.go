package notify_test

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/notify"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// page is a page that webhooks are posted to.
type page struct {
	*httptest.Server
	mu     sync.Mutex
	status int
	got    []notify.Hook
	raw    []*http.Request
	bodies [][]byte
}

func newPage(t *testing.T) *page {
	p := &page{status: http.StatusNoContent}
	p.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		var h notify.Hook
		assert.NoError(t, json.Unmarshal(b, &h))
		p.mu.Lock()
		defer p.mu.Unlock()
		p.got, p.raw, p.bodies = append(p.got, h), append(p.raw, r), append(p.bodies, b)
		w.WriteHeader(p.status)
	}))
	t.Cleanup(p.Close)
	return p
}

func (p *page) answer(status int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.status = status
}

func (p *page) types() (out []string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, h := range p.got {
		out = append(out, h.Type)
	}
	return out
}

// bench is the service over a store of its own.
type bench struct {
	*notify.Service
	dir    string
	store  *store.Store
	feed   *feed.Feed
	sealer *secrets.Sealer
	secret string
}

type onlySwitch struct{}

func (onlySwitch) HoldsDevice(name string, _ selector.Expr) bool { return name == "th-sw-02" }

func open(t *testing.T) *bench {
	t.Helper()
	b := &bench{dir: t.TempDir()}
	b.begin(t)
	t.Cleanup(func() { b.end(t) })
	return b
}

func (b *bench) begin(t *testing.T) {
	t.Helper()
	var err error
	b.sealer, err = secrets.Open(filepath.Join(b.dir, "key"), false)
	require.NoError(t, err)
	b.store, err = store.Open(t.Context(), filepath.Join(b.dir, "x.db"))
	require.NoError(t, err)
	b.feed, err = feed.New(t.Context(), b.store, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	b.Service, err = notify.New(t.Context(), notify.Parts{Store: b.store, Inventory: onlySwitch{}, Expand: func(_ context.Context, e selector.Expr) (selector.Expr, error) { return e, nil },
		Sealer: b.sealer, Feed: b.feed, Log: slog.New(slog.DiscardHandler), Now: time.Now,
		Timing: notify.Timing{Settle: time.Millisecond, Over: 1500 * time.Millisecond, Retry: 20 * time.Millisecond, Send: 5 * time.Second}})
	require.NoError(t, err)
}

func (b *bench) end(t *testing.T) {
	b.Close()
	b.feed.Close()
	assert.NoError(t, b.store.Close())
}

func (b *bench) notice(t *testing.T, n store.Notice) {
	t.Helper()
	secret, err := b.Put(t.Context(), n)
	require.NoError(t, err)
	if secret != "" {
		b.secret = secret
	}
}

// raise keeps an alarm and tells that it was raised.
func (b *bench) raise(t *testing.T, a alarm.Alarm) alarm.Alarm {
	t.Helper()
	if a.Type == "" {
		a.Condition = alarm.Condition{Type: "fan", Name: "fan fan1", Subject: fact.TheDevice(""), Severity: alarm.Major, Args: map[string]any{"name": "fan1"}}
	}
	a.RaisedAt, a.Count = time.Now().UTC(), 1
	list := []alarm.Alarm{a}
	require.NoError(t, b.store.PutAlarms(t.Context(), list, nil))
	b.tell(list[0])
	return list[0]
}

func (b *bench) tell(a alarm.Alarm) {
	at := a.Subject
	if at.Name == "" {
		at = fact.TheDevice("th-sw-02")
	}
	b.feed.Tell(fact.Of(time.Now(), at, fact.AlarmRaised{Alarm: a.Number, Type: a.Type, Severity: string(a.Severity), Args: a.Args}))
}

func (b *bench) clear(t *testing.T, a alarm.Alarm) {
	t.Helper()
	a.ClearedAt = time.Now().UTC()
	require.NoError(t, b.store.PutAlarms(t.Context(), []alarm.Alarm{a}, nil))
	b.feed.Tell(fact.Of(time.Now(), a.Subject, fact.AlarmCleared{Alarm: a.Number, Type: a.Type}))
}

// until waits until the deliveries, the oldest first, are of these kinds and states.
func (b *bench) until(t *testing.T, want ...string) []store.Delivery {
	t.Helper()
	var list []store.Delivery
	var got []string
	require.Eventually(t, func() bool {
		var err error
		list, err = b.Deliveries(t.Context(), 0, 100)
		got = nil
		for i := len(list) - 1; i >= 0; i-- {
			got = append(got, list[i].Kind+" "+list[i].State)
		}
		return err == nil && assert.ObjectsAreEqual(want, got)
	}, 30*time.Second, 10*time.Millisecond, "%v", &got)
	return list
}

func TestAnAlarmIsToldOnceAndItsEnd(t *testing.T) {
	t.Parallel()
	b, p := open(t), newPage(t)
	b.notice(t, store.Notice{Name: "desk", Webhook: p.URL, Severity: "major"})
	a := b.raise(t, alarm.Alarm{})
	b.until(t, "raised sent")
	b.tell(a) // heard twice, it is told once
	b.clear(t, a)
	b.until(t, "raised sent", "over waiting")
	b.tell(a) // it flaps
	b.until(t, "raised sent", "over dropped")
	b.clear(t, a)
	b.until(t, "raised sent", "over dropped", "over sent")
	assert.Equal(t, []string{"alarm.raised", "alarm.over"}, p.types())
	assert.Equal(t, "Fan fan1 does not turn.", p.got[0].Data.Text[len(": "):])

	// Signed so that the page can tell who sent it (Standard Webhooks).
	r, body := p.raw[0], p.bodies[0]
	want, err := notify.Sign(b.secret, r.Header.Get("webhook-id"), r.Header.Get("webhook-timestamp"), body)
	require.NoError(t, err)
	assert.Equal(t, want, r.Header.Get("webhook-signature"))
	other, err := notify.Sign(b.secret, r.Header.Get("webhook-id"), r.Header.Get("webhook-timestamp"), append(body, ' '))
	require.NoError(t, err)
	assert.NotEqual(t, want, other)
	kept, err := b.store.Notices(t.Context())
	require.NoError(t, err)
	assert.NotContains(t, string(kept[0].Secret), b.secret, "it is kept sealed")
}

// The example of the specification of Standard Webhooks.
func TestTheSignatureIsThatOfTheStandard(t *testing.T) {
	t.Parallel()
	got, err := notify.Sign("whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", "msg_p5jXN8AQM9LWM0D4loKWxJek", "1614265330", []byte(`{"test": 2432232314}`))
	require.NoError(t, err)
	assert.Equal(t, "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=", got)
}

func TestWhatCannotBeSentIsTriedAgainOverARestart(t *testing.T) {
	t.Parallel()
	b, p := open(t), newPage(t)
	p.answer(http.StatusServiceUnavailable)
	b.notice(t, store.Notice{Name: "desk", Webhook: p.URL, Severity: "minor"})
	b.raise(t, alarm.Alarm{})
	require.Eventually(t, func() bool {
		list, err := b.Deliveries(t.Context(), 0, 10)
		return err == nil && len(list) == 1 && list[0].Tries >= 2 && list[0].State == notify.Waiting && list[0].Said == "it answered 503 Service Unavailable"
	}, 30*time.Second, 10*time.Millisecond)
	b.end(t)
	p.answer(http.StatusOK)
	b.begin(t)
	b.until(t, "raised sent")
}

func TestWhatNeedNotBeTold(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		notice store.Notice
		alarm  alarm.Alarm
		want   []string
		said   string
	}{
		"not bad enough":       {store.Notice{Severity: "critical"}, alarm.Alarm{}, nil, ""},
		"not of that place":    {store.Notice{Severity: "minor", Pick: "site = kelp-bay"}, alarm.Alarm{Condition: alarm.Condition{Type: "fan", Subject: fact.TheDevice("kb-sw-01"), Severity: alarm.Major, Args: map[string]any{"name": "fan1"}}}, nil, ""},
		"of that place":        {store.Notice{Severity: "minor", Pick: "site = tern-haven"}, alarm.Alarm{}, []string{"raised sent"}, ""},
		"it follows":           {store.Notice{Severity: "minor"}, alarm.Alarm{Cause: 77}, []string{"raised waiting"}, "it follows from alarm 77"},
		"closed before":        {store.Notice{Severity: "minor"}, alarm.Alarm{ClosedBy: "ada"}, []string{"raised dropped"}, "it was over before"},
		"silenced":             {store.Notice{Severity: "minor"}, alarm.Alarm{SilencedBy: "ada", SilenceUntil: time.Now().Add(time.Hour)}, []string{"raised waiting"}, "ada silenced it"},
		"outside of its hours": {store.Notice{Severity: "minor", Hours: hoursAway()}, alarm.Alarm{}, []string{"raised waiting"}, "until the hours of the notice"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b, p := open(t), newPage(t)
			require.NoError(t, b.store.PutSite(t.Context(), network.Site{Name: "tern-haven"}))
			for _, d := range []string{"kb-sw-01", "th-sw-02"} {
				require.NoError(t, b.store.AddDevice(t.Context(), store.Device{Name: d, Site: "tern-haven", Address: d + ":830", Secret: []byte{}, Identity: network.Identity{Serial: d}, EnrolledAt: time.Now()}))
			}
			c.notice.Name, c.notice.Webhook = "desk", p.URL
			b.notice(t, c.notice)
			b.raise(t, c.alarm)
			// Another notice, which tells of everything, is the sign that this one was decided on.
			b.notice(t, store.Notice{Name: "zz", Webhook: p.URL, Severity: "warning"})
			sign := b.raise(t, alarm.Alarm{Condition: alarm.Condition{Type: "busy", Subject: fact.TheDevice("kb-sw-01"), Severity: alarm.Warning, Args: map[string]any{"percent": 99.0}}})
			require.Eventually(t, func() bool {
				d, err := b.store.LastDelivery(t.Context(), "zz", sign.Number)
				if err != nil || d.State != notify.Sent {
					return false
				}
				list, err := b.Deliveries(t.Context(), 0, 10)
				var got []string
				said := ""
				for _, d := range list {
					if d.Notice == "desk" {
						got, said = append(got, d.Kind+" "+d.State), d.Said
					}
				}
				return err == nil && assert.ObjectsAreEqual(c.want, got) && said == c.said
			}, 30*time.Second, 20*time.Millisecond)
		})
	}
}

// hoursAway are hours in which it is not now, in UTC.
func hoursAway() string {
	if time.Now().UTC().Hour() < 12 {
		return "mon-sun 20:00-21:00"
	}
	return "mon-sun 02:00-03:00"
}

func TestNoticesThatCannotBe(t *testing.T) {
	t.Parallel()
	b := open(t)
	for says, n := range map[string]store.Notice{
		"either users and addresses of mail or a webhook": {Name: "a", Severity: "minor"},
		"is no address of mail":                           {Name: "a", Severity: "minor", Mail: []string{"ada\r\nBcc: eve@example.net"}},
		"is no address of a page":                         {Name: "a", Severity: "minor", Webhook: "file:///etc/passwd"},
		`there is no severity "bad"`:                      {Name: "a", Severity: "bad", Mail: []string{"ada@lantern.example"}},
		"hours: ":                                         {Name: "a", Severity: "minor", Mail: []string{"ada@lantern.example"}, Hours: "always"},
		"is not a time zone":                              {Name: "a", Severity: "minor", Mail: []string{"ada@lantern.example"}, Zone: "Local"},
		"0 to 1440 minutes":                               {Name: "a", Severity: "minor", Mail: []string{"ada@lantern.example"}, After: 1441},
	} {
		_, err := b.Put(t.Context(), n)
		require.ErrorIs(t, err, notify.ErrInvalid, says)
		assert.ErrorContains(t, err, says)
	}
	_, err := b.Put(t.Context(), store.Notice{Name: "A b", Severity: "minor", Mail: []string{"ada@lantern.example"}})
	require.ErrorIs(t, err, notify.ErrInvalid)
	assert.ErrorIs(t, b.Remove(t.Context(), "nobody"), store.ErrNotFound)
	_, err = b.Try(t.Context(), "nobody")
	require.ErrorIs(t, err, store.ErrNotFound)
	for says, m := range map[string]store.MailServer{
		"is no address of a server":          {Address: "mail", From: "a@b.example", TLS: "none"},
		"is no address of mail":              {Address: "mail:25", From: "nobody", TLS: "none"},
		"tls is":                             {Address: "mail:25", From: "a@b.example", TLS: "some"},
		"a password is not sent without TLS": {Address: "mail:25", From: "a@b.example", TLS: "none", User: "a"},
		"the password of a is missing":       {Address: "mail:25", From: "a@b.example", TLS: "tls", User: "a"},
	} {
		assert.ErrorContains(t, b.PutMailServer(t.Context(), m, ""), says)
	}
	require.NoError(t, b.PutMailServer(t.Context(), store.MailServer{Address: "mail:25", From: "a@b.example", TLS: "tls", User: "a"}, "lamp-oil"))
	require.NoError(t, b.PutMailServer(t.Context(), store.MailServer{Address: "mail:25", From: "c@b.example", TLS: "tls", User: "a"}, ""), "the password stays")
	assert.ErrorContains(t, b.PutMailServer(t.Context(), store.MailServer{Address: "eve:25", From: "c@b.example", TLS: "tls", User: "a"}, ""), "is missing", "and goes to no other server")
	m, err := b.MailServer(t.Context())
	require.NoError(t, err)
	assert.NotContains(t, string(m.Secret), "lamp-oil")
}

func TestANoticeIsTriedAndWhatIsWrongIsSaid(t *testing.T) {
	t.Parallel()
	b, p := open(t), newPage(t)
	p.answer(http.StatusFound) // it is not followed elsewhere
	b.notice(t, store.Notice{Name: "desk", Webhook: p.URL, Severity: "minor"})
	_, err := b.Try(t.Context(), "desk")
	require.NoError(t, err)
	list := b.until(t, "test failed")
	assert.Equal(t, "it answered 302 Found", list[0].Said)
	b.notice(t, store.Notice{Name: "mail", Mail: []string{"ada@lantern.example"}, Severity: "minor"})
	_, err = b.Try(t.Context(), "mail")
	require.NoError(t, err)
	list = b.until(t, "test failed", "test failed")
	assert.Equal(t, "there is no mail server yet: set one", list[0].Said)
	assert.False(t, errors.Is(err, notify.ErrInvalid))
}
