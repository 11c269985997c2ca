package wireless_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radio"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/core/wireless"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

// point is an access point with two networks.
func point(name string) wireless.Point {
	return wireless.Point{
		Device: name, Site: "tern-haven",
		Config: network.Config{Features: []network.Feature{setting.Wireless}, Settings: network.Settings{"country": "GB"},
			Ports: map[string]network.PortConfig{"eth0": {Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{70, 80}}, "radio0": {Enabled: true, Band: "2.4"}, "radio1": {Enabled: true, Band: "5"}},
			Objects: map[string]network.Settings{
				"wlan/crew":  {"ssid": "Lantern Crew", "wlan-vlan": "70", "bands": "5"},
				"wlan/guest": {"ssid": "Lantern Passengers", "security": "open", "wlan-vlan": "80"},
			}},
		State: network.State{Ports: map[string]network.PortState{"radio1": {MAC: "02:00:" + name}}},
		Inside: network.Inside{
			Radios:   []network.RadioState{{ID: "0", Band: "2.4 GHz", Channel: 6, WidthMHz: 20}, {ID: "1", Band: "5 GHz", Channel: 36, WidthMHz: 80, BusyPercent: 40}},
			Stations: []network.Station{{MAC: "02:01", SSID: "Lantern Crew", Band: "5 GHz", VLAN: 70, Address: "10.2.70.9", SignalDbm: -50, RxBps: 10, TxBps: 90}, {MAC: "02:02", SSID: "Lantern Passengers", Band: "2.4 GHz", VLAN: 80, SignalDbm: -82}},
			Heard:    []network.Heard{{Radio: "radio1", BSSID: "02:0d", Channel: 36, SignalDbm: -80}, {Radio: "radio1", BSSID: "02:0e", Channel: 44, SignalDbm: -60}},
			Refused:  []network.Refused{{MAC: "02:03", WLAN: "crew", Radio: "radio1", SignalDbm: -70, Last: noon, Tries: 9, Step: "key", Why: "wrong-passphrase"}},
		},
	}
}

func TestNetworksOfAllAccessPoints(t *testing.T) {
	t.Parallel()
	a, b, c := point("th-ap-01"), point("th-ap-02"), point("th-ap-03")
	b.Config.Objects["wlan/crew"] = network.Settings{"ssid": "Lantern Crew", "wlan-vlan": "70", "offered": "off", "bands": "5"}
	c.Away = true
	list := wireless.Networks([]wireless.Point{a, b, c})
	require.Len(t, list, 2)
	crew := list[0]
	assert.Equal(t, wireless.Network{Name: "crew", SSID: "Lantern Crew", Security: setting.SecurityPersonal, VLANs: []string{"70"}, Bands: []string{"5"}, Points: []string{"th-ap-01", "th-ap-02", "th-ap-03"},
		Offered: 2, Stations: 2, UpBps: 20, DownBps: 180, Differs: []string{"offered"}}, crew, "who is at one that cannot be reached is not counted")
	assert.Equal(t, []string{"2.4", "5"}, list[1].Bands)
	assert.Empty(t, wireless.Networks(nil))
}

func TestRadiosOfAccessPoints(t *testing.T) {
	t.Parallel()
	list := wireless.Radios([]wireless.Point{point("th-ap-02"), point("th-ap-01")})
	require.Len(t, list, 4)
	r := list[1]
	assert.Equal(t, "th-ap-01 radio1 5 36 80 1 GB 02:00:th-ap-01", fmt.Sprint(r.Device, " ", r.Port, " ", r.Told.Band, " ", r.Now.Channel, " ", r.Now.WidthMHz, " ", r.Stations, " ", r.Country, " ", r.MAC))
	assert.Equal(t, []string{"02:0e", "02:0d"}, []string{r.Heard[0].BSSID, r.Heard[1].BSSID}, "the loudest first")
	assert.Empty(t, list[0].Heard, "the other radio heard them")
}

func TestHowAStationJoins(t *testing.T) {
	t.Parallel()
	up, far := network.PortRef{Device: "th-ap-01", Port: "eth0"}, network.PortRef{Device: "th-sw-01", Port: "1"}
	links := []topology.Link{{A: up, B: far}}
	p := point("th-ap-01")
	louder := point("th-ap-02")
	louder.Inside.Refused = []network.Refused{{MAC: "02:03", WLAN: "crew", Radio: "radio0", SignalDbm: -55, Last: noon.Add(-time.Minute), Tries: 3, Step: "association", Why: "security"}}
	quiet := point("th-ap-01")
	quiet.Inside.Stations[0].Address = ""
	configs := func(carried ...network.VLANID) map[string]network.Config {
		return map[string]network.Config{"th-ap-01": p.Config, "th-sw-01": {Ports: map[string]network.PortConfig{"1": {LAG: "lag1"}}, Bundles: map[string]network.PortConfig{"lag1": {Enabled: true, Mode: network.Trunk, TrunkVLANs: carried}}}}
	}
	for name, c := range map[string]struct {
		mac           string
		points        []wireless.Point
		carried       []network.VLANID
		stops, says   string
		first, remedy string
	}{
		"well":                   {mac: "02:01", points: []wireless.Point{p}, carried: []network.VLANID{70, 80}, first: "th-ap-01 hears it with -50 dBm"},
		"not carried":            {mac: "02:01", points: []wireless.Point{p}, carried: []network.VLANID{80}, stops: "carried", says: "th-sw-01:1 does not carry VLAN 70.", remedy: "Carry VLAN 70 there"},
		"no address":             {mac: "02:01", points: []wireless.Point{quiet}, carried: []network.VLANID{70}, stops: "addressed", says: "It has no address.", remedy: "who gives out addresses in VLAN 70"},
		"another passphrase":     {mac: "02:03", points: []wireless.Point{p}, stops: "let-in", says: "It has another passphrase than the network.", remedy: "typed anew", first: "it tried 9 times within the hour to join Lantern Crew"},
		"where it is heard best": {mac: "02:03", points: []wireless.Point{p, louder}, stops: "taken", says: "knows the network as one that asks for more", first: "th-ap-02:radio0 hears it with -55 dBm"},
		"nowhere":                {mac: "02:09", points: []wireless.Point{p}, stops: "heard", says: "No access point has it", remedy: "near an access point"},
	} {
		steps := wireless.Joining(c.mac, c.points, links, configs(c.carried...))
		require.Len(t, steps, 5, name)
		assert.Contains(t, steps[0].Says, c.first, name)
		s, stops := wireless.Stops(steps)
		assert.Equal(t, c.stops, s.Name, name)
		if stops {
			assert.Contains(t, s.Says, c.says, name)
			assert.Contains(t, s.Do, c.remedy, name)
		}
	}
	says, _ := wireless.Why("of another maker")
	assert.Equal(t, "The access point did not let it in: of another maker.", says)
}

// anyRadios are radios of a band at one place, which hear each other as it comes.
func anyRadios(t *rapid.T, band radio.Band) []wireless.Radio {
	n := rapid.IntRange(0, 9).Draw(t, "radios")
	width := 20
	if band != radio.Band2 {
		width = rapid.SampledFrom([]int{20, 40, 80}).Draw(t, "width")
	}
	country := rapid.SampledFrom([]string{"GB", "US", "JP"}).Draw(t, "country")
	own := []int{1, 6, 11, 3}
	if band == radio.Band5 {
		own = []int{36, 52, 100, 116}
	}
	if band == radio.Band6 {
		own = []int{1, 5, 37, 41}
	}
	out := make([]wireless.Radio, n)
	for i := range out {
		out[i] = wireless.Radio{Device: fmt.Sprint("ap-", i), Port: "radio", Country: country, MAC: fmt.Sprint("mac-", i), Away: rapid.Float64Range(0, 1).Draw(t, "away") < 0.1,
			Told: setting.Radio{Band: band, On: true}, Now: network.RadioState{Channel: rapid.SampledFrom(own).Draw(t, "channel"), WidthMHz: width}, Stations: rapid.IntRange(0, 20).Draw(t, "stations")}
	}
	for i := range out {
		for j := range out {
			if i != j && rapid.Bool().Draw(t, "hears") {
				out[i].Heard = append(out[i].Heard, network.Heard{BSSID: out[j].MAC, Channel: out[j].Now.Channel, WidthMHz: width, SignalDbm: rapid.IntRange(-90, -50).Draw(t, "signal")})
			}
		}
		if rapid.Bool().Draw(t, "stranger") {
			out[i].Heard = append(out[i].Heard, network.Heard{BSSID: "02:0d", Channel: rapid.SampledFrom(own).Draw(t, "theirs"), SignalDbm: -60})
		}
	}
	return out
}

// A plan leaves the radios of a place more of their time together, moves nobody onto a channel that is not allowed there, nor who is away, and
// planning once more on top of it moves nobody.
func TestAPlanLeavesMoreTime(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		band := rapid.SampledFrom(radio.Bands()).Draw(t, "band")
		radios := anyRadios(t, band)
		moves := wireless.Plan(radios, band)
		before, after := wireless.Total(moves)
		if after > before+1e-9 {
			t.Fatalf("from %f to %f", before, after)
		}
		again := make([]wireless.Radio, 0, len(moves))
		for _, m := range moves {
			if m.Changes() && m.Away {
				t.Fatalf("%s is away", m.Device)
			}
			if err := radio.Check(m.Country, band, m.After, m.Width, 0); m.Changes() && err != nil {
				t.Fatal(err)
			}
			if m.Changes() && !radio.Searched(band, m.After) {
				t.Fatalf("nobody searches for %s on %d", m.Device, m.After)
			}
			r := m.Radio
			r.Now.Channel = m.After
			again = append(again, r)
		}
		for i := range again { // strangers stay where they are, and those of the house are heard where they send now
			for k, h := range again[i].Heard {
				for _, o := range again {
					if o.MAC == h.BSSID {
						again[i].Heard[k].Channel = o.Now.Channel
					}
				}
			}
		}
		for _, m := range wireless.Plan(again, band) {
			if m.Changes() {
				t.Fatalf("%s would move on from %d to %d", m.Device, m.Before, m.After)
			}
		}
	})
}

func TestTwoThatDisturbEachOtherPart(t *testing.T) {
	t.Parallel()
	hears := func(of string) []network.Heard {
		return []network.Heard{{BSSID: of, Channel: 36, WidthMHz: 80, SignalDbm: -50}}
	}
	radios := []wireless.Radio{
		{Device: "a", MAC: "1", Country: "GB", Told: setting.Radio{Band: radio.Band5, On: true}, Now: network.RadioState{Channel: 36, WidthMHz: 80}, Stations: 10, Heard: hears("2")},
		{Device: "b", MAC: "2", Country: "GB", Told: setting.Radio{Band: radio.Band5, On: true}, Now: network.RadioState{Channel: 44, WidthMHz: 80}, Stations: 10, Heard: hears("1")},
	}
	moves := wireless.Plan(radios, radio.Band5)
	require.Len(t, moves, 2)
	assert.NotEqual(t, moves[0].Changes(), moves[1].Changes(), "one of them stays")
	assert.InDelta(t, 2*moves[0].BusyAfter, moves[0].BusyBefore, 1e-9)
	assert.Empty(t, wireless.Plan(radios, radio.Band2))
}

func TestWhoIsBlockedWhere(t *testing.T) {
	t.Parallel()
	blocked := func(until string) network.Config {
		return network.Config{Objects: map[string]network.Settings{"blocked/02-4c-53-20-00-07": {"until": until, "purpose": "lost"}, "wlan/crew": {}}}
	}
	assert.Equal(t, []wireless.Blocked{{MAC: "02:4c:53:20:00:07", Until: "2027-01-31", Purpose: "lost", Devices: []string{"a", "b"}}},
		wireless.BlockedOn(map[string]network.Config{"b": blocked("2027-01-31"), "a": blocked("2026-12-31"), "c": {}}))
	assert.Empty(t, wireless.BlockedOn(map[string]network.Config{"a": blocked(""), "b": blocked("2026-12-31")})[0].Until, "one has it for good")
}

// BenchmarkPlan plans the channels of 2,000 radios at 250 places.
func BenchmarkPlan(b *testing.B) {
	const places, each = 250, 8
	var radios []wireless.Radio
	for p := range places {
		for i := range each {
			r := wireless.Radio{Device: fmt.Sprintf("ap-%d-%d", p, i), Country: "GB", MAC: fmt.Sprintf("%d-%d", p, i), Told: setting.Radio{Band: radio.Band5, On: true},
				Now: network.RadioState{Channel: []int{36, 52, 36, 100}[i%4], WidthMHz: 80}, Stations: (7*p + 3*i) % 20}
			for o := range each {
				if o != i {
					r.Heard = append(r.Heard, network.Heard{BSSID: fmt.Sprintf("%d-%d", p, o), Channel: 36, WidthMHz: 80, SignalDbm: -55 - (p+i*o)%30})
				}
			}
			radios = append(radios, r)
		}
	}
	for b.Loop() {
		before, after := wireless.Total(wireless.Plan(radios, radio.Band5))
		if after >= before {
			b.Fatal(before, after)
		}
	}
}
