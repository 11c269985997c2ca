package test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// BenchmarkLists measures lists of a network of 2,000 devices and 96,000 ports over HTTP, beside the sessions to all of
// them: any search, filter and sort. EVERYPOST_BENCH_SITES makes it smaller or larger (100 sites of 20 devices).
func BenchmarkLists(b *testing.B) {
	sites := 100
	if s := os.Getenv("EVERYPOST_BENCH_SITES"); s != "" {
		_, err := fmt.Sscan(s, &sites)
		require.NoError(b, err)
	}
	r := startScaled(b, sites)
	ports, err := r.Ports(b.Context(), client.Query{Limit: 1})
	require.NoError(b, err)
	b.Logf("%d devices, %d ports", len(r.World.Devices()), ports.All)
	for name, path := range map[string]string{
		"first page":     "/ports?limit=200",
		"free text":      "/ports?limit=200&where=camera",
		"filter":         "/ports?limit=200&where=" + url.QueryEscape("port.up = true and port.vlan = 50 and port.poe.watts > 8"),
		"sort by number": "/ports?limit=200&sort=-port.poe.watts,name",
		"sort by text":   "/ports?limit=200&sort=port.description,name",
		"middle":         "/ports?limit=200&offset=48000&sort=-port.rx.octets",
		"counts":         "/ports?limit=0&count=port.health,site",
		"devices by port": "/devices?limit=200&sort=-up&where=" +
			url.QueryEscape("port.up = false and port.description ~ \"Camera*\""),
		"clients": "/clients?limit=200&where=" + url.QueryEscape("client.maker = \"\" and client.vlan = 30") + "&sort=client.mac",
	} {
		b.Run(strings.ReplaceAll(name, " ", "-"), func(b *testing.B) {
			var took []time.Duration
			for b.Loop() {
				began := time.Now()
				drain(b, r, path)
				took = append(took, time.Since(began))
			}
			slices.Sort(took)
			b.ReportMetric(ms(took[len(took)/2]), "ms-median")
			b.ReportMetric(ms(took[len(took)*95/100]), "ms-p95")
		})
	}
	b.Run("at-rest", func(b *testing.B) {
		var m runtime.MemStats
		for b.Loop() {
			before := cpuTime(b)
			<-time.After(300 * time.Millisecond)
			b.ReportMetric(float64(cpuTime(b)-before)/float64(300*time.Millisecond)*100, "%-of-a-core")
		}
		runtime.GC()
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(m.HeapAlloc)/(1<<20), "MiB-heap")
	})
}

func cpuTime(b *testing.B) time.Duration {
	var u syscall.Rusage
	require.NoError(b, syscall.Getrusage(syscall.RUSAGE_SELF, &u))
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

func drain(b *testing.B, r *rig.Rig, path string) {
	req, err := http.NewRequestWithContext(b.Context(), http.MethodGet, r.Base+"/api/v1"+path, nil)
	require.NoError(b, err)
	req.Header.Set("Authorization", "Bearer "+r.Token)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(b, err)
	defer func() { _ = resp.Body.Close() }()
	_, err = io.Copy(io.Discard, resp.Body)
	require.NoError(b, err)
	require.Equal(b, 200, resp.StatusCode)
}

// startScaled starts a large company and a service that has all of it in hand, at the service's own pace.
func startScaled(b *testing.B, sites int) *rig.Rig {
	w, err := standin.New(standin.Scaled(sites), standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(b, err)
	require.NoError(b, w.Start(b.Context()))
	b.Cleanup(w.Close)
	r := &rig.Rig{Dir: b.TempDir(), World: w, Client: &client.Client{}, OwnPace: true}
	r.Open(b)
	b.Cleanup(func() { r.Halt(b) })
	require.NoError(b, r.Service.Access.AddUser(b.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, rig.Password))
	r.Token = r.TokenOf(b, "ada")
	for s := range sites {
		code := fmt.Sprintf("s%03d", s)
		require.NoError(b, r.PutSite(b.Context(), "site-"+code, v1.SiteRequest{Title: "Site " + code, Code: code, Entry: code + "-edge-01"}))
	}
	began := time.Now()
	var wg sync.WaitGroup
	slots := make(chan struct{}, 16)
	for _, name := range w.Devices() {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			key, err := r.Service.Inventory.HostKey(b.Context(), w.Address(name))
			if err == nil {
				_, err = r.Service.Inventory.Enrol(b.Context(), inventory.Enrolment{Address: w.Address(name), User: rig.DeviceUser, Password: rig.DevicePassword, HostKey: key, Site: "site-" + name[:4], By: "ada"})
			}
			if err != nil {
				b.Errorf("%s: %v", name, err)
			}
		})
	}
	wg.Wait()
	ctx, cancel := context.WithTimeout(b.Context(), 2*time.Minute)
	defer cancel()
	for _, name := range w.Devices() {
		require.NoError(b, r.Service.Fleet.Await(ctx, name))
	}
	b.Logf("all in hand after %s", time.Since(began).Round(time.Millisecond))
	return r
}
