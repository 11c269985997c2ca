package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// Claim is a device that is expected: known by its serial number before it ever spoke.
type Claim struct {
	Serial, Name, Site string
	HostKey            string // by which it will call home; "" until it was told what it is to be
	ClaimBody
}

// ClaimBody is everything of a Claim that is not asked for by itself.
type ClaimBody struct {
	Like        string              `json:"like,omitempty"`     // the device whose configuration it gets
	Replaces    string              `json:"replaces,omitempty"` // the device whose place it takes
	Edits       []intent.Edit       `json:"edits,omitempty"`    // what is set besides
	Particulars network.Particulars `json:"particulars"`
	By          string              `json:"by"`
	At          time.Time           `json:"at"`
	AskedAt     time.Time           `json:"asked_at"`        // when it asked last what it is to be
	Model       string              `json:"model,omitempty"` // as it said then
	ToldAt      time.Time           `json:"told_at"`         // when it said that it is that now
	Said        string              `json:"said,omitempty"`  // what went wrong, in its own words
}

// AddClaim keeps a claim; ErrExists tells that the serial number or the name is claimed already.
func (s *Store) AddClaim(ctx context.Context, c Claim) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO claims (serial, name, site, host_key, body) VALUES (?, ?, ?, ?, ?)`, c.Serial, c.Name, c.Site, c.HostKey, toJSON(c.ClaimBody))
	return unique(err)
}

// PutClaim keeps how far a claimed device is.
func (s *Store) PutClaim(ctx context.Context, c Claim) error {
	return unique(changed(s.write.ExecContext(ctx, `UPDATE claims SET host_key = ?, body = ? WHERE serial = ?`, c.HostKey, toJSON(c.ClaimBody), c.Serial)))
}

// DropClaim forgets a claim.
func (s *Store) DropClaim(ctx context.Context, serial string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM claims WHERE serial = ?`, serial))
}

const claimColumns = `serial, name, site, host_key, body`

func scanClaim(scan func(...any) error) (c Claim, err error) {
	var body string
	if err := scan(&c.Serial, &c.Name, &c.Site, &c.HostKey, &body); err != nil {
		return c, err
	}
	return c, json.Unmarshal([]byte(body), &c.ClaimBody)
}

// Claim returns the claim of a serial number.
func (s *Store) Claim(ctx context.Context, serial string) (Claim, error) {
	c, err := scanClaim(s.read.QueryRowContext(ctx, `SELECT `+claimColumns+` FROM claims WHERE serial = ?`, serial).Scan)
	return c, one(err)
}

// ClaimOfKey returns the claim whose device will call home with a host key.
func (s *Store) ClaimOfKey(ctx context.Context, hostKey string) (Claim, error) {
	c, err := scanClaim(s.read.QueryRowContext(ctx, `SELECT `+claimColumns+` FROM claims WHERE host_key = ? AND host_key <> ''`, hostKey).Scan)
	return c, one(err)
}

// Claims lists the claims by name.
func (s *Store) Claims(ctx context.Context) ([]Claim, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Claim, error) { return scanClaim(r.Scan) }, `SELECT `+claimColumns+` FROM claims ORDER BY name`)
}

// Arrive makes the device of a claim, and drops the claim, in one step. Where it takes the place of another device, that
// one's record becomes its own.
func (s *Store) Arrive(ctx context.Context, serial string, d Device, replaces bool) error {
	err := s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `DELETE FROM claims WHERE serial = ?`, serial)); err != nil {
			return err
		}
		if replaces {
			return changed(tx.ExecContext(ctx, `UPDATE devices SET address = ?, user = ?, secret = ?, host_key = ?, identity = ?, enrolled_at = ?, enrolled_by = ?,
				seen_at = ?, retired_at = 0, calls_home = 1 WHERE name = ?`,
				d.Address, d.User, d.Secret, d.HostKey, toJSON(d.Identity), micro(d.EnrolledAt), d.EnrolledBy, micro(d.SeenAt), d.Name))
		}
		return addDevice(ctx, tx, d)
	})
	return unique(err)
}

// RenameDevice gives a device another name, everywhere but in the log; ErrExists tells that the name is taken.
func (s *Store) RenameDevice(ctx context.Context, from, to string) error {
	err := s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `PRAGMA defer_foreign_keys = ON`); err != nil {
			return err
		}
		if err := changed(tx.ExecContext(ctx, `UPDATE devices SET name = ? WHERE name = ?`, to, from)); err != nil {
			return err
		}
		for _, table := range []string{"ports", "snapshots", "clients", "change_devices", "events", "terminals"} { // members of groups follow by themselves
			if _, err := tx.ExecContext(ctx, `UPDATE `+table+` SET device = ? WHERE device = ?`, to, from); err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE sites SET entry = ? WHERE entry = ?`, to, from)
		return err
	})
	s.recent.lose()
	if err != nil && strings.Contains(err.Error(), "UNIQUE constraint failed") {
		return errors.Join(ErrExists, err)
	}
	return err
}
