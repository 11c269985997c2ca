package store

import (
	"context"
	"database/sql"
	"time"
)

// TerminalSession is a terminal that somebody opened on a device.
type TerminalSession struct {
	ID              int64
	Device, User    string
	OpenedAt, Ended time.Time // Ended is zero while it is open
	Why             string    // it ended
	Shown           int64     // octets that the device showed
}

// OpenTerminal keeps that a terminal was opened, and returns its number.
func (s *Store) OpenTerminal(ctx context.Context, t TerminalSession) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO terminals (device, user, opened_at) VALUES (?, ?, ?)`, t.Device, t.User, micro(t.OpenedAt))
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// RecordTerminal keeps what a terminal showed so far, and, if it ended, when and why.
func (s *Store) RecordTerminal(ctx context.Context, t TerminalSession, record []byte) error {
	_, err := s.write.ExecContext(ctx, `UPDATE terminals SET ended_at = ?, why = ?, shown = ?, record = ? WHERE id = ?`,
		micro(t.Ended), t.Why, t.Shown, s.enc.EncodeAll(record, nil), t.ID)
	return err
}

// TerminalQuery picks terminals.
type TerminalQuery struct {
	Devices []string // on these devices; nil: on all
	Before  int64    // of lower numbers, unless it is 0
	Limit   int
}

// Terminals lists the terminals that were opened, the newest first.
func (s *Store) Terminals(ctx context.Context, q TerminalQuery) ([]TerminalSession, error) {
	return list(ctx, s.read, scanTerminal, `SELECT id, device, user, opened_at, ended_at, why, shown FROM terminals
		WHERE (?1 = 'null' OR device IN (SELECT value FROM json_each(?1))) AND (?2 = 0 OR id < ?2) ORDER BY id DESC LIMIT ?3`, toJSON(q.Devices), q.Before, q.Limit)
}

func scanTerminal(r *sql.Rows) (t TerminalSession, err error) {
	var opened, ended int64
	err = r.Scan(&t.ID, &t.Device, &t.User, &opened, &ended, &t.Why, &t.Shown)
	t.OpenedAt, t.Ended = timeOf(opened), timeOf(ended)
	return t, err
}

// TerminalRecord returns a terminal, and what was shown in it.
func (s *Store) TerminalRecord(ctx context.Context, id int64) (t TerminalSession, record []byte, err error) {
	var packed []byte
	var opened, ended int64
	err = s.read.QueryRowContext(ctx, `SELECT id, device, user, opened_at, ended_at, why, shown, record FROM terminals WHERE id = ?`, id).
		Scan(&t.ID, &t.Device, &t.User, &opened, &ended, &t.Why, &t.Shown, &packed)
	if err != nil {
		return t, nil, one(err)
	}
	t.OpenedAt, t.Ended = timeOf(opened), timeOf(ended)
	if len(packed) > 0 {
		record, err = s.dec.DecodeAll(packed, nil)
	}
	return t, record, err
}
