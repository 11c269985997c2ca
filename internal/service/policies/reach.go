package policies

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Asked is whether one end reaches another by a service.
type Asked struct {
	From, To string // an address, a hardware address, or the name of an end station or a device
	Protocol string
	Port     uint16
	Draft    []intent.Edit // as the network would be after these; none: as it is
	// Clients and Devices bound which of them may be found.
	Clients, Devices selector.Expr
}

// Reach answers whether one end reaches another, with the two ends as they were found.
func (s *Service) Reach(ctx context.Context, in Asked) (a reach.Answer, from, to reach.End, err error) {
	if from, err = s.end(in.From, in); err != nil {
		return a, from, to, err
	}
	if to, err = s.end(in.To, in); err != nil {
		return a, from, to, err
	}
	if !from.Address.IsValid() || !to.Address.IsValid() {
		return a, from, to, fmt.Errorf("%w: no address of %s is known: give the address itself", ErrInvalid, map[bool]string{true: to.Name, false: from.Name}[from.Address.IsValid()])
	}
	n, err := s.Network.NetworkAfter(ctx, in.Draft)
	if err != nil {
		return a, from, to, err
	}
	q := reach.Question{From: from, To: to, Protocol: in.Protocol, Port: in.Port, At: s.Now().UTC(),
		Find: func(a netip.Addr) (reach.End, bool) {
			e, err := s.end(a.String(), in)
			return e, err == nil && e.Device != ""
		}}
	return reach.Ask(n.Asked(n.Configs), q), from, to, nil
}

// end finds who is meant by a text.
func (s *Service) end(text string, in Asked) (reach.End, error) {
	text = strings.TrimSpace(text)
	ask := func(e selector.Expr, limit int) []*catalog.Client {
		return s.Inventory.Clients(catalog.Query{Where: e, Within: in.Clients, Limit: limit, Now: time.Now()}).Rows
	}
	address, err := netip.ParseAddr(text)
	if mac, macErr := net.ParseMAC(text); macErr == nil && len(mac) == 6 {
		if found := ask(catalog.OfMAC(mac.String()), 1); len(found) == 1 {
			return s.endOf(found[0]), nil
		}
		return reach.End{}, fmt.Errorf("end station %s: %w", mac, store.ErrNotFound)
	}
	var named []*catalog.Client
	for _, c := range ask(nil, 1<<20) {
		switch {
		case err == nil && c.Address == address.String(), err != nil && (strings.EqualFold(c.GivenName, text) || strings.EqualFold(c.OwnName, text)):
			named = append(named, c)
		}
	}
	switch {
	case len(named) == 1, len(named) > 1 && err == nil:
		return s.endOf(named[0]), nil
	case len(named) > 1:
		return reach.End{}, fmt.Errorf("%w: %d end stations are called %s: give the address of one", ErrInvalid, len(named), text)
	}
	for _, d := range s.Inventory.Devices(catalog.Query{Within: in.Devices, Limit: 1 << 20, Now: time.Now()}).Rows {
		v, ok := s.Fleet.View(d.Name)
		if !ok {
			continue
		}
		own, _ := netip.ParsePrefix(v.Config.ManagementAddress)
		if d.Name == text || err == nil && own.IsValid() && own.Addr() == address {
			return reach.End{Name: d.Name, Address: own.Addr(), Device: d.Name, VLAN: v.Config.ManagementVLAN}, nil
		}
	}
	if err == nil {
		return reach.End{Name: address.String(), Address: address}, nil
	}
	return reach.End{}, fmt.Errorf("%q is no address, and no end station or device is called so: %w", text, store.ErrNotFound)
}

func (s *Service) endOf(c *catalog.Client) reach.End {
	e := reach.End{Name: c.GivenName, Device: c.DeviceID, Port: c.Port, VLAN: c.VLAN}
	if e.Name == "" {
		e.Name = c.OwnName
	}
	if e.Name == "" {
		e.Name = c.MAC
	}
	e.Address, _ = netip.ParseAddr(c.Address)
	if v, ok := s.Fleet.View(c.DeviceID); ok && c.SSID != "" {
		e.Behind = behind(v, c.SSID)
	}
	return e
}

// behind is the address with which an access point hides the stations of a network in the air; not valid where it does not.
func behind(v fleet.View, ssid string) (outside netip.Addr) {
	for _, n := range setting.WLANs(v.Config) {
		if n.SSID != ssid || !n.Network.IsValid() {
			continue
		}
		outside = n.Network.Addr() // while the device does not tell with which address it does so
		for _, p := range v.Inside.Pools {
			if a, err := netip.ParseAddr(p.Outside); err == nil && p.Network == n.Name {
				outside = a
			}
		}
	}
	return outside
}
