package netconf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"sync"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// ErrClosed is returned for requests on a session that has ended. The cause is wrapped beside it.
var ErrClosed = errors.New("netconf session closed")

// Notification is one event of a subscription (RFC 5277).
type Notification struct {
	Time    time.Time
	Content *xmlnode.Node // the event element
}

// Options of a client session. The zero value is good.
type Options struct {
	// Capabilities to announce; base:1.0 and base:1.1 when nil.
	Capabilities []string
	// MaxMessage bounds what is read, in bytes; DefaultMaxMessage when 0.
	MaxMessage int
	// Notify is called for each notification, in order, from the reading goroutine: it must not block, and must not
	// wait for a request on the same session.
	Notify func(Notification)
}

// Session is the client's side of one NETCONF session. Its methods may be called from many goroutines: requests are
// pipelined and replies matched by message-id.
type Session struct {
	rwc  io.ReadWriteCloser
	peer Hello
	opts Options

	out  chan []byte
	done chan struct{}
	life context.Context // ends with the session, and what is being read with it
	end  context.CancelFunc
	wg   sync.WaitGroup

	mu      sync.Mutex
	nextID  uint64
	pending map[string]chan *xmlnode.Node
	cause   error
}

// NewSession exchanges hellos over rwc and starts the session, which owns rwc from then on. The peer's hello is awaited
// before anything but our own hello is sent, since some servers stall on a request that comes with it.
func NewSession(ctx context.Context, rwc io.ReadWriteCloser, opts Options) (*Session, error) {
	if opts.Capabilities == nil {
		opts.Capabilities = []string{CapBase10, CapBase11}
	}
	life, end := context.WithCancel(context.WithoutCancel(ctx))
	s := &Session{
		life: life, end: end, rwc: rwc, opts: opts,
		out: make(chan []byte, 16), done: make(chan struct{}), pending: map[string]chan *xmlnode.Node{},
	}
	fr, fw := NewFrameReader(rwc, opts.MaxMessage), NewFrameWriter(rwc)

	stop := context.AfterFunc(ctx, func() { _ = rwc.Close() })
	peer, err := exchangeHello(ctx, fr, fw, Hello{Capabilities: opts.Capabilities})
	if !stop() {
		err = context.Cause(ctx)
	}
	if err != nil {
		end()
		_ = rwc.Close()
		return nil, err
	}
	if peer.SessionID == 0 {
		end()
		_ = rwc.Close()
		return nil, errors.New("netconf hello: server gave no session-id")
	}
	s.peer = peer
	s.wg.Add(2)
	go s.read(fr)
	go s.write(fw)
	return s, nil
}

// exchangeHello sends ours and reads theirs, and switches both directions to chunked framing if both can.
func exchangeHello(ctx context.Context, fr *FrameReader, fw *FrameWriter, ours Hello) (Hello, error) {
	sent := make(chan error, 1)
	go func() { sent <- fw.WriteMessage(ours.node().Bytes()) }()
	msg, err := fr.ReadMessage()
	if err != nil {
		return Hello{}, fmt.Errorf("netconf hello: %w", unexpected(err))
	}
	if err := <-sent; err != nil {
		return Hello{}, fmt.Errorf("netconf hello: %w", err)
	}
	theirs, err := parseHello(ctx, msg)
	if err != nil {
		return Hello{}, err
	}
	if ours.Has(CapBase11) && theirs.Has(CapBase11) {
		fr.SetChunked()
		fw.SetChunked()
	}
	return theirs, nil
}

// Peer is the server's hello.
func (s *Session) Peer() Hello { return s.peer }

// Done is closed when the session has ended; Err then tells why.
func (s *Session) Done() <-chan struct{} { return s.done }

// Err is nil while the session lives.
func (s *Session) Err() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.cause
}

// Close ends the session without asking the peer and waits for its goroutines.
func (s *Session) Close() error {
	s.fail(nil)
	s.wg.Wait()
	return nil
}

func (s *Session) fail(cause error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.cause != nil {
		return
	}
	s.cause = ErrClosed
	if cause != nil {
		s.cause = fmt.Errorf("%w: %w", ErrClosed, cause)
	}
	close(s.done)
	s.end()
	_ = s.rwc.Close()
}

func (s *Session) read(fr *FrameReader) {
	defer s.wg.Done()
	for {
		msg, err := fr.ReadMessage()
		if err != nil {
			s.fail(err)
			return
		}
		n, err := xmlnode.Parse(s.life, msg)
		if err != nil {
			s.fail(fmt.Errorf("unreadable message: %w", err))
			return
		}
		switch {
		case n.Is("rpc-reply"):
			s.deliver(n)
		case n.Is("notification") && s.opts.Notify != nil:
			if note, ok := parseNotification(n); ok {
				s.opts.Notify(note)
			}
		}
	}
}

func parseNotification(n *xmlnode.Node) (Notification, bool) {
	note := Notification{}
	for _, c := range n.Children {
		if c.Name == "eventTime" {
			note.Time, _ = time.Parse(time.RFC3339Nano, c.Text)
		} else if note.Content == nil {
			note.Content = c
		}
	}
	return note, note.Content != nil
}

// deliver hands a reply to its waiter. One that nobody waits for (any more) is dropped. A reply without message-id
// can only be the complaint about a request that the server could not read; it ends the session.
func (s *Session) deliver(reply *xmlnode.Node) {
	id := reply.Attr("", "message-id")
	if id == "" {
		err := replyError(reply)
		if err == nil {
			err = errors.New("reply without message-id")
		}
		s.fail(err)
		return
	}
	s.mu.Lock()
	ch := s.pending[id]
	delete(s.pending, id)
	s.mu.Unlock()
	if ch != nil {
		ch <- reply
	}
}

func (s *Session) write(fw *FrameWriter) {
	defer s.wg.Done()
	for {
		select {
		case msg := <-s.out:
			if err := fw.WriteMessage(msg); err != nil {
				s.fail(err)
				return
			}
		case <-s.done:
			return
		}
	}
}

// Do sends an operation and waits for its reply. Errors that the peer reports come as *RPCError. When ctx ends first
// the request may still be carried out: what a caller cannot afford to leave open it must read back.
func (s *Session) Do(ctx context.Context, op *xmlnode.Node) (*xmlnode.Node, error) {
	ch := make(chan *xmlnode.Node, 1)
	s.mu.Lock()
	if s.cause != nil {
		defer s.mu.Unlock()
		return nil, s.cause
	}
	s.nextID++
	id := strconv.FormatUint(s.nextID, 10)
	s.pending[id] = ch
	s.mu.Unlock()
	forget := func() {
		s.mu.Lock()
		delete(s.pending, id)
		s.mu.Unlock()
	}

	rpc := xmlnode.New(BaseNS, "rpc", op).SetAttr("", "message-id", id)
	select {
	case s.out <- rpc.Bytes():
	case <-s.done:
		return nil, s.Err()
	case <-ctx.Done():
		forget()
		return nil, fmt.Errorf("netconf %s: %w", op.Name, context.Cause(ctx))
	}
	select {
	case reply := <-ch:
		if err := replyError(reply); err != nil {
			return nil, err
		}
		return reply, nil
	case <-s.done:
		select {
		case reply := <-ch: // the reply to close-session comes with the end
			return reply, replyError(reply)
		default:
		}
		return nil, s.Err()
	case <-ctx.Done():
		forget()
		return nil, fmt.Errorf("netconf %s: %w", op.Name, context.Cause(ctx))
	}
}
