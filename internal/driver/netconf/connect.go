// Package netconf drives devices that speak NETCONF with OpenConfig models and the product's own where those say nothing.
package netconf

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strings"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
)

// Connector implements driver.Connector. The zero value is good.
type Connector struct {
	// SkipValidate leaves out the explicit check before a trial, for servers that lose the proposal over it.
	SkipValidate bool
	// Secrets keeps those that stand in configurations. Without it they are left out of what is read, and cannot be written.
	Secrets driver.Secrets
}

var errSeen = errors.New("key seen")

// HostKey implements driver.Connector.
func (Connector) HostKey(ctx context.Context, address string) (string, error) {
	var shown string
	_, err := netconf.Dial(ctx, address, netconf.SSHOptions{
		User: "everypost",
		HostKey: func(_ string, _ net.Addr, key ssh.PublicKey) error {
			shown = ssh.FingerprintSHA256(key)
			return errSeen
		},
	})
	if shown != "" {
		return shown, nil
	}
	return "", fmt.Errorf("no host key from %s: %w", address, err)
}

// Connect implements driver.Connector.
func (c Connector) Connect(ctx context.Context, t driver.Target) (driver.Session, error) {
	var keyErr *driver.KeyError
	auth, err := authOf(t)
	if err != nil {
		return nil, err
	}
	conn, err := netconf.Dial(ctx, t.Address, netconf.SSHOptions{
		User: t.User, Auth: auth,
		HostKey: func(_ string, _ net.Addr, key ssh.PublicKey) error {
			if shown := ssh.FingerprintSHA256(key); shown != t.HostKey {
				keyErr = &driver.KeyError{Pinned: t.HostKey, Shown: shown}
				return keyErr
			}
			return nil
		},
	})
	switch {
	case keyErr != nil:
		return nil, keyErr
	case err != nil && strings.Contains(err.Error(), "unable to authenticate"):
		return nil, driver.ErrCredentials // the library has no typed error for it
	case err != nil:
		return nil, fmt.Errorf("connect to %s: %w", t.Address, err)
	}
	return c.open(ctx, conn, t.Address)
}

func (c Connector) open(ctx context.Context, conn *netconf.Conn, address string) (driver.Session, error) {
	s, err := conn.Open(ctx, netconf.Options{})
	if err != nil {
		_ = conn.Close()
		return nil, fmt.Errorf("open a session on %s: %w", address, err)
	}
	return newSession(conn, s, c), nil
}

func authOf(t driver.Target) ([]ssh.AuthMethod, error) {
	if t.Key == nil {
		passwords := []string{t.Password}
		if t.Next != "" {
			passwords = append(passwords, t.Next)
		}
		return []ssh.AuthMethod{ssh.RetryableAuthMethod(ssh.PasswordCallback(inTurn(passwords)), len(passwords)),
			ssh.RetryableAuthMethod(ssh.KeyboardInteractive(answerAll(inTurn(passwords))), len(passwords))}, nil
	}
	signer, err := ssh.NewSignerFromKey(t.Key)
	return []ssh.AuthMethod{ssh.PublicKeys(signer)}, err
}

// Receive implements driver.Receiver. Who it is, and with it how to log in, is known only once the device has shown its
// key, which comes first in the protocol.
func (c Connector) Receive(ctx context.Context, nc net.Conn, lookup func(hostKey string) (driver.Target, bool)) (driver.Session, string, error) {
	var shown string
	var key ssh.Signer
	conn, err := netconf.Receive(ctx, nc, netconf.SSHOptions{
		User: callUser,
		HostKey: func(_ string, _ net.Addr, k ssh.PublicKey) error {
			shown = ssh.FingerprintSHA256(k)
			t, ok := lookup(shown)
			if !ok || t.Key == nil {
				return errUnknownCaller
			}
			var err error
			key, err = ssh.NewSignerFromKey(t.Key)
			return err
		},
		Auth: []ssh.AuthMethod{ssh.PublicKeysCallback(func() ([]ssh.Signer, error) { return []ssh.Signer{key}, nil })},
	})
	if err != nil {
		return nil, shown, fmt.Errorf("a call from %s: %w", nc.RemoteAddr(), err)
	}
	s, err := c.open(ctx, conn, nc.RemoteAddr().String())
	return s, shown, err
}

// callUser is as whom the service logs in to devices that it provisioned: they are all given the same user.
const callUser = driver.ProvisionedUser

var errUnknownCaller = errors.New("nobody knows the key that it shows")

// inTurn gives one password after the other, each time it is asked.
func inTurn(passwords []string) func() (string, error) {
	asked := 0
	return func() (string, error) {
		p := passwords[asked%len(passwords)]
		asked++
		return p, nil
	}
}

func answerAll(password func() (string, error)) ssh.KeyboardInteractiveChallenge {
	return func(_, _ string, questions []string, _ []bool) ([]string, error) {
		answers := make([]string, len(questions))
		if len(questions) == 0 { // it only tells something
			return answers, nil
		}
		p, err := password()
		for i := range answers {
			answers[i] = p
		}
		return answers, err
	}
}
