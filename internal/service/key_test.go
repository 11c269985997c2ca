package service

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/store"
)

// tried is a connector that notes with what devices are logged in to.
type tried struct{ with chan driver.Target }

func (c tried) HostKey(context.Context, string) (string, error) { return "SHA256:x", nil }
func (c tried) Connect(_ context.Context, t driver.Target) (driver.Session, error) {
	select {
	case c.with <- t:
	default:
	}
	return nil, driver.ErrCredentials
}

// A key that is lost is not made anew in silence, and no device is tried without its password.
func TestALostKeyIsTold(t *testing.T) {
	dir := t.TempDir()
	c := tried{make(chan driver.Target, 10)}
	open := func(renew bool) (*Service, error) {
		return Open(t.Context(), Options{Dir: dir, NewKey: renew, Log: slog.New(slog.DiscardHandler), Connector: func(driver.Secrets) driver.Connector { return c }})
	}
	s, err := open(false)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	key := filepath.Join(dir, "secrets.key")
	old, err := os.ReadFile(key)
	require.NoError(t, err)

	require.NoError(t, os.Remove(key))
	_, err = open(false)
	require.ErrorContains(t, err, key+" is not there")
	require.NoFileExists(t, key)

	require.NoError(t, os.WriteFile(key, make([]byte, len(old)), 0o600))
	_, err = open(false)
	require.ErrorContains(t, err, "is not the one with which the secrets of this database are sealed")

	require.NoError(t, os.WriteFile(key, old, 0o600))
	s, err = open(false)
	require.NoError(t, err)
	require.NoError(t, s.Store.PutSite(t.Context(), network.Site{Name: "here", Title: "Here"}))
	require.NoError(t, s.Store.AddDevice(t.Context(), store.Device{Name: "sw", Site: "here", Address: "127.0.0.1:1", User: "fleet", HostKey: "SHA256:x", Secret: []byte("sealed with another key, long ago and far away"),
		Identity: network.Identity{Serial: "S"}, EnrolledAt: time.Unix(0, 0), SeenAt: time.Unix(0, 0)}))
	require.NoError(t, s.Close())

	require.NoError(t, os.Remove(key))
	s, err = open(true)
	require.NoError(t, err)
	require.Eventually(t, func() bool { v, ok := s.Fleet.View("sw"); return ok && v.Reach == network.ReachRefused }, 5*time.Second, 5*time.Millisecond)
	v, _ := s.Fleet.View("sw")
	assert.Contains(t, v.Why, "its password cannot be read")
	assert.Empty(t, c.with, "it was not tried")
	require.NoError(t, s.Close())
	s, err = open(false)
	require.NoError(t, err, "the new key is known from then on")
	require.NoError(t, s.Close())
}
