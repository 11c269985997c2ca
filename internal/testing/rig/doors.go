package rig

import (
	"context"
	"crypto/x509"
	"io"
	"log/slog"
	"net"
	"path/filepath"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/bootstrap"
	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// Doors are where devices come by themselves. Their addresses outlive the service, as those of a machine do.
type Doors struct {
	Home, Base string
	wg         sync.WaitGroup
}

func newDoors(t testing.TB) *Doors {
	t.Helper()
	address := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer func() { _ = l.Close() }()
		return l.Addr().String()
	}
	return &Doors{Home: address(), Base: address()}
}

func (d *Doors) open(t testing.TB, ctx context.Context, r *Rig) {
	t.Helper()
	home, err := net.Listen("tcp", d.Home)
	require.NoError(t, err)
	base, err := net.Listen("tcp", d.Base)
	require.NoError(t, err)
	authority, err := standin.Authority()
	require.NoError(t, err)
	svc := r.Service
	svc.Arrivals.SetHome(d.Home)
	d.wg.Go(func() { _ = svc.Arrivals.TakeCalls(ctx, home) })
	d.wg.Go(func() {
		_ = bootstrap.Serve(ctx, base, svc.Arrivals, bootstrap.Options{Authorities: authority, Certificate: filepath.Join(r.Dir, "bootstrap.pem"),
			Hosts: []string{"127.0.0.1"}, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	})
}

// Trust is what devices are given to trust the door.
func (r *Rig) Trust() *x509.CertPool {
	pool := x509.NewCertPool()
	if anchor, err := bootstrap.TrustAnchor(filepath.Join(r.Dir, "bootstrap.pem")); err == nil {
		pool.AppendCertsFromPEM(anchor)
	}
	return pool
}

const NewSwitch, NewSerial = "th-sw-09", "HY24-70001"

// StartWharf is the terminal with one more switch, which is still in its crate.
func StartWharf(t testing.TB) *Rig {
	t.Helper()
	plant := standin.TernHaven()
	i := slices.IndexFunc(plant.Devices, func(d standin.DeviceSpec) bool { return d.Name == "th-sw-02" })
	crated := plant.Devices[i]
	crated.Name, crated.Serial, crated.Loopback, crated.Crated, crated.BootSeconds = NewSwitch, NewSerial, "127.20.0.19", true, 0
	plant.Devices = append(plant.Devices, crated)
	plant.Cables = append(plant.Cables, standin.CableSpec{A: "th-sw-02:1/1/26", B: NewSwitch + ":1/1/25"})
	d := newDoors(t)
	r := &Rig{Dir: t.TempDir(), Client: &client.Client{}, Doors: d}
	w, err := standin.New(plant, standin.Options{User: DeviceUser, Password: DevicePassword, Bootstrap: func() (standin.Bootstrap, error) {
		return standin.Bootstrap{Base: "https://" + d.Base, Trust: r.Trust()}, nil
	}})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r.World = w
	r.Furnish(t)
	return r
}

func (r *Rig) ClaimOne(t testing.TB, c v1.Claim) string {
	t.Helper()
	results, err := r.Claim(t.Context(), []v1.Claim{c})
	require.NoError(t, err)
	require.Len(t, results.Items, 1)
	return results.Items[0].Problem
}

func (r *Rig) Connected(t testing.TB, name string) v1.DeviceDetail {
	t.Helper()
	var d v1.DeviceDetail
	require.Eventually(t, func() bool {
		var err error
		d, err = r.Device(t.Context(), name)
		return err == nil && d.Reach == "connected" && len(d.PortList) > 0
	}, WaitLong, WaitStep, "%s comes", name)
	return d
}
