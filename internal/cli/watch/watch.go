// Package watch is the watch on a terminal's whole screen: what is out of order, the worst first, and below it what happens.
package watch

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

// Source is where the screen has it from.
type Source interface {
	Alarms(ctx context.Context) ([]v1.Alarm, error)
	Alarm(ctx context.Context, number int64) (v1.AlarmDetail, error)
	Act(ctx context.Context, number int64, act string) error
	Log(ctx context.Context) ([]v1.Event, error) // the newest last
	Follow(ctx context.Context, f func(v1.Event)) error
}

const (
	keptEvents = 500
	settle     = 300 * time.Millisecond // after an alarm was heard of, for others come with it
	patience   = 2 * time.Second        // before a stream that broke is tried again
	asking     = 10 * time.Second
)

// Options of the screen.
type Options struct {
	Title  string // who looks where
	Colour bool
	Now    func() time.Time
}

// Model is the screen.
type Model struct {
	ctx    context.Context
	source Source
	o      Options

	width, height int
	alarms        []v1.Alarm
	read          bool // the alarms were read at all
	events        []v1.Event
	picked        int64 // the alarm under the cursor, by number: rows move
	detail        *v1.AlarmDetail
	since         time.Time // since when it is live, or not
	live          bool
	fault         string
	said          string // of what was done last
	renewing      bool
	help          bool
}

// What comes in.
type (
	alarmsMsg struct {
		list []v1.Alarm
		err  error
	}
	detailMsg struct {
		one v1.AlarmDetail
		err error
	}
	logMsg struct {
		list []v1.Event
		err  error
	}
	eventMsg v1.Event
	liveMsg  struct{ err error }
	renewMsg struct{}
	actedMsg struct {
		what string
		err  error
	}
	tickMsg struct{}
)

// New returns the screen.
func New(ctx context.Context, s Source, o Options) *Model {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Model{ctx: ctx, source: s, o: o, width: 80, height: 24, since: o.Now()}
}

// Run shows the screen until somebody leaves it.
func Run(ctx context.Context, m *Model, options ...tea.ProgramOption) error {
	p := tea.NewProgram(m, append(options, tea.WithContext(ctx))...)
	following, stop := context.WithCancel(ctx)
	defer stop()
	done := make(chan struct{})
	go func() {
		defer close(done)
		for following.Err() == nil {
			err := m.source.Follow(following, func(e v1.Event) { p.Send(eventMsg(e)) })
			if following.Err() != nil {
				return
			}
			p.Send(liveMsg{err})
			select {
			case <-time.After(patience):
			case <-following.Done():
			}
		}
	}()
	_, err := p.Run()
	stop()
	<-done
	if ctx.Err() != nil {
		return nil // broken off by hand
	}
	return err
}

// Init implements tea.Model.
func (m *Model) Init() tea.Cmd { return tea.Batch(m.readAlarms, m.readLog, tick()) }

func tick() tea.Cmd { return tea.Tick(time.Second, func(time.Time) tea.Msg { return tickMsg{} }) }

func (m *Model) asked() (context.Context, context.CancelFunc) {
	return context.WithTimeout(m.ctx, asking)
}

func (m *Model) readAlarms() tea.Msg {
	ctx, cancel := m.asked()
	defer cancel()
	list, err := m.source.Alarms(ctx)
	return alarmsMsg{list, err}
}

func (m *Model) readLog() tea.Msg {
	ctx, cancel := m.asked()
	defer cancel()
	list, err := m.source.Log(ctx)
	return logMsg{list, err}
}

func (m *Model) readDetail(number int64) tea.Cmd {
	return func() tea.Msg {
		ctx, cancel := m.asked()
		defer cancel()
		one, err := m.source.Alarm(ctx, number)
		return detailMsg{one, err}
	}
}

func (m *Model) act(number int64, act, what string) tea.Cmd {
	return func() tea.Msg {
		ctx, cancel := m.asked()
		defer cancel()
		return actedMsg{what, m.source.Act(ctx, number, act)}
	}
}

// renew has the alarms be read again soon, once for all that come together.
func (m *Model) renew() tea.Cmd {
	if m.renewing {
		return nil
	}
	m.renewing = true
	return tea.Tick(settle, func(time.Time) tea.Msg { return renewMsg{} })
}

// Update implements tea.Model.
func (m *Model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case tea.KeyPressMsg:
		return m, m.key(msg.String())
	case alarmsMsg:
		return m, m.tookAlarms(msg)
	case logMsg:
		if m.heard(msg.err); msg.err == nil {
			m.events = msg.list
		}
	case detailMsg:
		if msg.err != nil {
			m.said = "That alarm cannot be shown: " + msg.err.Error()
			return m, nil
		}
		m.detail = &msg.one
	case eventMsg:
		return m, m.happened(v1.Event(msg))
	case liveMsg:
		m.heard(msg.err)
	case renewMsg:
		m.renewing = false
		return m, m.readAlarms
	case actedMsg:
		if m.said = msg.what; msg.err != nil {
			m.said = "Not done: " + msg.err.Error()
		}
		return m, m.renew()
	case tickMsg:
		return m, tick()
	}
	return m, nil
}

// heard notes whether the service answers.
func (m *Model) heard(err error) {
	live := err == nil
	if live != m.live {
		m.live, m.since = live, m.o.Now()
	}
	m.fault = ""
	if err != nil {
		m.fault = err.Error()
	}
}

func (m *Model) tookAlarms(msg alarmsMsg) tea.Cmd {
	if m.heard(msg.err); msg.err != nil {
		return nil
	}
	m.alarms, m.read = msg.list, true
	if m.at() < 0 {
		m.picked = 0
		if len(m.alarms) > 0 {
			m.picked = m.alarms[0].Number
		}
	}
	if m.detail != nil {
		return m.readDetail(m.detail.Number)
	}
	return nil
}

// happened takes an event of the stream.
func (m *Model) happened(e v1.Event) tea.Cmd {
	again := !m.live
	m.heard(nil)
	if e.Kind == "reset" || again {
		return tea.Batch(m.readLog, m.renew())
	}
	if e.Text != "" {
		if m.events = append(m.events, e); len(m.events) > keptEvents {
			m.events = m.events[len(m.events)-keptEvents:]
		}
	}
	if e.Kind == "alarm" {
		return m.renew()
	}
	return nil
}

// at is the row of the alarm under the cursor, -1 where there is none.
func (m *Model) at() int {
	for i, a := range m.alarms {
		if a.Number == m.picked {
			return i
		}
	}
	return -1
}

func (m *Model) move(rows int) {
	if len(m.alarms) > 0 {
		m.picked = m.alarms[min(max(m.at()+rows, 0), len(m.alarms)-1)].Number
	}
}

func (m *Model) key(k string) tea.Cmd {
	m.said = ""
	switch k {
	case "q", "ctrl+c":
		return tea.Quit
	case "?":
		m.help = !m.help
	case "up", "k":
		m.move(-1)
	case "down", "j":
		m.move(1)
	case "pgup":
		m.move(-m.rows())
	case "pgdown":
		m.move(m.rows())
	case "home", "g":
		m.move(-len(m.alarms))
	case "end", "G":
		m.move(len(m.alarms))
	case "esc":
		m.detail, m.help = nil, false
		return nil
	case "r":
		return tea.Batch(m.readAlarms, m.readLog)
	case "enter", "space":
		if m.detail != nil && m.detail.Number == m.picked {
			m.detail = nil
			return nil
		}
		if m.picked != 0 {
			return m.readDetail(m.picked)
		}
	case "a":
		if i := m.at(); i >= 0 {
			if m.alarms[i].AckedBy != "" {
				return m.act(m.picked, "unacknowledge", fmt.Sprintf("Alarm %d is not acknowledged any more.", m.picked))
			}
			return m.act(m.picked, "acknowledge", fmt.Sprintf("Alarm %d is acknowledged.", m.picked))
		}
		m.said = "Nothing to acknowledge."
		if !m.read {
			m.said = "Not done: the alarms are still being read. Press the key again when they stand here."
		}
	}
	if m.detail != nil && m.detail.Number != m.picked && m.picked != 0 {
		return m.readDetail(m.picked)
	}
	return nil
}

// rows is how many alarms are shown at once: what is needed, and at most half of the screen.
func (m *Model) rows() int {
	return max(min(max(len(m.alarms), 1), (m.height-5)/2), 1)
}

// View implements tea.Model.
func (m *Model) View() tea.View {
	lines := append([]string{m.head()}, m.alarmLines()...)
	room := m.height - len(lines) - 2
	var below []string
	switch {
	case m.help:
		below = append([]string{m.heading("Keys")}, keys...)
	case m.detail != nil:
		below = append([]string{m.heading(fmt.Sprintf("Alarm %d", m.detail.Number))}, m.detailLines()...)
	default:
		below = append([]string{m.heading("What happens")}, m.eventLines(room)...)
	}
	below = below[:min(len(below), max(room+1, 0))]
	lines = append(lines, below...)
	for len(lines) < m.height-1 {
		lines = append(lines, "")
	}
	lines = append(lines, m.foot())
	for i, l := range lines {
		lines[i] = ansi.Truncate(l, m.width, "…")
	}
	v := tea.NewView(strings.Join(lines, "\n"))
	v.AltScreen = true
	v.WindowTitle = "Every Post"
	return v
}

var keys = []string{
	"  up, down, k, j     another alarm", "  enter              the alarm in full, or the log again", "  a                  acknowledge it, or take that back",
	"  r                  read everything anew", "  esc                back to the log", "  q                  leave",
}

func (m *Model) paint(code, s string) string {
	if !m.o.Colour {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

func (m *Model) heading(s string) string {
	return m.paint("1", s) + " " + m.paint("2", strings.Repeat("─", max(m.width-ansi.StringWidth(s)-1, 0)))
}

func (m *Model) head() string {
	counts := map[string]int{}
	for _, a := range m.alarms {
		counts[a.Severity]++
	}
	var parts []string
	for _, s := range []string{"critical", "major", "minor", "warning"} {
		if counts[s] > 0 {
			parts = append(parts, m.severity(s, fmt.Sprintf("%d %s", counts[s], s)))
		}
	}
	switch {
	case !m.read:
		parts = []string{"reading the alarms"}
	case len(parts) == 0:
		parts = []string{"nothing is out of order"}
	}
	return m.paint("1", "Every Post") + "  " + m.o.Title + "  " + strings.Join(parts, "  ")
}

// Shapes tell severities besides their words, as everywhere.
var shapes = map[string]string{"critical": "▼", "major": "▼", "minor": "◆", "warning": "◇"}

func (m *Model) severity(s, text string) string {
	return m.paint(map[string]string{"critical": "31;1", "major": "31", "minor": "33", "warning": "33"}[s], shapes[s]+" "+text)
}

func (m *Model) alarmLines() []string {
	out := []string{m.heading("Out of order")}
	rows := m.rows()
	if !m.read {
		return append(out, "  Being read.")
	}
	if len(m.alarms) == 0 {
		return append(out, "  Nothing. What goes wrong shows here within seconds.")
	}
	from := min(max(m.at()-rows/2, 0), max(len(m.alarms)-rows, 0))
	for _, a := range m.alarms[from:min(from+rows, len(m.alarms))] {
		mark, number := "  ", fmt.Sprintf("%5d", a.Number)
		if a.Number == m.picked {
			mark = m.paint("35;1", "> ")
		}
		hand := ""
		if a.Followers > 0 {
			hand += fmt.Sprintf("  +%d more", a.Followers)
		}
		if a.AckedBy != "" {
			hand += "  seen by " + a.AckedBy
		}
		severity := m.severity(a.Severity, fmt.Sprintf("%-8s", a.Severity))
		line := fmt.Sprintf("%s%s  %s  %-6s  ", mark, number, severity, m.age(a.RaisedAt))
		hand = safe.Line(hand)
		text := ansi.Truncate(safe.Line(a.Text), max(m.width-ansi.StringWidth(line)-ansi.StringWidth(hand), 10), "…")
		out = append(out, line+text+m.paint("2", hand))
	}
	if rest := len(m.alarms) - rows; rest > 0 {
		out[0] = m.heading(fmt.Sprintf("Out of order: %d of %d", rows, len(m.alarms)))
	}
	return out
}

// age is how long ago something was, in one unit.
func (m *Model) age(at time.Time) string {
	switch d := m.o.Now().Sub(at); {
	case d < time.Minute:
		return strconv.Itoa(max(int(d.Seconds()), 0)) + " s"
	case d < time.Hour:
		return strconv.Itoa(int(d.Minutes())) + " min"
	case d < 48*time.Hour:
		return strconv.Itoa(int(d.Hours())) + " h"
	default:
		return strconv.Itoa(int(d.Hours()/24)) + " d"
	}
}

func (m *Model) eventLines(room int) (out []string) {
	for _, e := range m.events[max(len(m.events)-max(room, 0), 0):] {
		out = append(out, "  "+m.paint("2", e.At.Local().Format("15:04:05"))+"  "+safe.Line(e.Text))
	}
	if len(m.events) == 0 {
		out = []string{"  Nothing happened yet."}
	}
	return out
}

func (m *Model) detailLines() (out []string) {
	d := m.detail
	add := func(title, s string) {
		if s == "" {
			return
		}
		for i, l := range strings.Split(ansi.Wordwrap(safe.Line(s), max(m.width-14, 20), " "), "\n") {
			if i > 0 {
				title = ""
			}
			out = append(out, fmt.Sprintf("  %-10s  %s", title, l))
		}
	}
	add("What", d.Text)
	add("Effect", d.Effect)
	add("To do", d.Remedy)
	add("Since", d.RaisedAt.Local().Format("2006-01-02 15:04:05"))
	if d.Change > 0 {
		add("Before", fmt.Sprintf("change %d, by %s", d.Change, d.ChangedBy))
	}
	for i, f := range d.Follow {
		title := ""
		if i == 0 {
			title = "Follow"
		}
		add(title, f.Text)
	}
	for _, n := range d.Notes {
		add(n.At.Local().Format("15:04:05"), n.By+": "+n.Text)
	}
	return out
}

func (m *Model) foot() string {
	state := m.paint("32", "●") + " live"
	if !m.live {
		state = m.paint("31", "◇") + " not live since " + m.since.Local().Format("15:04:05")
		if m.fault != "" {
			state += ": " + safe.Line(m.fault)
		}
	}
	if m.said != "" {
		state += "   " + safe.Line(m.said)
	}
	return state + m.paint("2", "   enter in full   a acknowledge   ? keys   q leave")
}
