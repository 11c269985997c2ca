package policies

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Groupings by which the use of applications is added up.
const (
	ByApplication = "application"
	BySite        = "site"
	ByNetwork     = "network" // a security zone
	ByClient      = "client"
	ByWireless    = "wireless" // a category of applications in a wireless network
)

// Use is how much of an application was used, added up.
type Use struct {
	Application, Category string
	Site, Network         string
	SSID                  string // of the wireless network, by that
	Address, Name         string // of the end station, where it is of one
	Clients               int
	Sessions, Denied      uint64
	Up, Down              uint64
}

// Uses is what the firewalls of a scope counted.
type Uses struct {
	Since  time.Time // of the one that began to count last
	List   []Use     // what used most first
	Unread map[string]string
}

// askedAtOnce is how many firewalls are asked at the same time.
const askedAtOnce = 16

// Applications adds up what firewalls counted in the last hours. site tells where a device is; clients bounds which end stations are named and told
// apart: what others used is in the sums all the same.
func (s *Service) Applications(ctx context.Context, devices map[string]string, hours int, by, application string, clients selector.Expr) (Uses, error) {
	if !slices.Contains([]string{ByApplication, BySite, ByNetwork, ByClient, ByWireless}, by) {
		return Uses{}, fmt.Errorf("%w: %q is nothing to add up by: application, site, network, client or wireless", ErrInvalid, by)
	}
	names, ssids := map[string]string{}, map[string]string{}
	for _, c := range s.Inventory.Clients(catalog.Query{Within: clients, Limit: 1 << 20, Now: s.Now()}).Rows {
		if c.Here && c.Address != "" {
			names[c.Address] = cmp.Or(c.GivenName, c.OwnName)
		}
		if c.Address != "" && c.SSID != "" && (c.Here || ssids[c.Address] == "") { // of who is gone, where it was last
			ssids[c.Address] = c.SSID
		}
	}
	out := Uses{Unread: map[string]string{}, List: []Use{}}
	sums, stations := map[Use]*Use{}, map[Use]map[string]bool{}
	var mu sync.Mutex
	var wg sync.WaitGroup
	slots := make(chan struct{}, askedAtOnce)
	for _, device := range sortedKeys(devices) {
		wg.Go(func() {
			slots <- struct{}{}
			defer func() { <-slots }()
			ask, cancel := context.WithTimeout(ctx, sessionsTime)
			defer cancel()
			told, err := s.Fleet.Applications(ask, device, hours)
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				out.Unread[device] = err.Error()
				return
			}
			if told.Since.After(out.Since) {
				out.Since = told.Since
			}
			for _, u := range told.Uses {
				if application != "" && u.Application != application {
					continue
				}
				key, known := keyOf(u, devices[device], by, names, ssids)
				if !known {
					continue
				}
				sum := sums[key]
				if sum == nil {
					one := key
					sum, sums[key], stations[key] = &one, &one, map[string]bool{}
				}
				stations[key][u.Source.String()] = true
				sum.Sessions, sum.Denied, sum.Up, sum.Down = sum.Sessions+u.Sessions, sum.Denied+u.Denied, sum.Up+u.Up, sum.Down+u.Down
			}
		})
	}
	wg.Wait()
	for key, sum := range sums {
		sum.Clients = len(stations[key])
		out.List = append(out.List, *sum)
	}
	slices.SortFunc(out.List, func(a, b Use) int {
		return cmp.Or(cmp.Compare(b.Up+b.Down, a.Up+a.Down), cmp.Compare(b.Denied, a.Denied), cmp.Compare(a.SSID, b.SSID), cmp.Compare(a.Category, b.Category), cmp.Compare(a.Application, b.Application), cmp.Compare(a.Site, b.Site), cmp.Compare(a.Network, b.Network), cmp.Compare(a.Address, b.Address))
	})
	return out, ctx.Err()
}

// keyOf is what a use is added up under; known is false for an end station that who asks may not see.
func keyOf(u network.ApplicationUse, site, by string, names, ssids map[string]string) (key Use, known bool) {
	key = Use{Application: u.Application, Category: u.Category}
	switch by {
	case ByWireless:
		key = Use{Category: cmp.Or(u.Category, u.Application), SSID: ssids[u.Source.String()]}
		return key, key.SSID != ""
	case BySite:
		key.Site = site
	case ByNetwork:
		key.Site, key.Network = site, u.Zone
	case ByClient:
		key.Site, key.Network, key.Address = site, u.Zone, u.Source.String()
		key.Name, known = names[key.Address]
		return key, known
	}
	return key, true
}
