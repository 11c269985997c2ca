package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"example.net/everypost/internal/core/network"
)

// Discovery is a search for devices as it is kept.
type Discovery struct {
	Number int64  `json:"-"`
	State  string `json:"-"`
	DiscoveryBody
}

// DiscoveryBody is everything of a Discovery that is not asked for by itself.
type DiscoveryBody struct {
	By        string            `json:"by"`
	Targets   []string          `json:"targets"` // addresses and ranges as they were given
	Hops      int               `json:"hops"`    // how far neighbours are followed; 0: not at all
	StartedAt time.Time         `json:"started_at"`
	EndedAt   time.Time         `json:"ended_at"`
	Asked     int               `json:"asked"`             // addresses that were tried
	Queued    int               `json:"queued"`            // addresses that wait
	Found     int               `json:"found"`             // devices that were not known
	Known     int               `json:"known"`             // devices that were
	Silent    int               `json:"silent"`            // addresses at which nothing answers
	Refused   map[string]string `json:"refused,omitempty"` // addresses that answered and did not let us in, with why
	Cut       bool              `json:"cut,omitempty"`     // it met its bound, and there is more
}

// Found is a device that was found and waits to be accepted.
type Found struct {
	Address  string
	Run      int64
	User     string
	Secret   []byte // sealed
	HostKey  string
	Identity network.Identity
	Via      string
	Site     string // proposed
	FoundAt  time.Time
}

// AddDiscovery keeps a new one and numbers it.
func (s *Store) AddDiscovery(ctx context.Context, d Discovery) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO discoveries (state, body) VALUES (?, ?)`, d.State, toJSON(d.DiscoveryBody))
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// PutDiscovery keeps how far one has come.
func (s *Store) PutDiscovery(ctx context.Context, d Discovery) error {
	return changed(s.write.ExecContext(ctx, `UPDATE discoveries SET state = ?, body = ? WHERE number = ?`, d.State, toJSON(d.DiscoveryBody), d.Number))
}

// Discoveries lists the last ones, the newest first.
func (s *Store) Discoveries(ctx context.Context, limit int) ([]Discovery, error) {
	return list(ctx, s.read, scanDiscovery, `SELECT number, state, body FROM discoveries ORDER BY number DESC LIMIT ?`, limit)
}

func scanDiscovery(r *sql.Rows) (d Discovery, err error) {
	var body string
	if err := r.Scan(&d.Number, &d.State, &body); err != nil {
		return d, err
	}
	return d, json.Unmarshal([]byte(body), &d.DiscoveryBody)
}

// InterruptDiscoveries marks those that ran when the service ended.
func (s *Store) InterruptDiscoveries(ctx context.Context) error {
	_, err := s.write.ExecContext(ctx, `UPDATE discoveries SET state = 'interrupted' WHERE state = 'running'`)
	return err
}

// PutFound keeps a device that was found; one that was found before at that address is replaced.
func (s *Store) PutFound(ctx context.Context, f Found) error {
	_, err := s.write.ExecContext(ctx, `INSERT OR REPLACE INTO found (address, run, user, secret, host_key, identity, via, site, found_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		f.Address, f.Run, f.User, f.Secret, f.HostKey, toJSON(f.Identity), f.Via, f.Site, micro(f.FoundAt))
	return err
}

// AllFound lists what waits to be accepted, by host name.
func (s *Store) AllFound(ctx context.Context) ([]Found, error) {
	return list(ctx, s.read, func(r *sql.Rows) (f Found, err error) {
		var identity string
		var at int64
		if err := r.Scan(&f.Address, &f.Run, &f.User, &f.Secret, &f.HostKey, &identity, &f.Via, &f.Site, &at); err != nil {
			return f, err
		}
		f.FoundAt = timeOf(at)
		return f, json.Unmarshal([]byte(identity), &f.Identity)
	}, `SELECT address, run, user, secret, host_key, identity, via, site, found_at FROM found ORDER BY json_extract(identity, '$.hostname'), address`)
}

// DropFound forgets a device that was found.
func (s *Store) DropFound(ctx context.Context, address string) error {
	err := changed(s.write.ExecContext(ctx, `DELETE FROM found WHERE address = ?`, address))
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	return err
}
