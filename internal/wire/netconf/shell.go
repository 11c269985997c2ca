package netconf

import (
	"context"
	"fmt"
	"io"
	"sync"

	"golang.org/x/crypto/ssh"
)

// Shell is a person's terminal on a server, on a channel of its own beside the NETCONF sessions of the connection.
type Shell struct {
	io.Reader // what the server shows
	io.Writer // what is typed
	channel   *ssh.Session
	close     func() error
}

// termKind is the kind of terminal that is asked for: what xterm understands, programs of this century write.
const termKind = "xterm-256color"

// Shell opens a terminal of so many columns and rows (RFC 4254 sections 6.2 and 6.5).
func (c *Conn) Shell(ctx context.Context, columns, rows int) (*Shell, error) {
	type opened struct {
		shell *Shell
		err   error
	}
	done := make(chan opened, 1)
	go func() {
		s, err := c.openShell(columns, rows)
		done <- opened{s, err}
	}()
	select {
	case o := <-done:
		return o.shell, o.err
	case <-ctx.Done():
		go func() { // it may come yet
			if o := <-done; o.shell != nil {
				_ = o.shell.Close()
			}
		}()
		return nil, context.Cause(ctx)
	}
}

func (c *Conn) openShell(columns, rows int) (*Shell, error) {
	s, err := c.client.NewSession()
	if err != nil {
		return nil, err
	}
	in, err := s.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, show := io.Pipe()
	s.Stdout, s.Stderr = show, show
	if err := s.RequestPty(termKind, rows, columns, ssh.TerminalModes{ssh.ECHO: 1}); err != nil {
		_ = s.Close()
		return nil, fmt.Errorf("terminal: %w", err)
	}
	if err := s.Shell(); err != nil {
		_ = s.Close()
		return nil, fmt.Errorf("shell: %w", err)
	}
	go func() {
		_ = s.Wait() // how it ended does not matter: a person saw it
		_ = show.Close()
	}()
	return &Shell{Reader: out, Writer: in, channel: s, close: sync.OnceValue(func() error {
		_ = out.Close()
		return s.Close()
	})}, nil
}

// Resize tells the server the size of the terminal.
func (s *Shell) Resize(columns, rows int) error { return s.channel.WindowChange(rows, columns) }

// Close ends the terminal.
func (s *Shell) Close() error { return s.close() }

// Pty is the terminal that a client asked a server for.
type Pty struct {
	Columns, Rows int
	Resized       <-chan [2]int // columns and rows; the newest only
}

// ptyRequest and windowChange are the messages of RFC 4254 sections 6.2 and 6.7.
type ptyRequest struct {
	Term                         string
	Columns, Rows, Width, Height uint32
	Modes                        string
}

type windowChange struct{ Columns, Rows, Width, Height uint32 }

// shellChannel is the part of a channel of a server that is about a terminal.
type shellChannel struct {
	pty    Pty
	resize chan [2]int
	asked  bool
}

// request takes a request of a channel and tells whether it is granted, and whether the shell is to start.
func (c *shellChannel) request(srv *Server, r *ssh.Request) (ok, start bool) {
	if srv.Shell == nil {
		return false, false
	}
	switch r.Type {
	case "pty-req":
		var p ptyRequest
		if c.asked || ssh.Unmarshal(r.Payload, &p) != nil {
			return false, false
		}
		c.asked, c.resize = true, make(chan [2]int, 1)
		c.pty = Pty{Columns: int(p.Columns), Rows: int(p.Rows), Resized: c.resize}
		return true, false
	case "window-change":
		var w windowChange
		if !c.asked || ssh.Unmarshal(r.Payload, &w) != nil {
			return false, false
		}
		select {
		case <-c.resize: // nobody looked at the one before
		default:
		}
		c.resize <- [2]int{int(w.Columns), int(w.Rows)}
		return true, false
	case "shell":
		return c.asked, c.asked
	}
	return false, false
}
