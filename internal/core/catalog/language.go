package catalog

import (
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Network is what can be asked of the network as it is; Log what can be asked of what happened in it.
var (
	Network = selector.NewLanguage(networkFields)
	Log     = selector.NewLanguage(slices.Concat(networkFields, eventFields()))
)

var networkFields = slices.Concat(siteFields(), deviceFields(), insideFields(), portFields(), portLinkFields(), clientFields(), linkFields(), alarmFields())

// of makes a getter of rows of one type.
func of[R any](get func(*R) selector.Datum) func(any) selector.Datum {
	return func(row any) selector.Datum { return get(row.(*R)) }
}

func text[R any](get func(*R) string) func(any) selector.Datum {
	return func(row any) selector.Datum { return selector.Of(get(row.(*R))) }
}

func flag[R any](get func(*R) bool) func(any) selector.Datum {
	return func(row any) selector.Datum { return selector.OfFlag(get(row.(*R))) }
}

// when makes the datum of an age: the moment from which it counts.
func when(t time.Time) selector.Datum {
	if t.IsZero() {
		return selector.Datum{}
	}
	return selector.Datum{Number: float64(t.UnixMicro()) / 1e6, Known: true}
}

// some is a number that is not known when it is 0.
func some(n int) selector.Datum {
	if n == 0 {
		return selector.Datum{}
	}
	return selector.OfNumber(n)
}

var healths = []string{string(network.Well), string(network.Degraded), string(network.HealthDown), string(network.Off), string(network.HealthUnknown)}

func siteFields() []*selector.Field {
	f := func(name string, help string, get func(*Site) string) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Site, Type: selector.Text, Help: help, Get: text(get)}
	}
	return []*selector.Field{
		f("", "", func(s *Site) string { return s.text }),
		f("site", "name of the site", func(s *Site) string { return s.Name }),
		f("site.title", "name of the site in full", func(s *Site) string { return s.Title }),
		f("site.code", "code of the site", func(s *Site) string { return s.Code }),
		f("site.address", "postal address of the site", func(s *Site) string { return s.Address }),
		f("site.contact", "who to ask at the site", func(s *Site) string { return s.Contact }),
	}
}

func deviceFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(any) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Device, Type: t, Help: help, Get: get}
	}
	words := func(name, help string, get func(*Device) string) *selector.Field {
		return f(name, selector.Text, help, text(get))
	}
	age := func(name, help string, get func(*Device) time.Time) *selector.Field {
		return f(name, selector.Age, help, of(func(d *Device) selector.Datum { return when(get(d)) }))
	}
	choice := func(name, help string, choices []string, get func(*Device) string) *selector.Field {
		out := f(name, selector.Choice, help, text(get))
		out.Choices = choices
		return out
	}
	milliwatts := func(get func(network.Power) int) func(any) selector.Datum {
		return of(func(d *Device) selector.Datum {
			if d.State.Power == nil {
				return selector.Datum{}
			}
			return selector.OfNumber(float64(get(*d.State.Power)) / 1000)
		})
	}
	return []*selector.Field{
		words("", "", func(d *Device) string { return d.text }),
		words("name", "name of the device", func(d *Device) string { return d.Name }),
		words(groupField, "group that the device is in; a group's own selector may ask for more than the device", func(*Device) string { return "" }),
		choice("kind", "what the device is for", network.Kinds(), func(d *Device) string { return string(d.Identity.Kind) }),
		words("maker", "who made the device", func(d *Device) string { return d.Identity.Maker }),
		words("model", "model of the device", func(d *Device) string { return d.Identity.Model }),
		words("serial", "serial number of the device", func(d *Device) string { return d.Identity.Serial }),
		f("firmware", selector.Version, "version of what the device runs", text(func(d *Device) string { return d.Identity.Firmware })),
		f("address", selector.Address, "address by which the device is managed", text(func(d *Device) string { return d.host })),
		choice("reach", "whether the service has the device in hand", network.Reaches(), func(d *Device) string { return string(d.Reach) }),
		choice("health", "health of the device", healths, func(d *Device) string { return string(d.Health) }),
		{Name: "tag", Noun: selector.Device, Type: selector.Text, Many: true, Help: "tags given to the device", GetMany: func(row any) []selector.Datum { return row.(*Device).tags }},
		{Name: "vlan", Noun: selector.Device, Type: selector.Number, Many: true, Help: "VLANs that the device knows", GetMany: func(row any) []selector.Datum { return row.(*Device).vlans }},
		words("contact", "who to ask about the device", func(d *Device) string { return d.Contact }),
		words("building", "building in which the device stands", func(d *Device) string { return d.Building }),
		words("floor", "floor on which the device stands", func(d *Device) string { return d.Floor }),
		words("rack", "rack in which the device stands", func(d *Device) string { return d.Rack }),
		words("notes", "notes on the device", func(d *Device) string { return d.Notes }),
		age("up", "for how long the device has been running", func(d *Device) time.Time { return d.Identity.BootedAt }),
		age("seen", "how long ago the device last answered", func(d *Device) time.Time { return d.SeenAt }),
		age("enrolled", "how long ago the device was enrolled", func(d *Device) time.Time { return d.EnrolledAt }),
		f("poe.budget", selector.Number, "power that the device can feed over its ports, in W", milliwatts(func(p network.Power) int { return p.BudgetMilliW })),
		f("poe.watts", selector.Number, "power that the device feeds over its ports, in W", milliwatts(func(p network.Power) int { return p.UsedMilliW })),
		f("poe.left", selector.Number, "power that the device could feed besides, in W", milliwatts(func(p network.Power) int { return p.BudgetMilliW - p.UsedMilliW })),
	}
}

func portFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Port) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Port, Type: t, Help: help, Get: of(get)}
	}
	words := func(name, help string, get func(*Port) string) *selector.Field {
		return f(name, selector.Text, help, func(p *Port) selector.Datum { return selector.Of(get(p)) })
	}
	yes := func(name, help string, get func(*Port) bool) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Port, Type: selector.Flag, Help: help, Get: flag(get)}
	}
	choice := func(name, help string, choices []string, get func(*Port) string) *selector.Field {
		out := words(name, help, get)
		out.Type, out.Choices = selector.Choice, choices
		return out
	}
	count := func(name, help string, get func(network.Counters) uint64) *selector.Field {
		return f(name, selector.Number, help, func(p *Port) selector.Datum {
			if !p.Known {
				return selector.Datum{}
			}
			return selector.OfNumber(get(p.State.Counters))
		})
	}
	rate := func(name, help string, get func(network.Rates) float64) *selector.Field {
		return f(name, selector.Number, help, func(p *Port) selector.Datum {
			if p.Away || p.State.Rates.Span == 0 {
				return selector.Datum{}
			}
			return selector.OfNumber(get(p.State.Rates))
		})
	}
	return []*selector.Field{
		words("", "", func(p *Port) string { return p.text }),
		words("port", "name of the port on its device", func(p *Port) string { return p.Ref.Port }),
		words("port.description", "description of the port", func(p *Port) string { return p.Config.Description }),
		yes("port.enabled", "whether the port is switched on", func(p *Port) bool { return p.Config.Enabled }),
		yes("port.up", "whether the port has a link", func(p *Port) bool { return p.Oper() == network.Up }),
		choice("port.health", "health of the port", healths, func(p *Port) string { return string(p.Health) }),
		choice("port.mode", "how the port treats VLAN tags", []string{string(network.Access), string(network.Trunk)}, func(p *Port) string { return string(p.Config.Mode) }),
		{Name: "port.vlan", Noun: selector.Port, Type: selector.Number, Many: true, Help: "VLANs set on the port, tagged or not", GetMany: func(row any) []selector.Datum { return row.(*Port).vlans }},
		f("port.untagged", selector.Number, "VLAN of frames without a tag", func(p *Port) selector.Datum { return some(int(p.Config.Untagged())) }),
		f("port.mbps", selector.Number, "speed of the link in Mbit/s", func(p *Port) selector.Datum { return some(p.State.SpeedMbps) }),
		words("port.mac", "hardware address of the port", func(p *Port) string { return p.State.MAC }),
		yes("port.poe", "whether the port feeds power when asked", func(p *Port) bool { return p.Config.HasPoE && p.Config.PoE }),
		f("port.poe.watts", selector.Number, "power that the port feeds, in W", func(p *Port) selector.Datum {
			if !p.Config.HasPoE || !p.Known {
				return selector.Datum{}
			}
			return selector.OfNumber(float64(p.State.PoEMilliW) / 1000)
		}),
		f("port.poe.class", selector.Number, "class of what is fed (IEEE 802.3bt), 0 to 8", func(p *Port) selector.Datum { return some(p.State.PoEClass) }),
		count("port.rx.octets", "octets received since boot", func(c network.Counters) uint64 { return c.RxOctets }),
		count("port.tx.octets", "octets sent since boot", func(c network.Counters) uint64 { return c.TxOctets }),
		count("port.errors", "frames in error since boot, received and sent", func(c network.Counters) uint64 { return c.RxErrors + c.TxErrors }),
		count("port.discards", "frames discarded since boot, received and sent", func(c network.Counters) uint64 { return c.RxDiscards + c.TxDiscards }),
		rate("port.rx.mbps", "what the port receives, in Mbit/s", func(r network.Rates) float64 { return r.RxBps / 1e6 }),
		rate("port.tx.mbps", "what the port sends, in Mbit/s", func(r network.Rates) float64 { return r.TxBps / 1e6 }),
		rate("port.errors.rate", "frames in error each second", func(r network.Rates) float64 { return r.Errors }),
		rate("port.discards.rate", "frames discarded each second", func(r network.Rates) float64 { return r.Discards }),
		f("port.use", selector.Number, "part of the link's speed that is used by the busier direction, in percent", func(p *Port) selector.Datum {
			if p.Away || p.State.Rates.Span == 0 || p.State.SpeedMbps == 0 {
				return selector.Datum{}
			}
			return selector.OfNumber(p.State.Rates.UsePercent(p.State.SpeedMbps))
		}),
		words("port.peer", "device or system at the other end of the cable", func(p *Port) string {
			if p.Peer == nil {
				return ""
			}
			if p.Peer.Device != "" {
				return p.Peer.Device
			}
			return p.Peer.System
		}),
		f("port.changed", selector.Age, "how long ago the link last came or went", func(p *Port) selector.Datum { return when(p.State.Changed) }),
	}
}

// Event is something that happened, as far as it can be asked for.
type Event struct {
	At                       time.Time
	Kind, Device, Port, Text string
}

func eventFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Event) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Event, Type: t, Help: help, Get: of(get)}
	}
	words := func(name, help string, get func(*Event) string) *selector.Field {
		return f(name, selector.Text, help, func(e *Event) selector.Datum { return selector.Of(get(e)) })
	}
	kind := words("event.kind", "what the event is about", func(e *Event) string { return e.Kind })
	kind.Type, kind.Choices = selector.Choice, []string{"port", "device", "state", "config", "change", "drift", "fleet", "search", "alarm", "job"}
	return []*selector.Field{
		words("", "", func(e *Event) string { return selector.Fold(e.Device + "\n" + e.Port + "\n" + e.Text) }),
		kind,
		words("event.text", "what happened, in words", func(e *Event) string { return e.Text }),
		f("event.age", selector.Age, "how long ago it happened", func(e *Event) selector.Datum { return when(e.At) }),
	}
}
