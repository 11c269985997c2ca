package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"example.net/everypost/internal/core/reach"
)

// Promises lists them by name.
func (s *Store) Promises(ctx context.Context) ([]reach.Promise, error) {
	return list(ctx, s.read, func(r *sql.Rows) (p reach.Promise, err error) {
		var name, body string
		if err := r.Scan(&name, &body); err != nil {
			return p, err
		}
		err = json.Unmarshal([]byte(body), &p)
		p.Name = name
		return p, err
	}, `SELECT name, body FROM promises ORDER BY name`)
}

// PutPromise keeps one, in the place of one of its name.
func (s *Store) PutPromise(ctx context.Context, p reach.Promise) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO promises (name, body) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body`, p.Name, toJSON(p))
	return err
}

// DropPromise forgets one.
func (s *Store) DropPromise(ctx context.Context, name string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM promises WHERE name = ?`, name))
}
