package standin

import (
	"net"
	"sync"
	"time"
)

// gate is the way to a device. While it is shut, nothing passes in either direction and nobody is told: what was sent
// waits, as TCP would retransmit it, and a new connection gets no answer.
type gate struct {
	mu   sync.Mutex
	open chan struct{} // closed while the gate is open
	shut bool
}

func newGate() *gate {
	g := &gate{open: make(chan struct{})}
	close(g.open)
	return g
}

func (g *gate) set(open bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if open == !g.shut {
		return
	}
	g.shut = !open
	if open {
		close(g.open)
	} else {
		g.open = make(chan struct{})
	}
}

func (g *gate) waiter() <-chan struct{} {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.open
}

// gatedListener hands out connections that pass the gate, and can drop them all.
type gatedListener struct {
	net.Listener
	gate  *gate
	mu    sync.Mutex
	conns map[*gatedConn]bool
	down  bool // a device that is rebooting drops what comes
}

func newGatedListener(l net.Listener, g *gate) *gatedListener {
	return &gatedListener{Listener: l, gate: g, conns: map[*gatedConn]bool{}}
}

func (l *gatedListener) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if gc := l.hold(c); !gc.refused {
			return gc, nil
		}
	}
}

// hold makes a connection pass the gate. One that comes while the device is down is closed.
func (l *gatedListener) hold(c net.Conn) *gatedConn {
	gc := &gatedConn{Conn: c, listener: l, closed: make(chan struct{})}
	l.mu.Lock()
	gc.refused = l.down
	if !l.down {
		l.conns[gc] = true
	}
	l.mu.Unlock()
	if gc.refused {
		_ = c.Close()
	}
	return gc
}

// setDown drops every connection, and new ones as they come, until it is called with false.
func (l *gatedListener) setDown(down bool) {
	l.mu.Lock()
	l.down = down
	var drop []*gatedConn
	if down {
		for c := range l.conns {
			drop = append(drop, c)
		}
	}
	l.mu.Unlock()
	for _, c := range drop {
		_ = c.Close()
	}
}

type gatedConn struct {
	net.Conn
	listener *gatedListener
	once     sync.Once
	closed   chan struct{}
	refused  bool // it was closed as it came
	mu       sync.Mutex
	deadline time.Time
}

// wait blocks while the gate is shut.
func (c *gatedConn) wait() error {
	c.mu.Lock()
	deadline := c.deadline
	c.mu.Unlock()
	var expired <-chan time.Time
	if !deadline.IsZero() {
		t := time.NewTimer(time.Until(deadline))
		defer t.Stop()
		expired = t.C
	}
	select {
	case <-c.listener.gate.waiter():
		return nil
	case <-c.closed:
		return net.ErrClosed
	case <-expired:
		return net.ErrClosed
	}
}

func (c *gatedConn) Read(b []byte) (int, error) {
	n, err := c.Conn.Read(b)
	if gateErr := c.wait(); gateErr != nil {
		return 0, gateErr
	}
	return n, err
}

func (c *gatedConn) Write(b []byte) (int, error) {
	if err := c.wait(); err != nil {
		return 0, err
	}
	return c.Conn.Write(b)
}

func (c *gatedConn) SetDeadline(t time.Time) error {
	c.mu.Lock()
	c.deadline = t
	c.mu.Unlock()
	return c.Conn.SetDeadline(t)
}

func (c *gatedConn) Close() error {
	c.once.Do(func() {
		close(c.closed)
		c.listener.mu.Lock()
		delete(c.listener.conns, c)
		c.listener.mu.Unlock()
	})
	return c.Conn.Close()
}
