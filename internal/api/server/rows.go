package server

import (
	"cmp"
	"context"
	"slices"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
)

func siteOut(s *catalog.Site) v1.Site {
	return v1.Site{Name: s.Name, Devices: countsOut(s.Devices), Ports: countsOut(s.Ports), SiteRequest: v1.SiteRequest{Title: s.Title, Entry: s.Entry,
		Code: s.Code, Address: s.Site.Address, Position: (*v1.Position)(s.Position), TimeZone: s.TimeZone, Contact: s.Contact, Notes: s.Notes}}
}

func siteIn(name string, r v1.SiteRequest) network.Site {
	return network.Site{Name: name, Title: r.Title, Entry: r.Entry, Code: r.Code, Address: r.Address,
		Position: (*network.Position)(r.Position), TimeZone: r.TimeZone, Contact: r.Contact, Notes: r.Notes}
}

func countsOut(c catalog.Counts) v1.HealthCounts { return v1.HealthCounts(c) }

func particularsOut(p network.Particulars) v1.Particulars {
	return v1.Particulars{Contact: p.Contact, Building: p.Building, Floor: p.Floor, Rack: p.Rack, RackUnit: p.RackUnit,
		Position: (*v1.Position)(p.Position), Tags: p.Tags, Page: p.Page, Notes: p.Notes}
}

func particularsIn(p v1.Particulars) network.Particulars {
	return network.Particulars{Contact: p.Contact, Building: p.Building, Floor: p.Floor, Rack: p.Rack, RackUnit: p.RackUnit,
		Position: (*network.Position)(p.Position), Tags: p.Tags, Page: p.Page, Notes: p.Notes}
}

func deviceOut(d *catalog.Device) v1.Device {
	id := d.Identity
	out := v1.Device{
		Name: d.Name, Site: d.Site.Name, Kind: string(id.Kind), Maker: id.Maker, Model: id.Model, Serial: id.Serial, Firmware: id.Firmware,
		Address: d.Address, CallsHome: d.CallsHome, HostKey: d.HostKey, BootedAt: id.BootedAt, Reach: string(d.Reach), Since: d.Since, Why: d.Why,
		SeenAt: d.SeenAt, OwnPage: cmp.Or(d.Particulars.Page, d.Inside.Page), Health: string(d.Health), ManagementVLAN: int(d.Config.ManagementVLAN), Ports: countsOut(d.Ports),
		EnrolledAt: d.EnrolledAt, EnrolledBy: d.EnrolledBy, Control: d.Control.String(), Abilities: []string{}, Particulars: particularsOut(d.Particulars),
	}
	for _, t := range d.Troubles {
		out.Troubles = append(out.Troubles, words.English.Trouble(t))
	}
	for _, a := range id.Abilities {
		out.Abilities = append(out.Abilities, string(a))
	}
	slices.Sort(out.Abilities)
	if p := d.State.Power; p != nil {
		out.Power = &v1.Power{BudgetMilliW: p.BudgetMilliW, UsedMilliW: p.UsedMilliW}
	}
	return out
}

// portOut tells what was seen of a device that is away as the last known, and its state as unknown.
func portOut(p *catalog.Port) v1.Port {
	c, st := p.Config, p.State
	out := v1.Port{
		Ref: p.Ref.String(), Device: p.Ref.Device, Port: p.Ref.Port, Site: p.Device.Site.Name, Description: c.Description, Enabled: c.Enabled,
		Mode: string(c.Mode), AccessVLAN: int(c.AccessVLAN), NativeVLAN: int(c.NativeVLAN), TrunkVLANs: c.TrunkVLANs.String(),
		Oper: string(p.Oper()), ChangedAt: st.Changed, SpeedMbps: st.SpeedMbps, MAC: st.MAC, Addresses: st.Addresses, ShutBy: st.ShutBy, Bundle: c.LAG, HasPoE: c.HasPoE, PoE: c.PoE, Health: string(p.Health),
		PoEMilliW: st.PoEMilliW, PoEMilliV: st.PoEMilliV, PoEMilliA: st.PoEMilliA, PoEClass: st.PoEClass, Isolation: c.Settings["isolation"], Counters: v1.Counters(st.Counters), ObservedAt: st.ObservedAt, Stale: p.Away,
	}
	if r := st.Rates; r.Span > 0 && !p.Away {
		out.Rates = &v1.Rates{RxBps: r.RxBps, TxBps: r.TxBps, RxPps: r.RxPps, TxPps: r.TxPps, Errors: r.Errors, Discards: r.Discards,
			Use: r.UsePercent(st.SpeedMbps), SpanMs: r.Span.Milliseconds()}
	}
	if p.Peer != nil {
		out.Peer = &v1.Peer{System: p.Peer.System, Port: p.Peer.Port, Device: p.Peer.Device}
	}
	return out
}

func clientOut(c *catalog.Client) v1.NetworkClient {
	out := v1.NetworkClient{MAC: c.MAC, Name: c.Name(), GivenName: c.GivenName, Maker: c.Maker, Address: c.Address, System: c.System, Device: c.Device.Name,
		Site: c.Device.Site.Name, Port: c.Port, SSID: c.SSID, Band: c.Band, VLAN: int(c.VLAN), SignalDbm: c.SignalDbm, Here: c.Here, FirstSeen: c.FirstSeen, LastSeen: c.LastSeen}
	if u := c.Use; u.Known && c.Here {
		out.Use = &v1.Use{UpOctets: u.UpOctets, DownOctets: u.DownOctets}
		if u.RatesKnown {
			out.Use.UpBps, out.Use.DownBps = &u.UpBps, &u.DownBps
		}
	}
	return out
}

// devicesOut is deviceOut for who makes the request.
func (s *server) devicesOut(ctx context.Context) func(*catalog.Device) v1.Device {
	return func(d *catalog.Device) v1.Device {
		out := deviceOut(d)
		out.Drift = len(s.Layers.DriftOf(d.Name).Differences)
		out.Rights = []string{}
		for _, n := range []need{may(rights.See, rights.Configuration), operateDevices, operateTerminals, may(rights.See, rights.Tests), may(rights.Operate, rights.Tests), may(rights.Operate, rights.Ports), may(rights.Change, rights.Devices), seeAlarms} {
			if where, some := person(ctx).Of(n.Verb, n.Feature); some && (where == selector.Expr(selector.All{}) || s.Inventory.HoldsDevice(d.Name, where)) {
				out.Rights = append(out.Rights, n.String())
			}
		}
		return out
	}
}

// portsOut is portOut for who makes the request.
func (s *server) portsOut(ctx context.Context) func(*catalog.Port) v1.Port {
	where, some := person(ctx).Of(rights.Change, rights.Ports)
	return func(p *catalog.Port) v1.Port {
		out := portOut(p)
		out.MayChange = some && (where == selector.Expr(selector.All{}) || s.Inventory.HoldsPort(p, where))
		return out
	}
}

func deviceDetail(d *catalog.Device, ports []*catalog.Port, device func(*catalog.Device) v1.Device, port func(*catalog.Port) v1.Port) v1.DeviceDetail {
	out := v1.DeviceDetail{Device: device(d), PortList: make([]v1.Port, len(ports)), Face: []v1.FacePort{}, VLANs: []v1.VLAN{}}
	for i, p := range ports {
		out.PortList[i] = port(p)
	}
	for _, f := range network.FaceOf(out.Model, d.Config.PortNames()).Ports {
		out.Face = append(out.Face, v1.FacePort{Port: f.Port, Label: f.Label, Kind: string(f.Kind), Column: f.Column, Row: f.Row, Group: f.Group, Unit: f.Unit})
	}
	for _, r := range d.State.Resolved {
		out.Resolved = append(out.Resolved, v1.Resolved(r))
	}
	if !d.Inside.ObservedAt.IsZero() {
		out.Inside = &d.Inside
	}
	for id, vlan := range d.Config.VLANs {
		out.VLANs = append(out.VLANs, v1.VLAN{ID: int(id), Name: vlan.Name})
	}
	slices.SortFunc(out.VLANs, func(a, b v1.VLAN) int { return a.ID - b.ID })
	out.Objects, out.Features = objectsOut(d.Config), []string{}
	for _, f := range d.Config.Features {
		out.Features = append(out.Features, string(f))
	}
	return out
}

// objectsOut lists what a device holds besides its ports, with what is set on it.
func objectsOut(c network.Config) []v1.Object {
	out := []v1.Object{}
	for _, name := range setting.Objects(c) {
		k := setting.KindOf(name)
		if setting.AboutKind(k).Fixed {
			continue
		}
		o := v1.Object{Name: name, Kind: string(k), Known: map[string]string{}}
		for _, s := range setting.OfObject(c, name) {
			v, err := s.Get(c, name)
			if err != nil || v == s.Default || s.Name == setting.Present {
				continue
			}
			o.Known[s.Name] = v
		}
		o.Title = cmp.Or(o.Known["name"], o.Known["description"], o.Known["purpose"], o.Known["text"], o.Known["role"], o.Known["ring-role"])
		if setting.AboutKind(k).Members {
			o.Members = c.Members(name)
		}
		out = append(out, o)
	}
	return out
}
