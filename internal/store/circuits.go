package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"example.net/everypost/internal/core/circuit"
)

// Circuits lists them by device and port.
func (s *Store) Circuits(ctx context.Context) ([]circuit.Circuit, error) {
	return list(ctx, s.read, func(r *sql.Rows) (c circuit.Circuit, err error) {
		var body string
		if err := r.Scan(&c.Device, &c.Port, &body); err != nil {
			return c, err
		}
		return c, json.Unmarshal([]byte(body), &c)
	}, `SELECT device, port, body FROM circuits ORDER BY device, port`)
}

// PutCircuit keeps one, in the place of one at its port.
func (s *Store) PutCircuit(ctx context.Context, c circuit.Circuit) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO circuits (device, port, body) VALUES (?, ?, ?) ON CONFLICT (device, port) DO UPDATE SET body = excluded.body`, c.Device, c.Port, toJSON(c))
	return err
}

// DropCircuit forgets one.
func (s *Store) DropCircuit(ctx context.Context, device, port string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM circuits WHERE device = ? AND port = ?`, device, port))
}
