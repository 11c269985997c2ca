package netconf

import (
	"context"
	"errors"
	"io"
	"sync"
	"sync/atomic"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// Handler answers the requests of all sessions of a server. It is called from one goroutine for each session, in the
// order in which that session's requests came.
type Handler interface {
	// Capabilities to announce beside base:1.0 and base:1.1.
	Capabilities() []string
	// Serve answers one operation. It returns the content of the reply (nil for ok), or an error: an *RPCError is sent
	// as it is, anything else as operation-failed. The errors joined in one are all sent.
	Serve(ctx context.Context, s *ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error)
	// Closed tells that a session ended: its locks and unconfirmed commits are to be given up.
	Closed(s *ServerSession)
}

// Server accepts sessions for a Handler. The zero value but for Handler is good.
type Server struct {
	Handler    Handler
	MaxMessage int // bytes; DefaultMaxMessage when 0
	// Shell serves a terminal until it returns or ctx ends; nil when the server has none.
	Shell func(ctx context.Context, ch io.ReadWriter, pty Pty, user string)
	// Subsystems are served besides netconf, by name, each until it returns or ctx ends.
	Subsystems map[string]func(ctx context.Context, ch io.ReadWriteCloser, user string)

	lastID atomic.Uint32
}

// ServerSession is the server's side of one session.
type ServerSession struct {
	ID   uint32
	User string
	Peer Hello

	rwc   io.ReadWriteCloser
	notes chan []byte
	mu    sync.Mutex // guards fw
	fw    *FrameWriter
	ended atomic.Bool
}

// queuedNotifications bounds what a session that does not read may hold up; beyond it the session is dropped, which the
// client sees and can repair by a replay. Losing an event in silence would be worse.
const queuedNotifications = 1024

// ServeConn runs one session over rwc until it ends, and closes rwc.
func (srv *Server) ServeConn(ctx context.Context, rwc io.ReadWriteCloser, user string) error {
	defer func() { _ = rwc.Close() }()
	stop := context.AfterFunc(ctx, func() { _ = rwc.Close() })
	defer stop()

	s := &ServerSession{ID: srv.lastID.Add(1), User: user, rwc: rwc, notes: make(chan []byte, queuedNotifications), fw: NewFrameWriter(rwc)}
	fr := NewFrameReader(rwc, srv.MaxMessage)
	caps := append([]string{CapBase10, CapBase11}, srv.Handler.Capabilities()...)
	peer, err := exchangeHello(ctx, fr, s.fw, Hello{Capabilities: caps, SessionID: s.ID})
	if err != nil {
		return err
	}
	s.Peer = peer

	ctx, cancel := context.WithCancel(ctx)
	var wg sync.WaitGroup
	wg.Go(func() { s.pump(ctx) })
	defer func() {
		s.ended.Store(true)
		srv.Handler.Closed(s)
		cancel()
		_ = rwc.Close()
		wg.Wait()
	}()
	for {
		msg, err := fr.ReadMessage()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		goOn, err := srv.answer(ctx, s, msg)
		if err != nil || !goOn {
			return err
		}
	}
}

func (srv *Server) answer(ctx context.Context, s *ServerSession, msg []byte) (goOn bool, err error) {
	rpc, err := xmlnode.Parse(ctx, msg)
	if err != nil || rpc.Name != "rpc" || rpc.Space != BaseNS {
		bad := &RPCError{Type: "rpc", Tag: TagMalformed, Severity: "error", Message: "not a well-formed rpc"}
		return false, s.send(xmlnode.New(BaseNS, "rpc-reply", bad.node()))
	}
	reply := xmlnode.New(BaseNS, "rpc-reply")
	reply.Attrs = rpc.Attrs // RFC 6241 section 4.2: all attributes come back
	if rpc.Attr("", "message-id") == "" {
		missing := &RPCError{Type: "rpc", Tag: "missing-attribute", Severity: "error", Message: "rpc without message-id",
			Info: op("error-info", leaf("bad-attribute", "message-id"), leaf("bad-element", "rpc"))}
		return true, s.send(reply.Add(missing.node()))
	}
	if len(rpc.Children) != 1 {
		bad := &RPCError{Type: "rpc", Tag: TagMalformed, Severity: "error", Message: "an rpc holds exactly one operation"}
		return true, s.send(reply.Add(bad.node()))
	}
	operation := rpc.Children[0]
	if operation.Is("close-session") {
		return false, s.send(reply.Add(op("ok")))
	}
	content, err := srv.Handler.Serve(ctx, s, operation)
	switch {
	case err != nil:
		for _, e := range flatten(err) {
			reply.Add(e.node())
		}
	case content == nil:
		reply.Add(op("ok"))
	default:
		reply.Add(content...)
	}
	return true, s.send(reply)
}

func flatten(err error) []*RPCError {
	if joined, ok := err.(interface{ Unwrap() []error }); ok {
		var out []*RPCError
		for _, e := range joined.Unwrap() {
			out = append(out, flatten(e)...)
		}
		return out
	}
	var e *RPCError
	if errors.As(err, &e) {
		return []*RPCError{e}
	}
	return []*RPCError{NewRPCError(TagOperationFailed, "", "%v", err)}
}

func (s *ServerSession) send(n *xmlnode.Node) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.fw.WriteMessage(n.Bytes())
}

// Notify queues an event for the session. It never blocks: a session that has fallen too far behind is ended.
func (s *ServerSession) Notify(at time.Time, event *xmlnode.Node) {
	if s.ended.Load() {
		return
	}
	n := xmlnode.New(NotificationNS, "notification",
		xmlnode.Leaf(NotificationNS, "eventTime", at.UTC().Format(time.RFC3339Nano)), event)
	select {
	case s.notes <- n.Bytes():
	default:
		_ = s.rwc.Close()
	}
}

func (s *ServerSession) pump(ctx context.Context) {
	for {
		select {
		case msg := <-s.notes:
			s.mu.Lock()
			err := s.fw.WriteMessage(msg)
			s.mu.Unlock()
			if err != nil {
				return
			}
		case <-ctx.Done():
			return
		}
	}
}

// Kill ends the session from the server's side.
func (s *ServerSession) Kill() { _ = s.rwc.Close() }
