package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// Change is a change and how far it has come. State and Step hold words of the changes package.
type Change struct {
	Number    int64     `json:"-"`
	State     string    `json:"-"`
	CreatedAt time.Time `json:"-"`
	UpdatedAt time.Time `json:"-"`

	Why       string          `json:"why"`
	Owner     string          `json:"owner"`
	Edits     []intent.Edit   `json:"-"`
	Findings  []guard.Finding `json:"findings"`
	Accepted  []Acceptance    `json:"accepted"`
	PushedBy  string          `json:"pushed_by"`
	PushedAt  time.Time       `json:"pushed_at"`
	TrialSecs int             `json:"trial_seconds"`
	KeepSecs  int             `json:"keep_seconds"` // after which it is kept by itself, 0: on a person's word
	Deadline  time.Time       `json:"deadline"`     // of the trial
	EndedBy   string          `json:"ended_by"`
	EndedAt   time.Time       `json:"ended_at"`
	EndAs     string          `json:"end_as"`         // what the change is once it is undone
	Outcome   string          `json:"outcome"`        // what came of it, in a sentence
	Back      []intent.Edit   `json:"back,omitempty"` // of one that is kept: what brings the layers back to what they said before
	Log       []LogLine       `json:"log"`
	Devices   []ChangeDevice  `json:"-"`

	Editors       []string       `json:"editors,omitempty"`        // who put edits in besides the owner
	Windows       []guard.Window `json:"windows,omitempty"`        // the hours that rules say for it, when it was checked
	NeedsApproval []string       `json:"needs_approval,omitempty"` // rules by which a second person has to approve
	Approvals     []Approval     `json:"approvals,omitempty"`      // of what it is: they go when it changes
	Waits         *Waits         `json:"waits,omitempty"`          // while it waits to be pushed
}

// Approval is a second person's yes.
type Approval struct {
	By  string    `json:"by"`
	At  time.Time `json:"at"`
	Why string    `json:"why,omitempty"`
}

// Waits is how a change is to be pushed that waits for it, and for what.
type Waits struct {
	By        string    `json:"by"`
	Since     time.Time `json:"since"`
	At        time.Time `json:"at"`        // not before; zero for none
	InWindow  bool      `json:"in_window"` // in the hours that rules say
	Approval  bool      `json:"approval"`  // it waited for one from the begin
	Accept    []string  `json:"accept,omitempty"`
	TrialSecs int       `json:"trial_seconds"`
	KeepSecs  int       `json:"keep_seconds"`
}

// Acceptance is a finding that somebody took upon himself.
type Acceptance struct {
	Finding string    `json:"finding"`
	By      string    `json:"by"`
	At      time.Time `json:"at"`
}

// LogLine is a step of a change's life.
type LogLine struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// ChangeDevice is a change on one device.
type ChangeDevice struct {
	Device string         `json:"-"`
	Step   string         `json:"-"`
	Order  int            `json:"order"`          // of being run, from 0: far to near
	Level  int            `json:"level"`          // those of one level run it at once, the levels one after another from 0: far to near
	Dark   bool           `json:"dark,omitempty"` // it will be out of sight for a moment, until others run the change too
	Token  string         `json:"-"`              // by which the device knows it
	Before network.Config `json:"before"`
	After  network.Config `json:"after"`
	Said   string         `json:"-"` // the device's words, or what became of it
	// Layers tells which layer says what becomes different, by target and setting, where that is not the device's own.
	Layers map[string]string `json:"layers,omitempty"`
}

// AddChange keeps a new change and returns its number.
func (s *Store) AddChange(ctx context.Context, c Change) (number int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, `INSERT INTO changes (state, body, created_at, updated_at) VALUES (?, ?, ?, ?)`,
			c.State, toJSON(c), micro(c.CreatedAt), micro(c.UpdatedAt))
		if err != nil {
			return err
		}
		if number, err = r.LastInsertId(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `INSERT INTO change_edits (number, edits) VALUES (?, ?)`, number, toJSON(c.Edits))
		return err
	})
	c.Number, c.Devices = number, nil
	return number, s.recent.wrote(c, err)
}

// PutChange keeps a change with its devices, and what is to be told of it, all or nothing.
func (s *Store) PutChange(ctx context.Context, c Change, facts ...fact.Fact) error {
	was, _, _ := s.recent.get(c.Number)
	return s.recent.wrote(c, s.tx(ctx, func(tx *sql.Tx) error {
		if err := putChange(ctx, tx, was, c); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	}))
}

// putChange writes a change of which it may be known how it is kept.
func putChange(ctx context.Context, tx *sql.Tx, was, c Change) error {
	if err := changed(tx.ExecContext(ctx, `UPDATE changes SET state = ?, body = ?, updated_at = ? WHERE number = ?`,
		c.State, toJSON(c), micro(c.UpdatedAt), c.Number)); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE change_edits SET edits = ?1 WHERE number = ?2 AND edits != ?1`, toJSON(c.Edits), c.Number); err != nil {
		return err
	}
	names := make([]string, len(c.Devices))
	for i, d := range c.Devices {
		names[i] = d.Device
		// What is kept of a device mostly never changes once the change is checked: only what differs is written.
		if i < len(was.Devices) && sameDevice(was.Devices[i], d) {
			continue
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO change_devices (number, device, body) VALUES (?, ?, ?)
			ON CONFLICT (number, device) DO UPDATE SET body = excluded.body WHERE body != excluded.body`, c.Number, d.Device, toJSON(d)); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM change_devices WHERE number = ? AND device NOT IN (SELECT value FROM json_each(?))`, c.Number, toJSON(names)); err != nil {
		return err
	}
	return putSteps(ctx, tx, c)
}

// sameDevice tells whether what is kept of a device but its step is the same.
func sameDevice(a, b ChangeDevice) bool {
	same := func(a, b network.Config) bool {
		return a.Equal(b) && slices.Equal(a.Features, b.Features) && a.ManagementInterface == b.ManagementInterface
	}
	return a.Device == b.Device && a.Order == b.Order && a.Level == b.Level && a.Dark == b.Dark && maps.Equal(a.Layers, b.Layers) &&
		same(a.Before, b.Before) && same(a.After, b.After)
}

// PutSteps keeps how far a change under way is, all or nothing: of its devices the step, the token and what they said. What the
// change is was kept before, and stays. With it goes what is to be told of it.
func (s *Store) PutSteps(ctx context.Context, c Change, facts ...fact.Fact) error {
	return s.recent.wrote(c, s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE changes SET state = ?, body = ?, updated_at = ? WHERE number = ?`,
			c.State, toJSON(c), micro(c.UpdatedAt), c.Number)); err != nil {
			return err
		}
		if err := putSteps(ctx, tx, c); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	}))
}

func putSteps(ctx context.Context, tx *sql.Tx, c Change) error {
	type step struct{ Device, Step, Said, Token string }
	steps := make([]step, len(c.Devices))
	for i, d := range c.Devices {
		steps[i] = step{d.Device, d.Step, d.Said, d.Token}
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO change_steps (number, device, step, said, token)
		SELECT ?, value->>'Device', value->>'Step', value->>'Said', value->>'Token' FROM json_each(?) WHERE true
		ON CONFLICT (number, device) DO UPDATE SET step = excluded.step, said = excluded.said, token = excluded.token
		WHERE step != excluded.step OR said != excluded.said OR token != excluded.token`,
		c.Number, toJSON(steps))
	return err
}

// DropChange forgets a change, and keeps what is to be told of that.
func (s *Store) DropChange(ctx context.Context, number int64, facts ...fact.Fact) error {
	err := s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `DELETE FROM changes WHERE number = ?`, number)); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	})
	s.recent.lose(number)
	return err
}

// Change returns a change.
func (s *Store) Change(ctx context.Context, number int64) (Change, error) {
	c, ok, writes := s.recent.get(number)
	if ok {
		return c, nil
	}
	c, err := s.readChange(ctx, number)
	if err == nil {
		s.recent.read(c, writes)
	}
	return c, err
}

func (s *Store) readChange(ctx context.Context, number int64) (Change, error) {
	c, err := scanChange(s.read.QueryRowContext(ctx, `SELECT `+changeColumns+` FROM changes WHERE number = ?`, number).Scan)
	if err != nil {
		return c, one(err)
	}
	var edits string
	if err := s.read.QueryRowContext(ctx, `SELECT edits FROM change_edits WHERE number = ?`, number).Scan(&edits); err != nil {
		return c, one(err)
	}
	if err := json.Unmarshal([]byte(edits), &c.Edits); err != nil {
		return c, err
	}
	c.Devices, err = list(ctx, s.read, func(r *sql.Rows) (d ChangeDevice, err error) {
		var body string
		if err := r.Scan(&d.Device, &d.Step, &d.Said, &d.Token, &body); err != nil {
			return d, err
		}
		return d, json.Unmarshal([]byte(body), &d)
	}, `SELECT device, step, said, token, body FROM change_devices JOIN change_steps USING (number, device) WHERE number = ?`, number)
	slices.SortFunc(c.Devices, func(a, b ChangeDevice) int {
		return cmp.Or(cmp.Compare(a.Order, b.Order), strings.Compare(a.Device, b.Device))
	})
	return c, err
}

const changeColumns = `number, state, body, created_at, updated_at`

func scanChange(scan func(...any) error) (c Change, err error) {
	var body string
	var created, updated int64
	if err := scan(&c.Number, &c.State, &body, &created, &updated); err != nil {
		return c, err
	}
	c.CreatedAt, c.UpdatedAt = timeOf(created), timeOf(updated)
	return c, json.Unmarshal([]byte(body), &c)
}

// ChangeQuery narrows a list of changes.
type ChangeQuery struct {
	Device string   // only those that touched it
	States []string // only those in one of these
	Limit  int      // at most so many, 100 when 0
	Except []int64  // not those
	Before int64    // only those of lower numbers, unless it is 0
}

// where is the condition of the query, whose parameters args are.
func (q ChangeQuery) where() (condition string, args []any) {
	if q.Limit <= 0 {
		q.Limit = 100
	}
	return `WHERE (?1 = 'null' OR state IN (SELECT value FROM json_each(?1)))
		AND (?2 = '' OR number IN (SELECT number FROM change_devices WHERE device = ?2))
		AND (?4 = 'null' OR number NOT IN (SELECT value FROM json_each(?4)))
		AND (?5 = 0 OR number < ?5)
		ORDER BY number DESC LIMIT ?3`, []any{toJSON(q.States), q.Device, q.Limit, toJSON(q.Except), q.Before}
}

// Changes lists changes, the newest first.
func (s *Store) Changes(ctx context.Context, q ChangeQuery) ([]Change, error) {
	condition, args := q.where()
	numbers, err := list(ctx, s.read, func(r *sql.Rows) (number int64, err error) { return number, r.Scan(&number) },
		`SELECT number FROM changes `+condition, args...)
	if err != nil {
		return nil, err
	}
	out := make([]Change, 0, len(numbers))
	for _, number := range numbers {
		c, err := s.Change(ctx, number)
		if errors.Is(err, ErrNotFound) {
			continue // it was thrown away meanwhile
		}
		if err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}

// ChangeHeads is Changes without their edits and devices.
func (s *Store) ChangeHeads(ctx context.Context, q ChangeQuery) ([]Change, error) {
	condition, args := q.where()
	return list(ctx, s.read, func(r *sql.Rows) (Change, error) { return scanChange(r.Scan) }, `SELECT `+changeColumns+` FROM changes `+condition, args...)
}
