package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"strconv"
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

// AddEvents keeps events of a time that is past.
func (s *Store) AddEvents(ctx context.Context, list []Event) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for _, e := range list {
			if _, err := tx.ExecContext(ctx, `INSERT INTO events (at, kind, device, port, text) VALUES (?, ?, ?, ?, ?)`, micro(e.At), e.Kind, e.Device, e.Port, e.Text); err != nil {
				return err
			}
		}
		return nil
	})
}

// EventQuery picks events.
type EventQuery struct {
	Where   selector.Expr // nil: all
	Devices []string      // of these devices; nil: of all
	Before  int64         // before the one of that number, unless it is 0
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
		condition, args = condition+" AND (e.at, e.id) < ((SELECT at FROM events WHERE id = ?), ?)", append(args, q.Before, q.Before)
	}
	return list(ctx, s.read, func(r *sql.Rows) (e Event, err error) {
		var at int64
		err = r.Scan(&e.ID, &at, &e.Kind, &e.Device, &e.Port, &e.Text)
		e.At = timeOf(at)
		return e, err
	}, `SELECT e.id, e.at, e.kind, e.device, e.port, e.text FROM `+froms[selector.Event]+` WHERE `+condition+` ORDER BY e.at DESC, e.id DESC LIMIT ?`, append(args, q.Limit)...)
}

// AuditEntry is who did what to what, when.
type AuditEntry struct {
	ID                   int64
	At                   time.Time
	User, Action, Object string
	Detail               string
}

// chain returns the hash of an entry: over that of the entry before, and everything that the entry says, each part with
// its length, so that nothing can move from one to the next.
func (e AuditEntry) chain(before []byte) []byte {
	h := sha256.New()
	h.Write(before)
	for _, part := range []string{strconv.FormatInt(e.ID, 10), strconv.FormatInt(micro(e.At), 10), e.User, e.Action, e.Object, e.Detail} {
		_, _ = fmt.Fprintf(h, "%d:%s", len(part), part)
	}
	return h.Sum(nil)
}

// Audit records an action, chained to the one before.
func (s *Store) Audit(ctx context.Context, e AuditEntry) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		var before []byte
		err := tx.QueryRowContext(ctx, `SELECT id, hash FROM audit ORDER BY id DESC LIMIT 1`).Scan(&e.ID, &before)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		e.ID++
		_, err = tx.ExecContext(ctx, `INSERT INTO audit (id, at, user, action, object, detail, hash) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			e.ID, micro(e.At), e.User, e.Action, e.Object, e.Detail, e.chain(before))
		return err
	})
}

// AuditQuery picks entries.
type AuditQuery struct {
	Before int64  // older than the one of that number, unless it is 0
	User   string // by that person, unless it is ""
	Text   string // with that text in action, object or detail, unless it is ""
	Limit  int
}

// AuditEntries lists entries, the newest first.
func (s *Store) AuditEntries(ctx context.Context, q AuditQuery) ([]AuditEntry, error) {
	return list(ctx, s.read, scanAudit, `SELECT id, at, user, action, object, detail, hash FROM audit
		WHERE (?1 = 0 OR id < ?1) AND (?2 = '' OR user = ?2) AND (?3 = '' OR instr(selector_fold(user || ' ' || action || ' ' || object || ' ' || detail), ?3) > 0)
		ORDER BY id DESC LIMIT ?4`, q.Before, q.User, selector.Fold(q.Text), q.Limit)
}

func scanAudit(r *sql.Rows) (e AuditEntry, err error) {
	var at int64
	var hash []byte
	err = r.Scan(&e.ID, &at, &e.User, &e.Action, &e.Object, &e.Detail, &hash)
	e.At = timeOf(at)
	return e, err
}

// AuditVerdict is what came of holding the log against its chain.
type AuditVerdict struct {
	Entries int    // in all
	Older   int    // written before there was a chain
	Head    []byte // hash of the last entry: noted elsewhere, it proves later that nothing up to here was changed
	Broken  int64  // the first entry that does not follow from the one before; 0: none
}

// VerifyAudit holds every entry against its hash and the one before.
func (s *Store) VerifyAudit(ctx context.Context) (v AuditVerdict, err error) {
	rows, err := s.read.QueryContext(ctx, `SELECT id, at, user, action, object, detail, hash FROM audit ORDER BY id`)
	if err != nil {
		return v, err
	}
	defer func() { _ = rows.Close() }()
	last := int64(0)
	for rows.Next() {
		var e AuditEntry
		var at int64
		var hash []byte
		if err := rows.Scan(&e.ID, &at, &e.User, &e.Action, &e.Object, &e.Detail, &hash); err != nil {
			return v, err
		}
		e.At = timeOf(at)
		v.Entries++
		switch {
		case len(hash) == 0 && v.Head == nil:
			v.Older++
		case v.Broken == 0 && (!bytes.Equal(hash, e.chain(v.Head)) || v.Head != nil && e.ID != last+1):
			v.Broken = e.ID
		}
		if len(hash) > 0 {
			v.Head = hash
		}
		last = e.ID
	}
	return v, rows.Err()
}
