package catalog

import (
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// insideFields are what is observed inside a device and asked of it: its hardware, radios and tunnels.
func insideFields() []*selector.Field {
	one := func(name, help string, get func(network.Hardware) (float64, bool)) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Device, Type: selector.Number, Help: help, Get: of(func(d *Device) selector.Datum {
			v, known := get(d.Inside.Hardware)
			if !known || d.Reach != network.ReachConnected {
				return selector.Datum{}
			}
			return selector.OfNumber(v)
		})}
	}
	many := func(name string, t selector.Type, help string, get func(network.Inside) []selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Device, Type: t, Many: true, Help: help, GetMany: func(row any) []selector.Datum {
			d := row.(*Device)
			if d.Reach != network.ReachConnected {
				return nil
			}
			return get(d.Inside)
		}}
	}
	return []*selector.Field{
		one("cpu", "load of the processor, in percent", func(h network.Hardware) (float64, bool) { return h.CPUPercent, h.HasSensors }),
		one("memory", "memory that is used, in percent", func(h network.Hardware) (float64, bool) {
			return 100 * float64(h.MemoryUsed) / float64(max(h.MemoryTotal, 1)), h.MemoryTotal > 0
		}),
		one("temperature", "temperature of the box, in degrees Celsius", func(h network.Hardware) (float64, bool) { return h.Temperature, h.HasSensors }),
		many("radio.band", selector.Text, "bands of the device's radios", func(i network.Inside) []selector.Datum {
			return each(i.Radios, func(r network.RadioState) selector.Datum { return selector.Of(r.Band) })
		}),
		many("radio.channel", selector.Number, "channels of the device's radios", func(i network.Inside) []selector.Datum {
			return each(i.Radios, func(r network.RadioState) selector.Datum { return some(r.Channel) })
		}),
		many("radio.busy", selector.Number, "part of the time that a radio's channel is taken, in percent", func(i network.Inside) []selector.Datum {
			return each(i.Radios, func(r network.RadioState) selector.Datum { return selector.OfNumber(r.BusyPercent) })
		}),
		many("radio.noise", selector.Number, "noise that a radio hears, in dBm", func(i network.Inside) []selector.Datum {
			return each(i.Radios, func(r network.RadioState) selector.Datum { return some(r.NoiseDbm) })
		}),
		many("ssid", selector.Text, "wireless networks that stations joined at the device", func(i network.Inside) []selector.Datum {
			return each(i.Stations, func(s network.Station) selector.Datum { return selector.Of(s.SSID) })
		}),
		many("tunnel.underlay", selector.Text, "what the device's tunnels go over", func(i network.Inside) []selector.Datum {
			return each(i.Tunnels, func(t network.Tunnel) selector.Datum { return selector.Of(t.Underlay) })
		}),
		many("tunnel.up", selector.Flag, "whether a tunnel of the device is up", func(i network.Inside) []selector.Datum {
			return each(i.Tunnels, func(t network.Tunnel) selector.Datum { return selector.OfFlag(t.Up) })
		}),
		many("tunnel.delay", selector.Number, "delay over a tunnel that is up, in ms", func(i network.Inside) []selector.Datum {
			return each(i.Tunnels, func(t network.Tunnel) selector.Datum {
				if !t.Up {
					return selector.Datum{}
				}
				return selector.OfNumber(t.DelayMs)
			})
		}),
		many("tunnel.loss", selector.Number, "frames lost over a tunnel that is up, in percent", func(i network.Inside) []selector.Datum {
			return each(i.Tunnels, func(t network.Tunnel) selector.Datum {
				if !t.Up {
					return selector.Datum{}
				}
				return selector.OfNumber(t.LossPercent)
			})
		}),
	}
}

func each[T any](list []T, get func(T) selector.Datum) []selector.Datum {
	out := make([]selector.Datum, len(list))
	for i, v := range list {
		out[i] = get(v)
	}
	return out
}

// portLinkFields are what is observed of a port's link and of the module in its cage.
func portLinkFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Port) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Port, Type: t, Help: help, Get: of(func(p *Port) selector.Datum {
			if p.Away {
				return selector.Datum{}
			}
			return get(p)
		})}
	}
	module := func(name string, t selector.Type, help string, get func(network.Module) selector.Datum) *selector.Field {
		return f(name, t, help, func(p *Port) selector.Datum {
			for _, m := range p.Device.Inside.Hardware.Transceivers {
				if m.Port == p.Ref.Port {
					return get(m)
				}
			}
			return selector.Datum{}
		})
	}
	stp := f("port.stp", selector.Choice, "what spanning tree does with the port", func(p *Port) selector.Datum {
		st := p.Device.Inside.Spanning
		if st == nil {
			return selector.Datum{}
		}
		name := p.Ref.Port
		if p.Config.LAG != "" {
			name = p.Config.LAG
		}
		return selector.Of(st.Ports[name].State)
	})
	stp.Choices = []string{"forwarding", "blocking", "learning", "listening", "disabled"}
	return []*selector.Field{
		f("port.bundle", selector.Text, "link aggregation of which the port is a member", func(p *Port) selector.Datum { return selector.Of(p.Config.LAG) }),
		stp,
		module("port.module", selector.Text, "model of the module in the port", func(m network.Module) selector.Datum { return selector.Of(m.Model) }),
		module("port.module.maker", selector.Text, "who made the module in the port", func(m network.Module) selector.Datum { return selector.Of(m.Maker) }),
		module("port.module.serial", selector.Text, "serial number of the module in the port", func(m network.Module) selector.Datum { return selector.Of(m.Serial) }),
		module("port.module.rx", selector.Number, "light that the module receives, in dBm", func(m network.Module) selector.Datum { return selector.OfNumber(m.RxDbm) }),
		module("port.module.tx", selector.Number, "light that the module sends, in dBm", func(m network.Module) selector.Datum { return selector.OfNumber(m.TxDbm) }),
		module("port.module.temperature", selector.Number, "temperature of the module, in degrees Celsius", func(m network.Module) selector.Datum { return selector.OfNumber(m.Temperature) }),
	}
}
