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
	conn, err := netconf.Dial(ctx, t.Address, netconf.SSHOptions{
		User: t.User,
		Auth: []ssh.AuthMethod{ssh.Password(t.Password), ssh.KeyboardInteractive(answerAll(t.Password))},
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
	s, err := conn.Open(ctx, netconf.Options{})
	if err != nil {
		_ = conn.Close()
		return nil, fmt.Errorf("open a session on %s: %w", t.Address, err)
	}
	return newSession(conn, s, c.SkipValidate), nil
}

func answerAll(password string) ssh.KeyboardInteractiveChallenge {
	return func(_, _ string, questions []string, _ []bool) ([]string, error) {
		answers := make([]string, len(questions))
		for i := range answers {
			answers[i] = password
		}
		return answers, nil
	}
}
