package netconf

import (
	"context"
	"fmt"
	"io"
	"time"

	"example.net/everypost/internal/driver"
)

// errFileName tells that a name is none of a file: devices have one folder.
var errFileName = &driver.Refusal{Words: "a file has a name of at most 120 octets, without slashes"}

// PutFile implements driver.FileTaker.
func (s *session) PutFile(ctx context.Context, name string, from io.ReaderAt, size int64, tell func(int64)) error {
	if fileName(name) == "" {
		return errFileName
	}
	return s.filed(ctx, "does not take the file", s.conn.PutFile(ctx, name, from, size, tell))
}

// Files implements driver.FileTaker.
func (s *session) Files(ctx context.Context, most int) ([]driver.File, error) {
	list, err := s.conn.Files(ctx)
	if err != nil {
		return nil, s.filed(ctx, "does not tell its files", err)
	}
	out := []driver.File{}
	for _, f := range list {
		if name := fileName(f.Name()); name != "" && !f.IsDir() && len(out) < most {
			out = append(out, driver.File{Name: name, Size: max(f.Size(), 0), ChangedAt: driver.Believed(f.ModTime(), time.Now())})
		}
	}
	return out, nil
}

// GetFile implements driver.FileTaker.
func (s *session) GetFile(ctx context.Context, name string, most int64) ([]byte, error) {
	if fileName(name) == "" {
		return nil, errFileName
	}
	b, err := s.conn.GetFile(ctx, name, most)
	return b, s.filed(ctx, "does not give the file", err)
}

// RemoveFile implements driver.FileTaker.
func (s *session) RemoveFile(ctx context.Context, name string) error {
	if fileName(name) == "" {
		return errFileName
	}
	return s.filed(ctx, "does not remove the file", s.conn.RemoveFile(ctx, name))
}

// filed tells why something could not be done with files.
func (s *session) filed(ctx context.Context, what string, err error) error {
	if err == nil || ctx.Err() != nil {
		return err
	}
	select {
	case <-s.Done():
		return fmt.Errorf("the device was gone meanwhile: %w", err)
	default:
		return &driver.Refusal{Words: fmt.Sprintf("the device %s: %v", what, err), Err: err}
	}
}
