package store

import (
	"context"
	"database/sql"
	"encoding/json"
)

// ChangeRule says when changes of some devices are made, or that they need a second person.
type ChangeRule struct {
	Name     string `json:"-"`
	Title    string `json:"title"`
	Pick     string `json:"pick"`     // a selector of devices; empty for all
	Hours    string `json:"hours"`    // of the week (core/schedule); empty for always
	Zone     string `json:"zone"`     // IANA time zone of the hours; empty for UTC
	Approval bool   `json:"approval"` // by a second person
}

// ChangeRules lists the rules by name.
func (s *Store) ChangeRules(ctx context.Context) ([]ChangeRule, error) {
	return list(ctx, s.read, func(r *sql.Rows) (c ChangeRule, err error) {
		var name, body string
		if err := r.Scan(&name, &body); err != nil {
			return c, err
		}
		err = json.Unmarshal([]byte(body), &c)
		c.Name = name
		return c, err
	}, `SELECT name, body FROM change_rules ORDER BY name`)
}

// PutChangeRule keeps a rule, in the place of one of its name.
func (s *Store) PutChangeRule(ctx context.Context, c ChangeRule) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO change_rules (name, body) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body`, c.Name, toJSON(c))
	return err
}

// DropChangeRule forgets a rule.
func (s *Store) DropChangeRule(ctx context.Context, name string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM change_rules WHERE name = ?`, name))
}
