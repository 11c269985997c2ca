package store

import (
	"context"
	"database/sql"
	"time"
)

// User is a person who may sign in.
type User struct {
	Name, FullName, Role string
	Password             string // hash, in PHC form
	CreatedAt            time.Time
}

// AddUser keeps a user; ErrExists tells that the name is taken.
func (s *Store) AddUser(ctx context.Context, u User) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO users (name, full_name, role, password, created_at) VALUES (?, ?, ?, ?, ?)`,
		u.Name, u.FullName, u.Role, u.Password, micro(u.CreatedAt))
	return unique(err)
}

// User returns a user by name.
func (s *Store) User(ctx context.Context, name string) (u User, err error) {
	var created int64
	err = one(s.read.QueryRowContext(ctx, `SELECT name, full_name, role, password, created_at FROM users WHERE name = ?`, name).
		Scan(&u.Name, &u.FullName, &u.Role, &u.Password, &created))
	u.CreatedAt = timeOf(created)
	return u, err
}

// UserCount tells how many users there are.
func (s *Store) UserCount(ctx context.Context) (n int, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT count(*) FROM users`).Scan(&n)
	return n, err
}

// Session is a browser that is signed in.
type Session struct {
	Hash      []byte
	User      string
	CSRF      string
	ExpiresAt time.Time
}

// AddSession keeps a session, and forgets those that have expired.
func (s *Store) AddSession(ctx context.Context, v Session, now time.Time) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE expires_at <= ?`, micro(now)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO sessions (hash, user, csrf, expires_at) VALUES (?, ?, ?, ?)`,
			v.Hash, v.User, v.CSRF, micro(v.ExpiresAt))
		return err
	})
}

// Session returns the session of that hash.
func (s *Store) Session(ctx context.Context, hash []byte) (v Session, err error) {
	var expires int64
	err = one(s.read.QueryRowContext(ctx, `SELECT hash, user, csrf, expires_at FROM sessions WHERE hash = ?`, hash).
		Scan(&v.Hash, &v.User, &v.CSRF, &expires))
	v.ExpiresAt = timeOf(expires)
	return v, err
}

// DropSession ends a session.
func (s *Store) DropSession(ctx context.Context, hash []byte) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM sessions WHERE hash = ?`, hash)
	return err
}

// Token is a bearer token of a user.
type Token struct {
	ID        int64
	Hash      []byte
	User      string
	Label     string
	ReadOnly  bool
	CreatedAt time.Time
	ExpiresAt time.Time
}

// AddToken keeps a token and returns its number.
func (s *Store) AddToken(ctx context.Context, t Token) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO tokens (hash, user, label, read_only, created_at, expires_at) VALUES (?, ?, ?, ?, ?, ?)`,
		t.Hash, t.User, t.Label, t.ReadOnly, micro(t.CreatedAt), micro(t.ExpiresAt))
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

const tokenColumns = `id, hash, user, label, read_only, created_at, expires_at`

func scanToken(scan func(...any) error) (t Token, err error) {
	var created, expires int64
	err = scan(&t.ID, &t.Hash, &t.User, &t.Label, &t.ReadOnly, &created, &expires)
	t.CreatedAt, t.ExpiresAt = timeOf(created), timeOf(expires)
	return t, err
}

// TokenByHash returns the token of that hash.
func (s *Store) TokenByHash(ctx context.Context, hash []byte) (Token, error) {
	t, err := scanToken(s.read.QueryRowContext(ctx, `SELECT `+tokenColumns+` FROM tokens WHERE hash = ?`, hash).Scan)
	return t, one(err)
}

// Tokens lists the tokens of a user.
func (s *Store) Tokens(ctx context.Context, user string) ([]Token, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Token, error) { return scanToken(r.Scan) },
		`SELECT `+tokenColumns+` FROM tokens WHERE user = ? ORDER BY id`, user)
}

// DropToken takes back a token of a user.
func (s *Store) DropToken(ctx context.Context, user string, id int64) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM tokens WHERE user = ? AND id = ?`, user, id))
}

// maxPreferences bounds what is kept for one person.
const maxPreferences = 200

// SetPreference keeps how a person likes something; an empty value forgets it.
func (s *Store) SetPreference(ctx context.Context, user, name, value string) error {
	if value == "" {
		_, err := s.write.ExecContext(ctx, `DELETE FROM preferences WHERE user = ? AND name = ?`, user, name)
		return err
	}
	return s.tx(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO preferences (user, name, value) VALUES (?, ?, ?)
			ON CONFLICT (user, name) DO UPDATE SET value = excluded.value`, user, name, value)
		if err != nil {
			return err
		}
		var n int
		if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM preferences WHERE user = ?`, user).Scan(&n); err != nil {
			return err
		}
		if n > maxPreferences {
			return ErrFull
		}
		return nil
	})
}

// Preferences returns how a person likes things.
func (s *Store) Preferences(ctx context.Context, user string) (map[string]string, error) {
	rows, err := list(ctx, s.read, func(r *sql.Rows) (kv [2]string, err error) { return kv, r.Scan(&kv[0], &kv[1]) },
		`SELECT name, value FROM preferences WHERE user = ?`, user)
	out := make(map[string]string, len(rows))
	for _, kv := range rows {
		out[kv[0]] = kv[1]
	}
	return out, err
}
