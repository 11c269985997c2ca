package setting

import (
	"fmt"
	"net/netip"
	"regexp"
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

// stationMAC is the address of one station: the lowest bit of its first octet is not set (IEEE 802).
var stationMAC = regexp.MustCompile(`^[0-9a-f][02468ace](:[0-9a-f]{2}){5}$`)

// MAC is the hardware address of somebody.
func MAC() Value {
	return Value{Type: Text, Max: 17, Form: "a hardware address, such as 02:4c:53:20:00:07", normal: func(s string) (string, error) {
		mac := strings.ToLower(strings.ReplaceAll(s, "-", ":"))
		if !stationMAC.MatchString(mac) {
			return "", fmt.Errorf("%q is not the hardware address of a station: it looks like 02:4c:53:20:00:07", s)
		}
		return mac, nil
	}}
}

// OneAddress is an IP address.
func OneAddress() Value { return oneAddress() }

// WordList are words without spaces, separated by commas; at least one.
func WordList(most int) Value {
	return items("words", most, func(s string) (string, error) {
		if len(s) > 40 || strings.ContainsFunc(s, func(r rune) bool { return r <= ' ' || r > '~' }) {
			return "", fmt.Errorf("%q is no word of at most 40 characters", s)
		}
		return s, nil
	})
}
