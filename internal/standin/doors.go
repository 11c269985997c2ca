package standin

import (
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"net"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/wire/netconf"
)

// The ways into a device.

// newHostKey makes the device's key from its serial number, so that it is the same at every start of the demo.
func (d *device) newHostKey(generation string) error {
	seed := sha256.Sum256([]byte("stand-in host key " + d.spec.Serial + " " + generation))
	signer, err := ssh.NewSignerFromKey(ed25519.NewKeyFromSeed(seed[:]))
	d.signer = signer
	return err
}

func (d *device) listen(ctx context.Context) error {
	l, err := net.Listen("tcp", fmt.Sprintf("%s:%d", d.spec.Loopback, d.world.opts.Port))
	if err != nil {
		return fmt.Errorf("stand-in %s: %w", d.spec.Name, err)
	}
	d.listener = newGatedListener(l, d.gate)
	d.server = d.newServer()
	d.serve(ctx, d.listener)
	return nil
}

// newServer makes what serves the connections of a device.
func (d *device) newServer() *netconf.Server {
	return &netconf.Server{Handler: &agent{d}, MaxMessage: 4 << 20, Shell: d.shell,
		Subsystems: map[string]func(context.Context, io.ReadWriteCloser, string){"sftp": d.takeFiles}}
}

func (d *device) serve(ctx context.Context, l *gatedListener) {
	d.world.wg.Go(func() { _ = d.server.ListenSSH(ctx, l, d.sshConfig()) })
}

func (d *device) sshConfig() *ssh.ServerConfig {
	c := &ssh.ServerConfig{
		MaxAuthTries: 3,
		PasswordCallback: func(meta ssh.ConnMetadata, password []byte) (*ssh.Permissions, error) {
			if d.mayEnter(meta.User(), string(password)) {
				return nil, nil
			}
			return nil, errors.New("wrong user or password")
		},
		PublicKeyCallback: func(meta ssh.ConnMetadata, key ssh.PublicKey) (*ssh.Permissions, error) {
			if d.knownKey(meta.User(), key) {
				return nil, nil
			}
			return nil, errors.New("the key is not known")
		},
	}
	c.AddHostKey(deviceSigner{d})
	return c
}

// deviceSigner signs with the key that the device has at the moment, so that a fault can change it.
type deviceSigner struct{ d *device }

func (s deviceSigner) current() ssh.Signer {
	s.d.world.mu.Lock()
	defer s.d.world.mu.Unlock()
	return s.d.signer
}

func (s deviceSigner) PublicKey() ssh.PublicKey { return s.current().PublicKey() }

func (s deviceSigner) Sign(rand io.Reader, data []byte) (*ssh.Signature, error) {
	return s.current().Sign(rand, data)
}
