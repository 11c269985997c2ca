package setting

import (
	"fmt"
	"net/netip"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Forms of values that others than settings have: what is asked of a device, and when something is told.

// Whole is a whole number from low to high.
func Whole(low, high int, unit string) Value { return number(low, high, unit) }

// OneOf is one of some words.
func OneOf(words ...string) Value { return choice(words...) }

// Words is a text of at most so many characters.
func Words(most int) Value { return text(most) }

// PortNames are ports of the same device, or none.
func PortNames(most int) Value { return ports(most) }

// Host is an address or a name of something on the network.
func Host() Value {
	return Value{Type: Text, Max: 253, Form: "an IP address or a name", normal: func(s string) (string, error) {
		if a, err := netip.ParseAddr(s); err == nil {
			return a.String(), nil
		}
		for label := range strings.SplitSeq(strings.ToLower(strings.TrimSuffix(s, ".")), ".") {
			if network.CheckName(label) != nil || len(s) > 253 {
				return "", fmt.Errorf("%q is no address and no name", s)
			}
		}
		return strings.ToLower(s), nil
	}}
}
