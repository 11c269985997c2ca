package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"example.net/everypost/internal/core/alarm"
)

// AlarmRules lists the rules of the house for alarms by name.
func (s *Store) AlarmRules(ctx context.Context) ([]alarm.Rule, error) {
	return list(ctx, s.read, func(r *sql.Rows) (rule alarm.Rule, err error) {
		var name, body string
		if err := r.Scan(&name, &body); err != nil {
			return rule, err
		}
		err = json.Unmarshal([]byte(body), &rule)
		rule.Name = name
		return rule, err
	}, `SELECT name, body FROM alarm_rules ORDER BY name`)
}

// PutAlarmRule keeps one, in the place of one of its name.
func (s *Store) PutAlarmRule(ctx context.Context, r alarm.Rule) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO alarm_rules (name, body) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body`, r.Name, toJSON(r))
	return err
}

// DropAlarmRule forgets one.
func (s *Store) DropAlarmRule(ctx context.Context, name string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM alarm_rules WHERE name = ?`, name))
}
