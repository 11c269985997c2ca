// Package operation is what a device can be asked to do now, besides running what it is set up to: to ping somebody, to test its cables, to
// restart. For each operation it knows what must be said, what comes back, who may ask for it, and what it disturbs.
//
// An operation is described once, here. Forms, commands, the driver and the reference follow from the list.
package operation

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
)

// Kind names an operation.
type Kind string

// About tells of an operation.
type About struct {
	Kind    Kind
	Title   string
	Does    string // what the device does, one line
	Params  []Param
	Columns []Column // of the lines that come back
	Verb    rights.Verb
	Feature rights.Feature
	// Disturbs says what is lost while it goes on, "" for nothing. Who asks for it is told before.
	Disturbs string
	// Leaves tells that the device goes away with it, and is awaited.
	Leaves bool
	// Stays tells that it does not come back by itself: only that it goes is awaited.
	Stays bool
	// Captures tells that it leaves a file of frames, which is fetched and kept.
	Captures bool
	// Of is the feature by which a device announces it, where that has another name.
	Of string
	// Inner tells that it is a part of other work, such as an upgrade: nobody asks for it by itself.
	Inner bool

	longest   func(Request) time.Duration
	summarise func([]Line) []Fact
}

// Param is something to be said of an operation.
type Param struct {
	Name, Title, Help string
	Default           string // "" where it must be said, unless Free
	Free              bool   // it may be left out
	Person            bool   // it is who asks: the service says it, and nobody else
	Value             setting.Value
}

// Column is a part of the lines that come back.
type Column struct{ Name, Title, Unit string }

// Line is something that comes back, with its cells by column.
type Line struct {
	At    time.Time         `json:"at"`
	Cells map[string]string `json:"cells"`
}

// Fact is something that can be said of all lines together.
type Fact struct {
	Title string `json:"title"`
	Value string `json:"value"`
}

// Request is an operation with what is said of it, in normal form.
type Request struct {
	Kind Kind              `json:"kind"`
	Args map[string]string `json:"args"`
}

// ErrInvalid tells that a request is none.
var ErrInvalid = errors.New("that cannot be asked of a device")

// Announced is the feature by which a device announces it (ep-operations).
func (a About) Announced() string {
	if a.Of != "" {
		return a.Of
	}
	return string(a.Kind)
}

// Kinds lists all that people can ask for.
func Kinds() []About { return slices.DeleteFunc(All(), func(a About) bool { return a.Inner }) }

// All lists all there are.
func All() []About { return slices.Clone(kinds) }

// Of tells of an operation.
func Of(k Kind) (About, bool) {
	i := slices.IndexFunc(kinds, func(a About) bool { return a.Kind == k })
	if i < 0 {
		return About{}, false
	}
	return kinds[i], true
}

// New checks what is said of an operation and fills in what is not.
func New(k Kind, args map[string]string) (Request, error) {
	about, ok := Of(k)
	if !ok {
		return Request{}, fmt.Errorf("%w: there is no %q: there are %s", ErrInvalid, k, names())
	}
	out := Request{k, map[string]string{}}
	for _, p := range about.Params {
		text, said := args[p.Name]
		if p.Person {
			if said {
				return Request{}, fmt.Errorf("%w: %s is who asks, and is not said", ErrInvalid, p.Name)
			}
			continue
		}
		if !said || strings.TrimSpace(text) == "" {
			if p.Default == "" && !p.Free {
				return Request{}, fmt.Errorf("%w: %s is missing: %s", ErrInvalid, p.Name, p.Help)
			}
			if p.Default != "" {
				out.Args[p.Name] = p.Default
			}
			continue
		}
		v, err := p.Value.Normal(text)
		if err != nil {
			return Request{}, fmt.Errorf("%w: %s: %w", ErrInvalid, p.Name, err)
		}
		if p.Value.Type == setting.List && v == "none" {
			return Request{}, fmt.Errorf("%w: %s: name at least one", ErrInvalid, p.Name)
		}
		out.Args[p.Name] = v
	}
	for _, name := range slices.Sorted(maps.Keys(args)) {
		if !slices.ContainsFunc(about.Params, func(p Param) bool { return p.Name == name }) {
			return Request{}, fmt.Errorf("%w: %s takes no %q", ErrInvalid, k, name)
		}
	}
	return out, nil
}

// By is the request with who asks for it, where the device is told.
func (r Request) By(person string) Request {
	about, _ := Of(r.Kind)
	for _, p := range about.Params {
		if p.Person {
			r.Args = maps.Clone(r.Args)
			r.Args[p.Name] = person
		}
	}
	return r
}

func names() string {
	var out []string
	for _, a := range Kinds() {
		out = append(out, string(a.Kind))
	}
	return strings.Join(out, ", ")
}

// Longest is after what time a request is given up.
func (r Request) Longest() time.Duration {
	if about, ok := Of(r.Kind); ok && about.longest != nil {
		return about.longest(r)
	}
	return time.Minute
}

// Ports are those that a request names.
func (r Request) Ports() []string { return setting.Items(r.Args["ports"]) }

// Summary is what can be said of what came back.
func (r Request) Summary(lines []Line) []Fact {
	if about, ok := Of(r.Kind); ok && about.summarise != nil && len(lines) > 0 {
		return about.summarise(lines)
	}
	return nil
}

// String is how people say it: ping to 10.20.40.7, count 5.
func (r Request) String() string {
	about, _ := Of(r.Kind)
	var parts []string
	for _, p := range about.Params {
		if v := r.Args[p.Name]; v != "" && v != p.Default {
			parts = append(parts, p.Name+" "+v)
		}
	}
	return strings.TrimSpace(string(r.Kind) + " " + strings.Join(parts, ", "))
}
