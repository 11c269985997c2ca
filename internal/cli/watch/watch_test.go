package watch

import (
	"context"
	"errors"
	"strings"
	"sync"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
)

var at = time.Date(2026, 11, 29, 8, 0, 0, 0, time.UTC)

// house is a service for the screen.
type house struct {
	mu     sync.Mutex
	alarms []v1.Alarm
	acts   []string
	fails  error
}

func (h *house) Alarms(context.Context) ([]v1.Alarm, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.alarms, h.fails
}
func (h *house) Alarm(_ context.Context, number int64) (v1.AlarmDetail, error) {
	for _, a := range h.alarms {
		if a.Number == number {
			return v1.AlarmDetail{Alarm: a, Follow: []v1.Alarm{{Text: "th-sw-02 cannot be reached."}}}, nil
		}
	}
	return v1.AlarmDetail{}, errors.New("there is no such alarm")
}
func (h *house) Act(_ context.Context, number int64, act string) error {
	h.acts = append(h.acts, act)
	return h.fails
}
func (h *house) Log(context.Context) ([]v1.Event, error) {
	return []v1.Event{{At: at, Text: "th-sw-01 is connected."}}, h.fails
}
func (h *house) Follow(context.Context, func(v1.Event)) error { return nil }

// do gives the screen what comes in, and what comes of that, but for what waits.
func do(t *testing.T, m *Model, msgs ...tea.Msg) {
	t.Helper()
	for _, msg := range msgs {
		_, cmd := m.Update(msg)
		run(t, m, cmd)
	}
}

func run(t *testing.T, m *Model, cmd tea.Cmd) {
	t.Helper()
	if cmd == nil {
		return
	}
	switch msg := cmd().(type) {
	case tea.BatchMsg:
		for _, c := range msg {
			run(t, m, c)
		}
	case tickMsg:
	default:
		do(t, m, msg)
	}
}

func key(s string) tea.Msg {
	switch s {
	case "down":
		return tea.KeyPressMsg{Code: tea.KeyDown}
	case "up":
		return tea.KeyPressMsg{Code: tea.KeyUp}
	case "enter":
		return tea.KeyPressMsg{Code: tea.KeyEnter}
	case "esc":
		return tea.KeyPressMsg{Code: tea.KeyEscape}
	}
	return tea.KeyPressMsg{Code: rune(s[0]), Text: s}
}

func screen(m *Model) string { return m.View().Content }

func open() (*house, *Model) {
	h := &house{alarms: []v1.Alarm{
		{Number: 7, Severity: "major", Text: "th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", Effect: "What hangs behind it is cut off.", Remedy: "Look at the cable.", RaisedAt: at.Add(-3 * time.Minute), Followers: 2},
		{Number: 9, Severity: "warning", Text: "kb-sw-01 runs 2 settings other than intended.\x1b[2J", RaisedAt: at.Add(-3 * time.Hour), AckedBy: "bram"},
	}}
	return h, New(context.Background(), h, Options{Title: "ada at http://127.0.0.1:8490", Now: func() time.Time { return at }})
}

func TestTheScreen(t *testing.T) {
	h, m := open()
	do(t, m, tea.WindowSizeMsg{Width: 110, Height: 20})
	run(t, m, m.readAlarms)
	run(t, m, m.readLog)
	s := screen(m)
	assert.Contains(t, s, "ada at http://127.0.0.1:8490  ▼ 1 major  ◇ 1 warning")
	assert.Contains(t, s, ">     7  ▼ major     3 min   th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.  +2 more")
	assert.Contains(t, s, "3 h")
	assert.Contains(t, s, "seen by bram")
	assert.NotContains(t, s, "\x1b[2J", "what others say only shows")
	assert.Contains(t, s, "th-sw-01 is connected.")
	assert.Contains(t, s, "● live")
	lines := strings.Split(s, "\n")
	assert.Len(t, lines, 20, "the screen is full, and no more")
	for _, l := range lines {
		assert.LessOrEqual(t, ansi.StringWidth(l), 110)
	}

	do(t, m, key("enter"))
	assert.Contains(t, screen(m), "To do       Look at the cable.")
	assert.Contains(t, screen(m), "Follow      th-sw-02 cannot be reached.")
	do(t, m, key("down"))
	assert.Contains(t, screen(m), "Alarm 9", "what is in full goes with the cursor")
	do(t, m, key("esc"), key("a"))
	assert.Equal(t, []string{"unacknowledge"}, h.acts)
	do(t, m, key("up"), key("a"))
	assert.Equal(t, []string{"unacknowledge", "acknowledge"}, h.acts)
	assert.Contains(t, screen(m), "Alarm 7 is acknowledged.")
	do(t, m, key("?"))
	assert.Contains(t, screen(m), "take that back")
	h.fails = errors.New("it takes operate alarms")
	do(t, m, key("a"))
	assert.Contains(t, screen(m), "Not done: it takes operate alarms")
	_, quit := m.Update(key("q"))
	require.NotNil(t, quit)
	assert.Equal(t, tea.QuitMsg{}, quit())
}

// The cursor stays on its alarm while others come and go; what is lost is told, and read anew when the service is back.
func TestTheScreenFollows(t *testing.T) {
	h, m := open()
	run(t, m, m.readAlarms)
	do(t, m, key("down"))
	h.alarms = append([]v1.Alarm{{Number: 12, Severity: "critical", Text: "th-fw-01 cannot be reached."}}, h.alarms...)
	do(t, m, eventMsg{Kind: "alarm", Text: "Alarm 12 was raised.", At: at})
	assert.Contains(t, screen(m), ">     9")
	assert.Contains(t, screen(m), "Alarm 12 was raised.")
	do(t, m, liveMsg{errors.New("the service does not answer")})
	assert.Contains(t, screen(m), "not live since")
	assert.Contains(t, screen(m), "the service does not answer")
	h.alarms = nil
	do(t, m, eventMsg{Kind: "reset"})
	assert.Contains(t, screen(m), "nothing is out of order")
	assert.Contains(t, screen(m), "● live")
	do(t, m, key("enter"), key("a"), key("down"), key("up"))
	for range keptEvents + 50 {
		do(t, m, eventMsg{Kind: "port", Text: "x", At: at})
	}
	assert.Len(t, m.events, keptEvents)
	do(t, m, tea.WindowSizeMsg{Width: 10, Height: 3}) // too small for anything, and yet no harm
	assert.NotEmpty(t, screen(m))
}

// What was not read yet is not said to be in order, and a key that can do nothing says so.
func TestBeforeTheAlarmsAreRead(t *testing.T) {
	h := &house{alarms: []v1.Alarm{{Number: 3, Severity: "major", Text: "th-sw-01:1/1/49 has no link"}}}
	m := New(t.Context(), h, Options{Now: func() time.Time { return at }})
	assert.NotContains(t, m.View().Content, "nothing is out of order")
	do(t, m, key("a"))
	assert.Empty(t, h.acts)
	assert.Contains(t, m.View().Content, "Not done: the alarms are still being read.")
	run(t, m, m.Init())
	do(t, m, key("a"))
	assert.Equal(t, []string{"acknowledge"}, h.acts)
	h.alarms = nil
	do(t, m, key("r"), key("a"))
	assert.Contains(t, m.View().Content, "nothing is out of order")
	assert.Contains(t, m.View().Content, "Nothing to acknowledge.")
}
