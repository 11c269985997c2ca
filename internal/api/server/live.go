package server

import (
	"context"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/permission"
)

const (
	liveLook = 200 * time.Millisecond // between looks whether there is a new reading
)

func (s *server) liveRoutes(api huma.API) {
	type liveInput struct {
		Name  string   `path:"name" maxLength:"63"`
		Ports []string `query:"ports" maxItems:"64" doc:"Which ports; all when left out"`
	}
	op := described(may(rights.See, rights.Devices), http.MethodGet, "/devices/{name}/live", "stream-device", "A device and its ports, read each second while somebody looks on")
	op.Description = "Server-sent events: `reading` for each time that it is read, `gone` once it cannot be. " + op.Description
	sse.Register(api, op, map[string]any{"reading": v1.LiveReading{}, "beat": v1.Beat{}, "gone": v1.Gone{}},
		func(ctx context.Context, in *liveInput, send sse.Sender) { s.live(ctx, in.Name, in.Ports, send) })
}

// live sends readings of a device to who makes the request, until he goes, or may not see it any more.
func (s *server) live(ctx context.Context, device string, ports []string, send sse.Sender) {
	gone := func(why string) { _ = send(sse.Message{Data: v1.Gone{Why: why}}) }
	if err := s.onDevice(ctx, may(rights.See, rights.Devices), device); err != nil {
		gone(err.Error())
		return
	}
	release, err := s.Fleet.LookOn(device)
	if err != nil {
		gone(err.Error())
		return
	}
	defer release()
	who, again := person(ctx), again(ctx)
	beat, tick := time.NewTicker(beatEvery), time.NewTicker(liveLook)
	defer beat.Stop()
	defer tick.Stop()
	var last time.Time
	for {
		select {
		case <-tick.C:
			v, there := s.Fleet.View(device)
			if !there {
				gone("the device is not known any more")
				return
			}
			if !v.State.ObservedAt.After(last) {
				continue
			}
			first := last.IsZero()
			if last = v.State.ObservedAt; first {
				continue // its rates are of a longer time
			}
			if send(sse.Message{Data: s.liveReading(who, v, ports)}) != nil {
				return
			}
		case now := <-beat.C:
			if who, err = again(); err != nil || s.Permission.OnDevice(who, may(rights.See, rights.Devices), device) != nil {
				return
			}
			if send(sse.Message{Data: v1.Beat{At: now.UTC()}}) != nil {
				return
			}
		case <-ctx.Done():
			return
		case <-s.closing.Done():
			return
		}
	}
}

// liveReading is what of a reading a person may see.
func (s *server) liveReading(who access.Person, v fleet.View, ports []string) v1.LiveReading {
	out := v1.LiveReading{At: v.State.ObservedAt.UTC(), Ports: []v1.LivePort{}}
	if h := v.Inside.Hardware; h.HasSensors {
		out.Device.CPUPercent, out.Device.TemperatureCelsius = &h.CPUPercent, &h.Temperature
		if h.MemoryTotal > 0 {
			used := 100 * float64(h.MemoryUsed) / float64(h.MemoryTotal)
			out.Device.MemoryPercent = &used
		}
	}
	if p := v.State.Power; p != nil {
		out.Device.PoEMilliW = p.UsedMilliW
	}
	names := slices.SortedFunc(maps.Keys(v.State.Ports), network.ComparePorts)
	refs := make([]network.PortRef, 0, len(names))
	for _, name := range names {
		if len(ports) == 0 || slices.ContainsFunc(ports, func(p string) bool { return strings.EqualFold(p, name) }) {
			refs = append(refs, network.PortRef{Device: v.Name, Port: name})
		}
	}
	hidden := s.Inventory.NotHeld(refs, permission.Within(who, may(rights.See, rights.Ports)))
	for _, ref := range refs {
		if slices.Contains(hidden, ref) {
			continue
		}
		p := v.State.Ports[ref.Port]
		one := v1.LivePort{Port: ref.Port, Up: p.Oper == network.Up, PoEMilliW: p.PoEMilliW}
		if r := p.Rates; r.Span > 0 {
			one.RxBps, one.TxBps, one.RxFps, one.TxFps, one.Errors, one.Discards = r.RxBps, r.TxBps, r.RxPps, r.TxPps, r.Errors, r.Discards
		}
		out.Ports = append(out.Ports, one)
	}
	return out
}
