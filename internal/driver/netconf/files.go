package netconf

import (
	"context"
	"fmt"
	"io"

	"example.net/everypost/internal/driver"
)

// PutFile implements driver.FileTaker.
func (s *session) PutFile(ctx context.Context, name string, from io.ReaderAt, size int64, tell func(int64)) error {
	err := s.conn.PutFile(ctx, name, from, size, tell)
	if err == nil || ctx.Err() != nil {
		return err
	}
	select {
	case <-s.Done():
		return fmt.Errorf("the device was gone while a file was sent: %w", err)
	default:
		return &driver.Refusal{Words: fmt.Sprintf("the device does not take the file: %v", err), Err: err}
	}
}
