package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
)

// Device is an enrolled device as it is kept.
type Device struct {
	Name       string
	Site       string
	Address    string
	User       string
	Secret     []byte // sealed
	NextSecret []byte // sealed: a password that it is being given; nil for none
	HostKey    string
	Identity   network.Identity
	EnrolledAt time.Time
	EnrolledBy string
	SeenAt     time.Time
	RetiredAt  time.Time // zero while it is in service
	CallsHome  bool      // nobody can connect to it: Address only names it
	Control    network.Control
	network.Particulars
}

// siteDetail is what stands in the column particulars of a site: all of network.Site that has no column of its own.
type siteDetail struct {
	Code     string            `json:"code,omitempty"`
	Address  string            `json:"address,omitempty"`
	Position *network.Position `json:"position,omitempty"`
	TimeZone string            `json:"time_zone,omitempty"`
	Contact  string            `json:"contact,omitempty"`
	Notes    string            `json:"notes,omitempty"`
}

// PutSite makes or changes a site.
func (s *Store) PutSite(ctx context.Context, site network.Site) error {
	detail := siteDetail{site.Code, site.Address, site.Position, site.TimeZone, site.Contact, site.Notes}
	_, err := s.write.ExecContext(ctx, `INSERT INTO sites (name, title, entry, particulars) VALUES (?, ?, ?, ?)
		ON CONFLICT (name) DO UPDATE SET title = excluded.title, entry = excluded.entry, particulars = excluded.particulars`,
		site.Name, site.Title, site.Entry, toJSON(detail))
	return err
}

// RemoveSite removes a site that holds no devices; ErrInUse tells that it does.
func (s *Store) RemoveSite(ctx context.Context, name string) error {
	err := changed(s.write.ExecContext(ctx, `DELETE FROM sites WHERE name = ?`, name))
	if err != nil && strings.Contains(err.Error(), "FOREIGN KEY constraint failed") {
		return fmt.Errorf("%w: %w", ErrInUse, err)
	}
	return err
}

// MergeSites moves all devices of one site to another and removes the one.
func (s *Store) MergeSites(ctx context.Context, from, into string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE devices SET site = ? WHERE site = ?`, into, from); err != nil {
			return err
		}
		return changed(tx.ExecContext(ctx, `DELETE FROM sites WHERE name = ?`, from))
	})
}

// Sites lists the sites by name.
func (s *Store) Sites(ctx context.Context) ([]network.Site, error) {
	return list(ctx, s.read, func(r *sql.Rows) (site network.Site, err error) {
		var text string
		var d siteDetail
		if err := r.Scan(&site.Name, &site.Title, &site.Entry, &text); err != nil {
			return site, err
		}
		err = json.Unmarshal([]byte(text), &d)
		site.Code, site.Address, site.Position, site.TimeZone, site.Contact, site.Notes = d.Code, d.Address, d.Position, d.TimeZone, d.Contact, d.Notes
		return site, err
	}, `SELECT name, title, entry, particulars FROM sites ORDER BY name`)
}

// AddDevice keeps a device; ErrExists tells that its name, address or serial number is taken.
func (s *Store) AddDevice(ctx context.Context, d Device) error {
	return unique(s.tx(ctx, func(tx *sql.Tx) error { return addDevice(ctx, tx, d) }))
}

func addDevice(ctx context.Context, tx *sql.Tx, d Device) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO devices (name, site, address, user, secret, host_key, identity, enrolled_at, enrolled_by, seen_at, particulars, calls_home)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		d.Name, d.Site, d.Address, d.User, d.Secret, d.HostKey, toJSON(d.Identity), micro(d.EnrolledAt), d.EnrolledBy, micro(d.SeenAt), toJSON(d.Particulars), d.CallsHome)
	return err
}

func unique(err error) error {
	if err != nil && strings.Contains(err.Error(), "UNIQUE constraint failed") {
		return fmt.Errorf("%w: %w", ErrExists, err)
	}
	return err
}

// Devices lists all devices by name.
func (s *Store) Devices(ctx context.Context) ([]Device, error) {
	return list(ctx, s.read, func(r *sql.Rows) (d Device, err error) {
		var identity, particulars string
		var enrolled, seen, retired int64
		if err := r.Scan(&d.Name, &d.Site, &d.Address, &d.User, &d.Secret, &d.NextSecret, &d.HostKey, &identity, &enrolled, &d.EnrolledBy, &seen, &particulars, &retired, &d.CallsHome, &d.Control); err != nil {
			return d, err
		}
		d.EnrolledAt, d.SeenAt, d.RetiredAt = timeOf(enrolled), timeOf(seen), timeOf(retired)
		return d, errors.Join(json.Unmarshal([]byte(identity), &d.Identity), json.Unmarshal([]byte(particulars), &d.Particulars))
	}, `SELECT name, site, address, user, secret, next_secret, host_key, identity, enrolled_at, enrolled_by, seen_at, particulars, retired_at, calls_home, control FROM devices ORDER BY name`)
}

// DescribeDevice keeps the site and the particulars of a device.
func (s *Store) DescribeDevice(ctx context.Context, device, site string, p network.Particulars) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET site = ?, particulars = ? WHERE name = ?`, site, toJSON(p), device))
}

// RetireDevice keeps since when a device is out of service; the zero time takes it back.
func (s *Store) RetireDevice(ctx context.Context, device string, at time.Time) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET retired_at = ? WHERE name = ?`, micro(at), device))
}

// RemoveDevice forgets a device and all that is kept of it but events.
func (s *Store) RemoveDevice(ctx context.Context, device string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM devices WHERE name = ?`, device))
}

// SetAddress keeps at which address a device is, with its passwords as they are sealed for that.
func (s *Store) SetAddress(ctx context.Context, device, address string, secret, next []byte) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET address = ?, secret = ?, next_secret = ? WHERE name = ?`, address, secret, next, device))
}

// SetNextSecret keeps a password that a device is being given, or with nil that there is none.
func (s *Store) SetNextSecret(ctx context.Context, device string, next []byte) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET next_secret = ? WHERE name = ?`, next, device))
}

// SetLogin keeps as whom and with which password a device is logged in to; it is being given no other.
func (s *Store) SetLogin(ctx context.Context, device, user string, secret []byte) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET user = ?, secret = ?, next_secret = NULL WHERE name = ?`, user, secret, device))
}

// SetHostKey pins another host key.
func (s *Store) SetHostKey(ctx context.Context, device, fingerprint string) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET host_key = ? WHERE name = ?`, fingerprint, device))
}

// Observation is what was read from a device at a time.
type Observation struct {
	Device   string
	At       time.Time
	Identity *network.Identity // nil: not read this time
	Config   *network.Config   // nil: not read this time
	State    network.State
}

// Observe keeps what was last seen of a device and its ports.
func (s *Store) Observe(ctx context.Context, o Observation) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE devices SET seen_at = ? WHERE name = ?`, micro(o.At), o.Device)); err != nil {
			return err
		}
		if o.Identity != nil {
			if _, err := tx.ExecContext(ctx, `UPDATE devices SET identity = ? WHERE name = ?`, toJSON(*o.Identity), o.Device); err != nil {
				return err
			}
		}
		put, err := tx.PrepareContext(ctx, `INSERT INTO ports (device, port, config, state) VALUES (?, ?, ?, ?)
			ON CONFLICT (device, port) DO UPDATE SET config = coalesce(nullif(excluded.config, ''), config), state = excluded.state`)
		if err != nil {
			return err
		}
		defer func() { _ = put.Close() }()
		for port, state := range o.State.Ports {
			config := ""
			if o.Config != nil {
				config = toJSON(o.Config.Ports[port])
			}
			if _, err := put.ExecContext(ctx, o.Device, port, config, toJSON(state)); err != nil {
				return err
			}
		}
		return nil
	})
}

// PortStates returns what was last seen of a device's ports.
func (s *Store) PortStates(ctx context.Context, device string) (map[string]network.PortState, error) {
	type row struct {
		port  string
		state network.PortState
	}
	rows, err := list(ctx, s.read, func(r *sql.Rows) (v row, err error) {
		var state string
		if err := r.Scan(&v.port, &state); err != nil {
			return v, err
		}
		return v, json.Unmarshal([]byte(state), &v.state)
	}, `SELECT port, state FROM ports WHERE device = ?`, device)
	if err != nil {
		return nil, err
	}
	out := make(map[string]network.PortState, len(rows))
	for _, v := range rows {
		out[v.port] = v.state
	}
	return out, nil
}

// Snapshot is a configuration that was seen on a device.
type Snapshot struct {
	Device   string
	TakenAt  time.Time
	By       string // who changed the device, where it says so
	Config   network.Config
	Document []byte
	Model    string // of the device
	Firmware string
	KeptBy   string // who had it taken over from elsewhere
}

// AddSnapshot keeps a configuration unless it is the one that was kept last. It reports whether it differs from an earlier
// one: the first of a device is no change.
func (s *Store) AddSnapshot(ctx context.Context, snap Snapshot) (changed bool, err error) {
	all, err := s.AddSnapshots(ctx, []Snapshot{snap})
	return err == nil && all[0], err
}

// AddSnapshots is AddSnapshot for several, all or none.
func (s *Store) AddSnapshots(ctx context.Context, snaps []Snapshot) (changed []bool, err error) {
	type row struct {
		at      int
		hash    [sha256.Size]byte
		content []byte
		config  string
	}
	var rows []row
	for i, snap := range snaps { // outside of the transaction, for which all others have to wait
		hash := sha256.Sum256(snap.Document)
		last, err := lastDocument(ctx, s.read, snap.Device)
		if err != nil {
			return nil, err
		}
		twice := slices.ContainsFunc(snaps[:i], func(o Snapshot) bool { return o.Device == snap.Device })
		if string(last) != string(hash[:]) || twice {
			rows = append(rows, row{i, hash, s.enc.EncodeAll(snap.Document, nil), toJSON(snap.Config)})
		}
	}
	changed = make([]bool, len(snaps))
	if len(rows) == 0 {
		return changed, nil
	}
	err = s.tx(ctx, func(tx *sql.Tx) error {
		for _, r := range rows {
			snap := snaps[r.at]
			last, err := lastDocument(ctx, tx, snap.Device)
			if err != nil {
				return err
			}
			if string(last) == string(r.hash[:]) {
				continue
			}
			changed[r.at] = last != nil
			if _, err := tx.ExecContext(ctx, `INSERT INTO documents (hash, content) VALUES (?, ?) ON CONFLICT DO NOTHING`, r.hash[:], r.content); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `INSERT INTO snapshots (device, taken_at, config, document, by_user, model, firmware) VALUES (?, ?, ?, ?, ?, ?, ?)`,
				snap.Device, micro(snap.TakenAt), r.config, r.hash[:], snap.By, snap.Model, snap.Firmware); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return changed, nil
}

// lastDocument is the hash of the document of a device that was kept last, nil where there is none.
func lastDocument(ctx context.Context, db interface {
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}, device string) (hash []byte, err error) {
	err = db.QueryRowContext(ctx, `SELECT document FROM snapshots WHERE device = ? ORDER BY taken_at DESC, id DESC LIMIT 1`, device).Scan(&hash)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return hash, err
}

// LastSnapshot returns the configuration of a device that was kept last.
func (s *Store) LastSnapshot(ctx context.Context, device string) (Snapshot, error) {
	return s.SnapshotAt(ctx, device, time.UnixMicro(math.MaxInt64))
}

// SnapshotAt returns the configuration that a device had at a time: the last that was kept until then, or, where it was not
// known then, the first.
func (s *Store) SnapshotAt(ctx context.Context, device string, at time.Time) (Snapshot, error) {
	return s.snapshotOf(ctx, device, `SELECT taken_at, by_user, config, content FROM snapshots JOIN documents ON hash = document WHERE id = coalesce(
		(SELECT id FROM snapshots WHERE device = ?1 AND taken_at <= ?2 ORDER BY taken_at DESC, id DESC LIMIT 1),
		(SELECT id FROM snapshots WHERE device = ?1 ORDER BY taken_at, id LIMIT 1))`, device, at.UnixMicro())
}

func (s *Store) snapshotOf(ctx context.Context, device, query string, args ...any) (Snapshot, error) {
	snap := Snapshot{Device: device}
	var taken int64
	var config string
	var content []byte
	if err := s.read.QueryRowContext(ctx, query, args...).Scan(&taken, &snap.By, &config, &content); err != nil {
		return snap, one(err)
	}
	snap.TakenAt = timeOf(taken)
	var err error
	if snap.Document, err = s.dec.DecodeAll(content, nil); err != nil {
		return snap, fmt.Errorf("snapshot of %s: %w", device, err)
	}
	return snap, json.Unmarshal([]byte(config), &snap.Config)
}

// Snapshots lists when a device was kept to have another configuration than before, and who made it so, the newest first, without themselves.
func (s *Store) Snapshots(ctx context.Context, device string, limit int) ([]Snapshot, error) {
	return list(ctx, s.read, func(r *sql.Rows) (snap Snapshot, err error) {
		var taken int64
		err = r.Scan(&taken, &snap.By)
		snap.Device, snap.TakenAt = device, timeOf(taken)
		return snap, err
	}, `SELECT taken_at, by_user FROM snapshots s WHERE device = ? AND document IS NOT (SELECT document FROM snapshots p WHERE p.device = s.device
		AND (p.taken_at, p.id) < (s.taken_at, s.id) ORDER BY p.taken_at DESC, p.id DESC LIMIT 1) ORDER BY taken_at DESC, id DESC LIMIT ?`, device, limit)
}
