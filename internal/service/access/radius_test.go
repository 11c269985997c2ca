package access

import (
	"context"
	"fmt"
	"net"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"layeh.com/radius"

	"example.net/everypost/internal/testing/peers"
)

const sharedSecret = "between the lanterns"

// freeradius starts an independent server that knows Wren; protected says whether its answers carry a Message-Authenticator.
func freeradius(t *testing.T, protected bool) string {
	return peers.FreeRADIUS(t, sharedSecret, "wren Cleartext-Password := \"gulls at the rail\"\n", protected)
}

func TestSignInByRADIUS(t *testing.T) {
	s, _ := service(t)
	require.ErrorIs(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, ""), ErrInvalid, "the service knows no server")
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = silent.Close() }()
	server := freeradius(t, true)
	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String(), server}, Secret: []byte(sharedSecret), Timeout: 300 * time.Millisecond})
	require.ErrorIs(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, password), ErrInvalid)
	require.NoError(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, ""))

	p, _, err := s.SignIn(t.Context(), "wren", "gulls at the rail", Caller{Address: "192.0.2.7"})
	require.NoError(t, err, "the first server is silent, the second answers")
	assert.Equal(t, "viewer", p.Role)
	_, err = s.check(t.Context(), "wren", "gulls at the rai", "here")
	require.ErrorIs(t, err, ErrSignIn)
	_, err = s.check(t.Context(), "wren", "", "here")
	require.ErrorIs(t, err, ErrSignIn)
	_, err = s.check(t.Context(), "ada", password, "here")
	require.NoError(t, err, "a password that is kept here needs no server")
	require.ErrorIs(t, s.ChangePassword(t.Context(), Person{Name: "wren"}, "gulls at the rail", password, "here", ""), ErrInvalid)
	require.ErrorIs(t, s.ResetPassword(t.Context(), "wren", password), ErrInvalid)
	_, err = s.check(t.Context(), "wren", password, "here")
	require.ErrorIs(t, err, ErrSignIn, "the refused password opens nothing")

	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: 50 * time.Millisecond})
	_, err = s.check(t.Context(), "wren", "gulls at the rail", "here")
	require.ErrorIs(t, err, ErrElsewhere)
	s.UseRADIUS(nil)
	_, err = s.check(t.Context(), "wren", "gulls at the rail", "here")
	assert.ErrorIs(t, err, ErrSignIn)
}

// Those who wait for a dead server keep nobody out whose password is kept here.
func TestDeadServerHoldsUpNobodyElse(t *testing.T) {
	s, _ := service(t)
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: time.Minute})
	waiting, giveUp := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for i := range cap(s.hashing) {
		name := fmt.Sprintf("wren%d", i)
		require.NoError(t, s.AddUser(t.Context(), User{Name: name, Role: "viewer", Elsewhere: true}, ""))
		all.Go(func() {
			_, err := s.check(waiting, name, "gulls at the rail", name)
			assert.Error(t, err)
		})
		_, _, err := silent.ReadFrom(make([]byte, 4096))
		require.NoError(t, err, "the question has been asked")
	}
	soon, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	_, err = s.check(soon, "ada", password, "there")
	assert.NoError(t, err)
	giveUp()
	all.Wait()
	require.NoError(t, silent.Close())
}

func TestAnswersThatAreNotProtectedAreRefusedUnlessAskedFor(t *testing.T) {
	r := &RADIUS{Servers: []string{freeradius(t, false)}, Secret: []byte(sharedSecret)}
	_, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.ErrorIs(t, err, ErrElsewhere)
	require.ErrorContains(t, err, "Message-Authenticator")
	r.Bare = true
	accepted, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.NoError(t, err)
	assert.True(t, accepted)
}

// Somebody on the way who does not know the secret cannot say yes.
func TestForgedAnswerIsNotTaken(t *testing.T) {
	l, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	defer wg.Wait()
	defer func() { _ = l.Close() }()
	defer cancel()
	wg.Go(func() {
		b := make([]byte, 4096)
		for ctx.Err() == nil {
			n, from, err := l.ReadFrom(b)
			if err != nil {
				return
			}
			request, err := radius.Parse(b[:n], []byte("another secret"))
			if err != nil {
				continue
			}
			if answer, err := request.Response(radius.CodeAccessAccept).Encode(); err == nil {
				_, _ = l.WriteTo(answer, from)
			}
		}
	})
	r := &RADIUS{Servers: []string{l.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: 200 * time.Millisecond, Bare: true}
	accepted, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.Error(t, err)
	assert.False(t, accepted)
}

func TestParseServers(t *testing.T) {
	got, err := ParseServers([]string{"10.0.0.5", "radius.example.net:11812"})
	require.NoError(t, err)
	assert.Equal(t, []string{"10.0.0.5:1812", "radius.example.net:11812"}, got)
	_, err = ParseServers([]string{":1812"})
	assert.ErrorIs(t, err, ErrInvalid)
}
