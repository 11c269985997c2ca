package arrivals

import (
	"net"
	"sync"
)

// calls are those that are open and of which it is not known yet who calls. Where there are too many, one that says nothing makes
// room for the next: of the address from which most say nothing, the oldest. So silence from one place keeps no other out.
type calls struct {
	mu   sync.Mutex
	list []*call
}

// call is one. Its conn is what the session is made of.
type call struct {
	net.Conn
	of    *calls
	spoke bool // guarded by of.mu
}

// Read implements net.Conn.
func (c *call) Read(b []byte) (int, error) {
	n, err := c.Conn.Read(b)
	if n > 0 {
		c.of.mu.Lock()
		c.spoke = true
		c.of.mu.Unlock()
	}
	return n, err
}

func (c *call) from() string {
	host, _, err := net.SplitHostPort(c.RemoteAddr().String())
	if err != nil {
		return c.RemoteAddr().String()
	}
	return host
}

// add takes a call in, and tells whether there is room.
func (o *calls) add(c net.Conn) (*call, bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if len(o.list) >= maxCalls && !o.makeRoom() {
		return nil, false
	}
	one := &call{Conn: c, of: o}
	o.list = append(o.list, one)
	return one, true
}

// makeRoom ends a call that says nothing.
func (o *calls) makeRoom() bool {
	silent := map[string]int{}
	for _, c := range o.list {
		if !c.spoke {
			silent[c.from()]++
		}
	}
	at := -1
	for i, c := range o.list {
		if !c.spoke && (at < 0 || silent[c.from()] > silent[o.list[at].from()]) {
			at = i
		}
	}
	if at < 0 {
		return false
	}
	_ = o.list[at].Close()
	o.list = append(o.list[:at], o.list[at+1:]...)
	return true
}

func (o *calls) remove(c *call) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for i, one := range o.list {
		if one == c {
			o.list = append(o.list[:i], o.list[i+1:]...)
			return
		}
	}
}
