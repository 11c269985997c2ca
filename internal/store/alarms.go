package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact"
)

// alarmsKept is how many alarms that are over are kept.
const alarmsKept = 20_000

// PutAlarms keeps alarms, and what is to be told of them, all or nothing. Those without a number are new, and get one. of makes the facts
// once all have their numbers.
func (s *Store) PutAlarms(ctx context.Context, alarms []alarm.Alarm, of func([]alarm.Alarm) []fact.Fact) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for i := range alarms {
			a := &alarms[i]
			if a.Number == 0 {
				if err := addAlarm(ctx, tx, a); err != nil {
					return err
				}
				continue
			}
			if _, err := tx.ExecContext(ctx, `UPDATE alarms SET raised_at = ?, cleared_at = ?, closed = ?, cause = ?, severity = ?, body = ? WHERE number = ?`,
				micro(a.RaisedAt), micro(a.ClearedAt), a.ClosedBy != "", a.Cause, slices.Index(alarm.Severities(), a.Severity), toJSON(a), a.Number); err != nil {
				return err
			}
		}
		if of == nil {
			return nil
		}
		_, err := addFacts(ctx, tx, of(alarms))
		return err
	})
}

// addAlarm keeps a new one, which gets its number.
func addAlarm(ctx context.Context, tx *sql.Tx, a *alarm.Alarm) error {
	device := a.Subject.OnDevice()
	r, err := tx.ExecContext(ctx, `INSERT INTO alarms (device, raised_at, cleared_at, closed, cause, severity, body) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		sql.NullString{String: device, Valid: device != ""}, micro(a.RaisedAt), micro(a.ClearedAt), a.ClosedBy != "", a.Cause, slices.Index(alarm.Severities(), a.Severity), toJSON(a))
	if err != nil {
		return err
	}
	a.Number, err = r.LastInsertId()
	return err
}

// PastAlarm is an alarm that another system kept, and the place in the list of the one that it follows from; -1 for none. That one stands before it.
type PastAlarm struct {
	alarm.Alarm
	Follows int
}

// AddPastAlarms keeps alarms that another system kept, all or nothing, and gives them their numbers. ErrExists: one of them is kept already.
func (s *Store) AddPastAlarms(ctx context.Context, list []PastAlarm) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for i := range list {
			a := &list[i]
			if a.Follows >= 0 {
				a.Cause = list[a.Follows].Number
			}
			var kept bool
			if err := tx.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM alarms WHERE device = ? AND raised_at = ? AND body ->> 'type' = ? AND body ->> 'name' = ?)`,
				a.Subject.OnDevice(), micro(a.RaisedAt), a.Type, a.Name).Scan(&kept); err != nil {
				return err
			}
			if kept {
				return fmt.Errorf("%s of %s, raised at %s: %w", a.Type, a.Subject, a.RaisedAt.UTC().Format(time.RFC3339), ErrExists)
			}
			if err := addAlarm(ctx, tx, &a.Alarm); err != nil {
				return err
			}
		}
		return nil
	})
}

// PruneAlarms drops the oldest of those that are over, where there are too many.
func (s *Store) PruneAlarms(ctx context.Context) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM alarms WHERE number IN (SELECT number FROM alarms WHERE cleared_at > 0 ORDER BY raised_at DESC, number DESC LIMIT -1 OFFSET ?)`, alarmsKept)
	return err
}

// AlarmQuery picks alarms.
type AlarmQuery struct {
	Devices []string  // of these devices; nil: of all, and of the service itself
	Open    bool      // only those that stand and that nobody closed
	Over    bool      // only others
	Since   time.Time // standing at that time or since; zero for all
	Causes  []int64   // only those that follow from one of these; nil for all
	Roots   bool      // only those that follow from none, or from one of other devices
	Before  int64     // after the one of this number in the list, unless it is 0
	Limit   int
}

// Alarms lists alarms: the worst first where only open ones are asked for, else the newest first.
func (s *Store) Alarms(ctx context.Context, q AlarmQuery) ([]alarm.Alarm, error) {
	order := "raised_at DESC, number DESC"
	if q.Open {
		order = "severity, raised_at DESC, number DESC"
	}
	return list(ctx, s.read, func(r *sql.Rows) (alarm.Alarm, error) { return scanAlarm(r) }, `SELECT number, device, body FROM alarms
		WHERE (?1 = 'null' OR device IN (SELECT value FROM json_each(?1))) AND (NOT ?2 OR cleared_at = 0 AND closed = 0) AND (NOT ?3 OR cleared_at > 0 OR closed = 1)
			AND (?4 = 0 OR cleared_at = 0 OR cleared_at >= ?4) AND (?5 = 'null' OR cause IN (SELECT value FROM json_each(?5))) AND (NOT ?6 OR cause = 0 OR ?1 <> 'null' AND NOT EXISTS (SELECT 1 FROM alarms root WHERE root.number = alarms.cause AND root.device IN (SELECT value FROM json_each(?1))))
			AND (?7 = 0 OR (raised_at, number) < (SELECT raised_at, number FROM alarms WHERE number = ?7)
				OR number < ?7 AND NOT EXISTS (SELECT 1 FROM alarms WHERE number = ?7))
		ORDER BY `+order+` LIMIT ?8`, toJSON(q.Devices), q.Open, q.Over, micro(q.Since), toJSON(q.Causes), q.Roots, q.Before, q.Limit)
}

// Alarm returns one.
func (s *Store) Alarm(ctx context.Context, number int64) (alarm.Alarm, error) {
	a, err := scanAlarm(s.read.QueryRowContext(ctx, `SELECT number, device, body FROM alarms WHERE number = ?`, number))
	return a, one(err)
}

func scanAlarm(r interface{ Scan(...any) error }) (a alarm.Alarm, err error) {
	var device sql.NullString
	var body string
	if err := r.Scan(&a.Number, &device, &body); err != nil {
		return a, err
	}
	if err := json.Unmarshal([]byte(body), &a); err != nil {
		return a, err
	}
	a.Subject = a.Subject.Renamed(device.String)
	return a, nil
}
