package alarms_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// incident is a fault of the day, and what should be told of it.
type incident struct {
	fault  standin.Fault
	target string
	alarm  string // its type; "" where nothing should be told
	mend   standin.Fault
}

// patience is how long it is waited for what is told: errors must last for half a minute.
func (f incident) patience() time.Duration {
	if f.fault == standin.Damage {
		return 50 * time.Second
	}
	return 25 * time.Second
}

var day = []incident{
	{standin.Cut, "th-sw-02:1/1/25", "link-down", standin.Mend}, {standin.PowerLoss, "th-sw-03", "device-gone", standin.Recover}, {standin.Hang, "kb-sw-02", "device-gone", standin.Recover},
	{standin.Damage, "th-sw-04:1/1/13", "errors", standin.Mend}, {standin.Overheat, "hh-core-01", "hot", standin.Recover}, {standin.DeadSupply, "hh-core-02", "supply", standin.Recover},
	{standin.Rain, "gs-rl-01", "radio-link", standin.Recover}, {standin.Contact, "kb-sw-01:1", "input", standin.Contact}, {standin.Reboot, "ol-sw-02", "device-gone", ""},
	{standin.Flap, "ol-sw-02:*", "link-down", standin.Mend}, {standin.Cut, "gu-sw-01:*", "link-down", standin.Mend}, {standin.PowerLoss, "th-ap-03", "device-gone", standin.Recover},
	{standin.Hang, "hh-fw-01", "device-gone", standin.Recover}, {standin.Overheat, "rz-sw-01", "hot", standin.Recover}, {standin.Damage, "th-sw-01:1/1/49", "errors", standin.Mend},
	{standin.RogueDHCP, "th-sw-04:1/1/14", "rogue-dhcp", standin.Mend}, {standin.Cut, "ng-sw-02:*", "link-down", standin.Mend}, {standin.PowerLoss, "mp-edge-01", "device-gone", standin.Recover},
	{standin.Contact, "kb-sw-01:2", "input", standin.Contact}, {standin.DeadSupply, "hh-core-01", "supply", standin.Recover}, {standin.Hang, "ng-sw-01", "device-gone", standin.Recover},
	{standin.Reboot, "th-ap-05", "device-gone", ""}, {standin.Overheat, "ol-sw-01", "hot", standin.Recover}, {standin.Damage, "ol-sw-02:*", "errors", standin.Mend},
	{standin.PowerLoss, "ol-sw-01", "device-gone", standin.Recover}, {standin.Cut, "hh-sw-01:*", "link-down", standin.Mend}, {standin.Flap, "th-sw-02:1/1/25", "link-down", standin.Mend},
	{standin.RogueDHCP, "ol-sw-02:1/1/10", "rogue-dhcp", standin.Mend}, {standin.Tinker, "ng-sw-02:1/1/5", "drift", ""}, {standin.Tinker, "th-sw-05:1/1/3", "drift", ""},
}

// BenchmarkADayOfFaults throws 30 faults of 12 kinds at the company, one after another, and holds what is told against them: how often the cause is named,
// how many messages a fault takes, what is missed, and what is told for nothing. Run it with -benchtime 1x; it takes a quarter of an hour.
func BenchmarkADayOfFaults(b *testing.B) {
	var mu sync.Mutex
	messages := 0
	page := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		mu.Lock()
		defer mu.Unlock()
		if strings.Contains(string(body), `"alarm.raised"`) {
			messages++
		}
	}))
	defer page.Close()
	for b.Loop() {
		r := rig.StartCompany(b)
		r.Search(b, v1.DiscoveryRequest{Targets: []string{r.World.Address("hh-core-01")}, Hops: 16})
		r.AcceptAll(b)
		require.Eventually(b, func() bool {
			list, err := r.Devices(b.Context(), client.Query{Where: "reach = connected", Limit: 1})
			return err == nil && list.Total >= 70
		}, 2*time.Minute, time.Second)
		open := func() []v1.Alarm {
			list, err := r.Alarms(b.Context(), client.AlarmQuery{Limit: 200})
			require.NoError(b, err)
			return list.Items
		}
		time.Sleep(30 * time.Second) // until all is read
		before := map[int64]bool{}
		for _, a := range open() {
			before[a.Number] = true
		}
		_, err := r.PutNotice(b.Context(), "day", v1.NoticeRequest{Severity: "warning", Webhook: page.URL})
		require.NoError(b, err)
		right, missed, wrong, begun := 0, 0, 0, messages
		for _, f := range day {
			device, port, _ := strings.Cut(f.target, ":")
			if port == "*" { // any cable to another device
				for _, c := range r.World.Cables() {
					for _, end := range c {
						if strings.HasPrefix(end, device+":") {
							f.target = end
						}
					}
				}
			}
			require.NoError(b, r.World.Throw(f.fault, f.target))
			cause, others := "", []string{}
			seen := map[int64]bool{}
			for deadline := time.Now().Add(f.patience()); time.Now().Before(deadline); time.Sleep(time.Second) {
				now := open()
				cause, others = "", nil
				for _, a := range now {
					if before[a.Number] {
						continue
					}
					seen[a.Number] = true
					if names := a.Resource + " " + a.Text; strings.Contains(names, device) {
						cause = a.Type
					} else {
						others = append(others, a.Text)
					}
				}
			}
			if cause == "" && len(seen) > 0 { // it was told, and is over
				cause = f.alarm
			}
			switch {
			case cause == f.alarm || f.alarm == "device-gone" && cause == "link-down": // by a single way it cannot be told which
				right++
			case cause == "":
				missed++
			}
			wrong += len(others)
			b.Logf("%-10s %-18s told: %-12s besides: %v", f.fault, f.target, cause, others)
			if f.mend != "" {
				require.NoError(b, r.World.Throw(f.mend, f.target))
			}
			for deadline := time.Now().Add(40 * time.Second); time.Now().Before(deadline); time.Sleep(time.Second) {
				left := 0
				for _, a := range open() {
					if !before[a.Number] {
						left++
					}
				}
				if left == 0 || f.fault == standin.Tinker {
					break
				}
			}
			for _, a := range open() {
				before[a.Number] = true
			}
		}
		mu.Lock()
		b.ReportMetric(float64(right), "causes-right")
		b.ReportMetric(float64(missed), "missed")
		b.ReportMetric(float64(wrong), "false")
		b.ReportMetric(float64(messages-begun)/float64(len(day)), "messages/fault")
		mu.Unlock()
		b.Logf("%d faults: %d causes right, %d missed, %d false, %d messages", len(day), right, missed, wrong, messages-begun)
	}
}
