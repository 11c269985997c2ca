package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// Notice says who is told of which alarms, and how.
type Notice struct {
	Name     string   `json:"-"`
	Mail     []string `json:"mail,omitempty"`    // addresses
	People   []string `json:"people,omitempty"`  // users, who get mail at their own addresses
	Webhook  string   `json:"webhook,omitempty"` // address of a page
	Severity string   `json:"severity"`          // the least
	Pick     string   `json:"pick,omitempty"`    // a selector of devices; empty for all
	Hours    string   `json:"hours,omitempty"`   // of the week in which it tells; empty for always
	Zone     string   `json:"zone,omitempty"`    // of the hours
	After    int      `json:"after,omitempty"`   // minutes: only of what nobody acknowledged for so long
	Secret   []byte   `json:"-"`                 // sealed
}

// Notices lists them by name.
func (s *Store) Notices(ctx context.Context) ([]Notice, error) {
	return list(ctx, s.read, func(r *sql.Rows) (n Notice, err error) {
		var name, body string
		if err := r.Scan(&name, &body, &n.Secret); err != nil {
			return n, err
		}
		err = json.Unmarshal([]byte(body), &n)
		n.Name = name
		return n, err
	}, `SELECT name, body, secret FROM notices ORDER BY name`)
}

// PutNotice keeps one, in the place of one of its name.
func (s *Store) PutNotice(ctx context.Context, n Notice) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO notices (name, body, secret) VALUES (?, ?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body, secret = excluded.secret`,
		n.Name, toJSON(n), append([]byte{}, n.Secret...))
	return err
}

// DropNotice forgets one, and what it was yet to tell.
func (s *Store) DropNotice(ctx context.Context, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `DELETE FROM notices WHERE name = ?`, name)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM deliveries WHERE notice = ? AND state = 'waiting'`, name)
		return err
	})
}

// MailServer is by which mail is sent (RFC 5321).
type MailServer struct {
	Address string `json:"address"` // host:port
	From    string `json:"from"`
	TLS     string `json:"tls"` // starttls, tls or none
	User    string `json:"user,omitempty"`
	Secret  []byte `json:"-"` // sealed
}

// MailServer returns it; ErrNotFound tells that there is none.
func (s *Store) MailServer(ctx context.Context) (m MailServer, err error) {
	var body string
	if err := s.read.QueryRowContext(ctx, `SELECT body, secret FROM mail_server`).Scan(&body, &m.Secret); err != nil {
		return m, one(err)
	}
	return m, json.Unmarshal([]byte(body), &m)
}

// PutMailServer keeps it.
func (s *Store) PutMailServer(ctx context.Context, m MailServer) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO mail_server (one, body, secret) VALUES (1, ?, ?) ON CONFLICT (one) DO UPDATE SET body = excluded.body, secret = excluded.secret`,
		toJSON(m), append([]byte{}, m.Secret...))
	return err
}

// Delivery is something that was told to somebody, or is to be.
type Delivery struct {
	Number    int64
	Notice    string
	Alarm     int64  // 0 of a test
	Kind      string // raised, over or test
	State     string // waiting, sent, failed or dropped
	Tries     int
	Next      time.Time // not before
	CreatedAt time.Time
	EndedAt   time.Time
	Said      string // why it was not sent
}

const deliveryColumns = `number, notice, alarm, kind, state, tries, next_at, created_at, ended_at, said`

// deliveriesKept is how many deliveries that are over are kept.
const deliveriesKept = 5_000

func scanDelivery(r interface{ Scan(...any) error }) (d Delivery, err error) {
	var next, created, ended int64
	err = r.Scan(&d.Number, &d.Notice, &d.Alarm, &d.Kind, &d.State, &d.Tries, &next, &created, &ended, &d.Said)
	d.Next, d.CreatedAt, d.EndedAt = timeOf(next), timeOf(created), timeOf(ended)
	return d, err
}

// AddDelivery keeps a new one and returns its number.
func (s *Store) AddDelivery(ctx context.Context, d Delivery) (number int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, `INSERT INTO deliveries (notice, alarm, kind, state, tries, next_at, created_at, ended_at, said) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			d.Notice, d.Alarm, d.Kind, d.State, d.Tries, micro(d.Next), micro(d.CreatedAt), micro(d.EndedAt), d.Said)
		if err != nil {
			return err
		}
		if number, err = r.LastInsertId(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM deliveries WHERE state != 'waiting' AND number <= ?`, number-deliveriesKept)
		return err
	})
	return number, err
}

// PutDelivery keeps how far one is.
func (s *Store) PutDelivery(ctx context.Context, d Delivery) error {
	_, err := s.write.ExecContext(ctx, `UPDATE deliveries SET state = ?, tries = ?, next_at = ?, ended_at = ?, said = ? WHERE number = ?`, d.State, d.Tries, micro(d.Next), micro(d.EndedAt), d.Said, d.Number)
	return err
}

// Due lists the deliveries that are to be sent at a time, the longest due first.
func (s *Store) Due(ctx context.Context, at time.Time, limit int) ([]Delivery, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Delivery, error) { return scanDelivery(r) }, `SELECT `+deliveryColumns+` FROM deliveries WHERE state = 'waiting' AND next_at <= ? ORDER BY next_at, number LIMIT ?`, micro(at), limit)
}

// NextDue is when something is to be sent next; zero where nothing waits.
func (s *Store) NextDue(ctx context.Context) (time.Time, error) {
	var at sql.NullInt64
	err := s.read.QueryRowContext(ctx, `SELECT MIN(next_at) FROM deliveries WHERE state = 'waiting'`).Scan(&at)
	return timeOf(at.Int64), err
}

// LastDelivery is the newest of a notice about an alarm; ErrNotFound where there is none.
func (s *Store) LastDelivery(ctx context.Context, notice string, alarm int64) (Delivery, error) {
	d, err := scanDelivery(s.read.QueryRowContext(ctx, `SELECT `+deliveryColumns+` FROM deliveries WHERE alarm = ? AND notice = ? ORDER BY number DESC LIMIT 1`, alarm, notice))
	if errors.Is(err, sql.ErrNoRows) {
		return d, ErrNotFound
	}
	return d, err
}

// Deliveries lists them, the newest first.
func (s *Store) Deliveries(ctx context.Context, before int64, limit int) ([]Delivery, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Delivery, error) { return scanDelivery(r) }, `SELECT `+deliveryColumns+` FROM deliveries WHERE ?1 = 0 OR number < ?1 ORDER BY number DESC LIMIT ?2`, before, limit)
}
