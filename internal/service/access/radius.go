package access

import (
	"context"
	"crypto/hmac"
	"crypto/md5" //nolint:gosec // RFC 2869 section 5.14 has no other
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"time"

	"layeh.com/radius"
	"layeh.com/radius/rfc2865"
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
			if errors.Is(err, errForged) {
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
	timeout := r.Timeout
	if timeout == 0 {
		timeout = 2 * time.Second
	}
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	request := radius.New(radius.CodeAccessRequest, r.Secret)
	_, _ = rand.Read(request.Authenticator[:])
	err := errors.Join(rfc2865.UserName_SetString(request, name), rfc2865.UserPassword_SetString(request, password),
		rfc2865.NASIdentifier_SetString(request, "every-post"), rfc2865.ServiceType_Set(request, rfc2865.ServiceType_Value_AdministrativeUser))
	if from != "" {
		err = errors.Join(err, rfc2865.CallingStationID_SetString(request, from))
	}
	if err != nil {
		return false, err
	}
	if err := sign(request, request.Authenticator); err != nil {
		return false, err
	}
	reply, err := radius.Exchange(ctx, request, server)
	if err != nil {
		return false, err
	}
	if bare := len(reply.Get(messageAuthenticator)) == 0; bare && r.Bare {
		return reply.Code == radius.CodeAccessAccept, nil
	}
	if err := verify(reply, request.Authenticator); err != nil {
		return false, err
	}
	return reply.Code == radius.CodeAccessAccept, nil
}

// messageAuthenticator is the attribute that protects a whole message (RFC 2869 section 5.14).
const messageAuthenticator radius.Type = 80

// digest is HMAC-MD5 over a message whose Message-Authenticator is zero and whose authenticator is that of the request.
func digest(p *radius.Packet, authenticator [16]byte) ([]byte, error) {
	c := *p
	c.Authenticator = authenticator
	c.Attributes = nil
	for _, a := range p.Attributes {
		value := a.Attribute
		if a.Type == messageAuthenticator {
			value = make([]byte, md5.Size)
		}
		c.Attributes = append(c.Attributes, &radius.AVP{Type: a.Type, Attribute: value})
	}
	b, err := c.MarshalBinary()
	if err != nil {
		return nil, err
	}
	h := hmac.New(md5.New, p.Secret)
	_, _ = h.Write(b)
	return h.Sum(nil), nil
}

func sign(p *radius.Packet, authenticator [16]byte) error {
	p.Attributes = append(radius.Attributes{{Type: messageAuthenticator, Attribute: make([]byte, md5.Size)}}, p.Attributes...)
	d, err := digest(p, authenticator)
	if err == nil {
		p.Set(messageAuthenticator, d)
	}
	return err
}

var errForged = errors.New("an answer is not protected by a Message-Authenticator, or by one of another secret")

// verify refuses an answer that is not protected as a whole: without that, an answer can be forged on the way.
func verify(reply *radius.Packet, authenticator [16]byte) error {
	got := reply.Get(messageAuthenticator)
	want, err := digest(reply, authenticator)
	if err != nil {
		return err
	}
	if len(got) == 0 || !hmac.Equal(got, want) {
		return errForged
	}
	return nil
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
