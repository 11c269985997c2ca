package store

import (
	"context"
	"database/sql"
	"time"

	"example.net/everypost/internal/core/selector"
)

// Event is something that happened.
type Event struct {
	ID     int64
	At     time.Time
	Kind   string
	Device string
	Port   string
	Text   string
}

// keptEvents bounds the table of events.
const keptEvents = 100_000

// AddEvent keeps an event and returns its number.
func (s *Store) AddEvent(ctx context.Context, e Event) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO events (at, kind, device, port, text) VALUES (?, ?, ?, ?, ?)`,
		micro(e.At), e.Kind, e.Device, e.Port, e.Text)
	if err != nil {
		return 0, err
	}
	id, err := r.LastInsertId()
	if err == nil && id%1000 == 0 {
		_, err = s.write.ExecContext(ctx, `DELETE FROM events WHERE id <= ?`, id-keptEvents)
	}
	return id, err
}

// EventQuery picks events.
type EventQuery struct {
	Where   selector.Expr // nil: all
	Devices []string      // of these devices; nil: of all
	Before  int64         // older than the one of that number, unless it is 0
	Limit   int
	Now     time.Time // from which ages are counted
}

// Events lists events, the newest first.
func (s *Store) Events(ctx context.Context, q EventQuery) ([]Event, error) {
	condition, args := "1", []any{}
	if q.Where != nil {
		var err error
		if condition, args, err = selector.Compile(q.Where, selector.Event, tables{}, q.Now); err != nil {
			return nil, err
		}
	}
	if q.Devices != nil {
		condition, args = condition+" AND e.device IN (SELECT value FROM json_each(?))", append(args, toJSON(q.Devices))
	}
	if q.Before != 0 {
		condition, args = condition+" AND e.id < ?", append(args, q.Before)
	}
	return list(ctx, s.read, func(r *sql.Rows) (e Event, err error) {
		var at int64
		err = r.Scan(&e.ID, &at, &e.Kind, &e.Device, &e.Port, &e.Text)
		e.At = timeOf(at)
		return e, err
	}, `SELECT e.id, e.at, e.kind, e.device, e.port, e.text FROM `+froms[selector.Event]+` WHERE `+condition+` ORDER BY e.id DESC LIMIT ?`, append(args, q.Limit)...)
}

// AuditEntry is who did what to what, when.
type AuditEntry struct {
	ID                   int64
	At                   time.Time
	User, Action, Object string
	Detail               string
}

// Audit records an action.
func (s *Store) Audit(ctx context.Context, e AuditEntry) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO audit (at, user, action, object, detail) VALUES (?, ?, ?, ?, ?)`,
		micro(e.At), e.User, e.Action, e.Object, e.Detail)
	return err
}

// AuditEntries lists entries, the newest first, before the one of the given number (0: from the newest).
func (s *Store) AuditEntries(ctx context.Context, before int64, limit int) ([]AuditEntry, error) {
	return list(ctx, s.read, func(r *sql.Rows) (e AuditEntry, err error) {
		var at int64
		err = r.Scan(&e.ID, &at, &e.User, &e.Action, &e.Object, &e.Detail)
		e.At = timeOf(at)
		return e, err
	}, `SELECT id, at, user, action, object, detail FROM audit WHERE (?1 = 0 OR id < ?1) ORDER BY id DESC LIMIT ?2`, before, limit)
}
