package rig

import (
	"context"
	"net"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/standin"
)

// StartPart starts a service on some sites of the company, entered through a device.
func StartPart(t *testing.T, entry string, sites ...string) *Rig {
	t.Helper()
	return startThose(t, entry, func(d standin.DeviceSpec) bool { return slices.Contains(sites, d.Site) })
}

// StartOnly starts some devices of the company, and what is plugged into them.
func StartOnly(t *testing.T, entry string, devices ...string) *Rig {
	t.Helper()
	return startThose(t, entry, func(d standin.DeviceSpec) bool { return slices.Contains(devices, d.Name) })
}

func startThose(t *testing.T, entry string, those func(standin.DeviceSpec) bool) *Rig {
	t.Helper()
	p := plantOf(those)
	p.Entries = []string{entry}
	w, err := standin.New(p, standin.Options{User: DeviceUser, Password: DevicePassword, SessionEvery: 2 * time.Second})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return Start(t, w)
}

// Only is some devices of the company, and what is plugged into them.
func Only(devices ...string) standin.Plant {
	p := plantOf(func(d standin.DeviceSpec) bool { return slices.Contains(devices, d.Name) })
	p.Entries = devices[:1]
	return p
}

// plantOf is a part of the company, without a way in.
func plantOf(those func(standin.DeviceSpec) bool) (p standin.Plant) {
	whole := standin.LanternSound()
	in := map[string]bool{}
	for _, d := range whole.Devices {
		if those(d) {
			p.Devices, in[d.Name] = append(p.Devices, d), true
		}
	}
	of := func(at string) bool { d, _, _ := strings.Cut(at, ":"); return in[d] }
	for _, c := range whole.Cables {
		if of(c.A) && of(c.B) {
			p.Cables = append(p.Cables, c)
		}
	}
	for _, h := range whole.Hosts {
		if of(h.At) && (h.For == "" || of(h.For)) {
			p.Hosts = append(p.Hosts, h)
		}
	}
	for _, t := range whole.Tunnels {
		if of(t.A) && of(t.B) {
			p.Tunnels = append(p.Tunnels, t)
		}
	}
	for _, r := range whole.Routers {
		if slices.ContainsFunc(p.Hosts, func(h standin.HostSpec) bool { return h.Name == r.Host }) {
			p.Routers = append(p.Routers, r)
		}
	}
	for _, f := range whole.Foreign {
		if of(f.At) {
			p.Foreign = append(p.Foreign, f)
		}
	}
	return p
}

// FreePort finds a port that is free now, for all devices of a world to listen on, as devices do.
func FreePort(t testing.TB) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

// companies bounds how many whole companies run at a time: each is 77 devices, in one process with the service.
var companies = make(chan struct{}, 2)

// StartCompany starts the whole company, and a service that knows its sites and none of its devices.
func StartCompany(t testing.TB) *Rig {
	t.Helper()
	companies <- struct{}{}
	t.Cleanup(func() { <-companies })
	w, err := standin.New(standin.LanternSound(), standin.Options{User: DeviceUser, Password: DevicePassword, Port: FreePort(t)})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r := &Rig{Dir: t.TempDir(), World: w, Client: &client.Client{}, OwnPace: true}
	r.Open(t)
	t.Cleanup(func() { r.Halt(t) })
	require.NoError(t, r.Service.Access.AddUser(t.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, Password))
	r.Token = r.TokenOf(t, "ada")
	for name, code := range map[string]string{"harbour-house": "HH", "tern-haven": "TH", "oyster-landing": "OL", "grey-skerry": "GS", "marram-point": "MP", "kelp-bay": "KB",
		"northgate": "NG", "fulmar": "FU", "guillemot": "GU", "razorbill": "RZ", "turnstone": "TU"} {
		require.NoError(t, r.PutSite(t.Context(), name, v1.SiteRequest{Title: name, Code: code, Entry: strings.ToLower(code) + "-edge-01"}))
	}
	return r
}

// Search runs a search to its end.
func (r *Rig) Search(t testing.TB, in v1.DiscoveryRequest) v1.Discovery {
	t.Helper()
	if in.User == "" {
		in.User, in.Password = DeviceUser, DevicePassword
	}
	d, err := r.Discover(t.Context(), in)
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	d, err = r.FollowDiscovery(ctx, d.Number, func(v1.Discovery) {})
	require.NoError(t, err)
	return d
}

// AcceptAll enrols all that was found.
func (r *Rig) AcceptAll(t testing.TB) {
	t.Helper()
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	var list []v1.DeviceAcceptance
	for _, f := range found.Items {
		list = append(list, v1.DeviceAcceptance{Address: f.Address, HostKey: f.HostKey})
	}
	results, err := r.Accept(t.Context(), list)
	require.NoError(t, err)
	for _, x := range results.Items {
		require.Empty(t, x.Problem, x.Address)
	}
}
