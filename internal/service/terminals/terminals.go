// Package terminals lets people type on devices, and keeps what the devices showed them.
//
// Everything can be done there that the device lets the service do, without draft or trial: so each terminal has the name of
// who opened it, and a record. What is typed is not kept by itself, so that a password that is not shown is not recorded.
package terminals

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"time"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/store"
)

// ErrTooMany tells that as many terminals are open as may be.
var ErrTooMany = errors.New("too many terminals are open: end one first")

const (
	maxOpen     = 64
	maxOpenEach = 8
	maxRecord   = 1 << 20 // octets that are recorded; what comes after is only counted
	recordEvery = 5 * time.Second
)

// IdleTime is how long nothing may be typed before a terminal is ended.
const IdleTime = 20 * time.Minute

// Opener opens terminals on devices.
type Opener interface {
	Terminal(ctx context.Context, name string, size driver.Size) (driver.Shell, error)
}

// Service is the capability. Make it with New; Close ends all terminals.
type Service struct {
	devices Opener
	store   *store.Store
	log     *slog.Logger

	mu     sync.Mutex
	open   map[*Terminal]bool // false while it is being opened
	closed bool
	wg     sync.WaitGroup
}

// New returns the service.
func New(devices Opener, s *store.Store, log *slog.Logger) *Service {
	return &Service{devices: devices, store: s, log: log, open: map[*Terminal]bool{}}
}

// Close ends all terminals and waits until their records are kept.
func (s *Service) Close() {
	s.mu.Lock()
	s.closed = true
	var all []*Terminal
	for t, open := range s.open {
		if open {
			all = append(all, t)
		}
	}
	s.mu.Unlock()
	for _, t := range all {
		t.End("the service stopped")
	}
	s.wg.Wait()
}

// Terminal is an open one. Read is what the device shows; Type, Resize and End may be called beside it.
type Terminal struct {
	Number  int64
	service *Service
	shell   driver.Shell
	idle    *time.Timer
	ended   chan struct{} // closed by End

	mu      sync.Mutex
	session store.TerminalSession
	record  []byte
	written int64 // of session.Shown, when the record was last kept
}

// Open opens a terminal on a device for somebody.
func (s *Service) Open(ctx context.Context, device, user string, size driver.Size) (*Terminal, error) {
	t := &Terminal{service: s, ended: make(chan struct{}), session: store.TerminalSession{Device: device, User: user, OpenedAt: time.Now().UTC()}}
	if err := s.admit(t); err != nil {
		return nil, err
	}
	shell, err := s.devices.Terminal(ctx, device, size)
	if err != nil {
		s.release(t)
		return nil, err
	}
	// A terminal of which nothing would be known is not opened.
	if t.session.ID, err = s.store.OpenTerminal(ctx, t.session); err != nil {
		s.release(t)
		return nil, errors.Join(err, shell.Close())
	}
	t.Number, t.shell = t.session.ID, shell
	t.idle = time.AfterFunc(IdleTime, func() { t.End(fmt.Sprintf("nothing was typed for %d minutes", int(IdleTime.Minutes()))) })
	if !s.opened(t) {
		t.End("the service stopped")
		return nil, ErrTooMany
	}
	return t, nil
}

// opened tells whether an open terminal may go on.
func (s *Service) opened(t *Terminal) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed {
		delete(s.open, t)
		return false
	}
	s.open[t] = true
	s.wg.Go(t.keep)
	return true
}

func (s *Service) admit(t *Terminal) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	own := 0
	for o := range s.open {
		if o.session.User == t.session.User {
			own++
		}
	}
	if len(s.open) >= maxOpen || own >= maxOpenEach {
		return ErrTooMany
	}
	s.open[t] = false
	return nil
}

func (s *Service) release(t *Terminal) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.open, t)
}

// Read reads what the device shows; io.EOF tells that the terminal ended.
func (t *Terminal) Read(b []byte) (int, error) {
	n, err := t.shell.Read(b)
	t.mu.Lock()
	t.session.Shown += int64(n)
	t.record = append(t.record, b[:min(n, maxRecord-len(t.record))]...)
	t.mu.Unlock()
	if err != nil {
		why := "the device ended it"
		if !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrClosedPipe) {
			why = "the connection to the device was lost"
		}
		t.End(why)
		return n, io.EOF
	}
	return n, nil
}

// Type types on the device.
func (t *Terminal) Type(b []byte) error {
	t.idle.Reset(IdleTime)
	_, err := t.shell.Write(b)
	return err
}

// Resize tells the device the size of the terminal.
func (t *Terminal) Resize(size driver.Size) error { return t.shell.Resize(size) }

// End ends the terminal; only the first reason counts.
func (t *Terminal) End(why string) {
	t.mu.Lock()
	first := t.session.Ended.IsZero()
	if first {
		t.session.Ended, t.session.Why = time.Now().UTC(), why
	}
	t.mu.Unlock()
	if !first {
		return
	}
	t.idle.Stop()
	_ = t.shell.Close()
	close(t.ended)
}

// Ended tells why the terminal ended and how long it was open; it waits until it has.
func (t *Terminal) Ended() (why string, length time.Duration) {
	<-t.ended
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.session.Why, t.session.Ended.Sub(t.session.OpenedAt)
}

// keep keeps the record from time to time, so that little of it is lost when the service is killed, and at the end.
func (t *Terminal) keep() {
	tick := time.NewTicker(recordEvery)
	defer tick.Stop()
	defer t.service.release(t)
	for {
		over := false
		select {
		case <-tick.C:
		case <-t.ended:
			over = true
		}
		t.mu.Lock()
		session, record, grown := t.session, t.record, t.session.Shown != t.written
		t.written = session.Shown
		t.mu.Unlock()
		if over || grown {
			if err := t.service.store.RecordTerminal(context.Background(), session, record); err != nil {
				t.service.log.Error("the record of a terminal could not be kept", "device", session.Device, "user", session.User, "err", err)
			}
		}
		if over {
			return
		}
	}
}
