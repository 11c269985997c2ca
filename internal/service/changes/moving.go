package changes

import (
	"context"
	"fmt"
	"net"
	"net/netip"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// A device that is given another address is lost at the old one in the moment in which it runs the change: it is looked for at
// both, as long as it is not known which it keeps.

// movedTo is where (host:port) the devices of a change will be that it gives another address, as far as they are reached at
// the one that they have.
func movedTo(c store.Change, addresses map[string]string) map[string]string {
	out := map[string]string{}
	for _, d := range c.Devices {
		if to := newAddress(d, addresses[d.Device]); to != "" {
			out[d.Device] = to
		}
	}
	return out
}

// newAddress is where a device that is reached at an address will be; "" where that does not change.
func newAddress(d store.ChangeDevice, address string) string {
	host, port, err := net.SplitHostPort(address)
	was, err1 := netip.ParsePrefix(d.Before.ManagementAddress)
	is, err2 := netip.ParsePrefix(d.After.ManagementAddress)
	if err != nil || err1 != nil || err2 != nil || host != was.Addr().String() || was.Addr() == is.Addr() {
		return ""
	}
	return net.JoinHostPort(is.Addr().String(), port)
}

// addresses tells where devices are reached.
func (s *Service) addresses(ctx context.Context) map[string]string {
	out := map[string]string{}
	devices, err := s.store.Devices(ctx)
	if err != nil {
		return out
	}
	for _, d := range devices {
		if !d.CallsHome {
			out[d.Name] = d.Address
		}
	}
	return out
}

// moves has the devices that the change gives another address looked for at both.
func (w *worker) moves() {
	w.to = movedTo(w.c, w.s.addresses(w.ctx))
	for device, to := range w.to {
		w.s.fleet.AlsoAt(device, to)
	}
}

// moved ends that: they are at the new one when the change is kept, and at the old one when not.
func (w *worker) moved(kept bool) {
	for device, to := range w.to {
		if !kept {
			w.s.fleet.AlsoAt(device, "")
			continue
		}
		w.s.fleet.MoveTo(device, to)
		if w.s.moved == nil {
			continue
		}
		if err := w.s.moved(w.ctx, device, to); err != nil {
			w.s.log.Error("the address of a device could not be kept", "device", device, "address", to, "err", err)
		}
	}
}

// movedAway finds devices that are lost for a moment because they are given another address.
func movedAway(c *store.Change, addresses map[string]string) []guard.Finding {
	var out []guard.Finding
	to := movedTo(*c, addresses)
	for i, d := range c.Devices {
		if to[d.Device] == "" {
			continue
		}
		c.Devices[i].Dark = true
		out = append(out, guard.Finding{
			ID: "out-of-sight:" + d.Device, Guard: "out-of-sight", Level: guard.Note, Ports: []network.PortRef{{Device: d.Device}},
			What: fmt.Sprintf("%s will be out of sight for a moment, while it changes its address; it is looked for at %s then.", d.Device, to[d.Device]),
			Why:  "It runs the change on trial meanwhile, and goes back by itself if it is not found there.",
			Do:   "Nothing; the push goes on, and reads it back in the end.",
		})
	}
	return out
}
