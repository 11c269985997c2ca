package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// NamePath is the name in an address. (Huma looks only into embedded structs that are exported.)
type NamePath struct {
	Name string `path:"name" maxLength:"63"`
}

func (s *server) inventoryRoutes(api huma.API) {
	register(s, api, access.See, http.MethodGet, "/sites", "list-sites", "The sites, with the health of their devices",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Site]], error) {
			sites, err := s.sites(ctx)
			return &body[v1.List[v1.Site]]{v1.List[v1.Site]{Items: sites, Total: len(sites)}}, err
		})
	type siteInput struct {
		NamePath
		Body v1.SiteRequest
	}
	register(s, api, access.Administer, http.MethodPut, "/sites/{name}", "put-site", "Make or change a site",
		func(ctx context.Context, in *siteInput) (*struct{}, error) {
			err := s.Inventory.PutSite(ctx, network.Site{Name: in.Name, Title: in.Body.Title, Entry: in.Body.Entry})
			s.audit(ctx, person(ctx).Name, "put-site", in.Name, outcome(err))
			return nil, err
		})
	type deviceQuery struct {
		Q    string `query:"q" maxLength:"200" doc:"Words that must all be found in name, site, kind, maker, model, serial or address"`
		Site string `query:"site" maxLength:"63"`
	}
	register(s, api, access.See, http.MethodGet, "/devices", "list-devices", "The devices",
		func(ctx context.Context, in *deviceQuery) (*body[v1.List[v1.Device]], error) {
			all, err := s.devices(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.Device{}
			for _, d := range all {
				if (in.Site == "" || d.Site == in.Site) &&
					finds(in.Q, d.Name, d.Site, d.Kind, d.Maker, d.Model, d.Serial, d.Address, d.Firmware, d.Health, d.Reach) {
					out = append(out, d)
				}
			}
			return &body[v1.List[v1.Device]]{v1.List[v1.Device]{Items: out, Total: len(all)}}, nil
		})
	register(s, api, access.See, http.MethodGet, "/devices/{name}", "get-device", "A device with its front and ports",
		func(ctx context.Context, in *NamePath) (*body[v1.DeviceDetail], error) {
			d, err := s.device(ctx, in.Name)
			return &body[v1.DeviceDetail]{d}, err
		})
	type document struct {
		ContentType string `header:"Content-Type"`
		Body        []byte
	}
	register(s, api, access.See, http.MethodGet, "/devices/{name}/configuration", "get-configuration", "What the device runs, in its own form, as last read",
		func(ctx context.Context, in *NamePath) (*document, error) {
			snap, err := s.Store.LastSnapshot(ctx, in.Name)
			return &document{ContentType: "application/xml", Body: snap.Document}, missing(err, "the configuration of "+in.Name)
		})
	register(s, api, access.Operate, http.MethodPost, "/host-keys", "probe-host-key", "Ask an address for its SSH host key",
		func(ctx context.Context, in *body[v1.Probe]) (*body[v1.ProbeResult], error) {
			key, err := s.Inventory.HostKey(ctx, in.Body.Address)
			if err != nil {
				return nil, deviceError(in.Body.Address, err)
			}
			address, _ := inventory.Address(in.Body.Address)
			return &body[v1.ProbeResult]{v1.ProbeResult{Address: address, HostKey: key}}, nil
		})
	register(s, api, access.Operate, http.MethodPost, "/devices", "adopt-device", "Adopt a device whose host key was accepted",
		func(ctx context.Context, in *body[v1.Adoption]) (*body[v1.DeviceDetail], error) {
			a := in.Body
			d, err := s.Inventory.Adopt(ctx, inventory.Adoption{Address: a.Address, User: a.User, Password: a.Password,
				HostKey: a.HostKey, Site: a.Site, Name: a.Name, By: person(ctx).Name})
			s.audit(ctx, person(ctx).Name, "adopt", cmp.Or(d.Name, a.Address), outcome(err))
			if err != nil {
				return nil, deviceError(a.Address, err)
			}
			out, err := s.device(ctx, d.Name)
			return &body[v1.DeviceDetail]{out}, err
		})
	type pinInput struct {
		NamePath
		Body v1.Pin
	}
	register(s, api, access.Operate, http.MethodPut, "/devices/{name}/host-key", "pin-host-key", "Accept another host key of a device",
		func(ctx context.Context, in *pinInput) (*struct{}, error) {
			err := s.Inventory.Pin(ctx, in.Name, in.Body.HostKey, person(ctx).Name)
			s.audit(ctx, person(ctx).Name, "pin-host-key", in.Name, in.Body.HostKey+", "+outcome(err))
			if errors.Is(err, store.ErrNotFound) || err == nil {
				return nil, err
			}
			return nil, deviceError(in.Name, err)
		})
	type portQuery struct {
		Q      string `query:"q" maxLength:"200" doc:"Words that must all be found in name, description, VLAN, state, neighbour or MAC address"`
		Site   string `query:"site" maxLength:"63"`
		Device string `query:"device" maxLength:"63"`
		Offset int    `query:"offset" minimum:"0"`
		Limit  int    `query:"limit" minimum:"1" maximum:"10000" default:"1000"`
	}
	register(s, api, access.See, http.MethodGet, "/ports", "list-ports", "The ports",
		func(ctx context.Context, in *portQuery) (*body[v1.List[v1.Port]], error) {
			devices, err := s.Store.Devices(ctx)
			if err != nil {
				return nil, err
			}
			nameOf := s.nameOf()
			out := []v1.Port{}
			for _, d := range devices {
				if in.Site != "" && d.Site != in.Site || in.Device != "" && d.Name != in.Device {
					continue
				}
				v, _ := s.Fleet.View(d.Name)
				for _, p := range portsOut(d, v, nameOf) {
					if finds(in.Q, p.Ref, p.Description, p.Site, p.Mode, vlanWords(p), p.Health, p.MAC, peerWords(p.Peer)) {
						out = append(out, p)
					}
				}
			}
			total := len(out)
			out = out[min(in.Offset, total):min(in.Offset+in.Limit, total)]
			return &body[v1.List[v1.Port]]{v1.List[v1.Port]{Items: out, Total: total}}, nil
		})
}

// missing says what is missing.
func missing(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%s: %w", what, store.ErrNotFound)
	}
	return err
}

// deviceError marks what went wrong between us and an address as such, unless it is of a kind that has its own problem.
func deviceError(address string, err error) error {
	var key *driver.KeyError
	if errors.As(err, &key) || errors.Is(err, driver.ErrCredentials) || errors.Is(err, inventory.ErrInvalid) ||
		errors.Is(err, inventory.ErrNotAccepted) || errors.Is(err, store.ErrExists) {
		return err
	}
	if errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("%w: %s does not answer; check the address and whether it speaks NETCONF over SSH there", errDevice, address)
	}
	return fmt.Errorf("%w: %w", errDevice, err)
}

// finds tells whether every word of q stands in one of the texts. Case does not count.
func finds(q string, texts ...string) bool {
	all := strings.ToLower(strings.Join(texts, "\n"))
	for word := range strings.FieldsSeq(strings.ToLower(q)) {
		if !strings.Contains(all, word) {
			return false
		}
	}
	return true
}

func vlanWords(p v1.Port) string {
	switch p.Mode {
	case string(network.Access):
		return fmt.Sprintf("vlan%d", p.AccessVLAN)
	case string(network.Trunk):
		return fmt.Sprintf("vlan%d trunk", p.NativeVLAN)
	}
	return ""
}

func peerWords(p *v1.Peer) string {
	if p == nil {
		return ""
	}
	return p.System + " " + p.Port
}

// nameOf finds the device that a neighbour report speaks of.
func (s *server) nameOf() func(string) string {
	configs := map[string]network.Config{}
	for _, v := range s.Fleet.Views() {
		configs[v.Name] = v.Config
	}
	return topology.HostNames(configs)
}

func (s *server) devices(ctx context.Context) ([]v1.Device, error) {
	kept, err := s.Store.Devices(ctx)
	if err != nil {
		return nil, err
	}
	nameOf := s.nameOf()
	out := make([]v1.Device, len(kept))
	for i, d := range kept {
		v, _ := s.Fleet.View(d.Name)
		out[i] = deviceOut(d, v, portsOut(d, v, nameOf))
	}
	return out, nil
}

func (s *server) device(ctx context.Context, name string) (v1.DeviceDetail, error) {
	kept, err := s.Store.Devices(ctx)
	if err != nil {
		return v1.DeviceDetail{}, err
	}
	i := slices.IndexFunc(kept, func(d store.Device) bool { return d.Name == name })
	if i < 0 {
		return v1.DeviceDetail{}, fmt.Errorf("device %s: %w", name, store.ErrNotFound)
	}
	v, _ := s.Fleet.View(name)
	ports := portsOut(kept[i], v, s.nameOf())
	out := v1.DeviceDetail{Device: deviceOut(kept[i], v, ports), PortList: ports, Face: []v1.FacePort{}, VLANs: []v1.VLAN{}}
	for _, f := range network.FaceOf(out.Model, v.Config.PortNames()).Ports {
		out.Face = append(out.Face, v1.FacePort{Port: f.Port, Label: f.Label, Kind: string(f.Kind), Column: f.Column, Row: f.Row, Group: f.Group})
	}
	for id, vlan := range v.Config.VLANs {
		out.VLANs = append(out.VLANs, v1.VLAN{ID: int(id), Name: vlan.Name})
	}
	slices.SortFunc(out.VLANs, func(a, b v1.VLAN) int { return a.ID - b.ID })
	return out, nil
}

func deviceOut(d store.Device, v fleet.View, ports []v1.Port) v1.Device {
	id := d.Identity
	if v.Identity.Serial != "" {
		id = v.Identity
	}
	out := v1.Device{
		Name: d.Name, Site: d.Site, Kind: string(id.Kind), Maker: id.Maker, Model: id.Model, Serial: id.Serial, Firmware: id.Firmware,
		Address: d.Address, HostKey: d.HostKey, BootedAt: id.BootedAt, Reach: string(v.Reach), Since: v.Since, Why: v.Why,
		SeenAt: v.SeenAt, Health: string(inventory.DeviceHealth(v)), ManagementVLAN: int(v.Config.ManagementVLAN),
		AdoptedAt: d.AdoptedAt, AdoptedBy: d.AdoptedBy, Abilities: []string{}, Ports: v1.HealthCounts{},
	}
	for _, a := range id.Abilities {
		out.Abilities = append(out.Abilities, string(a))
	}
	slices.Sort(out.Abilities)
	if v.State.Power != nil {
		out.Power = &v1.Power{BudgetMilliW: v.State.Power.BudgetMilliW, UsedMilliW: v.State.Power.UsedMilliW}
	}
	for _, p := range ports {
		count(&out.Ports, p.Health)
	}
	return out
}

func count(c *v1.HealthCounts, health string) {
	c.Total++
	switch network.Health(health) {
	case network.Well:
		c.Well++
	case network.HealthDown, network.Degraded:
		c.Down++
	case network.Off:
		c.Off++
	default:
		c.Unknown++
	}
}

// portsOut lists the ports of a device in the order of people. What was seen of a device that is away is told as the last
// known, and its state as unknown.
func portsOut(d store.Device, v fleet.View, nameOf func(string) string) []v1.Port {
	away := v.Reach != network.ReachConnected
	out := make([]v1.Port, 0, len(v.Config.Ports))
	for _, name := range v.Config.PortNames() {
		c := v.Config.Ports[name]
		st, known := v.State.Ports[name]
		p := v1.Port{
			Ref: d.Name + ":" + name, Device: d.Name, Port: name, Site: d.Site, Description: c.Description, Enabled: c.Enabled,
			Mode: string(c.Mode), AccessVLAN: int(c.AccessVLAN), NativeVLAN: int(c.NativeVLAN), TrunkVLANs: c.TrunkVLANs.String(),
			Oper: string(st.Oper), ChangedAt: st.Changed, SpeedMbps: st.SpeedMbps, MAC: st.MAC, HasPoE: c.HasPoE, PoE: c.PoE,
			PoEMilliW: st.PoEMilliW, PoEClass: st.PoEClass, Counters: v1.Counters(st.Counters), ObservedAt: st.ObservedAt, Stale: away,
		}
		// A port that had a neighbour, or was seen to work once, is missed; one that was never used is not.
		wanted := st.Neighbour != nil || st.Counters != (network.Counters{})
		p.Health = string(network.PortHealth(c, st, known && !away, wanted))
		if away || !known {
			p.Oper = string(network.Unknown)
		}
		if n := st.Neighbour; n != nil {
			p.Peer = &v1.Peer{System: n.SystemName, Port: n.PortID, Device: nameOf(n.SystemName)}
		}
		out = append(out, p)
	}
	return out
}

func (s *server) sites(ctx context.Context) ([]v1.Site, error) {
	sites, err := s.Store.Sites(ctx)
	if err != nil {
		return nil, err
	}
	devices, err := s.devices(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]v1.Site, len(sites))
	for i, site := range sites {
		out[i] = v1.Site{Name: site.Name, Title: site.Title, Entry: site.Entry}
		for _, d := range devices {
			if d.Site != site.Name {
				continue
			}
			count(&out[i].Devices, d.Health)
			p := &out[i].Ports
			p.Total, p.Well, p.Down = p.Total+d.Ports.Total, p.Well+d.Ports.Well, p.Down+d.Ports.Down
			p.Off, p.Unknown = p.Off+d.Ports.Off, p.Unknown+d.Ports.Unknown
		}
	}
	return out, nil
}
