package store

import (
	"context"
	"database/sql"
	"time"

	"example.net/everypost/internal/core/catalog"
)

// Client is an end station as it is kept.
type Client struct {
	catalog.Sighting
	GivenName           string
	FirstSeen, LastSeen time.Time
}

// PutClients keeps what was seen of clients. The name that a person gave stays.
func (s *Store) PutClients(ctx context.Context, list []Client) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		put, err := tx.PrepareContext(ctx, `INSERT INTO clients (mac, device, port, ssid, band, vlan, address, own_name, system, first_seen, last_seen)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (mac) DO UPDATE SET device = excluded.device, port = excluded.port, ssid = excluded.ssid,
			band = excluded.band, vlan = excluded.vlan, address = excluded.address, own_name = excluded.own_name, system = excluded.system, last_seen = excluded.last_seen`)
		if err != nil {
			return err
		}
		defer func() { _ = put.Close() }()
		for _, c := range list {
			if _, err := put.ExecContext(ctx, c.MAC, c.DeviceID, c.Port, c.SSID, c.Band, c.VLAN, c.Address, c.OwnName, c.System, micro(c.FirstSeen), micro(c.LastSeen)); err != nil {
				return err
			}
		}
		return nil
	})
}

// NameClient keeps the name that a person gives to a client; "" takes it back.
func (s *Store) NameClient(ctx context.Context, mac, name string) error {
	return changed(s.write.ExecContext(ctx, `UPDATE clients SET given_name = ? WHERE mac = ?`, name, mac))
}

// Clients lists all clients that were seen since a time, or that a person named.
func (s *Store) Clients(ctx context.Context, since time.Time) ([]Client, error) {
	return list(ctx, s.read, func(r *sql.Rows) (c Client, err error) {
		var first, last int64
		err = r.Scan(&c.MAC, &c.DeviceID, &c.Port, &c.SSID, &c.Band, &c.VLAN, &c.Address, &c.OwnName, &c.System, &c.GivenName, &first, &last)
		c.FirstSeen, c.LastSeen = timeOf(first), timeOf(last)
		return c, err
	}, `SELECT mac, device, port, ssid, band, vlan, address, own_name, system, given_name, first_seen, last_seen FROM clients WHERE last_seen >= ? OR given_name != ''`, micro(since))
}

// ForgetClients removes clients that were not seen since a time and that nobody named.
func (s *Store) ForgetClients(ctx context.Context, since time.Time) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM clients WHERE last_seen < ? AND given_name = ''`, micro(since))
	return err
}
