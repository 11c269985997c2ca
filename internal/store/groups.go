package store

import (
	"context"
	"database/sql"
	"fmt"
)

// Group is a set of devices with a name.
type Group struct {
	Name, Title string
	Pick        string // a selector; "" for one picked by hand
	Owner       string
	Members     []string // of one picked by hand, by name
}

// Groups lists the groups by name.
func (s *Store) Groups(ctx context.Context) ([]Group, error) {
	groups, err := list(ctx, s.read, func(r *sql.Rows) (g Group, err error) { return g, r.Scan(&g.Name, &g.Title, &g.Pick, &g.Owner) },
		`SELECT name, title, pick, owner FROM groups ORDER BY name`)
	if err != nil {
		return nil, err
	}
	at := map[string]int{}
	for i, g := range groups {
		at[g.Name] = i
	}
	members, err := list(ctx, s.read, func(r *sql.Rows) (m [2]string, err error) { return m, r.Scan(&m[0], &m[1]) },
		`SELECT name, device FROM group_members ORDER BY name, device`)
	for _, m := range members {
		if i, ok := at[m[0]]; ok {
			groups[i].Members = append(groups[i].Members, m[1])
		}
	}
	return groups, err
}

// PutGroup makes or replaces a group with its members.
func (s *Store) PutGroup(ctx context.Context, g Group) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, `INSERT INTO groups (name, title, pick, owner) VALUES (?, ?, ?, ?)
			ON CONFLICT (name) DO UPDATE SET title = excluded.title, pick = excluded.pick`, g.Name, g.Title, g.Pick, g.Owner)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM group_members WHERE name = ?`, g.Name); err != nil {
			return err
		}
		for _, m := range g.Members {
			if _, err := tx.ExecContext(ctx, `INSERT INTO group_members (name, device) VALUES (?, ?) ON CONFLICT DO NOTHING`, g.Name, m); err != nil {
				return fmt.Errorf("member %s: %w", m, err)
			}
		}
		return nil
	})
}

// DropGroup deletes a group; its members stay.
func (s *Store) DropGroup(ctx context.Context, name string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM groups WHERE name = ?`, name))
}
