package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"example.net/everypost/internal/core/radiolink"
)

// RadioLicences lists the licences of ends of radio links by device and port.
func (s *Store) RadioLicences(ctx context.Context) ([]radiolink.Licence, error) {
	return list(ctx, s.read, func(r *sql.Rows) (l radiolink.Licence, err error) {
		var body string
		if err := r.Scan(&l.Device, &l.Port, &body); err != nil {
			return l, err
		}
		return l, json.Unmarshal([]byte(body), &l)
	}, `SELECT device, port, body FROM radio_licences ORDER BY device, port`)
}

// PutRadioLicence keeps one, in the place of one of the same end.
func (s *Store) PutRadioLicence(ctx context.Context, l radiolink.Licence) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO radio_licences (device, port, body) VALUES (?, ?, ?) ON CONFLICT (device, port) DO UPDATE SET body = excluded.body`, l.Device, l.Port, toJSON(l))
	return err
}

// DropRadioLicence forgets one.
func (s *Store) DropRadioLicence(ctx context.Context, device, port string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM radio_licences WHERE device = ? AND port = ?`, device, port))
}
