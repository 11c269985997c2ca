package store

import (
	"context"
	"errors"
)

// PutSecret keeps a sealed secret under its reference; one that is there stays.
func (s *Store) PutSecret(ctx context.Context, reference string, sealed []byte) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO secrets (reference, sealed) VALUES (?, ?) ON CONFLICT DO NOTHING`, reference, sealed)
	return err
}

// Secret returns a sealed secret.
func (s *Store) Secret(ctx context.Context, reference string) ([]byte, error) {
	var sealed []byte
	err := s.read.QueryRowContext(ctx, `SELECT sealed FROM secrets WHERE reference = ?`, reference).Scan(&sealed)
	return sealed, one(err)
}

// KeyCheck is something that was sealed with the key of the secrets when the database was made, or, in one that is older, the
// password of a device with the address that it belongs to; ErrNotFound where nothing is sealed yet.
func (s *Store) KeyCheck(ctx context.Context) (owner string, sealed []byte, err error) {
	err = one(s.read.QueryRowContext(ctx, `SELECT sealed FROM key_check`).Scan(&sealed))
	if errors.Is(err, ErrNotFound) {
		err = one(s.read.QueryRowContext(ctx, `SELECT address, secret FROM devices WHERE length(secret) > 0 AND calls_home = 0 ORDER BY name LIMIT 1`).Scan(&owner, &sealed))
	}
	return owner, sealed, err
}

// PutKeyCheck keeps it.
func (s *Store) PutKeyCheck(ctx context.Context, sealed []byte) error {
	_, err := s.write.ExecContext(ctx, `INSERT INTO key_check (one, sealed) VALUES (1, ?) ON CONFLICT (one) DO UPDATE SET sealed = excluded.sealed`, sealed)
	return err
}
