package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"example.net/everypost/internal/core/series"
)

// Source is what is read of a device in one go.
type Source struct {
	ID     int64
	Device string
	Kind   series.Source
}

// KnownThing is a thing of a source.
type KnownThing struct {
	ID, Source int64
	series.Thing
}

// LogRow is one reading of a source.
type LogRow struct {
	Source, Bucket, At int64  // At in milliseconds since 1970
	Layout             []byte // nil: as the row before it
	Data               []byte
}

// Sources lists all sources, of devices that were renamed under their new names.
func (s *Store) Sources(ctx context.Context) ([]Source, error) {
	return list(ctx, s.read, func(r *sql.Rows) (x Source, err error) {
		err = r.Scan(&x.ID, &x.Device, &x.Kind)
		return x, err
	}, `SELECT id, device, kind FROM sources ORDER BY id`)
}

// FindSource finds a source.
func (s *Store) FindSource(ctx context.Context, device string, kind series.Source) (id int64, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT id FROM sources WHERE device = ? AND kind = ?`, device, kind).Scan(&id)
	return id, one(err)
}

// SourceOf finds a source, or makes it.
func (s *Store) SourceOf(ctx context.Context, device string, kind series.Source) (id int64, err error) {
	id, err = s.FindSource(ctx, device, kind)
	if !errors.Is(err, ErrNotFound) {
		return id, err
	}
	err = s.write.QueryRowContext(ctx, `INSERT INTO sources (device, kind) VALUES (?, ?) RETURNING id`, device, kind).Scan(&id)
	return id, err
}

// Things lists the things of a source.
func (s *Store) Things(ctx context.Context, source int64) ([]KnownThing, error) {
	return list(ctx, s.read, scanThing, `SELECT id, source, part, name FROM things WHERE source = ? ORDER BY id`, source)
}

// ThingsNamed lists the things of one name over all sources: where a client was.
func (s *Store) ThingsNamed(ctx context.Context, t series.Thing) ([]KnownThing, error) {
	return list(ctx, s.read, scanThing, `SELECT id, source, part, name FROM things WHERE part = ? AND name = ? ORDER BY id`, t.Part, t.Name)
}

func scanThing(r *sql.Rows) (x KnownThing, err error) {
	err = r.Scan(&x.ID, &x.Source, &x.Part, &x.Name)
	return x, err
}

// AddThings keeps that a source has things, and returns their numbers.
func (s *Store) AddThings(ctx context.Context, source int64, things []series.Thing) ([]int64, error) {
	ids := make([]int64, len(things))
	return ids, s.tx(ctx, func(tx *sql.Tx) error {
		for i, t := range things {
			if err := tx.QueryRowContext(ctx, `INSERT INTO things (source, part, name) VALUES (?, ?, ?)
				ON CONFLICT (source, part, name) DO UPDATE SET name = excluded.name RETURNING id`, source, t.Part, t.Name).Scan(&ids[i]); err != nil {
				return fmt.Errorf("%s %s: %w", t.Part, t.Name, err)
			}
		}
		return nil
	})
}

// AppendSamples adds readings to the log. Those of sources that were forgotten meanwhile are left out.
func (s *Store) AppendSamples(ctx context.Context, rows []LogRow) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		add, err := tx.PrepareContext(ctx, `INSERT INTO sample_log (source, bucket, at, layout, data) SELECT ?1, ?2, ?3, ?4, ?5 WHERE EXISTS (SELECT 1 FROM sources WHERE id = ?1)`)
		if err != nil {
			return err
		}
		defer func() { _ = add.Close() }()
		for _, r := range rows {
			if _, err := add.ExecContext(ctx, r.Source, r.Bucket, r.At, r.Layout, r.Data); err != nil {
				return err
			}
		}
		return nil
	})
}

// SampleLog lists the readings of a source that are not packed yet, the oldest first.
func (s *Store) SampleLog(ctx context.Context, source int64) ([]LogRow, error) {
	return list(ctx, s.read, func(r *sql.Rows) (x LogRow, err error) {
		err = r.Scan(&x.Source, &x.Bucket, &x.At, &x.Layout, &x.Data)
		return x, err
	}, `SELECT source, bucket, at, layout, data FROM sample_log WHERE source = ? ORDER BY id`, source)
}

// Unsealed finds a source with readings of a bucket before the given one, and that bucket; 0 when there is none.
func (s *Store) Unsealed(ctx context.Context, before int64) (source, bucket int64, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT source, bucket FROM sample_log WHERE bucket < ? ORDER BY bucket, source LIMIT 1`, before).Scan(&source, &bucket)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, 0, nil
	}
	return source, bucket, err
}

// Chunks reads packed columns by their keys. What there is not is left out.
func (s *Store) Chunks(ctx context.Context, keys []int64) (map[int64][]byte, error) {
	out := make(map[int64][]byte, len(keys))
	if len(keys) == 0 {
		return out, nil
	}
	rows, err := s.read.QueryContext(ctx, `SELECT key, data FROM sample_chunks WHERE key IN (SELECT value FROM json_each(?))`, toJSON(keys))
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	for rows.Next() {
		var key int64
		var data []byte
		if err := rows.Scan(&key, &data); err != nil {
			return nil, err
		}
		out[key] = data
	}
	return out, rows.Err()
}

// PutChunks writes packed columns, and, unless source is 0, takes the readings of a bucket out of the log, as one.
func (s *Store) PutChunks(ctx context.Context, chunks map[int64][]byte, source, bucket int64) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		put, err := tx.PrepareContext(ctx, `INSERT INTO sample_chunks (key, data) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET data = excluded.data`)
		if err != nil {
			return err
		}
		defer func() { _ = put.Close() }()
		for k, data := range chunks {
			if _, err := put.ExecContext(ctx, k, data); err != nil {
				return err
			}
		}
		if source == 0 {
			return nil
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM sample_log WHERE source = ? AND bucket = ?`, source, bucket)
		return err
	})
}

// DropChunks removes packed columns from one key to before another.
func (s *Store) DropChunks(ctx context.Context, from, to int64) error {
	_, err := s.write.ExecContext(ctx, `DELETE FROM sample_chunks WHERE key >= ? AND key < ?`, from, to)
	return err
}

// SampleChunkSize is how many octets packed columns take, and how many columns there are.
func (s *Store) SampleChunkSize(ctx context.Context) (octets, columns int64, err error) {
	err = s.read.QueryRowContext(ctx, `SELECT coalesce(sum(length(data)), 0), count(*) FROM sample_chunks`).Scan(&octets, &columns)
	return octets, columns, err
}
