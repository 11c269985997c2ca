package setting

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// Rule is a rule of an access list: what it says of frames that fit. A zero prefix fits every address, a zero range every
// port.
type Rule struct {
	Permit   bool
	Protocol string // ip, tcp, udp or icmp
	From, To netip.Prefix
	FromPort PortRange
	ToPort   PortRange
}

// PortRange is a range of TCP or UDP ports; zero is all.
type PortRange struct{ Low, High uint16 }

func (r Rule) String() string {
	if r.Protocol == "" {
		return ""
	}
	verb := "deny"
	if r.Permit {
		verb = "permit"
	}
	return verb + " " + r.Protocol + " from " + side(r.From, r.FromPort) + " to " + side(r.To, r.ToPort)
}

func side(p netip.Prefix, ports PortRange) string {
	out := "any"
	if p.IsValid() {
		out = p.String()
	}
	if ports != (PortRange{}) {
		out += " port " + strconv.Itoa(int(ports.Low))
		if ports.High != ports.Low {
			out += "-" + strconv.Itoa(int(ports.High))
		}
	}
	return out
}

const ruleForm = `write it like "permit tcp from 10.20.40.0/24 to any port 443"`

// ParseRule reads a rule.
func ParseRule(s string) (Rule, error) {
	words := strings.Fields(strings.ToLower(s))
	if len(words) < 6 || words[0] != "permit" && words[0] != "deny" {
		return Rule{}, fmt.Errorf("%q is not a rule: %s", s, ruleForm)
	}
	r := Rule{Permit: words[0] == "permit", Protocol: words[1]}
	if !slices.Contains([]string{"ip", "tcp", "udp", "icmp"}, r.Protocol) {
		return Rule{}, fmt.Errorf("%q is not a protocol: there are ip, tcp, udp and icmp", r.Protocol)
	}
	rest, err := parseSide("from", words[2:], r.Protocol, &r.From, &r.FromPort)
	if err != nil {
		return Rule{}, err
	}
	if rest, err = parseSide("to", rest, r.Protocol, &r.To, &r.ToPort); err != nil {
		return Rule{}, err
	}
	if len(rest) > 0 {
		return Rule{}, fmt.Errorf("%q was not expected: %s", rest[0], ruleForm)
	}
	return r, nil
}

func parseSide(lead string, words []string, protocol string, prefix *netip.Prefix, ports *PortRange) ([]string, error) {
	if len(words) < 2 || words[0] != lead {
		return nil, fmt.Errorf("%s and an address are missing: %s", lead, ruleForm)
	}
	if words[1] != "any" {
		p, err := netip.ParsePrefix(words[1])
		if a, addrErr := netip.ParseAddr(words[1]); addrErr == nil {
			p, err = netip.PrefixFrom(a, a.BitLen()), nil
		}
		if err != nil {
			return nil, fmt.Errorf("%q is neither any nor an address or prefix", words[1])
		}
		*prefix = p.Masked()
	}
	words = words[2:]
	if len(words) < 2 || words[0] != "port" {
		return words, nil
	}
	if protocol != "tcp" && protocol != "udp" {
		return nil, fmt.Errorf("%s has no ports", protocol)
	}
	low, high, isRange := strings.Cut(words[1], "-")
	if !isRange {
		high = low
	}
	l, err1 := strconv.ParseUint(low, 10, 16)
	h, err2 := strconv.ParseUint(high, 10, 16)
	if err1 != nil || err2 != nil || l == 0 || h < l {
		return nil, fmt.Errorf("%q is not a port or a range of ports", words[1])
	}
	*ports = PortRange{uint16(l), uint16(h)}
	return words[2:], nil
}
