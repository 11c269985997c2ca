// Package guest is how guests of wireless networks are received: what a portal asks of them, who they say that they are, how long they stay.
//
// It computes from what it is given. Who is let in where, and when, is for others.
package guest

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
)

// ErrInvalid tells that something said of a portal, a voucher or a guest is none.
var ErrInvalid = errors.New("that cannot be")

// Way is what a guest must do to be let in.
type Way string

// The ways.
const (
	Agree   Way = "agree"   // to the terms
	Voucher Way = "voucher" // which somebody gave to him; it is good once
	Host    Way = "host"    // wait until somebody of the house lets him in
)

// Ways lists the ways.
func Ways() []Way { return []Way{Agree, Voucher, Host} }

// What portals may say.
const (
	MostMinutes = 366 * 24 * 60
	leastKbps   = 64
	mostKbps    = 100_000_000
	// MostLogo is how many octets a picture may have.
	MostLogo = 256 << 10
)

// Look is how the page of a portal looks: what it says, and in which colours.
type Look struct {
	Heading string `json:"heading"`
	Text    string `json:"text,omitempty"`
	Terms   string `json:"terms,omitempty"`
	Button  string `json:"button,omitempty"`
	Accent  string `json:"accent,omitempty"` // #rrggbb
	Ground  string `json:"ground,omitempty"`
}

// The colours of a page that says none.
const (
	plainAccent = "#8a1c6b"
	plainGround = "#f4f1ea"
)

// Portal is a page on which guests are received.
type Portal struct {
	Name    string `json:"name"`
	Title   string `json:"title"`
	Way     Way    `json:"way"`
	Minutes int    `json:"minutes"`        // for which a guest is let in
	Kbps    int    `json:"kbps,omitempty"` // that a guest may send and receive at most; 0: as the network says
	Named   bool   `json:"named,omitempty"`
	Look    Look   `json:"look"`
}

var colour = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// Check brings a portal into its normal form, or tells what is wrong with it.
func (p *Portal) Check() error {
	if err := network.CheckName(p.Name); err != nil {
		return fmt.Errorf("%w: name: %w", ErrInvalid, err)
	}
	if p.Way == "" {
		p.Way = Agree
	}
	if p.Way != Agree && p.Way != Voucher && p.Way != Host {
		return fmt.Errorf("%w: way: %q is none: there are agree, voucher and host", ErrInvalid, p.Way)
	}
	if p.Minutes == 0 {
		p.Minutes = 240
	}
	if p.Minutes < 1 || p.Minutes > MostMinutes {
		return fmt.Errorf("%w: minutes: a guest is let in for 1 to %d minutes, this is %d", ErrInvalid, MostMinutes, p.Minutes)
	}
	if p.Kbps != 0 && (p.Kbps < leastKbps || p.Kbps > mostKbps) {
		return fmt.Errorf("%w: rate: it is %d to %d kbit/s, or 0 for none", ErrInvalid, leastKbps, mostKbps)
	}
	for _, f := range []struct {
		name  string
		text  *string
		most  int
		lines bool
	}{{"title", &p.Title, 120, false}, {"heading", &p.Look.Heading, 120, false}, {"text", &p.Look.Text, 2000, true}, {"terms", &p.Look.Terms, 20_000, true}, {"button", &p.Look.Button, 40, false}} {
		if err := clean(f.text, f.most, f.lines); err != nil {
			return fmt.Errorf("%w: %s: %w", ErrInvalid, f.name, err)
		}
	}
	for name, c := range map[string]*string{"accent": &p.Look.Accent, "ground": &p.Look.Ground} {
		if *c = strings.ToLower(*c); *c != "" && !colour.MatchString(*c) {
			return fmt.Errorf("%w: %s: write a colour such as #8a1c6b", ErrInvalid, name)
		}
	}
	if p.Way == Agree && p.Look.Terms == "" {
		return fmt.Errorf("%w: terms: say to what guests agree", ErrInvalid)
	}
	return nil
}

// clean trims a text, and tells what it may not be.
func clean(s *string, most int, lines bool) error {
	*s = strings.TrimSpace(strings.ReplaceAll(*s, "\r\n", "\n"))
	switch n := utf8.RuneCountInString(*s); {
	case !utf8.ValidString(*s):
		return errors.New("it is no text in UTF-8")
	case n > most:
		return fmt.Errorf("it has at most %d characters, this one has %d", most, n)
	case strings.ContainsFunc(*s, func(r rune) bool { return unicode.IsControl(r) && (!lines || r != '\n' && r != '\t') }):
		return errors.New("it cannot hold control characters")
	}
	return nil
}

// Shown is how a page looks where the portal leaves it open.
func (p Portal) Shown() Look {
	l := p.Look
	def := func(s *string, d string) {
		if *s == "" {
			*s = d
		}
	}
	def(&l.Heading, p.Title)
	def(&l.Heading, "Welcome")
	def(&l.Button, map[Way]string{Agree: "Agree and go on", Voucher: "Go on", Host: "Ask to be let in"}[p.Way])
	def(&l.Accent, plainAccent)
	def(&l.Ground, plainGround)
	return l
}

// Dark tells whether a colour is so dark that light text is read on it better than dark (WCAG 2.2, relative luminance).
func Dark(c string) bool {
	l := luminance(c)
	return (1.05)/(l+0.05) >= (l+0.05)/0.05
}

// Form is what a guest says.
type Form struct {
	Name   string
	Host   string // whom he visits
	Code   string // of a voucher
	Agreed bool
}

// Mistake is why a guest is not let in as he asks, in words for him.
type Mistake string

func (m Mistake) Error() string { return string(m) }

// Check tells what is missing for a portal.
func (f *Form) Check(p Portal) error {
	if clean(&f.Name, 80, false) != nil || clean(&f.Host, 80, false) != nil {
		return Mistake("Please write your name in at most 80 letters.")
	}
	if p.Way != Host {
		f.Host = "" // which was not asked for
	}
	if p.Way != Host && !p.Named {
		f.Name = ""
	}
	switch {
	case (p.Named || p.Way == Host) && f.Name == "":
		return Mistake("Please write your name.")
	case p.Way == Host && f.Host == "":
		return Mistake("Please write whom you visit.")
	case p.Way == Voucher && NormalCode(f.Code) == "":
		return Mistake("Please write the code of your voucher: it has eight letters and digits.")
	case p.Look.Terms != "" && !f.Agreed:
		return Mistake("Please agree to the terms.")
	}
	return nil
}

// State is how a guest stands.
type State string

// The states.
const (
	Waiting State = "waiting" // for somebody of the house
	In      State = "in"
	Over    State = "over"
	Refused State = "turned-away"
)

// waits is how long somebody waits for an answer before his asking is over.
const waits = 2 * time.Hour

// Stay is that of a guest.
type Stay struct {
	Number          int64
	Portal          string
	Station         string // its hardware address
	Name, Host      string // as he says; nobody checked it
	Network, Device string
	AskedAt         time.Time
	Begun, Ends     time.Time // zero: he was not let in
	Ended           time.Time // before its time, or turned away
	By              string    // who let him in, or turned him away; "" where nobody had to
	Why             string    // he was turned away
	EndedBy         string    // who ended his time before it was over
	Voucher         int64     // 0: none
	Kbps            int
}

// StateAt is how a guest stands at a time.
func (s Stay) StateAt(now time.Time) State {
	switch {
	case s.Begun.IsZero() && !s.Ended.IsZero():
		return Refused
	case s.Begun.IsZero() && now.Before(s.AskedAt.Add(waits)):
		return Waiting
	case s.Begun.IsZero(), !s.Ended.IsZero(), !now.Before(s.Ends):
		return Over
	}
	return In
}

// Left is how long a guest may still stay.
func (s Stay) Left(now time.Time) time.Duration {
	if s.StateAt(now) != In {
		return 0
	}
	return s.Ends.Sub(now)
}
