// Package job is work on many devices, planned once and done now, at a time, or again and again: backups, upgrades of firmware, passwords. It knows what
// a job says of itself, when it is due, and how a run of it stands, step by step; doing the work is for others.
package job

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
)

// Kind names what a job does.
type Kind string

// The kinds.
const (
	Backup    Kind = "backup"    // keep what devices run
	Upgrade   Kind = "upgrade"   // have devices run other firmware
	GoBack    Kind = "go-back"   // have devices run the firmware of their other slot
	Passwords Kind = "passwords" // give devices another password for this service
	Renew     Kind = "renew"     // give devices other certificates before theirs end
	Search    Kind = "search"    // look for devices that are not known yet
)

// About tells of a kind.
type About struct {
	Kind    Kind
	Title   string
	Does    string // one line
	Params  []Param
	Feature rights.Feature // whose right to operate it takes, on each device
	// Disturbs says what is lost while it goes on, "" for nothing.
	Disturbs string
	// Writes tells that it changes what devices run: nobody else does while a step goes on, and a step waits for whoever does.
	Writes bool
	// Elsewhere tells that it is about addresses and not about devices that are known: it picks none, and has one step.
	Elsewhere bool
}

// Param is something to be said of a job of a kind.
type Param struct {
	Name, Title, Help string
	Default           string
	Value             setting.Value
}

var (
	failures = Param{Name: "stop-after", Title: "Stop after", Help: "failures, after which nothing more is begun", Default: "1", Value: setting.Whole(1, 1000, "")}
	atOnce   = Param{Name: "at-once", Title: "At once", Help: "devices that are worked on at the same time", Default: "8", Value: setting.Whole(1, 100, "")}
)

var kinds = []About{
	{Kind: Backup, Title: "Back up", Does: "reads what devices run and keeps it", Feature: rights.Backups,
		Params: []Param{atOnce}},
	{Kind: Upgrade, Title: "Upgrade firmware", Does: "has devices run the firmware of the baseline, wave by wave", Feature: rights.Firmware,
		Disturbs: "Each device restarts, and what hangs behind it is cut off until it is back.", Writes: true,
		Params: []Param{failures, atOnce}},
	{Kind: GoBack, Title: "Go back", Does: "has devices run the firmware of their other slot again", Feature: rights.Firmware,
		Disturbs: "Each device restarts, and what hangs behind it is cut off until it is back.", Writes: true,
		Params: []Param{failures, atOnce}},
	{Kind: Passwords, Title: "Change passwords", Does: "gives devices another password for the user as whom this service logs in, and proves it before the old one goes", Feature: rights.Devices, Writes: true,
		Params: []Param{failures, atOnce, {Name: Password, Title: "Password", Help: "one for all; empty: one made up for each, which nobody gets to see", Value: setting.SecretValue()}}},
	{Kind: Renew, Title: "Renew certificates", Does: "gives devices other certificates, signed by the authority of the house, where theirs end soon", Feature: rights.Devices, Writes: true,
		Params: []Param{failures, atOnce,
			{Name: Within, Title: "Ending within", Help: "days: those that end later are left alone", Default: "30", Value: setting.Whole(1, 4000, "d")},
			{Name: ValidFor, Title: "Good for", Help: "days", Default: "365", Value: setting.Whole(1, 1200, "d")}}},
	{Kind: Search, Title: "Look for devices", Does: "looks for devices at addresses, and from there at their neighbours; what it finds waits to be accepted", Feature: rights.Discovery, Elsewhere: true,
		Params: []Param{
			{Name: Targets, Title: "Addresses", Help: "addresses, prefixes and ranges, with spaces between: 10.20.1.0/24 10.20.2.10-10.20.2.40", Value: setting.Words(maxTargets)},
			{Name: User, Title: "User", Help: "as whom it logs in to what answers", Value: setting.Words(64)},
			{Name: Password, Title: "Password", Help: "of that user; what answers gets to see it, so search only where you would also type it", Value: setting.SecretValue()},
			{Name: Hops, Title: "Hops", Help: "how far neighbours are followed; 0: not at all", Default: "8", Value: setting.Whole(0, 32, "")},
			{Name: Port, Title: "Port", Help: "where an address says none", Default: "830", Value: setting.Whole(1, 65_535, "")},
		}},
}

// The params of a renewal.
const (
	Within   = "within"
	ValidFor = "valid-for"
)

// The params of a search.
const (
	Targets = "targets"
	User    = "user"
	Hops    = "hops"
	Port    = "port"

	maxTargets = 4000
)

// Password is the param that holds a reference to a password: of a job of passwords, the one that all devices get ("" for one of its own each); of
// a search, the one by which it logs in.
const Password = "password"

// Kinds lists all there are.
func Kinds() []About { return slices.Clone(kinds) }

func names() string {
	var out []string
	for _, a := range kinds {
		out = append(out, string(a.Kind))
	}
	return strings.Join(out, ", ")
}

// Of tells of a kind.
func Of(k Kind) (About, bool) {
	i := slices.IndexFunc(kinds, func(a About) bool { return a.Kind == k })
	if i < 0 {
		return About{}, false
	}
	return kinds[i], true
}

// ErrInvalid tells that a job is none.
var ErrInvalid = errors.New("that is no job")

// Job is work on devices.
type Job struct {
	Number  int64             `json:"-"`
	Kind    Kind              `json:"-"`
	Owner   string            `json:"-"` // by whose rights it works
	State   State             `json:"-"`
	NextAt  time.Time         `json:"-"` // when it is due; zero: not by itself
	Title   string            `json:"title"`
	Where   string            `json:"where"` // a selector: which devices
	Args    map[string]string `json:"args"`
	When    When              `json:"when"`
	Made    time.Time         `json:"made"`
	LastRun int64             `json:"last_run,omitempty"`
}

// State is how a job stands.
type State string

// The states.
const (
	Active State = "active" // it is done when it is due
	Held   State = "held"   // somebody holds it back
	Over   State = "over"   // it is not done again
)

const (
	maxTitle = 120
	maxWhere = 4000
)

// New checks what is said of a job and fills in what is not.
func New(k Kind, owner, title, where string, args map[string]string, w When, now time.Time) (Job, error) {
	about, ok := Of(k)
	if !ok {
		return Job{}, fmt.Errorf("%w: there is no kind %q: there are %s", ErrInvalid, k, names())
	}
	if about.Elsewhere && strings.TrimSpace(where) != "" {
		return Job{}, fmt.Errorf("%w: a %s picks no devices: leave the selector out", ErrInvalid, k)
	}
	title = cmp.Or(strings.TrimSpace(title), about.Title)
	if len([]rune(title)) > maxTitle || len(where) > maxWhere || strings.ContainsFunc(title, func(r rune) bool { return r < ' ' }) {
		return Job{}, fmt.Errorf("%w: its title is too long, or no single line: at most %d characters", ErrInvalid, maxTitle)
	}
	j := Job{Kind: k, Owner: owner, State: Active, Title: title, Where: strings.TrimSpace(where), Args: map[string]string{}, When: w, Made: now}
	for _, p := range about.Params {
		text := cmp.Or(strings.TrimSpace(args[p.Name]), p.Default)
		v, err := p.Value.Normal(text)
		if err != nil {
			return Job{}, fmt.Errorf("%w: %s: %w", ErrInvalid, p.Name, err)
		}
		j.Args[p.Name] = v
	}
	for name := range args {
		if _, known := j.Args[name]; !known {
			return Job{}, fmt.Errorf("%w: a %s takes no %q", ErrInvalid, k, name)
		}
	}
	if err := w.check(); err != nil {
		return Job{}, err
	}
	j.NextAt = w.First(now)
	if j.NextAt.IsZero() {
		return Job{}, fmt.Errorf("%w: by %q it would never be done", ErrInvalid, w.Rule)
	}
	return j, nil
}

// RunState is how a run stands.
type RunState string

// The states of a run.
const (
	Running   RunState = "running"
	Waiting   RunState = "waiting" // for its hours
	Paused    RunState = "paused"  // by somebody: no further step is begun
	Done      RunState = "done"
	Failed    RunState = "failed" // at least one step did
	Cancelled RunState = "cancelled"
	Missed    RunState = "missed" // it was due while the service did not run, or could not begin
)

// Open tells whether a run goes on.
func (s RunState) Open() bool { return s == Running || s == Waiting || s == Paused }

// Run is one time that a job is done.
type Run struct {
	Number  int64     `json:"-"`
	Job     int64     `json:"-"`
	State   RunState  `json:"-"`
	DueAt   time.Time `json:"-"`
	EndedAt time.Time `json:"-"` // zero while it goes on

	BegunAt time.Time `json:"begun_at"`
	By      string    `json:"by,omitempty"` // who began it by hand
	Why     string    `json:"why,omitempty"`
	EndedBy string    `json:"ended_by,omitempty"`
	Retries int64     `json:"retries,omitempty"` // the run whose failed steps it does again
}

// StepState is how a step stands.
type StepState string

// The states of a step.
const (
	StepWaiting   StepState = "waiting"
	StepRunning   StepState = "running"
	StepDone      StepState = "done"
	StepUnchanged StepState = "unchanged" // there was nothing to do
	StepFailed    StepState = "failed"
	StepSkipped   StepState = "skipped" // not begun: the run ended before
)

// Step is the work on one device.
type Step struct {
	Device  string    `json:"-"`               // "" where the job is about no devices
	About   string    `json:"about,omitempty"` // what it is about then
	Wave    int       `json:"-"`               // from 0; those of a wave are done at once, and all before the next
	State   StepState `json:"-"`
	Doing   string    `json:"doing,omitempty"`   // what is done at the moment
	Percent int       `json:"percent,omitempty"` // of what is done at the moment
	Note    string    `json:"note,omitempty"`    // what came of it
	From    string    `json:"from,omitempty"`    // as it was before
	To      string    `json:"to,omitempty"`      // as it is to be
	Image   int64     `json:"image,omitempty"`   // what it is given
	Before  *Health   `json:"before,omitempty"`  // how the device did before
	BegunAt time.Time `json:"begun_at"`
	EndedAt time.Time `json:"ended_at"`
}

// Health is how a device does, as far as it is held against how it did before.
type Health struct {
	Up       []string `json:"up"`       // ports with a link to another device
	Hosts    int      `json:"hosts"`    // other ports with a link
	Troubles []string `json:"troubles"` // what is wrong inside, by key
}

// Counts says how many steps are in which state.
func Counts(steps []Step) map[StepState]int {
	out := map[StepState]int{}
	for _, s := range steps {
		out[s.State]++
	}
	return out
}

// Outcome is the state in which a run ends by its steps.
func Outcome(steps []Step, cancelled bool) RunState {
	n := Counts(steps)
	switch {
	case cancelled:
		return Cancelled
	case n[StepFailed] > 0 || n[StepSkipped] > 0:
		return Failed
	}
	return Done
}

// Next are the steps that may be begun now: of the first wave that is not through, as many as fit beside those that go on. Once as many failed as
// stop it, none may be begun any more and stop is true.
func Next(steps []Step, atOnce, stopAfter int) (begin []int, stop bool) {
	n := Counts(steps)
	if stopAfter > 0 && n[StepFailed] >= stopAfter {
		return nil, true
	}
	wave := -1
	for _, s := range steps {
		if (s.State == StepWaiting || s.State == StepRunning) && (wave < 0 || s.Wave < wave) {
			wave = s.Wave
		}
	}
	room := atOnce - n[StepRunning]
	for i, s := range steps {
		if room > 0 && s.State == StepWaiting && s.Wave == wave {
			begin = append(begin, i)
			room--
		}
	}
	return begin, false
}
