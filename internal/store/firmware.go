package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strings"
	"time"
)

// Image is firmware in the library.
type Image struct {
	Number     int64     `json:"-"`
	Maker      string    `json:"-"`
	SHA256     string    `json:"-"` // of the file
	Models     []string  `json:"models"`
	Version    string    `json:"version"`
	Size       int64     `json:"size"` // octets of the file
	Signer     string    `json:"signer"`
	Notes      string    `json:"notes,omitempty"`
	AddedAt    time.Time `json:"added_at"`
	AddedBy    string    `json:"added_by"`
	ApprovedAt time.Time `json:"approved_at"` // zero: it is not
	ApprovedBy string    `json:"approved_by,omitempty"`
}

// Approved tells whether devices may be given it.
func (i Image) Approved() bool { return !i.ApprovedAt.IsZero() }

// BaselineEntry says which firmware a model is to run.
type BaselineEntry struct {
	Maker string    `json:"-"`
	Model string    `json:"-"`
	Image int64     `json:"-"`
	SetAt time.Time `json:"set_at"`
	SetBy string    `json:"set_by"`
}

// AddImage keeps a new image and returns its number. ErrExists tells that it is there.
func (s *Store) AddImage(ctx context.Context, i Image) (int64, error) {
	r, err := s.write.ExecContext(ctx, `INSERT INTO images (maker, sha256, body) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, i.Maker, i.SHA256, toJSON(i))
	if err != nil {
		return 0, err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return 0, ErrExists
	}
	return r.LastInsertId()
}

// PutImage keeps an image as it is now and, where a signer is to be trusted from now on, that.
func (s *Store) PutImage(ctx context.Context, i Image, trust bool) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if trust {
			if _, err := tx.ExecContext(ctx, `INSERT INTO image_signers (maker, signer, body) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`, i.Maker, i.Signer,
				toJSON(map[string]any{"by": i.ApprovedBy, "at": i.ApprovedAt})); err != nil {
				return err
			}
		}
		return changed(tx.ExecContext(ctx, `UPDATE images SET body = ? WHERE number = ?`, toJSON(i), i.Number))
	})
}

// RemoveImage forgets an image. ErrInUse tells that it is of the baseline.
func (s *Store) RemoveImage(ctx context.Context, number int64) error {
	err := changed(s.write.ExecContext(ctx, `DELETE FROM images WHERE number = ?`, number))
	if err != nil && strings.Contains(err.Error(), "FOREIGN KEY") {
		return ErrInUse
	}
	return err
}

const imageColumns = `number, maker, sha256, body`

func scanImage(r interface{ Scan(...any) error }) (i Image, err error) {
	var body string
	if err := r.Scan(&i.Number, &i.Maker, &i.SHA256, &body); err != nil {
		return i, err
	}
	return i, json.Unmarshal([]byte(body), &i)
}

// Images lists the images, the newest first.
func (s *Store) Images(ctx context.Context) ([]Image, error) {
	return list(ctx, s.read, func(r *sql.Rows) (Image, error) { return scanImage(r) }, `SELECT `+imageColumns+` FROM images ORDER BY number DESC`)
}

// Image returns one.
func (s *Store) Image(ctx context.Context, number int64) (Image, error) {
	i, err := scanImage(s.read.QueryRowContext(ctx, `SELECT `+imageColumns+` FROM images WHERE number = ?`, number))
	return i, one(err)
}

// Signers lists the fingerprints whose signatures on images of a maker are trusted.
func (s *Store) Signers(ctx context.Context, maker string) ([]string, error) {
	return list(ctx, s.read, func(r *sql.Rows) (v string, err error) { return v, r.Scan(&v) }, `SELECT signer FROM image_signers WHERE maker = ? ORDER BY signer`, maker)
}

// Baseline lists which firmware models are to run.
func (s *Store) Baseline(ctx context.Context) ([]BaselineEntry, error) {
	return list(ctx, s.read, func(r *sql.Rows) (e BaselineEntry, err error) {
		var body string
		if err := r.Scan(&e.Maker, &e.Model, &e.Image, &body); err != nil {
			return e, err
		}
		return e, json.Unmarshal([]byte(body), &e)
	}, `SELECT maker, model, image, body FROM baseline ORDER BY maker, model`)
}

// PutBaseline says which firmware a model is to run.
func (s *Store) PutBaseline(ctx context.Context, e BaselineEntry) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO baseline (maker, model, image, body) VALUES (?, ?, ?, ?)
		ON CONFLICT (maker, model) DO UPDATE SET image = excluded.image, body = excluded.body`, e.Maker, e.Model, e.Image, toJSON(e))
	return err
}

// DropBaseline has a model be no part of the baseline.
func (s *Store) DropBaseline(ctx context.Context, maker, model string) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM baseline WHERE maker = ? AND model = ?`, maker, model))
}
