package main

import (
	"context"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// maxPast bounds how many days of the company's past are lived through.
const maxPast = 60

// companyPast is what was written down of the company before the service came.
type companyPast struct {
	standin.Chronicle
	// configs are what devices ran in that time, the oldest first.
	configs []standin.PastConfig
}

// livePast lets the world live through the days before the first start; at a later start the service has kept them.
func livePast(ctx context.Context, out io.Writer, world *standin.World, o demoOptions) (past companyPast, err error) {
	if _, err := os.Stat(filepath.Join(o.data, "service")); err == nil || o.history <= 0 || o.scale > 0 {
		return past, nil
	}
	days := min(o.history, maxPast)
	_, _ = fmt.Fprintf(out, "Living through the company's last %d days...\n", days)
	past.Chronicle, err = world.LiveThrough(ctx, days, time.Now(), standin.LanternMonth(days))
	past.configs = world.Remembered(days, time.Now())
	return past, err
}

// handOver gives the service what was written down, device by device.
func (p companyPast) handOver(ctx context.Context, c *client.Client) error {
	requests := map[string]*v1.PastRequest{}
	of := func(device string) *v1.PastRequest {
		if requests[device] == nil {
			requests[device] = &v1.PastRequest{}
		}
		return requests[device]
	}
	for _, x := range p.Points {
		r := of(x.Device)
		points := v1.PastPoints{Part: x.Part, Name: x.Name, Metric: x.Metric, From: x.From, StepS: int(x.Step.Seconds()), Mean: known(x.Mean)}
		if x.Step > 5*time.Minute {
			points.Max = known(x.Max)
		}
		r.Points = append(r.Points, points)
	}
	for _, e := range p.Events {
		text := fmt.Sprintf("%s:%s lost its link.", e.Device, e.Port)
		if e.Up {
			text = fmt.Sprintf("%s:%s has its link back.", e.Device, e.Port)
		}
		of(e.Device).Events = append(of(e.Device).Events, v1.PastEvent{At: e.At, Port: e.Port, Text: text})
	}
	all, each := errgroup.WithContext(ctx)
	all.SetLimit(runtime.NumCPU())
	for device, r := range requests {
		all.Go(func() error {
			for _, part := range inParts(*r) {
				if err := c.ImportHistory(each, device, part); err != nil {
					return fmt.Errorf("the past of %s: %w", device, err)
				}
			}
			return nil
		})
	}
	configs := map[string][]standin.PastConfig{}
	for _, p := range p.configs {
		configs[p.Device] = append(configs[p.Device], p)
	}
	for device, list := range configs {
		all.Go(func() error {
			for _, p := range list {
				_, err := c.ImportBackup(each, device, v1.BackupImport{TakenAt: p.At, ChangedBy: p.By, Model: p.Model, Firmware: p.Firmware, Document: string(p.Document)})
				if err != nil {
					return fmt.Errorf("what %s ran: %w", device, err)
				}
			}
			return nil
		})
	}
	if err := all.Wait(); err != nil || len(p.Outages) == 0 {
		return err
	}
	return c.ImportAlarms(ctx, v1.PastAlarms{Alarms: pastAlarms(p.Outages)})
}

// pastAlarms are the alarms of what did not answer: what was lost at the same time is one incident, of the cable that was lost or the device that was dead.
func pastAlarms(outages []standin.PastOutage) (out []v1.PastAlarm) {
	for len(outages) > 0 {
		n := 1
		for n < len(outages) && outages[n].Begin.Equal(outages[0].Begin) {
			n++
		}
		one := outages[:n]
		outages = outages[n:]
		root := slices.IndexFunc(one, func(o standin.PastOutage) bool { return o.NoPower || o.Link != "" })
		first := 0
		add := func(a v1.PastAlarm, o standin.PastOutage) {
			a.RaisedAt, a.ClearedAt, a.Follows = o.Begin, o.End, first
			if out = append(out, a); first == 0 && root >= 0 {
				first = len(out)
			}
		}
		gone := func(o standin.PastOutage) {
			add(v1.PastAlarm{Type: "device-gone", Device: o.Device, Severity: "critical", Args: map[string]any{"why": ""}}, o)
		}
		if root >= 0 && one[root].NoPower {
			gone(one[root])
			one = slices.Delete(slices.Clone(one), root, root+1)
		} else if root >= 0 {
			device, port, _ := strings.Cut(one[root].Link, ":")
			add(v1.PastAlarm{Type: "link-down", Device: device, Port: port, Severity: "major", Args: map[string]any{"to": one[root].To}}, one[root])
		}
		for _, o := range one {
			gone(o)
		}
	}
	for i := len(out) - 1; i >= 0; i-- { // of the last incident of a cable it is known who had it in hand
		if a := &out[i]; a.Type == "link-down" {
			at := func(minutes time.Duration) time.Time { return a.RaisedAt.Add(minutes * time.Minute) }
			acked := at(11)
			a.AckedBy, a.AckedAt, a.AssignedTo = "bram", &acked, "coral"
			a.Notes = []v1.AlarmNote{{At: at(11), By: "bram", Text: "The last boat is gone: nobody can look before the morning."}, {At: a.ClearedAt.Add(4 * time.Minute), By: "bram", Text: "The slipway answers again, and nobody was there. The wind has turned: the fibre box?"}}
			break
		}
	}
	return out
}

// pointsAtOnce keeps requests below what the service takes in one.
const pointsAtOnce = 200_000

// inParts cuts what is handed over into requests.
func inParts(r v1.PastRequest) []v1.PastRequest {
	out, size := []v1.PastRequest{{Events: r.Events}}, 0
	for _, p := range r.Points {
		if size > pointsAtOnce {
			out, size = append(out, v1.PastRequest{}), 0
		}
		last := &out[len(out)-1]
		last.Points = append(last.Points, p)
		size += len(p.Mean) + len(p.Max)
	}
	return out
}

// known turns values into those of the interface, of four digits; what is not known becomes null.
func known(values []float32) []*float64 {
	out := make([]*float64, len(values))
	for i, v := range values {
		if v == v {
			f := rounded(float64(v))
			out[i] = &f
		}
	}
	return out
}

// rounded leaves four digits of a number.
func rounded(f float64) float64 {
	if f == 0 {
		return 0
	}
	by := math.Pow(10, 3-math.Floor(math.Log10(math.Abs(f))))
	return math.Round(f*by) / by
}
