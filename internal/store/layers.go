package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"maps"
	"slices"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

type wordsRow struct {
	name  string
	words intent.Words
}

func scanWords(r *sql.Rows) (row wordsRow, err error) {
	var body string
	if err := r.Scan(&row.name, &body); err != nil {
		return row, err
	}
	return row, json.Unmarshal([]byte(body), &row.words)
}

func (s *Store) words(ctx context.Context, query string, args ...any) (map[string]intent.Words, error) {
	rows, err := list(ctx, s.read, scanWords, query, args...)
	out := make(map[string]intent.Words, len(rows))
	for _, r := range rows {
		out[r.name] = r.words
	}
	return out, err
}

// Templates returns what templates say, by name.
func (s *Store) Templates(ctx context.Context) (map[string]intent.Words, error) {
	return s.words(ctx, `SELECT name, words FROM templates`)
}

// SiteWords returns what is said for sites, by name.
func (s *Store) SiteWords(ctx context.Context) (map[string]intent.Words, error) {
	return s.words(ctx, `SELECT site, words FROM site_words`)
}

// DeviceWords returns what is said for single devices. One that was never read is not among them.
func (s *Store) DeviceWords(ctx context.Context, devices []string) (map[string]intent.Words, error) {
	return s.words(ctx, `SELECT device, words FROM device_words WHERE device IN (SELECT value FROM json_each(?))`, toJSON(devices))
}

// FillDevice keeps what is said for a device unless something is kept already.
func (s *Store) FillDevice(ctx context.Context, device string, w intent.Words) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO device_words (device, words) SELECT name, ?2 FROM devices WHERE name = ?1 ON CONFLICT DO NOTHING`, device, toJSON(w))
	return err
}

// PutLayers keeps layers that are said otherwise: templates and sites as they are now, in full, and some devices.
func (s *Store) PutLayers(ctx context.Context, l intent.Layers) error {
	return s.tx(ctx, func(tx *sql.Tx) error { return putLayers(ctx, tx, l) })
}

func putLayers(ctx context.Context, tx *sql.Tx, l intent.Layers) error {
	for name, w := range l.Templates {
		if _, err := tx.ExecContext(ctx, `INSERT INTO templates (name, words) VALUES (?, ?)
			ON CONFLICT (name) DO UPDATE SET words = excluded.words WHERE words != excluded.words`, name, toJSON(w)); err != nil {
			return err
		}
	}
	for site, w := range l.Sites { // one that was removed meanwhile stays so
		if _, err := tx.ExecContext(ctx, `INSERT INTO site_words (site, words) SELECT name, ?2 FROM sites WHERE name = ?1
			ON CONFLICT (site) DO UPDATE SET words = excluded.words WHERE words != excluded.words`, site, toJSON(w)); err != nil {
			return err
		}
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM templates WHERE name NOT IN (SELECT value FROM json_each(?))`, toJSON(slices.AppendSeq([]string{}, maps.Keys(l.Templates)))); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM site_words WHERE site NOT IN (SELECT value FROM json_each(?))`, toJSON(slices.AppendSeq([]string{}, maps.Keys(l.Sites)))); err != nil {
		return err
	}
	for name, w := range l.Devices {
		if w == nil {
			w = intent.Words{}
		}
		// A device that was forgotten meanwhile stays so.
		if _, err := tx.ExecContext(ctx, `INSERT INTO device_words (device, words) SELECT name, ?2 FROM devices WHERE name = ?1
			ON CONFLICT (device) DO UPDATE SET words = excluded.words`, name, toJSON(w)); err != nil {
			return err
		}
	}
	return nil
}

// PutKept keeps a change that came to its end together with the layers as it leaves them, and what is to be told of it.
func (s *Store) PutKept(ctx context.Context, c Change, l intent.Layers, facts ...fact.Fact) error {
	was, _, _ := s.recent.get(c.Number)
	return s.recent.wrote(c, s.tx(ctx, func(tx *sql.Tx) error {
		if err := putChange(ctx, tx, was, c); err != nil {
			return err
		}
		if err := putLayers(ctx, tx, l); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	}))
}

// SetControl keeps who changes a device.
func (s *Store) SetControl(ctx context.Context, device string, c network.Control) error {
	return changed(s.write.ExecContext(ctx, `UPDATE devices SET control = ? WHERE name = ?`, string(c), device))
}
