package notify

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/wneessen/go-mail"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/store"
)

func (s *Service) send(ctx context.Context, n store.Notice, d store.Delivery, a alarm.Alarm) error {
	if n.Webhook != "" {
		return s.post(ctx, n, d, a)
	}
	return s.mail(ctx, n, d, a)
}

// what says in a line what is told.
func what(d store.Delivery, a alarm.Alarm) string {
	text := words.English.Alarm(a.Type, a.Subject.String(), a.Args).What
	switch d.Kind {
	case Test:
		return "A test: alarms will be told here."
	case Over:
		return "Over: " + text
	}
	return strings.ToUpper(string(a.Severity)[:1]) + string(a.Severity)[1:] + ": " + text
}

// letter is the text of a mail.
func letter(d store.Delivery, a alarm.Alarm) string {
	if d.Kind == Test {
		return "This is a test of the notice " + d.Notice + ". Alarms that it is for will be told here.\n"
	}
	said := words.English.Alarm(a.Type, a.Subject.String(), a.Args)
	var b strings.Builder
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(&b, format+"\n", args...) }
	p("%s", said.What)
	if d.Kind == Over {
		how := "It is in order again"
		if a.ClosedBy != "" {
			how = a.ClosedBy + " closed it (" + a.ClosedWhy + ")"
		}
		p("\n%s.", how)
	} else {
		p("\n%s\nTo do: %s", said.Effect, said.Remedy)
	}
	p("\nAlarm %d, %s, raised %s%s.", a.Number, a.Severity, a.RaisedAt.UTC().Format("2 January 2006 15:04:05 MST"), map[bool]string{true: fmt.Sprintf(", %d times", a.Count)}[a.Count > 1])
	switch {
	case a.Change != 0:
		p("Change %d of %s was made there shortly before.", a.Change, a.By)
	case a.By != "":
		p("%s changed something there shortly before.", a.By)
	}
	if a.AckedBy != "" {
		p("%s has seen it.", a.AckedBy)
	}
	return b.String()
}

func (s *Service) mail(ctx context.Context, n store.Notice, d store.Delivery, a alarm.Alarm) error {
	server, err := s.store.MailServer(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return errors.New("there is no mail server yet: set one")
	}
	if err != nil {
		return err
	}
	m := mail.NewMsg(mail.WithCharset(mail.CharsetUTF8))
	if err := m.FromFormat("Every Post", server.From); err != nil {
		return err
	}
	to, err := s.mailboxes(ctx, n, d, a)
	if err != nil {
		return err
	}
	if err := m.To(to...); err != nil {
		return err
	}
	m.Subject(what(d, a))
	m.SetDate()
	m.SetMessageIDWithValue(fmt.Sprintf("everypost-%d-%d@%s", d.Number, d.CreatedAt.UnixMicro(), domainOf(server.From)))
	if d.Kind == Over { // as an answer, so that it stands with what it is about
		m.SetGenHeader("X-Everypost-Alarm", strconv.FormatInt(a.Number, 10))
	}
	m.SetBodyString(mail.TypeTextPlain, letter(d, a))
	host, port, err := net.SplitHostPort(server.Address)
	if err != nil {
		return err
	}
	number, err := strconv.Atoi(port)
	if err != nil {
		return fmt.Errorf("%q is no port", port)
	}
	options := []mail.Option{mail.WithPort(number), mail.WithTimeout(s.timing.Send)}
	switch server.TLS {
	case "tls":
		options = append(options, mail.WithSSL())
	case "starttls":
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	default:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	}
	if server.User != "" {
		password, err := s.sealer.Open("mail server", server.Secret)
		if err != nil {
			return err
		}
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(server.User), mail.WithPassword(password))
	}
	c, err := mail.NewClient(host, options...)
	if err != nil {
		return err
	}
	return c.DialAndSendWithContext(ctx, m)
}

// mailboxes are the addresses to which something is told: those of the notice, and those of its people who may see the alarm.
func (s *Service) mailboxes(ctx context.Context, n store.Notice, d store.Delivery, a alarm.Alarm) ([]string, error) {
	out := slices.Clone(n.Mail)
	for _, user := range n.People {
		if d.Kind != Test && !s.people.Sees(ctx, user, a.Subject.OnDevice()) {
			continue
		}
		at, err := s.people.Mailbox(ctx, user)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, err
		}
		if at != "" && !slices.Contains(out, at) {
			out = append(out, at)
		}
	}
	if len(out) == 0 {
		return nil, errNobody
	}
	return out, nil
}

// errNobody tells that nobody is to be told.
var errNobody = errors.New("none of the users of the notice may see it and has an address of mail")

func domainOf(address string) string {
	_, domain, _ := strings.Cut(address, "@")
	return domain
}

// Hook is what a webhook gets, as JSON.
type Hook struct {
	Type      string    `json:"type"` // alarm.raised, alarm.over or test
	Timestamp time.Time `json:"timestamp"`
	Data      HookData  `json:"data"`
}

// HookData is the alarm that it is about.
type HookData struct {
	Notice    string     `json:"notice"`
	Alarm     int64      `json:"alarm,omitempty"`
	AlarmType string     `json:"alarm_type,omitempty"`
	Severity  string     `json:"severity,omitempty"`
	Resource  string     `json:"resource,omitempty"`
	Text      string     `json:"text"`
	Effect    string     `json:"effect,omitempty"`
	Remedy    string     `json:"remedy,omitempty"`
	RaisedAt  *time.Time `json:"raised_at,omitempty"`
	ClearedAt *time.Time `json:"cleared_at,omitempty"`
	Change    int64      `json:"change,omitempty"`
}

// hooks do not follow elsewhere: what is signed is for the address that was given.
var hooks = &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

// post sends a webhook in the form of Standard Webhooks: signed with HMAC-SHA256 over id, time and body.
func (s *Service) post(ctx context.Context, n store.Notice, d store.Delivery, a alarm.Alarm) error {
	at := s.now().UTC()
	h := Hook{Type: "alarm." + d.Kind, Timestamp: at, Data: HookData{Notice: n.Name, Text: what(d, a)}}
	if d.Kind == Test {
		h.Type = Test
	} else {
		said := words.English.Alarm(a.Type, a.Subject.String(), a.Args)
		h.Data = HookData{Notice: n.Name, Alarm: a.Number, AlarmType: a.Type, Severity: string(a.Severity), Resource: a.Subject.String(), Text: said.What, Effect: said.Effect, Remedy: said.Remedy,
			RaisedAt: &a.RaisedAt, Change: a.Change}
		if !a.ClearedAt.IsZero() {
			h.Data.ClearedAt = &a.ClearedAt
		}
	}
	body, err := json.Marshal(h)
	if err != nil {
		return err
	}
	secret, err := s.sealer.Open("notice "+n.Name, n.Secret)
	if err != nil {
		return err
	}
	id, stamp := fmt.Sprintf("everypost-%d", d.Number), strconv.FormatInt(at.Unix(), 10)
	signature, err := Sign(secret, id, stamp, body)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, n.Webhook, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "everypost")
	r.Header.Set("webhook-id", id)
	r.Header.Set("webhook-timestamp", stamp)
	r.Header.Set("webhook-signature", signature)
	resp, err := hooks.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	_, _ = io.Copy(io.Discard, io.LimitReader(resp.Body, 64<<10))
	if resp.StatusCode < 200 || resp.StatusCode > 299 {
		return fmt.Errorf("it answered %s", resp.Status)
	}
	return nil
}

// Sign is the signature of a webhook (Standard Webhooks, version 1).
func Sign(secret, id, stamp string, body []byte) (string, error) {
	key, err := base64.StdEncoding.DecodeString(strings.TrimPrefix(secret, "whsec_"))
	if err != nil {
		return "", fmt.Errorf("the secret of a webhook: %w", err)
	}
	mac := hmac.New(sha256.New, key)
	_, _ = fmt.Fprintf(mac, "%s.%s.", id, stamp)
	_, _ = mac.Write(body)
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil)), nil
}
