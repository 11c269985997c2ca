package access

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"time"

	"example.net/everypost/internal/wire/radius"
)

// ErrElsewhere tells that the servers that check passwords for the service do not answer.
var ErrElsewhere = errors.New("the RADIUS servers do not answer, so that nobody's password can be checked there; try again, or sign in as somebody whose password is kept here")

// RADIUS checks the passwords of those users of whom no password is kept here (RFC 2865, by PAP).
type RADIUS struct {
	Servers []string // host:port, asked in this order
	Secret  []byte
	Timeout time.Duration // for an answer, before it is asked again; 2 s when 0
	// Bare takes answers that have no Message-Authenticator. Whoever sits on the way can forge such an answer.
	Bare bool
}

// asks is how often each server is asked before the next one is.
const asks = 2

// maxRADIUSPassword is what fits into the attribute User-Password (RFC 2865 section 5.2).
const maxRADIUSPassword = 128

// check tells whether a server accepts a password. A server that answers has the last word.
func (r *RADIUS) check(ctx context.Context, name, password, from string) (bool, error) {
	if len(password) > maxRADIUSPassword || password == "" {
		return false, nil
	}
	for _, server := range r.Servers {
		for range asks {
			accepted, err := r.ask(ctx, server, name, password, from)
			if err == nil {
				return accepted, nil
			}
			if errors.Is(err, radius.ErrForged) {
				return false, fmt.Errorf("%w (%w)", ErrElsewhere, err)
			}
			if ctx.Err() != nil {
				return false, ctx.Err()
			}
		}
	}
	return false, ErrElsewhere
}

func (r *RADIUS) ask(ctx context.Context, server, name, password, from string) (bool, error) {
	c := radius.Client{Secret: r.Secret, Timeout: cmp.Or(r.Timeout, 2*time.Second), Bare: r.Bare, Name: "every-post"}
	answer, err := c.Ask(ctx, server, name, password, from)
	return answer.Accepted, err
}

// ParseServers reads addresses of RADIUS servers; the port is 1812 where none is given.
func ParseServers(list []string) ([]string, error) {
	out := make([]string, len(list))
	for i, s := range list {
		host, port, err := net.SplitHostPort(s)
		if err != nil {
			host, port = s, "1812"
		}
		if host == "" {
			return nil, fmt.Errorf("RADIUS server %q is %w: write host or host:port", s, ErrInvalid)
		}
		out[i] = net.JoinHostPort(host, port)
	}
	return out, nil
}
