package test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// BenchmarkChangeSeen measures the time from cutting a cable in the world to the event at a client of the service's
// stream: through the device's notification, the driver, the fleet, the bus and HTTP.
func BenchmarkChangeSeen(b *testing.B) {
	r := rig.Start(b, rig.World(b))
	seen := make(chan time.Time, 16)
	listening := make(chan struct{})
	go func() {
		_ = r.Events(b.Context(), 0, func(e v1.Event) bool {
			switch {
			case e.Kind == "reset":
				close(listening)
			case e.Kind == "port" && e.Device == "th-sw-02" && e.Port == "1/1/7":
				seen <- time.Now()
			}
			return true
		})
	}()
	<-listening
	var took []time.Duration
	fault := standin.Cut
	for b.Loop() {
		began := time.Now()
		require.NoError(b, r.World.Throw(fault, rig.Printer))
		took = append(took, (<-seen).Sub(began))
		if fault == standin.Cut {
			fault = standin.Mend
		} else {
			fault = standin.Cut
		}
	}
	slices.Sort(took)
	b.ReportMetric(ms(took[len(took)/2]), "ms-median")
	b.ReportMetric(ms(took[len(took)-1]), "ms-worst")
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// BenchmarkPush measures a push of one edit on each of two devices until it is on trial, and keeping it.
func BenchmarkPush(b *testing.B) {
	r := rig.Start(b, rig.World(b))
	vlans := []string{"40", "20"}
	var pushed, kept []time.Duration
	n := 0
	for b.Loop() {
		c := draftBoth(b, r, vlans[n%2])
		n++
		began := time.Now()
		_, err := r.Push(b.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
		require.NoError(b, err)
		r.Until(b, c.Number, "on-trial")
		pushed = append(pushed, time.Since(began))
		began = time.Now()
		_, err = r.Keep(b.Context(), c.Number)
		require.NoError(b, err)
		r.Until(b, c.Number, "kept")
		kept = append(kept, time.Since(began))
	}
	slices.Sort(pushed)
	slices.Sort(kept)
	b.ReportMetric(ms(pushed[len(pushed)/2]), "ms-to-trial")
	b.ReportMetric(ms(kept[len(kept)/2]), "ms-to-kept")
}

func draftBoth(b *testing.B, r *rig.Rig, vlan string) v1.Change {
	return r.Draft(b, [3]string{rig.Printer, "vlan", vlan}, [3]string{"th-sw-01:1/1/7", "vlan", vlan})
}

// BenchmarkPushMany plans, checks and pushes 10,000 edits over 200 switches, each of which takes its time for every answer, and
// holds the push beside what one of them takes alone for the same.
func BenchmarkPushMany(b *testing.B) {
	r := startScaled(b, 11)
	var switches []string
	for _, d := range r.World.Devices() {
		if strings.Contains(d, "-sw-") && len(switches) < 200 && !strings.HasSuffix(d, "-sw-01") {
			switches = append(switches, d)
		}
	}
	for _, d := range switches {
		require.NoError(b, r.World.Throw(standin.Slow, d))
	}
	row := func(devices []string, text string) v1.BulkRow {
		row := v1.BulkRow{Set: map[string]string{"description": text}}
		for _, d := range devices {
			for port := range 50 {
				row.On = append(row.On, fmt.Sprintf("%s:1/1/%d", d, port+1))
			}
		}
		return row
	}
	slowest := func(since map[string]time.Duration) (own time.Duration) {
		for d, was := range since {
			own = max(own, r.World.OwnTime(d)-was)
		}
		return own
	}
	// seen is when a change is told to be in a state, to whoever follows it.
	seen := func(number int64, state string) (at time.Time) {
		_, err := r.Follow(b.Context(), number, func(v1.Change) {}, func(c v1.Change) bool {
			at = time.Now()
			return c.State == state
		})
		require.NoError(b, err)
		return at
	}
	push := func(devices []string, text string) (planned, pushed, own, kept time.Duration) {
		began := time.Now()
		answer, err := r.Bulk(b.Context(), v1.BulkRequest{Rows: []v1.BulkRow{row(devices, text)}})
		require.NoError(b, err)
		c, err := r.Check(b.Context(), answer.Change.Number)
		require.NoError(b, err)
		planned, began = time.Since(began), time.Now()
		worked := map[string]time.Duration{}
		for _, d := range devices {
			worked[d] = r.World.OwnTime(d)
		}
		_, err = r.Push(b.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 300})
		require.NoError(b, err)
		pushed, own = seen(c.Number, "on-trial").Sub(began), slowest(worked)
		began = time.Now()
		_, err = r.Keep(b.Context(), c.Number)
		require.NoError(b, err)
		return planned, pushed, own, seen(c.Number, "kept").Sub(began)
	}
	n := 0
	for b.Loop() {
		n++
		_, one, _, oneKept := push(switches[:1], fmt.Sprintf("alone %d", n))
		planned, all, own, allKept := push(switches, fmt.Sprintf("all %d", n))
		b.ReportMetric(ms(planned), "ms-planned-and-checked")
		b.ReportMetric(ms(one), "ms-push-of-one")
		b.ReportMetric(ms(all), "ms-push-of-all")
		b.ReportMetric(float64(all)/float64(one), "times-the-one")
		b.ReportMetric(float64(all)/float64(own), "times-the-slowest's-own")
		b.ReportMetric(float64(allKept)/float64(oneKept), "times-the-one-kept")
	}
}
