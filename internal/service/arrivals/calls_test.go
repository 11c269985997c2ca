package arrivals

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// conn is a connection from an address that a test closes and reads.
type conn struct {
	net.Conn
	from   string
	says   []byte
	closed bool
}

func (c *conn) RemoteAddr() net.Addr { return &net.TCPAddr{IP: net.ParseIP(c.from), Port: 4000} }
func (c *conn) Close() error         { c.closed = true; return nil }
func (c *conn) Read(b []byte) (int, error) {
	return copy(b, c.says), nil
}

func TestSilentCallsKeepNobodyOut(t *testing.T) {
	var o calls
	quiet := make([]*conn, maxCalls)
	for i := range quiet {
		quiet[i] = &conn{from: "192.0.2.7"}
		_, ok := o.add(quiet[i])
		require.True(t, ok)
	}
	device := &conn{from: "10.1.1.1", says: []byte("SSH-2.0-x")}
	call, ok := o.add(device)
	require.True(t, ok, "one that says nothing makes room")
	assert.True(t, quiet[0].closed)
	_, err := call.Read(make([]byte, 10))
	require.NoError(t, err)
	for range 3 * maxCalls { // however many more come
		_, ok = o.add(&conn{from: "192.0.2.7"})
		require.True(t, ok)
	}
	assert.False(t, device.closed, "one that speaks stays")
	assert.Len(t, o.list, maxCalls)
	other := &conn{from: "10.1.1.2"}
	_, ok = o.add(other)
	require.True(t, ok)
	for range 10 {
		_, _ = o.add(&conn{from: "192.0.2.7"})
	}
	assert.False(t, other.closed, "those of the address with the most go first")
	o.remove(call)
	assert.Len(t, o.list, maxCalls-1)
}

func TestCallsThatAllSpeakAreNotEnded(t *testing.T) {
	var o calls
	for range maxCalls {
		c, ok := o.add(&conn{from: "10.1.1.1", says: []byte("x")})
		require.True(t, ok)
		_, _ = c.Read(make([]byte, 1))
	}
	_, ok := o.add(&conn{from: "10.1.1.2"})
	assert.False(t, ok)
}
