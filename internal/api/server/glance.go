package server

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/store"
)

const (
	stripStep  = 15 * time.Minute
	stripSteps = 96 // a day
	topDevices = 500
)

// glanceRoutes tell of a time at a glance: how things fared, what ranked high, how much went through.
func (s *server) glanceRoutes(api huma.API) {
	type stripsQuery struct {
		By    string `query:"by" enum:"site,device,port" default:"site"`
		Where string `query:"where" maxLength:"4000" doc:"A selector of devices"`
	}
	register(s, api, seeAlarms, http.MethodGet, "/alarms/strips", "list-strips", "How sites, devices or ports fared in the last 24 hours, by the alarms on them",
		func(ctx context.Context, in *stripsQuery) (*body[v1.Strips], error) {
			return s.strips(ctx, in.By, in.Where)
		})
	type topQuery struct {
		TimeQuery
		Where string `query:"where" maxLength:"4000" doc:"A selector of devices"`
		Part  string `query:"part" enum:"device,port,tunnel,radio,radio-link,module" default:"device"`
		Name  string `query:"metric" maxLength:"63" default:"cpu" doc:"Which reading: see /history/metrics; and port use, of its speed, in percent"`
		Order string `query:"order" enum:"mean,peak,least" default:"mean" doc:"By the mean, the highest, or the lowest mean first"`
		Limit int    `query:"limit" minimum:"1" maximum:"200" default:"10"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/history/top", "list-top", "What ranks highest by a reading over a time",
		func(ctx context.Context, in *topQuery) (*body[v1.Top], error) {
			from, to, err := in.bounds()
			if err != nil {
				return nil, err
			}
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			return s.top(ctx, q, from, to, series.Part(in.Part), in.Name, in.Order, in.Limit)
		})
	type volumeQuery struct {
		NamePath
		Port string `query:"port" required:"true" minLength:"1" maxLength:"63"`
		TimeQuery
		By   string `query:"by" enum:"hour,day,month" default:"day"`
		Zone string `query:"zone" maxLength:"64" default:"UTC" doc:"IANA time zone of days and months"`
	}
	register(s, api, may(rights.See, rights.Ports), http.MethodGet, "/devices/{name}/volumes", "list-volumes", "How much went through a port, by hour, day or month",
		func(ctx context.Context, in *volumeQuery) (*body[v1.Volumes], error) {
			zone, err := time.LoadLocation(in.Zone)
			if err != nil || in.Zone == "Local" {
				return nil, fmt.Errorf("%w: %q is not a time zone: write it like Europe/London", errInvalid, in.Zone)
			}
			from, to, err := in.bounds()
			if err != nil {
				return nil, err
			}
			_, ports, err := s.Inventory.Device(in.Name)
			if err != nil || !slices.ContainsFunc(ports, func(p *catalog.Port) bool { return p.Ref.Port == in.Port }) {
				return nil, fmt.Errorf("port %s:%s: %w", in.Name, in.Port, store.ErrNotFound)
			}
			if err := s.Permission.OnPorts(person(ctx), may(rights.See, rights.Ports), []network.PortRef{{Device: in.Name, Port: in.Port}}); err != nil {
				return nil, err
			}
			list, err := s.History.Volumes(ctx, in.Name, in.Port, in.By, from, to, zone)
			out := v1.Volumes{Device: in.Name, Port: in.Port, By: in.By, Zone: in.Zone, Items: []v1.Volume{}}
			for _, v := range list {
				out.Items = append(out.Items, v1.Volume{From: v.From, RxOctets: v.Rx, TxOctets: v.Tx, Known: v.Known})
			}
			return &body[v1.Volumes]{out}, err
		})
}

// strips are how things fared in the last day.
func (s *server) strips(ctx context.Context, by, where string) (*body[v1.Strips], error) {
	q, err := s.asked(ctx, selector.Device, where, seeAlarms)
	if err != nil {
		return nil, err
	}
	q.Within = selector.Both(q.Within, within(ctx, rights.See, rights.Alarms))
	devices := s.Inventory.Devices(q).Rows
	names, site := make([]string, len(devices)), map[string]string{}
	for i, d := range devices {
		names[i], site[d.Name] = d.Name, d.Site.Name
	}
	from := time.Now().UTC().Truncate(stripStep).Add(-(stripSteps - 1) * stripStep)
	list, err := s.Alarms.List(ctx, store.AlarmQuery{Devices: names, Since: from, Limit: math.MaxInt32})
	if err != nil {
		return nil, err
	}
	of := map[string][]alarm.Alarm{}
	out := v1.Strips{From: from, StepSeconds: int(stripStep / time.Second), Items: []v1.Strip{}}
	var order []v1.Strip
	switch by {
	case "site":
		for _, d := range devices {
			order = append(order, v1.Strip{Name: d.Site.Name, Site: d.Site.Name})
		}
		for _, a := range list {
			of[site[a.Subject.OnDevice()]] = append(of[site[a.Subject.OnDevice()]], a)
		}
	case "device":
		for _, name := range names {
			order = append(order, v1.Strip{Name: name, Device: name})
		}
		for _, a := range list {
			of[a.Subject.OnDevice()] = append(of[a.Subject.OnDevice()], a)
		}
	default: // of ports those that had any
		for _, a := range list {
			if port := a.Subject.PortName(); port != "" {
				name := a.Subject.String()
				order = append(order, v1.Strip{Name: name, Device: a.Subject.OnDevice(), Port: port})
				of[name] = append(of[name], a)
			}
		}
		if seen := within(ctx, rights.See, rights.Ports); seen != selector.Expr(selector.All{}) {
			refs := make([]network.PortRef, len(order))
			for i, o := range order {
				refs[i] = network.PortRef{Device: o.Device, Port: o.Port}
			}
			hidden := s.Inventory.NotHeld(refs, seen)
			order = slices.DeleteFunc(order, func(o v1.Strip) bool { return slices.Contains(hidden, network.PortRef{Device: o.Device, Port: o.Port}) })
		}
	}
	slices.SortFunc(order, func(a, b v1.Strip) int { return network.ComparePorts(a.Name, b.Name) })
	for _, one := range slices.CompactFunc(order, func(a, b v1.Strip) bool { return a.Name == b.Name }) {
		for _, worst := range alarm.Strip(of[one.Name], from, stripStep, stripSteps) {
			one.Steps = append(one.Steps, string(worst))
		}
		out.Items = append(out.Items, one)
	}
	return &body[v1.Strips]{out}, nil
}

// top ranks what devices have of a part by a reading.
func (s *server) top(ctx context.Context, q catalog.Query, from, to time.Time, part series.Part, metric, order string, limit int) (*body[v1.Top], error) {
	share := part == series.Port && metric == "use"
	metrics := []string{metric}
	out := v1.Top{From: from.UTC(), To: to.UTC(), Items: []v1.TopRow{}}
	switch m := series.Find(part, metric); {
	case share:
		metrics, out.Unit = []string{"rx", "tx"}, "%"
	case m == nil:
		return nil, fmt.Errorf("%w: a %s has no reading %q", errInvalid, part, metric)
	default:
		out.Unit = m.Unit
	}
	devices := s.Inventory.Devices(q).Rows
	if out.More = len(devices) > topDevices; out.More {
		devices = devices[:topDevices]
	}
	for _, d := range devices {
		var names []string
		if part == series.Port {
			names = s.portsSeen(ctx, d.Name, nil)
		}
		list, err := s.History.Ask(ctx, history.Question{Device: d.Name, Part: part, Names: names, Metrics: metrics}, history.Whole(from, to))
		if err != nil {
			return nil, err
		}
		rows := map[string]*v1.TopRow{}
		for _, x := range list {
			p := x.Points[0]
			if !p.Known {
				continue
			}
			mean, peak := p.Mean, p.Max
			text := ""
			if part == series.Port {
				text = d.Config.Ports[x.Name].Description
				if speed := float64(d.State.Ports[x.Name].SpeedMbps) * 1e6; share && speed > 0 {
					mean, peak = 100*mean/speed, 100*peak/speed
				} else if share {
					continue
				}
			}
			if r := rows[x.Name]; r != nil { // of both directions the busier one
				r.Mean, r.Peak = max(r.Mean, mean), max(r.Peak, peak)
				continue
			}
			rows[x.Name] = &v1.TopRow{Device: d.Name, Name: x.Name, Text: text, Mean: mean, Peak: peak}
		}
		for _, r := range rows {
			out.Items = append(out.Items, *r)
		}
	}
	out.Total = len(out.Items)
	slices.SortFunc(out.Items, func(a, b v1.TopRow) int {
		by := cmp.Compare(b.Mean, a.Mean)
		switch order {
		case "peak":
			by = cmp.Compare(b.Peak, a.Peak)
		case "least":
			by = cmp.Compare(a.Mean, b.Mean)
		}
		return cmp.Or(by, strings.Compare(a.Device, b.Device), network.ComparePorts(a.Name, b.Name))
	})
	out.Items = out.Items[:min(limit, len(out.Items))]
	for i, r := range out.Items {
		out.Items[i].Mean, out.Items[i].Peak = *digits(r.Mean), *digits(r.Peak)
	}
	return &body[v1.Top]{out}, nil
}
