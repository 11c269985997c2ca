package netconf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"
)

// DefaultPort is the port that IANA assigned to NETCONF over SSH.
const DefaultPort = 830

// algorithms prefers AES-GCM, which costs a quarter of the others, and the cheap elliptic key exchange.
func algorithms() ssh.Config {
	return ssh.Config{
		Ciphers:      []string{"aes128-gcm@openssh.com", "aes256-gcm@openssh.com", "chacha20-poly1305@openssh.com", "aes128-ctr", "aes256-ctr"},
		KeyExchanges: []string{"curve25519-sha256", "curve25519-sha256@libssh.org", "ecdh-sha2-nistp256", "diffie-hellman-group14-sha256"},
	}
}

// SSHOptions tell how to reach and log in to a server.
type SSHOptions struct {
	User    string
	Auth    []ssh.AuthMethod
	HostKey ssh.HostKeyCallback // required
}

// Conn is an SSH connection that can carry several NETCONF sessions.
type Conn struct {
	client *ssh.Client
	net    net.Conn
}

// Dial connects and logs in. The whole of it ends with ctx.
func Dial(ctx context.Context, address string, o SSHOptions) (*Conn, error) {
	var d net.Dialer
	nc, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, err
	}
	return Receive(ctx, nc, o)
}

// CallHomePort is the port that IANA assigned to NETCONF Call Home over SSH.
const CallHomePort = 4334

// Receive logs in over a connection that is there already: one that was dialled, or one by which a server called home
// (RFC 8071: the device opens the connection, and who received it still is the client). The whole of it ends with ctx.
func Receive(ctx context.Context, nc net.Conn, o SSHOptions) (*Conn, error) {
	address := nc.RemoteAddr().String()
	stop := context.AfterFunc(ctx, func() { _ = nc.Close() })
	config := &ssh.ClientConfig{Config: algorithms(), User: o.User, Auth: o.Auth, HostKeyCallback: o.HostKey}
	sc, chans, reqs, err := ssh.NewClientConn(nc, address, config)
	if !stop() {
		if err == nil {
			_ = sc.Close()
		}
		return nil, context.Cause(ctx)
	}
	if err != nil {
		_ = nc.Close()
		return nil, err
	}
	return &Conn{client: ssh.NewClient(sc, chans, reqs), net: nc}, nil
}

// Open starts a NETCONF session on the connection.
func (c *Conn) Open(ctx context.Context, o Options) (*Session, error) {
	stop := context.AfterFunc(ctx, func() { _ = c.net.Close() })
	defer stop()
	ch, err := c.client.NewSession()
	if err != nil {
		return nil, err
	}
	in, err := ch.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := ch.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := ch.RequestSubsystem("netconf"); err != nil {
		_ = ch.Close()
		return nil, fmt.Errorf("netconf subsystem: %w", err)
	}
	return NewSession(ctx, &sshPipe{Reader: out, Writer: in, close: ch.Close}, o)
}

type sshPipe struct {
	io.Reader
	io.Writer
	close func() error
}

func (p *sshPipe) Close() error { return p.close() }

// Ping asks the peer for a sign of life. A peer that does not know the request answers too, with a refusal.
func (c *Conn) Ping(ctx context.Context) error {
	done := make(chan error, 1)
	go func() {
		_, _, err := c.client.SendRequest("keepalive@openssh.com", true, nil)
		done <- err
	}()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// Close drops the connection and all its sessions, without waiting for the peer.
func (c *Conn) Close() error {
	err := c.net.Close()
	_ = c.client.Close()
	return err
}

// ListenSSH serves NETCONF to every connection of the listener until ctx ends or the listener fails. It waits for its
// connections before it returns. The config gets the algorithms of this package where it names none.
func (srv *Server) ListenSSH(ctx context.Context, l net.Listener, config *ssh.ServerConfig) error {
	if len(config.Ciphers) == 0 {
		a := algorithms()
		config.Ciphers, config.KeyExchanges = a.Ciphers, a.KeyExchanges
	}
	stop := context.AfterFunc(ctx, func() { _ = l.Close() })
	defer stop()
	var wg sync.WaitGroup
	defer wg.Wait()
	for {
		nc, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return nil
			}
			return err
		}
		wg.Go(func() { srv.serveSSH(ctx, nc, config) })
	}
}

// CallHome serves NETCONF on a connection that the server itself opened (RFC 8071), until it ends.
func (srv *Server) CallHome(ctx context.Context, nc net.Conn, config *ssh.ServerConfig) {
	if len(config.Ciphers) == 0 {
		a := algorithms()
		config.Ciphers, config.KeyExchanges = a.Ciphers, a.KeyExchanges
	}
	srv.serveSSH(ctx, nc, config)
}

func (srv *Server) serveSSH(ctx context.Context, nc net.Conn, config *ssh.ServerConfig) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	stop := context.AfterFunc(ctx, func() { _ = nc.Close() })
	defer stop()
	defer func() { _ = nc.Close() }()
	_ = nc.SetDeadline(time.Now().Add(30 * time.Second)) // a handshake that takes longer is none
	sc, chans, reqs, err := ssh.NewServerConn(nc, config)
	if err != nil {
		return
	}
	_ = nc.SetDeadline(time.Time{})
	go ssh.DiscardRequests(reqs)
	var wg sync.WaitGroup
	defer wg.Wait()
	for newChannel := range chans {
		if newChannel.ChannelType() != "session" {
			_ = newChannel.Reject(ssh.UnknownChannelType, "only sessions are served")
			continue
		}
		ch, requests, err := newChannel.Accept()
		if err != nil {
			continue
		}
		wg.Go(func() { srv.serveChannel(ctx, ch, requests, sc.User()) })
	}
	cancel()
}

func (srv *Server) serveChannel(ctx context.Context, ch ssh.Channel, requests <-chan *ssh.Request, user string) {
	var wg sync.WaitGroup
	defer wg.Wait()
	started := false
	var shell shellChannel
	for r := range requests {
		if r.Type != "subsystem" {
			ok, start := shell.request(srv, r)
			ok = ok && !(start && started)
			if r.WantReply {
				_ = r.Reply(ok, nil)
			}
			if ok && start {
				started = true
				wg.Go(func() {
					srv.Shell(ctx, ch, shell.pty, user)
					_, _ = ch.SendRequest("exit-status", false, ssh.Marshal(struct{ Status uint32 }{0}))
					_ = ch.Close()
				})
			}
			continue
		}
		var name struct{ Name string }
		ok := !started && ssh.Unmarshal(r.Payload, &name) == nil
		other := srv.Subsystems[name.Name]
		ok = ok && (name.Name == "netconf" || other != nil)
		if r.WantReply {
			_ = r.Reply(ok, nil)
		}
		switch {
		case !ok:
		case other != nil:
			started = true
			wg.Go(func() {
				defer func() { _ = ch.Close() }()
				stop := context.AfterFunc(ctx, func() { _ = ch.Close() })
				defer stop()
				other(ctx, ch, user)
				_, _ = ch.SendRequest("exit-status", false, ssh.Marshal(struct{ Status uint32 }{0}))
			})
		default:
			started = true
			wg.Go(func() { _ = srv.ServeConn(ctx, ch, user) })
		}
	}
	_ = ch.Close()
}
