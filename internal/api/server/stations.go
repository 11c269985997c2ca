package server

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/layers"
)

// stationTemplate is a template in which something is said of stations, for all devices of a kind unless somebody says otherwise.
type stationTemplate struct {
	name, title, pick string
	object            func(mac string) string
	without           string // what is so where nothing is said
}

var (
	blockedTemplate = stationTemplate{"blocked-stations", "Blocked stations", "kind in (switch, access-point)", setting.BlockedObject, "is not blocked"}
	limitedTemplate = stationTemplate{"limited-stations", "Limited stations", "kind = access-point", setting.LimitedObject, "is not limited"}
)

// ofStation is what is to be said of a station, or that nothing is any more.
type ofStation struct {
	change     int64
	off        bool
	set        map[string]string // what is empty is left out
	why, where string
}

// configsOf is what the devices run that a selector picks, by name.
func (s *server) configsOf(ctx context.Context, where string, n need) (map[string]network.Config, error) {
	q, err := s.asked(ctx, selector.Device, where, n)
	if err != nil {
		return nil, err
	}
	out := map[string]network.Config{}
	for _, d := range s.Inventory.Devices(q).Rows {
		out[d.Name] = d.Config
	}
	return out, nil
}

// block puts into a draft that nothing of a station passes, or that it passes again.
func (s *server) block(ctx context.Context, mac string, r v1.BlockRequest) (*body[v1.BulkAnswer], error) {
	return s.sayOfStation(ctx, blockedTemplate, mac, ofStation{r.Change, r.Passes, map[string]string{"until": r.Until}, r.Why, r.Where})
}

// limit puts into a draft that a station may send and receive no more than a rate, or as much as it likes again.
func (s *server) limit(ctx context.Context, mac string, r v1.LimitRequest) (*body[v1.BulkAnswer], error) {
	if !r.Free && r.Rate == "" {
		return nil, fmt.Errorf("%w: rate: say what it may send and receive at most, such as 2M or 512k", errInvalid)
	}
	return s.sayOfStation(ctx, limitedTemplate, mac, ofStation{r.Change, r.Free, map[string]string{"limited-to": r.Rate, "until": r.Until}, r.Why, r.Where})
}

// sayOfStation puts into a draft what a template says of a station.
func (s *server) sayOfStation(ctx context.Context, t stationTemplate, mac string, r ofStation) (*body[v1.BulkAnswer], error) {
	put := func(rows ...v1.BulkRow) (*body[v1.BulkAnswer], error) {
		list, err := s.rows(ctx, rows)
		if err != nil {
			return nil, err
		}
		return s.bulk(ctx, r.change, r.why, list)
	}
	layer, object := intent.TemplateLayer(t.name), t.object(mac)
	if r.off {
		off := map[string]string{setting.Present: "off"}
		out, err := put(v1.BulkRow{On: []string{layer + ":" + object}, Set: off})
		if err != nil || out.Body.Change != nil {
			return out, err
		}
		row := v1.BulkRow{Set: off} // devices may say it themselves
		for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Devices), Limit: math.MaxInt, Now: time.Now()}).Rows {
			if _, is := d.Config.Objects[object]; is {
				row.On = append(row.On, d.Name+":"+object)
			}
		}
		if len(row.On) == 0 {
			return nil, fmt.Errorf("%w: %s %s", errInvalid, mac, t.without)
		}
		return put(row)
	}
	draft, err := s.seenDraft(ctx, r.change)
	if err != nil {
		return nil, err
	}
	known, err := s.Layers.Templates(ctx, draft)
	if err != nil {
		return nil, err
	}
	var rows []v1.BulkRow
	if r.where != "" || !slices.ContainsFunc(known, func(k layers.Template) bool { return k.Name == t.name }) {
		rows = append(rows, v1.BulkRow{On: []string{layer + ":" + setting.Self}, Set: map[string]string{setting.Present: "on", "title": t.title, "for": "devices", "pick": cmp.Or(r.where, t.pick)}})
	}
	set := map[string]string{setting.Present: "on"}
	if r.why != "" {
		set["purpose"] = r.why
	}
	for name, value := range r.set {
		if value != "" {
			set[name] = value
		}
	}
	return put(append(rows, v1.BulkRow{On: []string{layer + ":" + object}, Set: set})...)
}
