package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

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
	Edits     []intent.Edit   `json:"edits"`
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
	Token  string         `json:"token"`
	Before network.Config `json:"before"`
	After  network.Config `json:"after"`
	Said   string         `json:"said"` // the device's words, or what became of it
	// Layers tells which layer says what becomes different, by target and setting, where that is not the device's own.
	Layers map[string]string `json:"layers,omitempty"`
}

// AddChange keeps a new change and returns its number.
func (s *Store) AddChange(ctx context.Context, c Change) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO changes (state, body, created_at, updated_at) VALUES (?, ?, ?, ?)`,
		c.State, toJSON(c), micro(c.CreatedAt), micro(c.UpdatedAt))
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// PutChange keeps a change with its devices, all or nothing.
func (s *Store) PutChange(ctx context.Context, c Change) error {
	return s.tx(ctx, func(tx *sql.Tx) error { return putChange(ctx, tx, c) })
}

func putChange(ctx context.Context, tx *sql.Tx, c Change) error {
	if err := changed(tx.ExecContext(ctx, `UPDATE changes SET state = ?, body = ?, updated_at = ? WHERE number = ?`,
		c.State, toJSON(c), micro(c.UpdatedAt), c.Number)); err != nil {
		return err
	}
	names := make([]string, len(c.Devices))
	for i, d := range c.Devices {
		names[i] = d.Device
		// Most of what is kept of a device never changes once the change is checked: only what differs is written.
		if _, err := tx.ExecContext(ctx, `INSERT INTO change_devices (number, device, step, body) VALUES (?, ?, ?, ?)
			ON CONFLICT (number, device) DO UPDATE SET step = excluded.step, body = excluded.body WHERE step != excluded.step OR body != excluded.body`,
			c.Number, d.Device, d.Step, toJSON(d)); err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, `DELETE FROM change_devices WHERE number = ? AND device NOT IN (SELECT value FROM json_each(?))`, c.Number, toJSON(names))
	return err
}

// PutSteps keeps how far a change under way is, all or nothing: of its devices the step and what they said. What the change is
// was kept before, and stays.
func (s *Store) PutSteps(ctx context.Context, c Change) error {
	type step struct{ Device, Step, Said string }
	steps := make([]step, len(c.Devices))
	for i, d := range c.Devices {
		steps[i] = step{d.Device, d.Step, d.Said}
	}
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE changes SET state = ?, body = ?, updated_at = ? WHERE number = ?`,
			c.State, toJSON(c), micro(c.UpdatedAt), c.Number)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `UPDATE change_devices SET step = j.step, body = json_set(body, '$.said', j.said)
			FROM (SELECT value->>'Device' AS name, value->>'Step' AS step, value->>'Said' AS said FROM json_each(?)) AS j
			WHERE number = ? AND device = j.name AND (change_devices.step != j.step OR body->>'said' != j.said)`, toJSON(steps), c.Number)
		return err
	})
}

// DropChange forgets a change.
func (s *Store) DropChange(ctx context.Context, number int64) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM changes WHERE number = ?`, number))
}

const changeColumns = `number, state, body, created_at, updated_at`

func scanChange(scan func(...any) error) (c Change, err error) {
	var body string
	var created, updated int64
	var number int64
	var state string
	if err := scan(&number, &state, &body, &created, &updated); err != nil {
		return c, err
	}
	err = json.Unmarshal([]byte(body), &c)
	c.Number, c.State, c.CreatedAt, c.UpdatedAt = number, state, timeOf(created), timeOf(updated)
	return c, err
}

func (s *Store) withDevices(ctx context.Context, changes ...*Change) error {
	for _, c := range changes {
		devices, err := list(ctx, s.read, func(r *sql.Rows) (d ChangeDevice, err error) {
			var device, step, body string
			if err := r.Scan(&device, &step, &body); err != nil {
				return d, err
			}
			err = json.Unmarshal([]byte(body), &d)
			d.Device, d.Step = device, step
			return d, err
		}, `SELECT device, step, body FROM change_devices WHERE number = ? ORDER BY json_extract(body, '$.order'), device`, c.Number)
		if err != nil {
			return err
		}
		c.Devices = devices
	}
	return nil
}

// Change returns a change.
func (s *Store) Change(ctx context.Context, number int64) (Change, error) {
	c, err := scanChange(s.read.QueryRowContext(ctx, `SELECT `+changeColumns+` FROM changes WHERE number = ?`, number).Scan)
	if err != nil {
		return c, one(err)
	}
	return c, s.withDevices(ctx, &c)
}

// ChangeQuery narrows a list of changes.
type ChangeQuery struct {
	Device string   // only those that touched it
	States []string // only those in one of these
	Limit  int      // at most so many, 100 when 0
	Bare   bool     // without their devices
	Except []int64  // not those
}

// Changes lists changes, the newest first.
func (s *Store) Changes(ctx context.Context, q ChangeQuery) ([]Change, error) {
	if q.Limit <= 0 {
		q.Limit = 100
	}
	states := toJSON(q.States)
	out, err := list(ctx, s.read, func(r *sql.Rows) (Change, error) { return scanChange(r.Scan) },
		`SELECT `+changeColumns+` FROM changes
		WHERE (?1 = 'null' OR state IN (SELECT value FROM json_each(?1)))
		AND (?2 = '' OR number IN (SELECT number FROM change_devices WHERE device = ?2))
		AND (?4 = 'null' OR number NOT IN (SELECT value FROM json_each(?4)))
		ORDER BY number DESC LIMIT ?3`, states, q.Device, q.Limit, toJSON(q.Except))
	if err != nil {
		return nil, err
	}
	if q.Bare {
		return out, nil
	}
	refs := make([]*Change, len(out))
	for i := range out {
		refs[i] = &out[i]
	}
	return out, s.withDevices(ctx, refs...)
}
