package store

import "context"

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
