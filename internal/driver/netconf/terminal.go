package netconf

import (
	"context"
	"fmt"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
)

// OpenTerminal implements driver.Terminal.
func (s *session) OpenTerminal(ctx context.Context, size driver.Size) (driver.Shell, error) {
	shell, err := s.conn.Shell(ctx, size.Columns, size.Rows)
	switch {
	case err != nil && ctx.Err() != nil:
		return nil, err
	case err != nil:
		return nil, &driver.Refusal{Words: fmt.Sprintf("the device opens no terminal: %v", err), Err: err}
	}
	return terminal{shell}, nil
}

type terminal struct{ *netconf.Shell }

// Resize implements driver.Shell.
func (t terminal) Resize(size driver.Size) error { return t.Shell.Resize(size.Columns, size.Rows) }
