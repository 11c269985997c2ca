package store

import (
	"context"
	"database/sql"
	"time"
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

// Events lists events, the newest first, at most limit, of a device unless it is "".
func (s *Store) Events(ctx context.Context, device string, limit int) ([]Event, error) {
	return list(ctx, s.read, func(r *sql.Rows) (e Event, err error) {
		var at int64
		err = r.Scan(&e.ID, &at, &e.Kind, &e.Device, &e.Port, &e.Text)
		e.At = timeOf(at)
		return e, err
	}, `SELECT id, at, kind, device, port, text FROM events WHERE (?1 = '' OR device = ?1) ORDER BY id DESC LIMIT ?2`, device, limit)
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
