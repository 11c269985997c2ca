package store

import (
	"context"
	"database/sql"
)

// capturesKept is how many octets of captures of a device are kept: its oldest go first, and those of no other.
const capturesKept = 48 << 20

// PutCapture keeps the file of an operation.
func (s *Store) PutCapture(ctx context.Context, operation int64, file []byte) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `INSERT INTO captures (operation, octets, file) VALUES (?1, length(?2), ?2) ON CONFLICT (operation) DO UPDATE SET octets = length(?2), file = ?2`, operation, append([]byte{}, file...)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM captures WHERE operation IN (
			SELECT operation FROM (SELECT operation, SUM(octets) OVER (ORDER BY operation DESC) AS sum FROM captures JOIN operations ON number = operation
				WHERE device = (SELECT device FROM operations WHERE number = ?)) WHERE sum > ?)`, operation, capturesKept)
		return err
	})
}

// Capture returns the file of an operation; ErrNotFound tells that there is none.
func (s *Store) Capture(ctx context.Context, operation int64) (file []byte, err error) {
	return file, one(s.read.QueryRowContext(ctx, `SELECT file FROM captures WHERE operation = ?`, operation).Scan(&file))
}
