// Package circuits keeps which lines of providers lead out of sites, and adds up how much of them is used.
package circuits

import (
	"cmp"
	"context"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/circuit"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/store"
)

// History is where it is told what went through ports.
type History interface {
	Volumes(ctx context.Context, device, port, by string, from, to time.Time, zone *time.Location) ([]history.Volume, error)
}

// Service is the capability.
type Service struct {
	Store   *store.Store
	History History
	Now     func() time.Time
}

// List lists the circuits by device and port.
func (s *Service) List(ctx context.Context) ([]circuit.Circuit, error) { return s.Store.Circuits(ctx) }

// Put says what a circuit is.
func (s *Service) Put(ctx context.Context, c circuit.Circuit) (circuit.Circuit, error) {
	if err := c.Check(); err != nil {
		return c, err
	}
	return c, s.Store.PutCircuit(ctx, c)
}

// Drop forgets a circuit.
func (s *Service) Drop(ctx context.Context, device, port string) error {
	return s.Store.DropCircuit(ctx, device, port)
}

// Over lists the circuits that are over their cap, or will be by the end of the month. zone is the time zone of the site of a device, and whether that is known.
func (s *Service) Over(ctx context.Context, zone func(device string) (string, bool)) (out []alarm.Cap, err error) {
	list, err := s.List(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range list {
		name, known := zone(c.Device)
		if !known || c.CapGB == 0 {
			continue
		}
		u, err := s.Use(ctx, c, Zone(name))
		if err != nil {
			return nil, err
		}
		if is := c.Standing(u); is == circuit.Over || is == circuit.Likely {
			out = append(out, alarm.Cap{At: network.PortRef{Device: c.Device, Port: c.Port}, Provider: c.Provider, GB: c.CapGB, Used: u.Octets / 1e9, Foreseen: u.Expected / 1e9, Over: is == circuit.Over})
		}
	}
	return out, nil
}

// Zone is a time zone by its name, UTC where that is none.
func Zone(name string) *time.Location {
	if zone, err := time.LoadLocation(cmp.Or(name, "UTC")); err == nil {
		return zone
	}
	return time.UTC
}

// Use is how much went through a circuit in this month of its site's zone.
func (s *Service) Use(ctx context.Context, c circuit.Circuit, zone *time.Location) (circuit.Use, error) {
	now := s.Now()
	begin, end := circuit.Month(now, zone)
	list, err := s.History.Volumes(ctx, c.Device, c.Port, "month", begin, now, zone)
	if err != nil {
		return circuit.Use{}, err
	}
	octets, known := 0.0, false
	for _, v := range list {
		octets, known = octets+v.Rx+v.Tx, known || v.Known
	}
	return circuit.UseOf(octets, known, now, begin, end), nil
}
