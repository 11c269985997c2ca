package history_test

import (
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/store"
)

const (
	benchDevices = 16
	benchPorts   = 48
	benchPolls   = 240 // two hours, each half minute
)

func cpu() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// lived is a history of so many polls of busy switches, all of it packed, and how much processor time that took.
func lived(b *testing.B, polls int) (h *history.Service, s *store.Store, file string, took time.Duration) {
	b.Helper()
	file = filepath.Join(b.TempDir(), "db")
	s, err := store.Open(b.Context(), file)
	require.NoError(b, err)
	require.NoError(b, s.PutSite(b.Context(), network.Site{Name: "tern-haven"}))
	now := begin
	f, err := feed.New(b.Context(), s, slog.New(slog.DiscardHandler))
	require.NoError(b, err)
	b.Cleanup(f.Close)
	open := func() {
		h = history.New(s, nobody{}, func(string) int { return 0 }, f, slog.New(slog.NewTextHandler(io.Discard, nil)), func() time.Time { return now }, 0)
	}
	open()
	r := rand.New(rand.NewPCG(1, 2))
	counters := make([][]network.Counters, benchDevices)
	for d := range benchDevices {
		name := fmt.Sprintf("sw-%02d", d)
		require.NoError(b, s.AddDevice(b.Context(), store.Device{Name: name, Site: "tern-haven", Address: name + ":830", Secret: []byte{}, Identity: network.Identity{Serial: name}, EnrolledAt: begin}))
		counters[d] = make([]network.Counters, benchPorts)
	}
	begun := cpu()
	for poll := range polls {
		o := h
		now = begin.Add(time.Duration(poll) * 30 * time.Second)
		for d := range benchDevices {
			st := network.State{ObservedAt: now, Ports: make(map[string]network.PortState, benchPorts)}
			for p := range benchPorts {
				c := &counters[d][p]
				frames := 20_000 + r.Uint64N(4000)
				c.RxOctets, c.TxOctets, c.RxUnicast, c.TxUnicast = c.RxOctets+frames*640, c.TxOctets+frames*210, c.RxUnicast+frames, c.TxUnicast+frames/2
				c.RxMulticast, c.RxBroadcast, c.TxMulticast = c.RxMulticast+r.Uint64N(40), c.RxBroadcast+r.Uint64N(20), c.TxMulticast+r.Uint64N(30)
				st.Ports[fmt.Sprintf("1/1/%d", p+1)] = network.PortState{Oper: network.Up, PoEMilliW: 6000 + r.IntN(200), Counters: *c}
			}
			o.Read(fleet.View{Name: fmt.Sprintf("sw-%02d", d), State: st})
		}
		if poll%benchPolls == benchPolls-1 { // all of it is written before the next two hours begin
			h.Close()
			now = now.Add(10 * time.Minute)
			for more := true; more; {
				more, err = h.SealOne(b.Context())
				require.NoError(b, err)
			}
			open()
		}
	}
	took = cpu() - begun
	b.Cleanup(func() {
		h.Close()
		_ = s.Close()
	})
	return h, s, file, took
}

// BenchmarkKeep keeps two hours of 16 switches with 48 busy ports each: taken, logged, packed and rolled.
func BenchmarkKeep(b *testing.B) {
	const samples = benchDevices * benchPorts * benchPolls * 15
	for b.Loop() {
		_, s, file, took := lived(b, benchPolls)
		b.ReportMetric(samples/took.Seconds(), "samples/cpu-s")
		packed, _, err := s.SampleChunkSize(b.Context())
		require.NoError(b, err)
		b.ReportMetric(float64(packed)/samples, "packed-bytes/sample")
		info, err := os.Stat(file)
		require.NoError(b, err)
		b.ReportMetric(float64(info.Size())/samples, "file-bytes/sample")
	}
}

// BenchmarkAsk tells a day of 48 series of one switch, as JSON: as a page draws it, and each minute of it.
func BenchmarkAsk(b *testing.B) {
	h, _, _, _ := lived(b, 12*benchPolls)
	for name, step := range map[string]time.Duration{"page": 5 * time.Minute, "minutes": time.Minute} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				span, err := h.Fit(begin, begin.Add(24*time.Hour), step, 0)
				require.NoError(b, err)
				list, err := h.Ask(b.Context(), history.Question{Device: "sw-03", Part: series.Port, Metrics: []string{"rx"}}, span)
				require.NoError(b, err)
				require.Len(b, list, 48)
				_, err = json.Marshal(list)
				require.NoError(b, err)
			}
		})
	}
}
