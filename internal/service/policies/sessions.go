package policies

import (
	"cmp"
	"context"
	"fmt"
	"net/netip"
	"strings"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// MostSessions is how many sessions of a firewall are told at once.
const MostSessions = 1000

// Sessions are those of a firewall, as far as a question picks them.
type Sessions struct {
	List    []network.Session
	Total   int               // that it picks
	Names   map[string]string // of end stations, by address
	Blocked []network.Blocked
}

// Filter is what is typed to pick sessions; what is empty picks all.
type Filter struct {
	Source, Destination string // addresses, prefixes or names of end stations
	Protocol            string
	Port, Rule, Most    int
}

// Sessions asks a firewall for sessions. clients bounds which end stations may be found and named.
func (s *Service) Sessions(ctx context.Context, device string, f Filter, clients selector.Expr) (out Sessions, err error) {
	byName := map[string]netip.Addr{}
	out.Names = map[string]string{}
	for _, c := range s.Inventory.Clients(catalog.Query{Within: clients, Limit: 1 << 20, Now: s.Now()}).Rows {
		a, err := netip.ParseAddr(c.Address)
		if err != nil || !c.Here {
			continue
		}
		if name := cmp.Or(c.GivenName, c.OwnName); name != "" {
			out.Names[c.Address] = name
			byName[strings.ToLower(name)] = a
		}
	}
	prefix := func(text string) (netip.Prefix, error) {
		text = strings.TrimSpace(text)
		if text == "" {
			return netip.Prefix{}, nil
		}
		if p, err := netip.ParsePrefix(text); err == nil {
			return p.Masked(), nil
		}
		a, err := netip.ParseAddr(text)
		if err != nil {
			var named bool
			if a, named = byName[strings.ToLower(text)]; !named {
				return netip.Prefix{}, fmt.Errorf("%w: %q is no address, no prefix and no name of an end station", ErrInvalid, text)
			}
		}
		return netip.PrefixFrom(a, a.BitLen()), nil
	}
	q := network.SessionQuery{Protocol: f.Protocol, Port: f.Port, Rule: f.Rule, Most: f.Most}
	if q.Source, err = prefix(f.Source); err != nil {
		return out, err
	}
	if q.Destination, err = prefix(f.Destination); err != nil {
		return out, err
	}
	ask, cancel := context.WithTimeout(ctx, sessionsTime)
	defer cancel()
	if out.List, out.Total, err = s.Fleet.Sessions(ask, device, q); err != nil {
		return out, err
	}
	if v, ok := s.Fleet.View(device); ok {
		out.Blocked = v.Inside.Blocked
	}
	return out, nil
}

// sessionsTime is how long a firewall has to tell its sessions.
const sessionsTime = 15 * time.Second
