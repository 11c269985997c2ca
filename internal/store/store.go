// Package store keeps what the service must not forget, in SQLite. It is the only place with SQL.
//
// One connection writes and several read (WAL), so that a reader never waits for a writer. What a method has returned
// from without error survives a killed process and a torn write. The package holds no rules of the product: it stores
// and finds.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/pressly/goose/v3"
	"modernc.org/sqlite" // the driver too
	sqlite3 "modernc.org/sqlite/lib"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound tells that there is no such thing.
var ErrNotFound = errors.New("not found")

// ErrExists tells that there is such a thing already.
var ErrExists = errors.New("exists already")

// ErrInUse tells that something else needs what was to be removed.
var ErrInUse = errors.New("still in use")

// ErrFull tells that as much is kept as there may be.
var ErrFull = errors.New("no more can be kept")

// Store is an open database.
type Store struct {
	write, read *sql.DB
	enc         *zstd.Encoder
	dec         *zstd.Decoder
	recent      recent
}

// Open opens the database in a file, making it where there is none, and brings its schema up to date.
func Open(ctx context.Context, file string) (*Store, error) {
	if err := private(file); err != nil {
		return nil, err
	}
	write, err := open(file, "immediate")
	if err != nil {
		return nil, err
	}
	write.SetMaxOpenConns(1)
	s := &Store{write: write}
	if err := s.migrate(ctx); err != nil {
		_ = write.Close()
		return nil, opening(file, err)
	}
	if s.read, err = open(file, "deferred"); err != nil {
		_ = write.Close()
		return nil, err
	}
	s.read.SetMaxOpenConns(4)
	s.enc, _ = zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	s.dec, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(256<<20))
	return s, nil
}

// private makes the file of a database, and sees to it that nobody else can read it.
func private(file string) error {
	f, err := os.OpenFile(file, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return fmt.Errorf("open the database: %w", err)
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, name := range []string{file, file + "-wal", file + "-shm"} {
		if err := os.Chmod(name, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("the database must be readable by nobody else: %w", err)
		}
	}
	return nil
}

// opening says what is wrong with a database that cannot be opened, and what to do.
func opening(file string, err error) error {
	var broken *sqlite.Error
	if errors.As(err, &broken) && (broken.Code()&0xff == sqlite3.SQLITE_CORRUPT || broken.Code()&0xff == sqlite3.SQLITE_NOTADB) {
		return fmt.Errorf("the database %s is damaged, or is no database: %w. Stop the service, keep a copy of the file and of those beside it (-wal, -shm), and put the last backup in their place", file, err)
	}
	return fmt.Errorf("open the database %s: %w", file, err)
}

func open(file, lock string) (*sql.DB, error) {
	q := url.Values{"_txlock": {lock}, "_pragma": {"journal_mode(WAL)", "synchronous(FULL)", "foreign_keys(1)", "busy_timeout(5000)"}}
	db, err := sql.Open("sqlite", "file:"+file+"?"+q.Encode())
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", file, err)
	}
	return db, nil
}

func (s *Store) migrate(ctx context.Context) error {
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, s.write, dir, goose.WithGoMigrations(rowsOfLists))
	if err != nil {
		return err
	}
	_, err = p.Up(ctx)
	return err
}

// Close closes the database.
func (s *Store) Close() error {
	s.dec.Close()
	return errors.Join(s.enc.Close(), s.read.Close(), s.write.Close())
}

// Try tells whether the database can be read and written, by doing both.
func (s *Store) Try(ctx context.Context) error {
	at := time.Now()
	_, err := s.write.ExecContext(ctx, `INSERT INTO alive (one, at) VALUES (1, ?) ON CONFLICT (one) DO UPDATE SET at = excluded.at`, micro(at))
	if err != nil {
		return err
	}
	var read int64
	return s.read.QueryRowContext(ctx, `SELECT at FROM alive`).Scan(&read)
}

// tx runs f in a writing transaction.
func (s *Store) tx(ctx context.Context, f func(*sql.Tx) error) error {
	tx, err := s.write.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := f(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// micro and timeOf convert between times and what stands in the tables. The zero time is 0.
func micro(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixMicro()
}

func timeOf(us int64) time.Time {
	if us == 0 {
		return time.Time{}
	}
	return time.UnixMicro(us).UTC()
}

func toJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("store: %T cannot be written as JSON: %v", v, err)) // our own types; a mistake of ours
	}
	return string(b)
}

// one turns "no row" into ErrNotFound.
func one(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// changed turns "no row touched" into ErrNotFound.
func changed(r sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err == nil && n == 0 {
		return ErrNotFound
	}
	return nil
}

// list reads all rows of a query.
func list[T any](ctx context.Context, db *sql.DB, scan func(*sql.Rows) (T, error), query string, args ...any) ([]T, error) {
	rows, err := db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	out := []T{}
	for rows.Next() {
		v, err := scan(rows)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, rows.Err()
}
