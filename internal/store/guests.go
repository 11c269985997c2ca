package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"
	"time"

	"example.net/everypost/internal/core/guest"
)

// GuestPortal is one as it is kept.
type GuestPortal struct {
	guest.Portal
	Key  []byte // sealed
	Logo bool   // it has a picture
}

// GuestPortals lists the portals by name.
func (s *Store) GuestPortals(ctx context.Context) ([]GuestPortal, error) {
	return list(ctx, s.read, func(r *sql.Rows) (p GuestPortal, err error) {
		var body string
		if err := r.Scan(&p.Name, &p.Key, &body, &p.Logo); err != nil {
			return p, err
		}
		name := p.Name
		err = json.Unmarshal([]byte(body), &p.Portal)
		p.Name = name
		return p, err
	}, `SELECT name, key, body, logo IS NOT NULL FROM guest_portals ORDER BY name`)
}

// PutGuestPortal keeps one, in the place of one of its name, whose key and picture stay.
func (s *Store) PutGuestPortal(ctx context.Context, p GuestPortal) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO guest_portals (name, key, body) VALUES (?, ?, ?) ON CONFLICT (name) DO UPDATE SET body = excluded.body`, p.Name, p.Key, toJSON(p.Portal))
	return err
}

// DropGuestPortal forgets one, with its vouchers.
func (s *Store) DropGuestPortal(ctx context.Context, name string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM guest_portals WHERE name = ?`, name))
}

// GuestLogo is the picture of a portal.
func (s *Store) GuestLogo(ctx context.Context, name string) (png []byte, err error) {
	err = one(s.read.QueryRowContext(ctx, `SELECT logo FROM guest_portals WHERE name = ? AND logo IS NOT NULL`, name).Scan(&png))
	return png, err
}

// PutGuestLogo keeps the picture of a portal; nil for none.
func (s *Store) PutGuestLogo(ctx context.Context, name string, png []byte) error {
	return changed(s.write.ExecContext(ctx, `UPDATE guest_portals SET logo = ? WHERE name = ?`, png, name))
}

// GuestVoucher is one as it is kept: its code is not.
type GuestVoucher struct {
	Number         int64
	Portal         string
	Hint           string
	Label          string
	Minutes        int
	MadeBy         string
	MadeAt, GoodTo time.Time
	UsedAt, Taken  time.Time // zero: it was not
}

// AddGuestVouchers keeps vouchers by the hashes of their codes, all or none.
func (s *Store) AddGuestVouchers(ctx context.Context, of GuestVoucher, hashes [][]byte, hints []string) error {
	tx, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	put, err := tx.PrepareContext(ctx, `INSERT INTO guest_vouchers (portal, hash, hint, label, minutes, made_by, made_at, good_to) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`)
	if err != nil {
		return err
	}
	defer func() { _ = put.Close() }()
	for i, hash := range hashes {
		if _, err := put.ExecContext(ctx, of.Portal, hash, hints[i], of.Label, of.Minutes, of.MadeBy, micro(of.MadeAt), micro(of.GoodTo)); err != nil {
			return err
		}
	}
	return tx.Commit()
}

const voucherColumns = `number, portal, hint, label, minutes, made_by, made_at, good_to, coalesce(used_at, 0), coalesce(taken_at, 0)`

func scanVoucher(scan func(...any) error) (v GuestVoucher, err error) {
	var made, good, used, taken int64
	err = scan(&v.Number, &v.Portal, &v.Hint, &v.Label, &v.Minutes, &v.MadeBy, &made, &good, &used, &taken)
	v.MadeAt, v.GoodTo = timeOf(made), timeOf(good)
	if used != 0 {
		v.UsedAt = timeOf(used)
	}
	if taken != 0 {
		v.Taken = timeOf(taken)
	}
	return v, err
}

// GuestVouchers lists those of a portal, the newest first; of all when it is "".
func (s *Store) GuestVouchers(ctx context.Context, portal string, limit int) ([]GuestVoucher, error) {
	return list(ctx, s.read, func(r *sql.Rows) (GuestVoucher, error) { return scanVoucher(r.Scan) },
		`SELECT `+voucherColumns+` FROM guest_vouchers WHERE ? IN ('', portal) ORDER BY number DESC LIMIT ?`, portal, limit)
}

// CountGuestVouchers is how many of a portal were neither used nor taken back.
func (s *Store) CountGuestVouchers(ctx context.Context, portal string) (n int, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT count(*) FROM guest_vouchers WHERE portal = ? AND used_at IS NULL AND taken_at IS NULL`, portal).Scan(&n)
	return n, err
}

// GuestVoucherByHash is that of a code.
func (s *Store) GuestVoucherByHash(ctx context.Context, portal string, hash []byte) (GuestVoucher, error) {
	v, err := scanVoucher(s.read.QueryRowContext(ctx, `SELECT `+voucherColumns+` FROM guest_vouchers WHERE portal = ? AND hash = ?`, portal, hash).Scan)
	return v, one(err)
}

// TakeGuestVoucher takes one back that was not used.
func (s *Store) TakeGuestVoucher(ctx context.Context, portal string, number int64, at time.Time) error {
	return changed(s.write.ExecContext(ctx, `UPDATE guest_vouchers SET taken_at = ? WHERE portal = ? AND number = ? AND used_at IS NULL AND taken_at IS NULL`, micro(at), portal, number))
}

// AddGuestStay keeps a stay, and has its voucher used with it; ErrNotFound where that cannot be used any more. What the station asked for before is over.
func (s *Store) AddGuestStay(ctx context.Context, g guest.Stay) (number int64, err error) {
	tx, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return 0, err
	}
	defer func() { _ = tx.Rollback() }()
	at := micro(g.AskedAt)
	var voucher *int64
	if g.Voucher != 0 {
		voucher = &g.Voucher
		if err := changed(tx.ExecContext(ctx, `UPDATE guest_vouchers SET used_at = ? WHERE number = ? AND used_at IS NULL AND taken_at IS NULL AND good_to > ?`, at, g.Voucher, at)); err != nil {
			return 0, err
		}
	}
	if _, err := tx.ExecContext(ctx, `UPDATE guest_stays SET ended = ? WHERE portal = ? AND station = ? AND ended = 0 AND (ends = 0 OR ends > ?)`, at, g.Portal, g.Station, at); err != nil {
		return 0, err
	}
	r, err := tx.ExecContext(ctx, `INSERT INTO guest_stays (portal, station, device, asked_at, ends, ended, voucher, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		g.Portal, g.Station, g.Device, at, zeroMicro(g.Ends), zeroMicro(g.Ended), voucher, toJSON(g))
	if err != nil {
		return 0, err
	}
	if number, err = r.LastInsertId(); err != nil {
		return 0, err
	}
	return number, tx.Commit()
}

// PutGuestStay keeps what became of a stay.
func (s *Store) PutGuestStay(ctx context.Context, g guest.Stay) error {
	return changed(s.write.ExecContext(ctx, `UPDATE guest_stays SET device = ?, ends = ?, ended = ?, body = ? WHERE number = ?`, g.Device, zeroMicro(g.Ends), zeroMicro(g.Ended), toJSON(g), g.Number))
}

// MoveGuestStay keeps by which access point a guest came now; ErrNotFound where his time was ended meanwhile.
func (s *Store) MoveGuestStay(ctx context.Context, number int64, device string) error {
	return changed(s.write.ExecContext(ctx, `UPDATE guest_stays SET device = ? WHERE number = ? AND ended = 0`, device, number))
}

func zeroMicro(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return micro(t)
}

// GuestStayQuery says which stays are listed.
type GuestStayQuery struct {
	Portal, Station string // "" for any
	Number          int64  // 0 for any
	Since           time.Time
	Open            time.Time // not zero: those that wait or go on then
	Limit           int
}

// GuestStays lists stays, the newest first.
func (s *Store) GuestStays(ctx context.Context, q GuestStayQuery) ([]guest.Stay, error) {
	where, args := []string{"1"}, []any{}
	add := func(clause string, a ...any) { where, args = append(where, clause), append(args, a...) }
	if q.Portal != "" {
		add(`portal = ?`, q.Portal)
	}
	if q.Station != "" {
		add(`station = ?`, q.Station)
	}
	if q.Number != 0 {
		add(`number = ?`, q.Number)
	}
	if !q.Since.IsZero() {
		add(`asked_at >= ?`, micro(q.Since))
	}
	if !q.Open.IsZero() {
		add(`ended = 0 AND (ends = 0 OR ends > ?)`, micro(q.Open))
	}
	return list(ctx, s.read, func(r *sql.Rows) (g guest.Stay, err error) {
		var body string
		var number, ends, ended int64
		var device sql.NullString
		if err := r.Scan(&number, &device, &ends, &ended, &body); err != nil {
			return g, err
		}
		err = json.Unmarshal([]byte(body), &g)
		g.Number, g.Device = number, device.String
		if ended != 0 { // another asking of the station may have ended it
			g.Ended = timeOf(ended)
		}
		return g, err
	}, `SELECT number, device, ends, ended, body FROM guest_stays WHERE `+strings.Join(where, " AND ")+` ORDER BY number DESC LIMIT ?`, append(args, q.Limit)...)
}

// ForgetGuests forgets stays that were asked for before a time, and vouchers that were good until then.
func (s *Store) ForgetGuests(ctx context.Context, before time.Time) error {
	if _, err := s.write.ExecContext(ctx, `DELETE FROM guest_stays WHERE asked_at < ?`, micro(before)); err != nil {
		return err
	}
	_, err := s.write.ExecContext(ctx, `DELETE FROM guest_vouchers WHERE good_to < ?`, micro(before))
	return err
}
