package network

import (
	"fmt"
	"net/netip"
	"strings"
)

// MaxRange is how many addresses a range may hold.
const MaxRange = 4096

// ExpandAddresses reads an address, a prefix such as 10.20.1.0/24, or a range such as 10.20.1.10-10.20.1.40, and lists the
// addresses that a device may have: of a prefix of IPv4 not the first and the last (RFC 3021 excepts /31).
func ExpandAddresses(s string) ([]netip.Addr, error) {
	s = strings.TrimSpace(s)
	bad := fmt.Errorf("%q is no address: write one such as 10.20.1.11, a prefix such as 10.20.1.0/24, or a range such as 10.20.1.10-10.20.1.40", s)
	first, last := netip.Addr{}, netip.Addr{}
	if from, to, ok := strings.Cut(s, "-"); ok {
		var err, err2 error
		first, err = netip.ParseAddr(strings.TrimSpace(from))
		last, err2 = netip.ParseAddr(strings.TrimSpace(to))
		if err != nil || err2 != nil || first.BitLen() != last.BitLen() || last.Less(first) {
			return nil, bad
		}
	} else if p, err := netip.ParsePrefix(s); err == nil {
		if p.Addr().BitLen()-p.Bits() > 12 {
			return nil, tooLarge(s)
		}
		first = p.Masked().Addr()
		last = first
		for next := first.Next(); next.IsValid() && p.Contains(next); next = next.Next() {
			last = next
		}
		if first.Is4() && p.Bits() < 31 {
			first, last = first.Next(), last.Prev()
		}
	} else if a, err := netip.ParseAddr(s); err == nil {
		return []netip.Addr{a}, nil
	} else {
		return nil, bad
	}
	var out []netip.Addr
	for a := first; ; a = a.Next() {
		out = append(out, a)
		if len(out) > MaxRange {
			return nil, tooLarge(s)
		}
		if a == last {
			return out, nil
		}
	}
}

func tooLarge(s string) error {
	return fmt.Errorf("%s holds more than %d addresses: give smaller ranges", s, MaxRange)
}
