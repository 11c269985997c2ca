// Package eap is who wants to join a network that lets people in by name: a peer of the Extensible Authentication Protocol
// (RFC 3748) that says who it is within TLS (EAP-TTLS version 0, RFC 5281, with PAP inside).
package eap

import (
	"context"
	"crypto/tls"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"time"
)

// Codes of packets, and types of requests and responses (RFC 3748 sections 4 and 5).
const (
	codeRequest  = 1
	codeResponse = 2
	typeIdentity = 1
	typeNotice   = 2
	typeNak      = 3
	typeTTLS     = 21
)

// Flags of EAP-TTLS (RFC 5281 section 9.1).
const (
	flagLength = 0x80
	flagMore   = 0x40
	flagStart  = 0x20
)

const (
	mostInFragment = 1000
	mostInMessage  = 64 << 10 // what a server may send before it is the peer's turn
)

// Peer wants to join.
type Peer struct {
	// Outside is by which name it goes where everybody can hear it, Name and Password are what only the server hears.
	Outside, Name, Password string
	// TLS says whom it trusts to be the server, and which name that must have.
	TLS *tls.Config

	flights chan []byte // what TLS has to say before it listens
	heard   chan []byte // what the server said
	failed  chan error
	toSend  []byte
	before  []byte // of a message of the server that comes in fragments
	started bool
	end     context.CancelFunc
}

// First is how a peer begins once it was asked who it is.
func (p *Peer) First() []byte { return packet(0, typeIdentity, []byte(p.Outside)) }

// Close ends what was begun.
func (p *Peer) Close() {
	if p.end != nil {
		p.end()
	}
}

// ErrRefused tells that the peer does not go on: it does not trust the server, or does not understand it.
var ErrRefused = errors.New("the peer goes on no further")

// Answer is what the peer answers to a request.
func (p *Peer) Answer(ctx context.Context, request []byte) ([]byte, error) {
	if len(request) < 5 || request[0] != codeRequest || int(binary.BigEndian.Uint16(request[2:])) != len(request) {
		return nil, fmt.Errorf("%w: %d octets are no request of EAP", ErrRefused, len(request))
	}
	id, kind, data := request[1], request[4], request[5:]
	switch kind {
	case typeIdentity:
		return packet(id, typeIdentity, []byte(p.Outside)), nil
	case typeNotice:
		return packet(id, typeNotice, nil), nil
	case typeTTLS:
		out, err := p.ttls(ctx, data)
		return packet(id, typeTTLS, out), err
	}
	return packet(id, typeNak, []byte{typeTTLS}), nil
}

func packet(id, kind byte, data []byte) []byte {
	out := []byte{codeResponse, id, 0, 0, kind}
	binary.BigEndian.PutUint16(out[2:], uint16(5+len(data)))
	return append(out, data...)
}

// ttls takes a fragment of what the server says, and gives the next of what the peer does.
func (p *Peer) ttls(ctx context.Context, data []byte) ([]byte, error) {
	if len(data) == 0 {
		return nil, fmt.Errorf("%w: a request without flags", ErrRefused)
	}
	flags, data := data[0], data[1:]
	if flags&flagLength != 0 {
		if len(data) < 4 {
			return nil, fmt.Errorf("%w: a length that is cut off", ErrRefused)
		}
		data = data[4:]
	}
	switch {
	case flags&flagStart != 0:
		p.begin(ctx)
	case !p.started:
		return nil, fmt.Errorf("%w: the server goes on with what it did not begin", ErrRefused)
	case len(p.toSend) > 0: // it has the fragment, and asks for the next
		return p.fragment(), nil
	default:
		if p.before = append(p.before, data...); len(p.before) > mostInMessage {
			return nil, fmt.Errorf("%w: the server says more than %d octets at once", ErrRefused, mostInMessage)
		}
		if flags&flagMore != 0 {
			return []byte{0}, nil
		}
		select {
		case p.heard <- p.before:
			p.before = nil
		case err := <-p.failed:
			return nil, err
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	select {
	case p.toSend = <-p.flights:
		return p.fragment(), nil
	case err := <-p.failed:
		return nil, err
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// fragment is the next part of what is to be sent; the first tells how long the whole is.
func (p *Peer) fragment() []byte {
	part, rest := p.toSend, []byte(nil)
	flags := byte(0)
	if len(part) > mostInFragment {
		part, rest, flags = part[:mostInFragment], part[mostInFragment:], flagMore
	}
	p.toSend = rest
	return append([]byte{flags}, part...)
}

// begin lets TLS speak: a handshake, then who the peer is, then it only listens.
func (p *Peer) begin(ctx context.Context) {
	p.Close()
	ctx, p.end = context.WithCancel(ctx)
	p.started, p.before, p.toSend = true, nil, nil
	p.flights, p.heard, p.failed = make(chan []byte), make(chan []byte), make(chan error, 1)
	wire := &wire{ctx: ctx, flights: p.flights, heard: p.heard}
	conf := p.TLS.Clone()
	conf.MinVersion, conf.MaxVersion = tls.VersionTLS12, tls.VersionTLS12 // RFC 5281 knows no later one, RFC 9427 is another method
	go func(failed chan<- error, inside []byte) {
		c := tls.Client(wire, conf)
		err := c.HandshakeContext(ctx)
		if err == nil {
			_, err = c.Write(inside)
		}
		for err == nil { // the server has nothing to say inside but that it is done, which comes outside
			_, err = c.Read(make([]byte, 1024))
		}
		failed <- fmt.Errorf("%w: %w", ErrRefused, err)
	}(p.failed, append(avp(avpUserName, []byte(p.Name)), avp(avpUserPassword, padded(p.Password))...))
}

// Attributes inside TLS are those of RADIUS (RFC 5281 section 10).
const (
	avpUserName     = 1
	avpUserPassword = 2
	avpMandatory    = 0x40
)

func avp(code uint32, value []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, code)
	out = binary.BigEndian.AppendUint32(out, uint32(8+len(value)))
	out[4] = avpMandatory
	out = append(out, value...)
	return append(out, make([]byte, (4-len(value)%4)%4)...)
}

// padded hides how long a password is (RFC 5281 section 11.2.5).
func padded(s string) []byte { return append([]byte(s), make([]byte, 16-len(s)%16)...) }

// wire is what TLS speaks over: what it wrote is a flight once it wants to hear.
type wire struct {
	ctx     context.Context
	flights chan<- []byte
	heard   <-chan []byte
	wrote   []byte
	unread  []byte
}

func (w *wire) Write(b []byte) (int, error) {
	w.wrote = append(w.wrote, b...)
	return len(b), nil
}

func (w *wire) Read(b []byte) (int, error) {
	if len(w.unread) == 0 {
		select {
		case w.flights <- w.wrote:
			w.wrote = nil
		case <-w.ctx.Done():
			return 0, io.EOF
		}
		select {
		case w.unread = <-w.heard:
		case <-w.ctx.Done():
			return 0, io.EOF
		}
	}
	n := copy(b, w.unread)
	w.unread = w.unread[n:]
	return n, nil
}

func (w *wire) Close() error                     { return nil }
func (w *wire) LocalAddr() net.Addr              { return nil }
func (w *wire) RemoteAddr() net.Addr             { return nil }
func (w *wire) SetDeadline(time.Time) error      { return nil }
func (w *wire) SetReadDeadline(time.Time) error  { return nil }
func (w *wire) SetWriteDeadline(time.Time) error { return nil }
