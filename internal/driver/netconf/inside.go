package netconf

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// Inspect implements driver.Inspector.
func (s *session) Inspect(ctx context.Context) (network.Inside, error) {
	data, err := s.rpc.Get(ctx, insideSections, netconf.DefaultsServer)
	if err != nil {
		return network.Inside{}, fmt.Errorf("read the inside: %w", err)
	}
	in := readInside(data, time.Now().UTC())
	return in, believableInside(in)
}

func readInside(data *xmlnode.Node, now time.Time) network.Inside {
	in := network.Inside{ObservedAt: now, Hardware: readHardware(data.Child("components")), Sessions: number(data.Child("device"), "sessions")}
	if flash := data.Find("device/flash"); flash != nil {
		const most = 1 << 60
		in.Hardware.FlashUsed, in.Hardware.FlashTotal = int64(min(counter(flash, "used"), most)), int64(min(counter(flash, "size"), most))
	}
	for _, instance := range data.Child("network-instances").All("network-instance") {
		for _, e := range instance.Find("fdb/mac-table/entries").All("entry") {
			vlan, _ := network.ParseVLAN(e.TextAt("vlan"))
			in.MACs = append(in.MACs, network.Learned{MAC: e.TextAt("mac-address"), VLAN: vlan, Port: e.TextAt("interface/interface-ref/state/interface")})
		}
	}
	if page := data.TextAt("device/page"); network.CheckPage(page) == nil {
		in.Page = page
	}
	in.VRFs = readVRFs(data.Child("network-instances"))
	for _, s := range data.Child("services").All("service") {
		in.Services = append(in.Services, network.RunService{Name: s.TextAt("name"), Enabled: s.TextAt("enabled") != "false", Running: s.TextAt("running") == "true",
			Port: number(s, "port"), About: s.TextAt("about")})
	}
	for _, f := range data.Child("device").All("firmware-slot") {
		in.Slots = append(in.Slots, network.FirmwareSlot{Name: f.TextAt("name"), State: network.SlotState(f.TextAt("state")), Version: f.TextAt("version")})
	}
	in.Certificates = readCertificates(data)
	for _, l := range data.Child("device").All("licence") {
		ends, _ := time.Parse(time.DateOnly, l.TextAt("ends")) // what cannot be read is as good as not told
		in.Licences = append(in.Licences, network.Licence{Name: l.TextAt("name"), Ends: ends})
	}
	for _, i := range data.Find("lacp/interfaces").All("interface") {
		b := network.Bundle{Name: i.TextAt("name")}
		for _, m := range i.Child("members").All("member") {
			member := network.BundleMember{Port: m.TextAt("interface"), InSync: m.TextAt("state/synchronization") == "IN_SYNC", Partner: m.TextAt("state/partner-id")}
			b.Up = b.Up || member.InSync
			b.Members = append(b.Members, member)
		}
		in.Bundles = append(in.Bundles, b)
	}
	readStanding(&in, data)
	readLeases(&in, data)
	readRouters(&in, data)
	in.Policy, in.Blocked = readPolicyState(data), readBlocked(data)
	in.Clock = readClock(data.Child("system"), now)
	in.Spanning = readSpanning(data.Child("stp"))
	readWireless(&in, data.Child("access-points"))
	readAir(&in, data.Child("wireless"))
	for _, t := range data.Child("tunnels").All("tunnel") {
		in.Tunnels = append(in.Tunnels, network.Tunnel{Name: t.TextAt("name"), Underlay: t.TextAt("underlay"), Port: t.TextAt("interface"),
			RemoteSystem: t.TextAt("remote-system-name"), RemoteAddress: t.TextAt("remote-address"), Up: t.TextAt("oper-status") == "UP", Fault: t.TextAt("fault"),
			Changed: epoch(t.TextAt("last-change")), DelayMs: decimal(t, "delay"), JitterMs: decimal(t, "jitter"), LossPercent: decimal(t, "loss"), Sent: readOneWay(t.Child("sent")), Received: readOneWay(t.Child("received"))})
	}
	in.Steered = readSteered(data.Child("steered"))
	in.RadioLink = readRadioLink(data.Child("radio-link"))
	if c := data.Find("device/cluster"); c != nil {
		in.Cluster = &network.Cluster{Kind: c.TextAt("kind"), Name: c.TextAt("name"), PeerBundle: c.TextAt("peer-bundle")}
		for _, m := range c.All("member") {
			in.Cluster.Members = append(in.Cluster.Members, network.ClusterMember{Name: m.TextAt("name"), Role: m.TextAt("role"), Model: m.TextAt("model"), Serial: m.TextAt("serial")})
		}
	}
	return in
}

func readClock(system *xmlnode.Node, now time.Time) *network.Clock {
	at, err := time.Parse(time.RFC3339, system.TextAt("state/current-datetime"))
	if err != nil {
		return nil
	}
	c := &network.Clock{AheadSeconds: int(at.Sub(now).Round(time.Second) / time.Second)}
	for _, s := range system.Find("ntp/servers").All("server") {
		if stratum := number(s.Child("state"), "stratum"); stratum > 0 && (c.Stratum == 0 || stratum < c.Stratum) {
			c.Server, c.Stratum = s.TextAt("address"), stratum
		}
	}
	return c
}

func decimal(n *xmlnode.Node, path string) float64 {
	v, err := strconv.ParseFloat(n.TextAt(path), 64)
	if err != nil || v != v || v > 1e15 || v < -1e15 {
		return 0
	}
	return v
}

// kindOf is the last part of an identity: oc-platform-types:FAN is FAN.
func kindOf(identity string) string { return identity[strings.LastIndexByte(identity, ':')+1:] }

func readHardware(components *xmlnode.Node) network.Hardware {
	var h network.Hardware
	for _, c := range components.All("component") {
		s := c.Child("state")
		ok := kindOf(s.TextAt("oper-status")) == "ACTIVE"
		switch kindOf(s.TextAt("type")) {
		case "CHASSIS":
			if t := s.Find("temperature/instant"); t != nil {
				h.Temperature, h.HasSensors = decimal(s, "temperature/instant"), true
			}
		case "CPU":
			h.CPUPercent = decimal(c, "cpu/utilization/state/instant")
		case "STORAGE":
			const most = 1 << 60 // more than any memory, less than would overflow
			used, free := min(counter(s.Child("memory"), "utilized"), most), min(counter(s.Child("memory"), "available"), most)
			h.MemoryUsed, h.MemoryTotal = int64(used), int64(used+free)
		case "FAN":
			h.Fans = append(h.Fans, network.Fan{Name: c.TextAt("name"), RPM: int(decimal(c, "fan/state/speed")), OK: ok})
		case "POWER_SUPPLY":
			h.Supplies = append(h.Supplies, network.Supply{Name: c.TextAt("name"), Watts: decimal(c, "power-supply/state/output-power"), OK: ok})
		case "TRANSCEIVER":
			h.Transceivers = append(h.Transceivers, readModule(c))
		}
	}
	return h
}

func readModule(c *xmlnode.Node) network.Module {
	s, channel := c.Child("state"), c.Find("transceiver/physical-channels/channel/state")
	m := network.Module{Port: strings.TrimPrefix(c.TextAt("name"), "module "), Maker: s.TextAt("mfg-name"), Model: s.TextAt("model-name"), Serial: s.TextAt("serial-no"),
		Form: strings.ReplaceAll(kindOf(c.TextAt("transceiver/state/form-factor")), "_PLUS", "+"), Temperature: decimal(s, "temperature/instant"),
		TxDbm: decimal(channel, "output-power/instant"), RxDbm: decimal(channel, "input-power/instant"), BiasMA: decimal(channel, "laser-bias-current/instant")}
	for _, t := range c.Find("transceiver/thresholds").All("threshold") {
		if l := t.Child("state"); kindOf(l.TextAt("severity")) == "WARNING" {
			m.Limits = network.Limits{TxLow: decimal(l, "output-power-lower"), TxHigh: decimal(l, "output-power-upper"), RxLow: decimal(l, "input-power-lower"),
				RxHigh: decimal(l, "input-power-upper"), TemperatureHigh: decimal(l, "module-temperature-upper")}
		}
	}
	return m
}

// readSpanning reads the trees of spanning tree in which a bridge is. The common one stands with RSTP, whether it is in others besides or not.
func readSpanning(stp *xmlnode.Node) *network.SpanningTree {
	common, ok := readTree(stp.Child("rstp"))
	if !ok {
		return nil
	}
	out := &network.SpanningTree{Tree: common}
	for _, i := range stp.Find("mstp/mst-instances").All("mst-instance") {
		t, ok := readTree(i)
		n := number(i, "mst-id")
		if !ok || n < 1 || n > 4094 {
			continue
		}
		if out.Instances == nil {
			out.Instances = map[int]network.Tree{}
		}
		out.Instances[n] = t
	}
	return out
}

func readTree(of *xmlnode.Node) (t network.Tree, ok bool) {
	s := of.Child("state")
	if s == nil {
		return t, false
	}
	t = network.Tree{Priority: number(s, "bridge-priority"), Address: s.TextAt("bridge-address"), RootPriority: number(s, "designated-root-priority"),
		RootAddress: s.TextAt("designated-root-address"), RootCost: number(s, "root-cost"), Ports: map[string]network.SpanningPort{}}
	for _, i := range of.Child("interfaces").All("interface") {
		t.Ports[i.TextAt("name")] = network.SpanningPort{State: strings.ToLower(kindOf(i.TextAt("state/port-state"))), Role: strings.ToLower(kindOf(i.TextAt("state/role")))}
	}
	return t, true
}

func readOneWay(n *xmlnode.Node) *network.OneWay {
	if n == nil || n.TextAt("delay") == "" {
		return nil
	}
	return &network.OneWay{DelayMs: decimal(n, "delay"), JitterMs: decimal(n, "jitter"), LossPercent: decimal(n, "loss")}
}

var bands = map[string]string{"FREQ_2GHZ": "2.4 GHz", "FREQ_5GHZ": "5 GHz", "FREQ_6GHZ": "6 GHz"}

func readWireless(in *network.Inside, points *xmlnode.Node) {
	for _, ap := range points.All("access-point") {
		for _, r := range ap.Child("radios").All("radio") {
			s := r.Child("state")
			in.Radios = append(in.Radios, network.RadioState{ID: r.TextAt("id"), Band: bands[kindOf(s.TextAt("operating-frequency"))], Channel: number(s, "channel"),
				WidthMHz: number(s, "channel-width"), PowerDbm: number(s, "transmit-power"), BusyPercent: number(s, "total-channel-utilization"), NoiseDbm: number(s, "noise-floor")})
		}
		for _, ssid := range ap.Child("ssids").All("ssid") {
			vlan, _ := network.ParseVLAN(ssid.TextAt("state/default-vlan"))
			for _, c := range ssid.Child("clients").All("client") {
				conn, rf, counted := c.Find("client-connection/state"), c.Find("client-rf/state"), c.Find("client-counters/state")
				own, err := network.ParseVLAN(conn.TextAt("vlan"))
				if err != nil {
					own = vlan
				}
				in.Stations = append(in.Stations, network.Station{MAC: c.TextAt("mac"), SSID: ssid.TextAt("name"), VLAN: own, Band: bands[kindOf(rf.TextAt("frequency"))],
					Name: conn.TextAt("hostname"), Address: conn.TextAt("ipv4-address"), System: conn.TextAt("operating-system"), SignalDbm: number(rf, "rssi"),
					RxOctets: counter(counted, "rx-bytes"), TxOctets: counter(counted, "tx-bytes")})
			}
		}
	}
}

// maxHeard bounds what is told of the air: a street full of others is not for keeping.
const maxHeard = 200

// readAir reads what radios hear of others, and who did not get in (ep-wireless).
func readAir(in *network.Inside, air *xmlnode.Node) {
	for _, r := range air.All("radio") {
		for _, n := range r.All("neighbour") {
			if len(in.Heard) < maxHeard {
				in.Heard = append(in.Heard, network.Heard{Radio: r.TextAt("name"), BSSID: n.TextAt("bssid"), SSID: n.TextAt("ssid"), Channel: number(n, "channel"), WidthMHz: number(n, "channel-width"), SignalDbm: number(n, "signal")})
			}
		}
	}
	for _, s := range air.All("refused") {
		if len(in.Refused) < maxHeard {
			last, _ := time.Parse(time.RFC3339, s.TextAt("last")) // what cannot be read is as good as not told
			in.Refused = append(in.Refused, network.Refused{MAC: s.TextAt("mac"), WLAN: s.TextAt("network"), Radio: s.TextAt("radio"), SignalDbm: number(s, "signal"), Last: last, Tries: number(s, "tries"), Step: s.TextAt("step"), Why: s.TextAt("why")})
		}
	}
}
