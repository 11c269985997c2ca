package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"rsc.io/qr"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radio"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/wireless"
)

// wirelessRoutes tell of wireless networks, radios, and stations that do not get in.
func (s *server) wirelessRoutes(api huma.API) {
	see, seeClients := may(rights.See, rights.Devices), may(rights.See, rights.Clients)
	type where struct {
		Where string `query:"where" maxLength:"4000" doc:"A selector: of which access points"`
	}
	register(s, api, see, http.MethodGet, "/wireless/networks", "list-wireless-networks", "The wireless networks, of all access points that offer one of a name",
		func(ctx context.Context, in *where) (*body[v1.List[v1.WirelessNetwork]], error) {
			points, err := s.points(ctx, in.Where)
			return listOf(wireless.Networks(points), func(n wireless.Network) v1.WirelessNetwork {
				return v1.WirelessNetwork{Name: n.Name, SSID: n.SSID, Purpose: n.Purpose, Security: n.Security, VLANs: n.VLANs, Bands: append([]string{}, n.Bands...), Devices: n.Points,
					Offered: n.Offered, Stations: n.Stations, UpBps: n.UpBps, DownBps: n.DownBps, Differs: append([]string{}, n.Differs...)}
			}), err
		})
	register(s, api, see, http.MethodGet, "/wireless/radios", "list-radios", "The radios of access points: how they send, how busy their channels are, and whom they hear",
		func(ctx context.Context, in *where) (*body[v1.List[v1.AirRadio]], error) {
			points, err := s.points(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			all, err := s.points(ctx, "") // whom they hear may be of any place that who asks may see
			ours := map[string]string{}
			for _, r := range wireless.Radios(all) {
				if r.MAC != "" {
					ours[r.MAC] = r.Device + ":" + r.Port
				}
			}
			return listOf(wireless.Radios(points), func(r wireless.Radio) v1.AirRadio { return radioOut(r, ours) }), err
		})
	register(s, api, seeClients, http.MethodGet, "/wireless/refusals", "list-refusals", "Stations that tried to join a wireless network within the last hour and did not, the last one first",
		func(ctx context.Context, in *where) (*body[v1.List[v1.Refusal]], error) {
			points, err := s.points(ctx, in.Where, seeClients)
			if err != nil {
				return nil, err
			}
			names := s.stationNames(ctx)
			return listOf(wireless.Refusals(points), func(r wireless.Refusal) v1.Refusal {
				says, do := wireless.Why(r.Why)
				return v1.Refusal{MAC: r.MAC, Name: names[r.MAC], Network: r.WLAN, SSID: r.SSID, Device: r.Device, Site: r.Site, Radio: r.Radio, SignalDbm: r.SignalDbm, Last: r.Last, Tries: r.Tries, Why: r.Why, Says: says, Do: do}
			}), nil
		})
	register(s, api, seeClients, http.MethodGet, "/blocked-stations", "list-blocked-stations", "Stations of which devices let nothing pass",
		func(ctx context.Context, in *where) (*body[v1.List[v1.BlockedStation]], error) {
			configs, err := s.configsOf(ctx, in.Where, seeClients)
			if err != nil {
				return nil, err
			}
			names := s.stationNames(ctx)
			return listOf(wireless.BlockedOn(configs), func(b wireless.Blocked) v1.BlockedStation {
				return v1.BlockedStation{MAC: b.MAC, Name: names[b.MAC], Until: b.Until, Purpose: b.Purpose, Devices: b.Devices}
			}), nil
		})
	type macPath struct {
		MAC string `path:"mac" maxLength:"17"`
	}
	type blockInput struct {
		MAC  string `path:"mac" maxLength:"17"`
		Body v1.BlockRequest
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/blocked-stations/{mac}", "block-station", "Put into a draft that nothing of a station passes, wherever it turns up, or that it passes again: into the template of blocked stations",
		func(ctx context.Context, in *blockInput) (*body[v1.BulkAnswer], error) {
			mac, err := stationAddress(in.MAC)
			if err != nil {
				return nil, err
			}
			return s.block(ctx, mac, in.Body)
		})
	register(s, api, seeClients, http.MethodGet, "/limited-stations", "list-limited-stations", "Stations that access points let send and receive no more than a rate",
		func(ctx context.Context, in *where) (*body[v1.List[v1.LimitedStation]], error) {
			configs, err := s.configsOf(ctx, in.Where, seeClients)
			if err != nil {
				return nil, err
			}
			names := s.stationNames(ctx)
			return listOf(wireless.LimitedOn(configs), func(l wireless.Limited) v1.LimitedStation {
				return v1.LimitedStation{MAC: l.MAC, Name: names[l.MAC], Rate: l.Rate, Until: l.Until, Purpose: l.Purpose, Devices: l.Devices}
			}), nil
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/limited-stations/{mac}", "limit-station", "Put into a draft that a station may send and receive no more than a rate, at whichever access point it is, or as much as it likes again: into the template of limited stations",
		func(ctx context.Context, in *struct {
			MAC  string `path:"mac" maxLength:"17"`
			Body v1.LimitRequest
		}) (*body[v1.BulkAnswer], error) {
			mac, err := stationAddress(in.MAC)
			if err != nil {
				return nil, err
			}
			return s.limit(ctx, mac, in.Body)
		})
	register(s, api, seeClients, http.MethodGet, "/clients/{mac}/joining", "get-joining", "Step by step, how a station joins a wireless network, and where it stops",
		func(ctx context.Context, in *macPath) (*body[v1.List[v1.JoinStep]], error) {
			address, err := stationAddress(in.MAC)
			if err != nil {
				return nil, err
			}
			points, err := s.points(ctx, "", seeClients)
			if err != nil {
				return nil, err
			}
			n, err := s.Changes.Network(ctx)
			if err != nil {
				return nil, err
			}
			for device := range n.Configs { // what he may not see is not told of
				if !s.Inventory.HoldsDevice(device, within(ctx, rights.See, rights.Devices)) {
					delete(n.Configs, device)
				}
			}
			return listOf(wireless.Joining(address, points, n.Links, n.Configs), func(x wireless.Step) v1.JoinStep {
				return v1.JoinStep{Name: x.Name, State: string(x.State), Says: x.Says, Do: x.Do}
			}), nil
		})
	register(s, api, see, http.MethodGet, "/wireless/plan", "plan-channels", "On which channels the radios of a band would disturb each other least; nothing is changed",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which access points"`
			Band  string `query:"band" enum:"2.4,5,6" default:"5" doc:"In GHz"`
		}) (*body[v1.ChannelPlan], error) {
			points, err := s.points(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			moves := wireless.Plan(wireless.Radios(points), radio.Band(in.Band))
			out := v1.ChannelPlan{Band: in.Band, Items: []v1.ChannelMove{}}
			for _, m := range moves {
				out.Items = append(out.Items, v1.ChannelMove{Device: m.Device, Site: m.Site, Port: m.Port, WidthMHz: m.Width, Before: m.Before, After: m.After, BusyBefore: m.BusyBefore, BusyAfter: m.BusyAfter, Stations: m.Stations})
			}
			if n := float64(len(moves)); n > 0 {
				out.BusyBefore, out.BusyAfter = wireless.Total(moves)
				out.BusyBefore, out.BusyAfter = out.BusyBefore/n, out.BusyAfter/n
			}
			return &body[v1.ChannelPlan]{out}, nil
		})
	register(s, api, see, http.MethodPost, "/wireless/join-code", "make-join-code", "The code by which a phone joins a network; nothing of it is kept",
		func(_ context.Context, in *body[v1.JoinCodeRequest]) (*body[v1.JoinCode], error) {
			if err := setting.CheckJoin(in.Body.SSID, in.Body.Security, in.Body.Passphrase); err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			text := joinText(in.Body)
			code, err := qr.Encode(text, qr.M)
			if err != nil {
				return nil, err
			}
			out := v1.JoinCode{Text: text}
			for y := range code.Size {
				row := make([]byte, code.Size)
				for x := range row {
					if row[x] = '.'; code.Black(x, y) {
						row[x] = '#'
					}
				}
				out.Rows = append(out.Rows, string(row))
			}
			return &body[v1.JoinCode]{out}, nil
		})
}

func stationAddress(text string) (string, error) {
	mac, err := setting.MAC().Normal(text)
	if err != nil {
		return "", fmt.Errorf("%w: %w", errInvalid, err)
	}
	return mac, nil
}

// stationNames are what stations are called, of those that who makes the request may see.
func (s *server) stationNames(ctx context.Context) map[string]string {
	out := map[string]string{}
	for _, c := range s.Inventory.Clients(catalog.Query{Within: within(ctx, rights.See, rights.Clients), Limit: math.MaxInt, Now: time.Now()}).Rows {
		out[c.MAC] = c.Name()
	}
	return out
}

// joinText is what phones read a network from (WPA3 specification, section 7.1: URI of the form WIFI).
func joinText(r v1.JoinCodeRequest) string {
	escape := strings.NewReplacer(`\`, `\\`, `;`, `\;`, `,`, `\,`, `:`, `\:`, `"`, `\"`).Replace
	out := "WIFI:"
	if strings.HasSuffix(r.Security, "-personal") {
		out += "T:WPA;"
	}
	out += "S:" + escape(r.SSID) + ";"
	if r.Passphrase != "" && strings.HasSuffix(r.Security, "-personal") {
		out += "P:" + escape(r.Passphrase) + ";"
	}
	if r.Hidden {
		out += "H:true;"
	}
	return out + ";"
}

// points are the access points that a selector picks, of those of which who makes the request may see the devices, and has each of needs.
func (s *server) points(ctx context.Context, where string, needs ...need) ([]wireless.Point, error) {
	q, err := s.asked(ctx, selector.Device, where, needs...)
	if err != nil {
		return nil, err
	}
	var out []wireless.Point
	for _, d := range s.Inventory.Devices(q).Rows {
		if d.Config.Has(setting.Wireless) {
			out = append(out, wireless.Point{Device: d.Name, Site: d.Site.Name, Away: d.Reach != network.ReachConnected, Config: d.Config, State: d.State, Inside: d.Inside})
		}
	}
	return out, nil
}

func radioOut(r wireless.Radio, ours map[string]string) v1.AirRadio {
	out := v1.AirRadio{Device: r.Device, Site: r.Site, Port: r.Port, Away: r.Away, Country: r.Country, Band: string(r.Told.Band), On: r.Told.On, Channel: r.Now.Channel, WidthMHz: r.Now.WidthMHz, PowerDbm: r.Now.PowerDbm,
		OwnChoice: r.Told.Channel == 0, BusyPercent: r.Now.BusyPercent, NoiseDbm: r.Now.NoiseDbm, Stations: r.Stations, Heard: []v1.HeardAir{}, Channels: []v1.AirChoice{}}
	for _, h := range r.Heard {
		out.Heard = append(out.Heard, v1.HeardAir{BSSID: h.BSSID, SSID: h.SSID, Channel: h.Channel, WidthMHz: h.WidthMHz, SignalDbm: h.SignalDbm, Ours: ours[h.BSSID]})
	}
	for _, c := range radio.Channels(r.Country, r.Told.Band) {
		out.Channels = append(out.Channels, v1.AirChoice{Channel: c.Number, PowerDbm: c.Power(r.Now.WidthMHz), Radar: c.Radar, Indoor: c.Indoor})
	}
	return out
}
