package store

import (
	"context"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"example.net/everypost/internal/core/rights"
)

// User is a person who may sign in.
type User struct {
	Name, FullName, Role string
	Only                 string // a selector to which the person is confined; "" for none
	Mail                 string // address of mail; "" for none
	Password             string // hash, in PHC form
	CreatedAt            time.Time
}

// AddUser keeps a user; ErrExists tells that the name is taken.
func (s *Store) AddUser(ctx context.Context, u User) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO users (name, full_name, role, only_where, mail, password, created_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		u.Name, u.FullName, u.Role, u.Only, u.Mail, u.Password, micro(u.CreatedAt))
	return unique(err)
}

const userColumns = `name, full_name, role, only_where, mail, password, created_at`

func scanUser(scan func(...any) error) (u User, err error) {
	var created int64
	err = scan(&u.Name, &u.FullName, &u.Role, &u.Only, &u.Mail, &u.Password, &created)
	u.CreatedAt = timeOf(created)
	return u, err
}

// User returns a user by name.
func (s *Store) User(ctx context.Context, name string) (User, error) {
	u, err := scanUser(s.read.QueryRowContext(ctx, `SELECT `+userColumns+` FROM users WHERE name = ?`, name).Scan)
	return u, one(err)
}

// Users lists the users by name.
func (s *Store) Users(ctx context.Context) ([]User, error) {
	return list(ctx, s.read, func(r *sql.Rows) (User, error) { return scanUser(r.Scan) }, `SELECT `+userColumns+` FROM users ORDER BY name`)
}

// changeUsers changes users in one transaction: f, then allowed with what they are after it, which may still refuse.
func (s *Store) changeUsers(ctx context.Context, f func(*sql.Tx) error, allowed func([]User) error) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := f(tx); err != nil {
			return err
		}
		rows, err := tx.QueryContext(ctx, `SELECT `+userColumns+` FROM users`)
		if err != nil {
			return err
		}
		defer func() { _ = rows.Close() }()
		var after []User
		for rows.Next() {
			u, err := scanUser(rows.Scan)
			if err != nil {
				return err
			}
			after = append(after, u)
		}
		return errors.Join(rows.Err(), allowed(after))
	})
}

// PutUser changes the full name, the role, the bounds and the address of a user. What allowed says of all users after it decides. Tokens were
// given for the old role and bounds, and end with them.
func (s *Store) PutUser(ctx context.Context, u User, allowed func([]User) error) error {
	return s.changeUsers(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE user = (SELECT name FROM users WHERE name = ? AND (role <> ? OR only_where <> ?))`, u.Name, u.Role, u.Only); err != nil {
			return err
		}
		return changed(tx.ExecContext(ctx, `UPDATE users SET full_name = ?, role = ?, only_where = ?, mail = ? WHERE name = ?`, u.FullName, u.Role, u.Only, u.Mail, u.Name))
	}, allowed)
}

// RemoveUser forgets a user with sessions, tokens and preferences. What allowed says of those who are left decides.
func (s *Store) RemoveUser(ctx context.Context, name string, allowed func([]User) error) error {
	return s.changeUsers(ctx, func(tx *sql.Tx) error {
		return changed(tx.ExecContext(ctx, `DELETE FROM users WHERE name = ?`, name))
	}, allowed)
}

// SetPassword changes the password of a user, takes back all tokens but the one of that number, and ends all sessions but the one of
// the hash that is given: whoever had the old password may have made them.
func (s *Store) SetPassword(ctx context.Context, user, password string, but []byte, butToken int64) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE users SET password = ? WHERE name = ?`, password, user)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE user = ? AND id <> ?`, user, butToken); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE user = ? AND hash <> ?`, user, append([]byte{}, but...))
		return err
	})
}

// Roles lists the roles that were made here.
func (s *Store) Roles(ctx context.Context) ([]rights.Role, error) {
	return list(ctx, s.read, func(r *sql.Rows) (role rights.Role, err error) {
		var rules string
		if err := r.Scan(&role.Name, &role.Title, &rules); err != nil {
			return role, err
		}
		return role, json.Unmarshal([]byte(rules), &role.Rules)
	}, `SELECT name, title, rules FROM roles ORDER BY name`)
}

// PutRole makes or changes a role.
func (s *Store) PutRole(ctx context.Context, r rights.Role) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO roles (name, title, rules) VALUES (?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET title = excluded.title, rules = excluded.rules`, r.Name, r.Title, toJSON(r.Rules))
	return err
}

// RemoveRole removes a role; ErrInUse tells that somebody has it.
func (s *Store) RemoveRole(ctx context.Context, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM users WHERE role = ?`, name).Scan(&n); err != nil {
			return err
		}
		if n > 0 {
			return fmt.Errorf("%d people have the role %s: give them another first: %w", n, name, ErrInUse)
		}
		return changed(tx.ExecContext(ctx, `DELETE FROM roles WHERE name = ?`, name))
	})
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
	MadeAt    time.Time
	SeenAt    time.Time // when it was last heard of, to the minute
	Address   string    // from where it was made
	Agent     string    // by which program, as that says
}

// ID names a session without giving it away.
func (v Session) ID() string { return hex.EncodeToString(v.Hash[:8]) }

// AddSession keeps a session, and forgets those that have expired.
func (s *Store) AddSession(ctx context.Context, v Session, now time.Time) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE expires_at <= ?`, micro(now)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO sessions (`+sessionColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
			v.Hash, v.User, v.CSRF, micro(v.ExpiresAt), micro(v.MadeAt), micro(v.SeenAt), v.Address, v.Agent)
		return err
	})
}

// Session returns the session of that hash.
func (s *Store) Session(ctx context.Context, hash []byte) (v Session, err error) {
	v, err = scanSession(s.read.QueryRowContext(ctx, `SELECT `+sessionColumns+` FROM sessions WHERE hash = ?`, hash).Scan)
	return v, one(err)
}

const sessionColumns = `hash, user, csrf, expires_at, made_at, seen_at, address, agent`

func scanSession(scan func(...any) error) (v Session, err error) {
	var expires, made, seen int64
	err = scan(&v.Hash, &v.User, &v.CSRF, &expires, &made, &seen, &v.Address, &v.Agent)
	v.ExpiresAt, v.MadeAt, v.SeenAt = timeOf(expires), timeOf(made), timeOf(seen)
	return v, err
}

// Sessions lists the sessions of a user, the newest first.
func (s *Store) Sessions(ctx context.Context, user string) ([]Session, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Session, error) { return scanSession(r.Scan) },
		`SELECT `+sessionColumns+` FROM sessions WHERE user = ? ORDER BY made_at DESC`, user)
}

// SawSession notes that a session was heard of.
func (s *Store) SawSession(ctx context.Context, hash []byte, at time.Time) error {
	_, err := s.write.ExecContext(ctx, `UPDATE sessions SET seen_at = ? WHERE hash = ?`, micro(at), hash)
	return err
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
	Parent    int64 // the token with which it was made, and with which it ends; 0: it was made with a password
}

// AddToken keeps a token and returns its number.
func (s *Store) AddToken(ctx context.Context, t Token) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO tokens (hash, user, label, read_only, created_at, expires_at, parent) VALUES (?, ?, ?, ?, ?, ?, nullif(?, 0))`,
		t.Hash, t.User, t.Label, t.ReadOnly, micro(t.CreatedAt), micro(t.ExpiresAt), t.Parent)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

const tokenColumns = `id, hash, user, label, read_only, created_at, expires_at, coalesce(parent, 0)`

func scanToken(scan func(...any) error) (t Token, err error) {
	var created, expires int64
	err = scan(&t.ID, &t.Hash, &t.User, &t.Label, &t.ReadOnly, &created, &expires, &t.Parent)
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

// TokenCounts tells how many tokens each user has.
func (s *Store) TokenCounts(ctx context.Context) (map[string]int, error) {
	type count struct {
		user string
		n    int
	}
	rows, err := list(ctx, s.read, func(r *sql.Rows) (c count, err error) { return c, r.Scan(&c.user, &c.n) }, `SELECT user, count(*) FROM tokens GROUP BY user`)
	out := map[string]int{}
	for _, c := range rows {
		out[c.user] = c.n
	}
	return out, err
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
