// Package words makes sentences of what happened. A language is a catalogue: a text for each code, in the form of text/template, over the subject and
// the arguments. Nothing else of the product makes sentences of facts.
package words

import (
	"fmt"
	"strconv"
	"strings"
	"text/template"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/peering"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/segment"
)

// Texts are what a language has to have: for each code of a fact, and for each of a trouble inside a device.
type Texts struct {
	Facts    map[fact.Code]string
	Troubles map[string]string
	// Alarms are what alarms say, by type; of those that are troubles inside devices, what is wrong is the trouble's text.
	Alarms map[string]AlarmText
	// Tunnels are why tunnels are not up, and what to do, by code.
	Tunnels map[string]string
	// Routers are why nothing is exchanged with a router of a site, and what to do, by code.
	Routers map[string]string
	// Segments are in what edges disagree about a segment, and what to do, by code.
	Segments map[string]string
	// RadioLinks are why radio links are down, and what to do, by code.
	RadioLinks map[string]string
	// Words are parts of sentences that several need, by name: they are written {{template "name" .}}.
	Words map[string]string
	// Date is how a day is written, as a layout of the package time.
	Date string
}

// AlarmText is what an alarm says: what is wrong, what comes of it, and what to do (RFC 8632 alarm-text, X.733 proposed repair actions).
type AlarmText struct{ What, Effect, Remedy string }

// Catalogue makes sentences in a language.
type Catalogue struct {
	all   *template.Template
	texts map[fact.Code]string
	sides map[string]AlarmText
}

// said is what a text may speak of.
type said struct {
	Subject string // how people write it
	Device  string // that it is, or is on
	A       any    // the arguments
}

// New makes a catalogue. A text that cannot be is an error.
func New(t Texts) (*Catalogue, error) {
	c := &Catalogue{texts: t.Facts, sides: t.Alarms}
	c.all = template.New("").Option("missingkey=error").Funcs(template.FuncMap{
		"join": func(list []string, by string) string { return strings.Join(list, by) },
		"date": func(s string) string {
			at, err := time.Parse(time.DateOnly, s)
			if err != nil {
				return s
			}
			return at.Format(t.Date)
		},
		"trouble": c.Trouble,
		"alarm":   func(kind, subject string, args map[string]any) string { return c.Alarm(kind, subject, args).What },
		"number": func(v any) string { // as it was, or as JSON gave it back
			if f, ok := v.(float64); ok {
				return strconv.FormatFloat(f, 'f', -1, 64)
			}
			return fmt.Sprint(v)
		},
	})
	add := func(name, text string) error {
		_, err := c.all.New(name).Parse(text)
		return err
	}
	for name, text := range t.Words {
		if err := add(name, text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.Facts {
		if err := add("fact "+string(code), text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.Troubles {
		if err := add("trouble "+code, text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.Routers {
		if err := add("router "+code, text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.Segments {
		if err := add("segment "+code, text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.RadioLinks {
		if err := add("radio-link "+code, text); err != nil {
			return nil, err
		}
	}
	for code, text := range t.Tunnels {
		if err := add("tunnel "+code, text); err != nil {
			return nil, err
		}
	}
	for kind, text := range t.Alarms {
		if err := add("alarm "+kind, text.What); err != nil {
			return nil, err
		}
	}
	return c, nil
}

// Alarm is what an alarm of a type says of a subject.
func (c *Catalogue) Alarm(kind, subject string, args map[string]any) AlarmText {
	out := c.sides[kind]
	if out.What == "" {
		out.What = subject + ": " + c.say("trouble "+kind, args)
	} else {
		out.What = c.say("alarm "+kind, said{Subject: subject, A: args})
	}
	for name, text := range map[string]*string{"effect": &out.Effect, "remedy": &out.Remedy} { // the rules of the house say their own
		if own, ok := args[name].(string); ok {
			*text = own
		}
	}
	return out
}

// CanTell is what an alarm lacks to be told in a sentence; nil for nothing.
func (c *Catalogue) CanTell(kind, subject string, args map[string]any) error {
	name, of := "trouble "+kind, any(args)
	if c.sides[kind].What != "" {
		name, of = "alarm "+kind, said{Subject: subject, A: args}
	}
	return c.all.ExecuteTemplate(new(strings.Builder), name, of)
}

// Fact is what happened, in a sentence.
func (c *Catalogue) Fact(f fact.Fact) string {
	return c.say("fact "+string(f.Code()), said{Subject: f.Subject.String(), Device: f.Subject.OnDevice(), A: f.What})
}

// Text is the text of a code as the language has it.
func (c *Catalogue) Text(code fact.Code) string { return c.texts[code] }

// Trouble is what is wrong inside a device, in a sentence.
func (c *Catalogue) Trouble(t network.Trouble) string { return c.say("trouble "+t.Code, t.Args) }

// Router is why nothing is exchanged with a router of a site, and what to do, in a sentence; "" where all is well.
func (c *Catalogue) Router(n peering.Neighbour) string {
	if n.Why == "" {
		return ""
	}
	return c.say("router "+n.Why, map[string]any{"device": n.Device, "address": n.Address, "interface": n.Interface, "protocol": n.Protocol, "as": n.AS, "area": n.Area, "state": n.State})
}

// Segment is in what an edge disagrees about a segment that others know by a number, and what to do, in a sentence.
func (c *Catalogue) Segment(name string, number int, f segment.Fault) string {
	return c.say("segment "+f.Code, map[string]any{"name": name, "device": f.Device, "here": f.Number, "number": number, "other": f.Other})
}

// RadioLink is why a radio link is down, and what to do, in a sentence.
func (c *Catalogue) RadioLink(w radiolink.Why) string { return c.say("radio-link "+w.Code, w.Args) }

// Tunnel is why a tunnel is not up, and what to do, in a sentence.
func (c *Catalogue) Tunnel(w overlay.Why) string { return c.say("tunnel "+w.Code, w.Args) }

func (c *Catalogue) say(name string, of any) string {
	var b strings.Builder
	if err := c.all.ExecuteTemplate(&b, name, of); err != nil { // a newer version kept it, or a device told something unheard of: better this than nothing
		return fmt.Sprintf("%s (%v)", name, of)
	}
	return b.String()
}
