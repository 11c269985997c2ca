package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"strconv"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/selector"
)

// Event is something that happened: a fact, or what somebody took over from elsewhere, or was kept before there were facts; these are a text.
type Event struct {
	fact.Fact
	Kind   string
	Device string
	Port   string
	Text   string
	// By is who took it over from elsewhere; "" for what the service itself saw.
	By string
}

// Bounds of the table of events. None of them lets the events of one device, or what somebody takes over from elsewhere, push out
// those of another: each device has its share, and what is imported is counted by itself.
const (
	keptEvents       = 100_000
	keptOfDevice     = 5_000
	importedOfDevice = 20_000
	importedInAll    = 200_000
)

// AddFacts adds facts to the journal, in their order. What is searched in later is their text in English.
func (s *Store) AddFacts(ctx context.Context, list []fact.Fact) error {
	prune := false
	err := s.tx(ctx, func(tx *sql.Tx) (err error) {
		prune, err = addFacts(ctx, tx, list)
		return err
	})
	if err == nil && prune {
		_ = s.pruneEvents(ctx) // if not now, then with the next thousand
	}
	return err
}

// addFacts adds facts to the journal in a transaction of something else, so that there are both or neither. It tells whether it is time to prune.
func addFacts(ctx context.Context, tx *sql.Tx, list []fact.Fact) (prune bool, err error) {
	for _, f := range list {
		args, err := fact.Arguments(f.What)
		if err != nil {
			return false, err
		}
		r, err := tx.ExecContext(ctx, `INSERT INTO events (at, kind, device, port, text, code, args, subject_is, subject_name, subject_number) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, micro(f.At),
			string(f.Code().Kind()), f.Subject.OnDevice(), f.Subject.PortName(), words.English.Fact(f), string(f.Code()), string(args), string(f.Subject.Is), f.Subject.Name, f.Subject.Number)
		if err != nil {
			return false, err
		}
		if id, err := r.LastInsertId(); err == nil && id%1000 == 0 {
			prune = true
		}
	}
	return prune, nil
}

const eventColumns = `e.id, e.at, e.kind, e.device, e.port, e.text, e.imported_by, e.code, e.args, e.subject_is, e.subject_name, e.subject_number`

func readEvent(r *sql.Rows) (e Event, err error) {
	var at int64
	var code, args string
	s := &e.Subject
	if err = r.Scan(&e.Number, &at, &e.Kind, &e.Device, &e.Port, &e.Text, &e.By, &code, &args, &s.Is, &s.Name, &s.Number); err != nil {
		return e, err
	}
	e.At = timeOf(at)
	if s.Is == fact.OfPort {
		s.Device, s.Name = e.Device, e.Port
	}
	if s.Is == fact.OfDevice { // it may have been renamed since
		s.Name = e.Device
	}
	if code != "" {
		if e.What, err = fact.Read(fact.Code(code), []byte(args)); err != nil { // a newer version kept it
			e.What = fact.Foreign{Named: fact.Code(code)}
		}
	}
	return e, nil
}

// FactsAfter lists the facts after one, in their order, at most so many.
func (s *Store) FactsAfter(ctx context.Context, number int64, most int) ([]fact.Fact, error) {
	events, err := list(ctx, s.read, readEvent, `SELECT `+eventColumns+` FROM events e WHERE e.id > max(?, 0) AND e.code <> '' ORDER BY e.id LIMIT ?`, number, most)
	out := make([]fact.Fact, len(events))
	for i, e := range events {
		out[i] = e.Fact
	}
	return out, err
}

// FactBounds tells the numbers of the oldest and the newest that there is; 0 for none.
func (s *Store) FactBounds(ctx context.Context) (oldest, newest int64, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT coalesce(min(id), 0), coalesce(max(id), 0) FROM events WHERE id > 0`).Scan(&oldest, &newest)
	return oldest, newest, err
}

// LastFact is the newest fact of a code about a device, after a time. ErrNotFound tells that there is none.
func (s *Store) LastFact(ctx context.Context, c fact.Code, device string, after time.Time) (fact.Fact, error) {
	events, err := list(ctx, s.read, readEvent, `SELECT `+eventColumns+` FROM events e WHERE e.device = ? AND e.at > ? AND e.code = ? ORDER BY e.at DESC, e.id DESC LIMIT 1`, device, micro(after), string(c))
	if err == nil && len(events) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return fact.Fact{}, err
	}
	return events[0].Fact, nil
}

// Follower tells how far one that follows the facts has come. ErrNotFound tells that there was none of the name.
func (s *Store) Follower(ctx context.Context, name string) (at int64, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT at FROM followers WHERE name = ?`, name).Scan(&at)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, ErrNotFound
	}
	return at, err
}

// PutFollower keeps how far it has come.
func (s *Store) PutFollower(ctx context.Context, name string, at int64) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO followers (name, at) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET at = excluded.at`, name, at)
	return err
}

// pruneEvents forgets the oldest events: first those of devices that have more than their share. What somebody who follows has not dealt with stays,
// unless there is several times as much: one that never comes back may not fill the disk.
func (s *Store) pruneEvents(ctx context.Context) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		var dealtWith int64
		if err := tx.QueryRowContext(ctx, `SELECT coalesce(min(at), 9223372036854775807) FROM followers`).Scan(&dealtWith); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM events WHERE id IN (SELECT id FROM
			(SELECT id, row_number() OVER (PARTITION BY device ORDER BY id DESC) AS n FROM events WHERE id > 0) WHERE n > ?1 AND id <= ?2 OR n > 4 * ?1)`, keptOfDevice, dealtWith); err != nil {
			return err
		}
		for most, upTo := range map[int]int64{keptEvents: dealtWith, 3 * keptEvents: math.MaxInt64} {
			if _, err := tx.ExecContext(ctx, `DELETE FROM events WHERE id > 0 AND id <= ? AND id <= (SELECT id FROM events WHERE id > 0 ORDER BY id DESC LIMIT 1 OFFSET ?)`, upTo, most); err != nil {
				return err
			}
		}
		return nil
	})
}

// ImportEvents keeps events of a time that is past, which somebody took over from elsewhere. ErrFull tells that there are as many
// already as there may be.
func (s *Store) ImportEvents(ctx context.Context, list []Event) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		var least, inAll int64
		if err := tx.QueryRowContext(ctx, `SELECT min(0, coalesce(min(id), 0)), count(*) FROM events WHERE id < 0`).Scan(&least, &inAll); err != nil {
			return err
		}
		added := map[string]int64{}
		for _, e := range list {
			least--
			if _, err := tx.ExecContext(ctx, `INSERT INTO events (id, at, kind, device, port, text, imported_by) VALUES (?, ?, ?, ?, ?, ?, ?)`,
				least, micro(e.At), e.Kind, e.Device, e.Port, e.Text, e.By); err != nil {
				return err
			}
			added[e.Device]++
		}
		for device := range added {
			var n int64
			if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM events WHERE device = ? AND id < 0`, device).Scan(&n); err != nil {
				return err
			}
			if n > importedOfDevice {
				return fmt.Errorf("of %s there would be %d imported events, and at most %d are kept: %w", device, n, importedOfDevice, ErrFull)
			}
		}
		if inAll += int64(len(list)); inAll > importedInAll {
			return fmt.Errorf("there would be %d imported events, and at most %d are kept: %w", inAll, importedInAll, ErrFull)
		}
		return nil
	})
}

// EventQuery picks events.
type EventQuery struct {
	Where   selector.Expr // nil: all
	Devices []string      // of these devices; nil: of all
	Not     []fact.Kind   // that are left out
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
	if len(q.Not) > 0 {
		condition, args = condition+" AND e.kind NOT IN (SELECT value FROM json_each(?))", append(args, toJSON(q.Not))
	}
	if q.Before != 0 {
		condition, args = condition+" AND (e.at, e.id) < ((SELECT at FROM events WHERE id = ?), ?)", append(args, q.Before, q.Before)
	}
	return list(ctx, s.read, readEvent, `SELECT `+eventColumns+` FROM `+froms[selector.Event]+` WHERE `+condition+` ORDER BY e.at DESC, e.id DESC LIMIT ?`, append(args, q.Limit)...)
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
