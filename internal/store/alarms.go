package store

import (
	"context"
	"database/sql"
	"encoding/json"
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
			device := sql.NullString{String: a.Subject.OnDevice(), Valid: a.Subject.OnDevice() != ""}
			severity := slices.Index(alarm.Severities(), a.Severity)
			if a.Number == 0 {
				r, err := tx.ExecContext(ctx, `INSERT INTO alarms (device, raised_at, cleared_at, closed, cause, severity, body) VALUES (?, ?, ?, ?, ?, ?, ?)`,
					device, micro(a.RaisedAt), micro(a.ClearedAt), a.ClosedBy != "", a.Cause, severity, toJSON(a))
				if err != nil {
					return err
				}
				if a.Number, err = r.LastInsertId(); err != nil {
					return err
				}
				continue
			}
			if _, err := tx.ExecContext(ctx, `UPDATE alarms SET raised_at = ?, cleared_at = ?, closed = ?, cause = ?, severity = ?, body = ? WHERE number = ?`,
				micro(a.RaisedAt), micro(a.ClearedAt), a.ClosedBy != "", a.Cause, severity, toJSON(a), a.Number); err != nil {
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

// PruneAlarms drops the oldest of those that are over, where there are too many.
func (s *Store) PruneAlarms(ctx context.Context) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM alarms WHERE cleared_at > 0 AND number <= (SELECT number FROM alarms WHERE cleared_at > 0 ORDER BY number DESC LIMIT 1 OFFSET ?)`, alarmsKept)
	return err
}

// AlarmQuery picks alarms.
type AlarmQuery struct {
	Devices []string  // of these devices; nil: of all, and of the service itself
	Open    bool      // only those that stand and that nobody closed
	Over    bool      // only others
	Since   time.Time // standing at that time or since; zero for all
	Cause   int64     // only those that follow from this one; 0 for all
	Roots   bool      // only those that follow from none
	Before  int64     // of lower numbers, unless it is 0
	Limit   int
}

// Alarms lists alarms: the worst first where only open ones are asked for, else the newest first.
func (s *Store) Alarms(ctx context.Context, q AlarmQuery) ([]alarm.Alarm, error) {
	order := "number DESC"
	if q.Open {
		order = "severity, raised_at DESC, number DESC"
	}
	return list(ctx, s.read, func(r *sql.Rows) (alarm.Alarm, error) { return scanAlarm(r) }, `SELECT number, device, body FROM alarms
		WHERE (?1 = 'null' OR device IN (SELECT value FROM json_each(?1))) AND (NOT ?2 OR cleared_at = 0 AND closed = 0) AND (NOT ?3 OR cleared_at > 0 OR closed = 1)
			AND (?4 = 0 OR cleared_at = 0 OR cleared_at >= ?4) AND (?5 = 0 OR cause = ?5) AND (NOT ?6 OR cause = 0) AND (?7 = 0 OR number < ?7)
		ORDER BY `+order+` LIMIT ?8`, toJSON(q.Devices), q.Open, q.Over, micro(q.Since), q.Cause, q.Roots, q.Before, q.Limit)
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
