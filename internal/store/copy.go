package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
)

// Copy writes all that a database holds at this moment into a new file, also while a service works with it.
func Copy(ctx context.Context, from, to string) error {
	return with(from, func(db *sql.DB) error {
		_, err := db.ExecContext(ctx, `VACUUM INTO ?`, to)
		return err
	})
}

// Check tells what is wrong with the file of a database, if anything.
func Check(ctx context.Context, file string) error {
	return with(file, func(db *sql.DB) error {
		var said string
		if err := db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&said); err != nil {
			return err
		}
		if said != "ok" {
			return fmt.Errorf("the database is damaged: %s", said)
		}
		return nil
	})
}

func with(file string, do func(*sql.DB) error) error {
	if _, err := os.Stat(file); err != nil { // it must not be made
		return err
	}
	db, err := open(file, "deferred")
	if err != nil {
		return err
	}
	return errors.Join(do(db), db.Close())
}
