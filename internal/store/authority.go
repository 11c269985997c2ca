package store

import (
	"context"
	"database/sql"
	"time"
)

// Authority returns the certificate of the authority (DER) and its sealed key; ErrNotFound where there is none yet.
func (s *Store) Authority(ctx context.Context) (certificate, key []byte, err error) {
	err = one(s.read.QueryRowContext(ctx, `SELECT certificate, key FROM authority`).Scan(&certificate, &key))
	return certificate, key, err
}

// PutAuthority keeps the authority, unless there is one already: then it stays.
func (s *Store) PutAuthority(ctx context.Context, certificate, key []byte) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO authority (one, certificate, key) VALUES (1, ?, ?) ON CONFLICT (one) DO NOTHING`, certificate, key)
	return err
}

// DropAuthority forgets the authority.
func (s *Store) DropAuthority(ctx context.Context) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM authority`)
	return err
}

// Issued is a certificate that was signed.
type Issued struct {
	Serial       string
	Device, Name string
	By           string
	At, NotAfter time.Time
	Certificate  []byte // DER
}

// AddIssued keeps that a certificate was signed.
func (s *Store) AddIssued(ctx context.Context, i Issued) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO issued (serial, device, name, by, at, not_after, certificate) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		i.Serial, i.Device, i.Name, i.By, micro(i.At), micro(i.NotAfter), i.Certificate)
	return err
}

// IssuedSerials lists the serial numbers of those that were signed, after the device that each is of.
func (s *Store) IssuedSerials(ctx context.Context) ([][2]string, error) {
	return list(ctx, s.read, func(r *sql.Rows) (v [2]string, err error) { return v, r.Scan(&v[0], &v[1]) }, `SELECT device, serial FROM issued`)
}

// IssuedCertificates lists those that were signed, the newest first.
func (s *Store) IssuedCertificates(ctx context.Context, limit int) ([]Issued, error) {
	return list(ctx, s.read, func(r *sql.Rows) (i Issued, err error) {
		var at, until int64
		err = r.Scan(&i.Serial, &i.Device, &i.Name, &i.By, &at, &until, &i.Certificate)
		i.At, i.NotAfter = timeOf(at), timeOf(until)
		return i, err
	}, `SELECT serial, device, name, by, at, not_after, certificate FROM issued ORDER BY at DESC, serial LIMIT ?`, limit)
}
