package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/operation"
)

// Operation is what a device was asked to do. State is a word of the operations package.
type Operation struct {
	Number    int64     `json:"-"`
	Device    string    `json:"-"`
	By        string    `json:"-"`
	State     string    `json:"-"`
	StartedAt time.Time `json:"-"`
	EndedAt   time.Time `json:"-"` // zero while it goes on

	Request operation.Request `json:"request"`
	Lines   []operation.Line  `json:"lines"`
	Why     string            `json:"why,omitempty"` // it did not come to its end
}

// operationsKept is how many operations of a device are kept.
const operationsKept = 200

// AddOperation keeps a new operation and returns its number. The oldest of its device go where there are too many.
func (s *Store) AddOperation(ctx context.Context, o Operation) (number int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, `INSERT INTO operations (device, kind, by_user, state, started_at, body) VALUES (?, ?, ?, ?, ?, ?)`,
			o.Device, string(o.Request.Kind), o.By, o.State, micro(o.StartedAt), toJSON(o))
		if err != nil {
			return err
		}
		if number, err = r.LastInsertId(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM operations WHERE device = ?1 AND ended_at > 0 AND number <= (
			SELECT number FROM operations WHERE device = ?1 ORDER BY number DESC LIMIT 1 OFFSET ?2)`, o.Device, operationsKept)
		return err
	})
	return number, err
}

// PutOperation keeps how far an operation is, and what is to be told of it.
func (s *Store) PutOperation(ctx context.Context, o Operation, facts ...fact.Fact) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE operations SET state = ?, ended_at = ?, body = ? WHERE number = ?`, o.State, micro(o.EndedAt), toJSON(o), o.Number)); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	})
}

// OperationQuery picks operations.
type OperationQuery struct {
	Devices []string // of these devices; nil: of all
	Open    bool     // only those that go on
	Before  int64    // of lower numbers, unless it is 0
	Limit   int
}

const operationColumns = `number, device, by_user, state, started_at, ended_at, body`

// Operations lists operations, the newest first.
func (s *Store) Operations(ctx context.Context, q OperationQuery) ([]Operation, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Operation, error) { return scanOperation(r) }, `SELECT `+operationColumns+` FROM operations
		WHERE (?1 = 'null' OR device IN (SELECT value FROM json_each(?1))) AND (?2 = 0 OR number < ?2) AND (NOT ?3 OR ended_at = 0) ORDER BY number DESC LIMIT ?4`,
		toJSON(q.Devices), q.Before, q.Open, q.Limit)
}

// Operation returns one.
func (s *Store) Operation(ctx context.Context, number int64) (Operation, error) {
	o, err := scanOperation(s.read.QueryRowContext(ctx, `SELECT `+operationColumns+` FROM operations WHERE number = ?`, number))
	return o, one(err)
}

func scanOperation(r interface{ Scan(...any) error }) (o Operation, err error) {
	var started, ended int64
	var body string
	if err := r.Scan(&o.Number, &o.Device, &o.By, &o.State, &started, &ended, &body); err != nil {
		return o, err
	}
	o.StartedAt, o.EndedAt = timeOf(started), timeOf(ended)
	return o, json.Unmarshal([]byte(body), &o)
}
