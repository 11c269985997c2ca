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
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/store"
)

// TimeQuery is a stretch of time as it is asked for.
type TimeQuery struct {
	From   time.Time `query:"from" doc:"The begin; else a period before the end"`
	To     time.Time `query:"to" doc:"The end; else now"`
	Period string    `query:"period" maxLength:"10" default:"24h" doc:"How long, when no begin is given: 90m, 24h, 7d"`
	StepS  int       `query:"step" minimum:"0" maximum:"2678400" doc:"The length of a step in seconds; else one that fits, never finer than what is kept"`
	Points int       `query:"points" minimum:"1" maximum:"2000" default:"240" doc:"About how many steps, when no length is given"`
}

func (q TimeQuery) bounds() (from, to time.Time, err error) {
	from, to = q.From, q.To
	if to.IsZero() {
		to = time.Now()
	}
	if from.IsZero() {
		d, ok := selector.ParseAge(q.Period)
		if !ok || d == 0 {
			return from, to, fmt.Errorf("the period %q is %w: write a number and m, h or d, such as 24h", q.Period, errInvalid)
		}
		from = to.Add(-d)
	}
	if to.Sub(from) > series.Coarse.Keep() || to.Before(from) {
		return from, to, fmt.Errorf("from %s to %s is %w: it must end after it begins, and nothing is kept for more than %d days", from.Format(time.RFC3339), to.Format(time.RFC3339), errInvalid, int(series.Coarse.Keep().Hours()/24))
	}
	return from, to, nil
}

func (s *server) span(q TimeQuery) (series.Span, error) {
	from, to, err := q.bounds()
	if err != nil {
		return series.Span{}, err
	}
	return s.History.Fit(from, to, time.Duration(q.StepS)*time.Second, q.Points)
}

func historyOut(span series.Span, list []history.Series) *body[v1.History] {
	out := v1.History{From: time.UnixMilli(span.From).UTC(), StepS: int(span.Step / 1000), Count: span.Count, Series: make([]v1.HistoryLine, len(list))}
	for i, x := range list {
		l := v1.HistoryLine{Device: x.Device, Part: string(x.Part), Name: x.Name, Metric: x.Metric.Name, Unit: x.Metric.Unit,
			Mean: make([]*float64, len(x.Points)), Max: make([]*float64, len(x.Points))}
		if !x.Metric.Counter {
			l.Min = make([]*float64, len(x.Points))
		}
		for k, p := range x.Points {
			if !p.Known {
				continue
			}
			l.Mean[k], l.Max[k] = digits(p.Mean), digits(p.Max)
			if l.Min != nil {
				l.Min[k] = digits(p.Min)
			}
		}
		out.Series[i] = l
	}
	return &body[v1.History]{out}
}

// digits leaves five digits of a number: more would be told than is known.
func digits(f float64) *float64 {
	if f != 0 {
		by := math.Pow(10, 4-math.Floor(math.Log10(math.Abs(f))))
		f = math.Round(f*by) / by
	}
	return &f
}

func listed(s string) []string {
	if s == "" {
		return nil
	}
	return strings.Split(s, ",")
}

func (s *server) historyRoutes(api huma.API) {
	register(s, api, signedIn, http.MethodGet, "/history/metrics", "list-metrics", "What history is kept of",
		func(context.Context, *struct{}) (*body[v1.List[v1.MetricInfo]], error) {
			return listOf(series.Metrics(""), func(m *series.Metric) v1.MetricInfo {
				return v1.MetricInfo{Part: string(m.Part), Name: m.Name, Unit: m.Unit, Counter: m.Counter, Help: m.Help}
			}), nil
		})
	type deviceQuery struct {
		NamePath
		TimeQuery
		Part   string   `query:"part" enum:"device,port,tunnel,radio,radio-link,module" default:"device"`
		Thing  []string `query:"of,explode" maxItems:"100" doc:"Names of ports, tunnels ...; all when left out. May be given again"`
		Metric string   `query:"metric" maxLength:"300" doc:"Metrics, separated by commas; all when left out"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/devices/{name}/history", "get-device-history", "What was read of a device and its parts over a time",
		func(ctx context.Context, in *deviceQuery) (*body[v1.History], error) {
			part := series.Part(in.Part)
			if err := s.onDevice(ctx, may(rights.See, rights.Devices), in.Name); err != nil {
				return nil, err
			}
			names := in.Thing
			if part == series.Port {
				names = s.portsSeen(ctx, in.Name, in.Thing)
			}
			span, err := s.span(in.TimeQuery)
			if err != nil {
				return nil, err
			}
			list, err := s.History.Ask(ctx, history.Question{Device: in.Name, Part: part, Names: names, Metrics: listed(in.Metric)}, span)
			if err != nil {
				return nil, err
			}
			slices.SortStableFunc(list, func(a, b history.Series) int { return network.ComparePorts(a.Name, b.Name) })
			return historyOut(span, list), nil
		})
	type clientQuery struct {
		MAC string `path:"mac" maxLength:"17"`
		TimeQuery
	}
	register(s, api, may(rights.See, rights.Clients), http.MethodGet, "/clients/{mac}/history", "get-client-history", "What was read of a wireless client over a time, wherever it was",
		func(ctx context.Context, in *clientQuery) (*body[v1.History], error) {
			mac := strings.ToLower(in.MAC)
			if !s.Inventory.HoldsClient(mac, within(ctx, rights.See, rights.Clients)) {
				return nil, fmt.Errorf("client %s: %w", mac, store.ErrNotFound)
			}
			span, err := s.span(in.TimeQuery)
			if err != nil {
				return nil, err
			}
			list, err := s.History.AskClient(ctx, mac, span)
			return historyOut(span, list), err
		})
	type totalQuery struct {
		TimeQuery
		Where  string `query:"where" maxLength:"4000" doc:"A selector: of which devices"`
		Metric string `query:"metric" maxLength:"40" default:"clients" doc:"A metric of devices"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/history/total", "get-total-history", "A metric of many devices added up, over a time",
		func(ctx context.Context, in *totalQuery) (*body[v1.History], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			span, err := s.span(in.TimeQuery)
			if err != nil {
				return nil, err
			}
			var names []string
			for _, d := range s.Inventory.Devices(q).Rows {
				names = append(names, d.Name)
			}
			total, err := s.History.Total(ctx, names, in.Metric, span)
			if err != nil {
				return nil, err
			}
			return historyOut(span, []history.Series{total}), nil
		})
	type useQuery struct {
		TimeQuery
		Where string `query:"where" maxLength:"4000" doc:"A selector: the links of which devices"`
		Limit int    `query:"limit" minimum:"1" maximum:"1000" default:"20"`
	}
	register(s, api, may(rights.See, rights.Ports), http.MethodGet, "/links/use", "list-link-use", "How much of the links was used over a time, the busiest first",
		func(ctx context.Context, in *useQuery) (*body[v1.List[v1.LinkUse]], error) {
			from, to, err := in.bounds()
			if err != nil {
				return nil, err
			}
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			return s.linkUse(ctx, q, history.Whole(from, to), in.Limit)
		})
	type pastInput struct {
		NamePath
		Body v1.PastRequest
	}
	importing := may(rights.Administer, rights.Events)
	register(s, api, importing, http.MethodPost, "/devices/{name}/history", "import-history", "Take over what another system kept of a device from before it was enrolled",
		func(ctx context.Context, in *pastInput) (*struct{}, error) {
			return nil, s.act(ctx, "import-history", in.Name, s.onDevice(ctx, importing, in.Name), func(string) error { return s.importPast(ctx, in.Name, in.Body) })
		})
}

// portsSeen are the ports of a device that who asks may see, of those that are asked for.
func (s *server) portsSeen(ctx context.Context, device string, asked []string) []string {
	where := within(ctx, rights.See, rights.Ports)
	if where == selector.Expr(selector.All{}) {
		return asked
	}
	out := []string{}
	_, ports, _ := s.Inventory.Device(device)
	for _, p := range ports {
		if (asked == nil || slices.Contains(asked, p.Ref.Port)) && s.Inventory.HoldsPort(p, where) {
			out = append(out, p.Ref.Port)
		}
	}
	return out
}

func (s *server) importPast(ctx context.Context, device string, in v1.PastRequest) error {
	record, _, err := s.Inventory.Device(device)
	if err != nil {
		return err
	}
	list := make([]history.Past, len(in.Points))
	for i, p := range in.Points {
		list[i] = history.Past{Thing: series.Thing{Part: series.Part(p.Part), Name: p.Name}, Metric: p.Metric, From: p.From, Step: time.Duration(p.StepS) * time.Second, Mean: numbers(p.Mean)}
		if p.Max != nil {
			list[i].Max = numbers(p.Max)
		}
	}
	for _, e := range in.Events {
		if !e.At.Before(record.EnrolledAt) {
			return fmt.Errorf("an event of %s is after the device was enrolled: that is %w", e.At.Format(time.RFC3339), errInvalid)
		}
	}
	if err := s.History.Import(ctx, device, record.EnrolledAt, list); err != nil {
		return err
	}
	past := make([]store.Event, len(in.Events))
	for i, e := range in.Events {
		kind := fact.Device
		if e.Port != "" {
			kind = fact.Port
		}
		past[i] = store.Event{Fact: fact.Fact{At: e.At}, Kind: string(kind), Device: device, Port: e.Port, Text: e.Text, By: person(ctx).Name}
	}
	return s.Store.ImportEvents(ctx, past)
}

// linkUse tells how much of the links of devices was used.
func (s *server) linkUse(ctx context.Context, q catalog.Query, span series.Span, limit int) (*body[v1.List[v1.LinkUse]], error) {
	everything, asked := s.askedOf(ctx, q)
	lines, _ := linesOf(everything)
	if where := within(ctx, rights.See, rights.Ports); where != selector.Expr(selector.All{}) {
		lines = slices.DeleteFunc(lines, func(l topology.Line) bool { return len(s.portsSeen(ctx, l.A.Device, l.A.Ports)) < len(l.A.Ports) })
	}
	ports := map[string][]string{} // by device: those whose counts are asked for
	lines = slices.DeleteFunc(lines, func(l topology.Line) bool {
		return l.Kind == topology.Tunnel || !asked[l.A.Device] && !asked[l.B.Device]
	})
	for _, l := range lines {
		ports[l.A.Device] = append(ports[l.A.Device], l.A.Ports...)
	}
	type direction struct{ mean, peak float64 }
	counted := map[string]map[string]direction{} // by port, then metric
	for device, names := range ports {
		list, err := s.History.Ask(ctx, history.Question{Device: device, Part: series.Port, Names: names, Metrics: []string{"rx", "tx"}}, span)
		if err != nil {
			return nil, err
		}
		for _, x := range list {
			if p := x.Points[0]; p.Known {
				ref := device + ":" + x.Name
				if counted[ref] == nil {
					counted[ref] = map[string]direction{}
				}
				counted[ref][x.Metric.Name] = direction{p.Mean, p.Max}
			}
		}
	}
	out := []v1.LinkUse{}
	for _, l := range lines {
		u := v1.LinkUse{Kind: l.Kind, A: v1.LineEnd(l.A), B: v1.LineEnd(l.B), SpeedMbps: l.SpeedMbps}
		known := false
		for _, port := range l.A.Ports {
			c, ok := counted[l.A.Device+":"+port]
			known = known || ok
			u.MeanAB, u.PeakAB = u.MeanAB+c["tx"].mean, u.PeakAB+c["tx"].peak
			u.MeanBA, u.PeakBA = u.MeanBA+c["rx"].mean, u.PeakBA+c["rx"].peak
		}
		if !known {
			continue
		}
		if l.SpeedMbps > 0 {
			u.UseMean, u.UsePeak = percentOf(max(u.MeanAB, u.MeanBA), l.SpeedMbps), percentOf(max(u.PeakAB, u.PeakBA), l.SpeedMbps)
		}
		out = append(out, u)
	}
	slices.SortStableFunc(out, func(a, b v1.LinkUse) int {
		return cmp.Or(cmp.Compare(b.UseMean, a.UseMean), cmp.Compare(b.MeanAB+b.MeanBA, a.MeanAB+a.MeanBA))
	})
	total := len(out)
	return &body[v1.List[v1.LinkUse]]{v1.List[v1.LinkUse]{Items: out[:min(limit, total)], Total: total}}, nil
}

// percentOf is what part of a speed a rate in bit/s is.
func percentOf(bps float64, mbps int) float64 { return bps / float64(mbps) / 1e4 }

func numbers(in []*float64) []float64 {
	out := make([]float64, len(in))
	for i, f := range in {
		out[i] = math.NaN()
		if f != nil {
			out[i] = *f
		}
	}
	return out
}
