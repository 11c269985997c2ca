package series

import (
	"maps"
	"math"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Part is what a metric is of.
type Part string

// The parts.
const (
	Clock     Part = "clock" // of a source: when it was read, and how much of each step is covered
	Device    Part = "device"
	Port      Part = "port"
	Tunnel    Part = "tunnel"
	Radio     Part = "radio"
	RadioLink Part = "radio-link"
	Module    Part = "module"
	Client    Part = "client"
)

// Parts lists the parts that have metrics.
func Parts() []Part { return []Part{Device, Port, Tunnel, Radio, RadioLink, Module, Client} }

// Source is which reading of a device a part comes from.
type Source string

// The sources.
const (
	FromState  Source = "state"
	FromInside Source = "inside"
	// FromBefore is what another system kept before the device was enrolled.
	FromBefore Source = "before"
)

// Source tells which reading a part comes from.
func (p Part) Source() Source {
	if p == Port {
		return FromState
	}
	return FromInside
}

// Absent is the value of what was not told. All others lie between -maxValue and maxValue.
const Absent = math.MinInt64

// Metric is something that is read again and again.
type Metric struct {
	Name string
	Part Part
	Unit string
	// Counter tells that the values grow, and that their rate is what people want.
	Counter bool
	// Factor makes of a value, or of a counter's growth in a second, the number in Unit.
	Factor float64
	Help   string

	slot int
}

// Slot is the metric's place among those of its part: from 0 to MaxSlots-1, for ever the same.
func (m *Metric) Slot() int { return m.slot }

// MaxSlots bounds how many metrics a part may have.
const MaxSlots = 16

// metrics in the order of their slots: new ones only at the end of their part.
var metrics = func() []*Metric {
	all := []*Metric{
		{Name: "cpu", Part: Device, Unit: "%", Factor: 0.1, Help: "how busy the processor is (OpenConfig cpu utilization)"},
		{Name: "memory", Part: Device, Unit: "%", Factor: 0.1, Help: "memory in use"},
		{Name: "temperature", Part: Device, Unit: "°C", Factor: 0.1, Help: "of the chassis"},
		{Name: "power_draw", Part: Device, Unit: "W", Factor: 0.1, Help: "what the power supplies give"},
		{Name: "poe_draw", Part: Device, Unit: "W", Factor: 0.001, Help: "what the ports feed (POWER-ETHERNET-MIB pethMainPseConsumptionPower)"},
		{Name: "clients", Part: Device, Unit: "clients", Factor: 1, Help: "end stations seen at the device"},
		{Name: "sessions", Part: Device, Unit: "sessions", Factor: 1, Help: "that a firewall holds"},

		{Name: "rx", Part: Port, Unit: "bit/s", Counter: true, Factor: 8, Help: "received (IF-MIB ifHCInOctets)"},
		{Name: "tx", Part: Port, Unit: "bit/s", Counter: true, Factor: 8, Help: "sent (IF-MIB ifHCOutOctets)"},
		{Name: "rx_unicast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "unicast frames received (IF-MIB ifHCInUcastPkts)"},
		{Name: "tx_unicast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "unicast frames sent (IF-MIB ifHCOutUcastPkts)"},
		{Name: "rx_multicast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "multicast frames received (IF-MIB ifHCInMulticastPkts)"},
		{Name: "tx_multicast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "multicast frames sent (IF-MIB ifHCOutMulticastPkts)"},
		{Name: "rx_broadcast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "broadcast frames received (IF-MIB ifHCInBroadcastPkts)"},
		{Name: "tx_broadcast", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "broadcast frames sent (IF-MIB ifHCOutBroadcastPkts)"},
		{Name: "rx_errors", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "frames received in error (IF-MIB ifInErrors)"},
		{Name: "rx_fcs_errors", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "of these with a wrong checksum (EtherLike-MIB dot3StatsFCSErrors)"},
		{Name: "tx_errors", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "frames that could not be sent (IF-MIB ifOutErrors)"},
		{Name: "rx_discards", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "good frames received and dropped (IF-MIB ifInDiscards)"},
		{Name: "tx_discards", Part: Port, Unit: "frames/s", Counter: true, Factor: 1, Help: "good frames dropped instead of sent (IF-MIB ifOutDiscards)"},
		{Name: "poe", Part: Port, Unit: "W", Factor: 0.001, Help: "what the port feeds"},
		{Name: "up", Part: Port, Unit: "", Factor: 1, Help: "1 while it has a link (IF-MIB ifOperStatus), else 0"},

		{Name: "delay", Part: Tunnel, Unit: "ms", Factor: 0.1, Help: "there and back"},
		{Name: "jitter", Part: Tunnel, Unit: "ms", Factor: 0.1, Help: "how much the delay wanders"},
		{Name: "loss", Part: Tunnel, Unit: "%", Factor: 0.01, Help: "of the probes"},
		{Name: "up", Part: Tunnel, Unit: "", Factor: 1, Help: "1 while it is up, else 0"},

		{Name: "busy", Part: Radio, Unit: "%", Factor: 1, Help: "of the time that the channel is taken"},
		{Name: "noise", Part: Radio, Unit: "dBm", Factor: 1, Help: "noise floor"},
		{Name: "clients", Part: Radio, Unit: "clients", Factor: 1, Help: "stations that joined"},

		{Name: "received", Part: RadioLink, Unit: "dBm", Factor: 0.1, Help: "level that is received"},
		{Name: "capacity", Part: RadioLink, Unit: "Mbit/s", Factor: 1, Help: "what the modulation carries"},
		{Name: "es", Part: RadioLink, Unit: "%", Counter: true, Factor: 100, Help: "of the time that were errored seconds (ITU-T G.828)"},
		{Name: "ses", Part: RadioLink, Unit: "%", Counter: true, Factor: 100, Help: "of the time that were severely errored seconds (ITU-T G.828)"},
		{Name: "uas", Part: RadioLink, Unit: "%", Counter: true, Factor: 100, Help: "of the time in which the link was unavailable (ITU-T G.828)"},

		{Name: "received", Part: Module, Unit: "dBm", Factor: 0.01, Help: "optical power received"},
		{Name: "sent", Part: Module, Unit: "dBm", Factor: 0.01, Help: "optical power sent"},
		{Name: "bias", Part: Module, Unit: "mA", Factor: 0.01, Help: "current of the laser"},
		{Name: "temperature", Part: Module, Unit: "°C", Factor: 0.1, Help: "of the module"},

		{Name: "up", Part: Client, Unit: "bit/s", Counter: true, Factor: 8, Help: "what the client sent to its access point"},
		{Name: "down", Part: Client, Unit: "bit/s", Counter: true, Factor: 8, Help: "what its access point sent to the client"},
		{Name: "signal", Part: Client, Unit: "dBm", Factor: 1, Help: "level at which its access point hears it"},
	}
	next := map[Part]int{}
	for _, m := range all {
		m.slot = next[m.Part]
		next[m.Part]++
	}
	return all
}()

// Metrics lists the metrics of a part in the order of their slots, or of all parts for "".
func Metrics(p Part) []*Metric {
	var out []*Metric
	for _, m := range metrics {
		if p == "" || m.Part == p {
			out = append(out, m)
		}
	}
	return out
}

// Find returns a metric of a part by its name, or nil.
func Find(p Part, name string) *Metric {
	for _, m := range metrics {
		if m.Part == p && m.Name == name {
			return m
		}
	}
	return nil
}

// Thing is something of a device of which metrics are kept.
type Thing struct {
	Part Part
	Name string // of the port, the tunnel ...; of a device ""
}

// Reading is the values of one thing at a moment, in the order of its part's slots.
type Reading struct {
	Thing
	Values []int64
}

// Ports takes the readings of the ports of a device.
func Ports(st network.State) []Reading {
	names := slices.Sorted(maps.Keys(st.Ports))
	out := make([]Reading, len(names))
	values := make([]int64, len(names)*15)
	for i, name := range names {
		p := st.Ports[name]
		c, up := p.Counters, int64(0)
		if p.Oper == network.Up {
			up = 1
		}
		v := values[i*15 : i*15 : (i+1)*15]
		out[i] = Reading{Thing{Port, name}, append(v, counted(c.RxOctets), counted(c.TxOctets), counted(c.RxUnicast), counted(c.TxUnicast), counted(c.RxMulticast), counted(c.TxMulticast),
			counted(c.RxBroadcast), counted(c.TxBroadcast), counted(c.RxErrors), counted(c.RxFCSErrors), counted(c.TxErrors), counted(c.RxDiscards), counted(c.TxDiscards),
			int64(p.PoEMilliW), up)}
	}
	return out
}

// Inside takes the readings of what is inside a device. clients is how many end stations are seen at it, or Absent.
func Inside(i network.Inside, power *network.Power, clients int64) []Reading {
	own := []int64{Absent, Absent, Absent, Absent, Absent, clients, Absent}
	if h := i.Hardware; h.HasSensors {
		own[0], own[2] = scaled(h.CPUPercent, 10), scaled(h.Temperature, 10)
		if h.MemoryTotal > 0 {
			own[1] = scaled(float64(h.MemoryUsed)/float64(h.MemoryTotal), 1000)
		}
		if len(h.Supplies) > 0 {
			watts := 0.0
			for _, s := range h.Supplies {
				watts += s.Watts
			}
			own[3] = scaled(watts, 10)
		}
	}
	if power != nil {
		own[4] = int64(power.UsedMilliW)
	}
	if i.Sessions > 0 {
		own[6] = int64(i.Sessions)
	}
	out := []Reading{{Thing{Device, ""}, own}}
	for _, t := range i.Tunnels {
		v := []int64{Absent, Absent, Absent, 0}
		if t.Up {
			v = []int64{scaled(t.DelayMs, 10), scaled(t.JitterMs, 10), scaled(t.LossPercent, 100), 1}
		}
		out = append(out, Reading{Thing{Tunnel, t.Name}, v})
	}
	for _, r := range i.Radios {
		joined := int64(0)
		for _, s := range i.Stations {
			if s.Band == r.Band {
				joined++
			}
		}
		out = append(out, Reading{Thing{Radio, r.ID}, []int64{int64(r.BusyPercent), int64(r.NoiseDbm), joined}})
	}
	if r := i.RadioLink; r != nil {
		v := []int64{Absent, int64(r.CapacityMbps), Absent, Absent, Absent}
		if r.ReceivedDbm != 0 {
			v[0] = scaled(r.ReceivedDbm, 10)
		}
		if e := r.Errors; e != nil {
			v[2], v[3], v[4] = counted(e.Errored), counted(e.Severely), counted(e.Unavailable)
		}
		out = append(out, Reading{Thing{RadioLink, ""}, v})
	}
	for _, m := range i.Hardware.Transceivers {
		out = append(out, Reading{Thing{Module, m.Port}, []int64{scaled(m.RxDbm, 100), scaled(m.TxDbm, 100), scaled(m.BiasMA, 100), scaled(m.Temperature, 10)}})
	}
	for _, s := range i.Stations {
		out = append(out, Reading{Thing{Client, strings.ToLower(s.MAC)}, []int64{counted(s.RxOctets), counted(s.TxOctets), int64(s.SignalDbm)}})
	}
	return out
}

// maxValue bounds what is kept, whatever a device says, so that no difference of two values overflows.
const maxValue = 1 << 61

// counted is a counter's value. One that is beyond all measure runs round, as counters do.
func counted(u uint64) int64 { return int64(u % maxValue) }

func scaled(f float64, by float64) int64 {
	if math.IsNaN(f) {
		return Absent
	}
	return int64(math.Round(max(-maxValue, min(maxValue, f*by))))
}
