package eap

import (
	"crypto/tls"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a server says that makes no sense ends the talk, and nothing else.
func TestARequestThatMakesNoSense(t *testing.T) {
	t.Parallel()
	request := func(kind byte, data ...byte) []byte {
		b := packet(7, kind, data)
		b[0] = codeRequest
		return b
	}
	for name, b := range map[string][]byte{
		"nothing": nil, "too short": {1, 7, 0, 4}, "a length that is another": {1, 7, 0, 9, 1}, "a response": packet(7, typeIdentity, nil),
		"no flags": request(typeTTLS), "a length that is cut off": request(typeTTLS, flagLength, 0, 0), "before it began": request(typeTTLS, 0, 1, 2, 3),
	} {
		p := &Peer{TLS: &tls.Config{}}
		_, err := p.Answer(t.Context(), b)
		assert.ErrorIs(t, err, ErrRefused, name)
	}
	p := &Peer{Outside: "anonymous", TLS: &tls.Config{ServerName: "radius.example.net"}}
	defer p.Close()
	assert.Equal(t, []byte{2, 0, 0, 14, 1, 'a', 'n', 'o', 'n', 'y', 'm', 'o', 'u', 's'}, p.First())
	out, err := p.Answer(t.Context(), request(4, 1, 2, 3))
	require.NoError(t, err)
	assert.Equal(t, packet(7, typeNak, []byte{typeTTLS}), out, "it says what it can")
	out, err = p.Answer(t.Context(), request(typeTTLS, flagStart))
	require.NoError(t, err)
	assert.Equal(t, byte(22), out[6], "a handshake of TLS begins")
	for range mostInMessage / 1000 {
		out, err = p.Answer(t.Context(), request(typeTTLS, append([]byte{flagMore}, make([]byte, 1000)...)...))
		require.NoError(t, err)
		assert.Equal(t, packet(7, typeTTLS, []byte{0}), out, "it asks for the next part")
	}
	_, err = p.Answer(t.Context(), request(typeTTLS, append([]byte{flagMore}, make([]byte, 1000)...)...))
	assert.ErrorIs(t, err, ErrRefused, "there is an end to what a server may say")
}

func FuzzAnswer(f *testing.F) {
	f.Add([]byte{1, 7, 0, 6, 21, 32})
	f.Add([]byte{1, 7, 0, 10, 21, 128, 0, 0, 0, 0})
	f.Fuzz(func(t *testing.T, b []byte) {
		p := &Peer{Outside: "a", TLS: &tls.Config{ServerName: "radius.example.net"}}
		defer p.Close()
		_, _ = p.Answer(t.Context(), b)
	})
}
