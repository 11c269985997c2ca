package terminals_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/terminals"
	"example.net/everypost/internal/store"
)

// device is one whose shell says again what is typed.
type device struct {
	mu     sync.Mutex
	shells []*shell
	refuse error
}

type shell struct {
	*io.PipeReader
	w    *io.PipeWriter
	size driver.Size
}

func (s *shell) Write(b []byte) (int, error)   { return s.w.Write(b) }
func (s *shell) Resize(size driver.Size) error { s.size = size; return nil }
func (s *shell) Close() error                  { return errors.Join(s.w.Close(), s.PipeReader.Close()) }

func (d *device) Terminal(_ context.Context, _ string, size driver.Size) (driver.Shell, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.refuse != nil {
		return nil, d.refuse
	}
	s := &shell{size: size}
	s.PipeReader, s.w = io.Pipe()
	d.shells = append(d.shells, s)
	return s, nil
}

func open(t *testing.T) (*terminals.Service, *device, *store.Store) {
	t.Helper()
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	d := &device{}
	s := terminals.New(d, st, slog.New(slog.DiscardHandler))
	t.Cleanup(func() {
		s.Close()
		assert.NoError(t, st.Close())
	})
	return s, d, st
}

// typed types something and reads it back.
func typed(t *testing.T, term *terminals.Terminal, text string) {
	t.Helper()
	go func() { _ = term.Type([]byte(text)) }()
	b := make([]byte, len(text))
	_, err := io.ReadFull(term, b)
	require.NoError(t, err)
	require.Equal(t, text, string(b))
}

func TestWhatADeviceShowsIsRecorded(t *testing.T) {
	t.Parallel()
	s, d, st := open(t)
	term, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{Columns: 80, Rows: 24})
	require.NoError(t, err)
	typed(t, term, "about\r\n")
	require.NoError(t, term.Resize(driver.Size{Columns: 120, Rows: 40}))
	assert.Equal(t, 120, d.shells[0].size.Columns)
	require.NoError(t, d.shells[0].w.Close()) // the device ends it
	_, err = term.Read(make([]byte, 10))
	require.ErrorIs(t, err, io.EOF)
	why, _ := term.Ended()
	assert.Equal(t, "the device ended it", why)
	term.End("too late")
	s.Close()
	session, record, err := st.TerminalRecord(t.Context(), term.Number)
	require.NoError(t, err)
	assert.Equal(t, "about\r\n", string(record))
	assert.Equal(t, [4]any{"th-sw-02", "ada", "the device ended it", int64(7)}, [4]any{session.Device, session.User, session.Why, session.Shown})
	assert.False(t, session.Ended.IsZero())
}

func TestARecordHasAnEnd(t *testing.T) {
	t.Parallel()
	s, _, st := open(t)
	term, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{})
	require.NoError(t, err)
	part := strings.Repeat("x", 1<<16)
	for range 20 {
		typed(t, term, part)
	}
	s.Close()
	why, _ := term.Ended()
	assert.Equal(t, "the service stopped", why)
	session, record, err := st.TerminalRecord(t.Context(), term.Number)
	require.NoError(t, err)
	assert.Len(t, record, 1<<20)
	assert.Equal(t, int64(20<<16), session.Shown, "what came after is counted")
}

func TestOnlySoManyTerminalsAreOpen(t *testing.T) {
	t.Parallel()
	s, d, _ := open(t)
	d.refuse = errors.New("the device is away")
	for range 20 { // one that could not be opened takes no place
		_, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{})
		require.ErrorIs(t, err, d.refuse)
	}
	d.refuse = nil
	var last *terminals.Terminal
	for range 8 {
		term, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{})
		require.NoError(t, err)
		last = term
	}
	_, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{})
	require.ErrorIs(t, err, terminals.ErrTooMany)
	other, err := s.Open(t.Context(), "th-sw-02", "bram", driver.Size{})
	require.NoError(t, err, "somebody else may")
	other.End("done")
	last.End("done")
	require.Eventually(t, func() bool {
		_, err := s.Open(t.Context(), "th-sw-02", "ada", driver.Size{})
		return err == nil
	}, 10*time.Second, 5*time.Millisecond, "a place is free again")
	s.Close()
	_, err = s.Open(t.Context(), "th-sw-02", "coral", driver.Size{})
	require.ErrorIs(t, err, terminals.ErrTooMany, "none is opened once the service stops")
}
