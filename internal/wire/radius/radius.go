// Package radius asks RADIUS servers whether somebody may come in (RFC 2865, by PAP), or a station may join (RFC 3579, by EAP). It takes only answers that are protected
// as a whole by a Message-Authenticator (RFC 2869 section 5.14), unless it is told otherwise.
package radius

import (
	"context"
	"crypto/hmac"
	"crypto/md5" //nolint:gosec // RFC 2869 section 5.14 has no other
	"crypto/rand"
	"errors"
	"time"

	"layeh.com/radius"
	"layeh.com/radius/rfc2865"
)

// Client asks servers that share a secret with it.
type Client struct {
	Secret  []byte
	Timeout time.Duration
	Name    string // by which it goes (NAS-Identifier)
	// Bare takes answers that have no Message-Authenticator. Whoever sits on the way can forge such an answer.
	Bare bool
}

// Answer is the word of a server.
type Answer struct {
	Accepted bool
	// Administrator is whether the server says that he may change everything (Service-Type Administrative-User).
	Administrator bool
}

// Ask asks one server (host:port) once. from is the address of who wants to come in, where it is known.
func (c *Client) Ask(ctx context.Context, server, name, password, from string) (Answer, error) {
	ctx, cancel := context.WithTimeout(ctx, c.Timeout)
	defer cancel()
	request := radius.New(radius.CodeAccessRequest, c.Secret)
	_, _ = rand.Read(request.Authenticator[:])
	err := errors.Join(rfc2865.UserName_SetString(request, name), rfc2865.UserPassword_SetString(request, password),
		rfc2865.NASIdentifier_SetString(request, c.Name), rfc2865.ServiceType_Set(request, rfc2865.ServiceType_Value_AdministrativeUser))
	if from != "" {
		err = errors.Join(err, rfc2865.CallingStationID_SetString(request, from))
	}
	if err != nil {
		return Answer{}, err
	}
	if err := sign(request, request.Authenticator); err != nil {
		return Answer{}, err
	}
	reply, err := radius.Exchange(ctx, request, server)
	if err != nil {
		return Answer{}, err
	}
	if bare := len(reply.Get(messageAuthenticator)) == 0; !bare || !c.Bare {
		if err := verify(reply, request.Authenticator); err != nil {
			return Answer{}, err
		}
	}
	kind := rfc2865.ServiceType_Get(reply)
	return Answer{Accepted: reply.Code == radius.CodeAccessAccept, Administrator: kind == rfc2865.ServiceType_Value_AdministrativeUser}, nil
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

// ErrForged tells that an answer is not to be trusted.
var ErrForged = errors.New("an answer is not protected by a Message-Authenticator, or by one of another secret")

// verify refuses an answer that is not protected as a whole: without that, an answer can be forged on the way.
func verify(reply *radius.Packet, authenticator [16]byte) error {
	got := reply.Get(messageAuthenticator)
	want, err := digest(reply, authenticator)
	if err != nil {
		return err
	}
	if len(got) == 0 || !hmac.Equal(got, want) {
		return ErrForged
	}
	return nil
}
