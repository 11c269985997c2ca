package setting

import (
	"fmt"
	"net/netip"
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

// ruleTable is the rules of an access list.
var ruleTable = table{
	one: "Rule", most: 256, highest: 65535, example: "permit tcp from 10.20.40.0/24 to any port 443",
	columns: []Column{
		{Name: "action", Title: "Action", Value: choice("permit", "deny")},
		{Name: "protocol", Title: "Protocol", Value: choice("ip", "tcp", "udp", "icmp")},
		{Name: "from", Title: "From", Lead: "from", Help: "any, an address or a prefix", Value: anyPrefix()},
		{Name: "from-port", Title: "Port", Lead: "port", Default: "any", Help: "of who sends: one or a range", Value: portRange()},
		{Name: "to", Title: "To", Lead: "to", Help: "any, an address or a prefix", Value: anyPrefix()},
		{Name: "to-port", Title: "Port", Lead: "port", Default: "any", Help: "of who is sent to: one or a range", Value: portRange()},
	},
	check: func(c Cells) error {
		if p := c["protocol"]; p != "tcp" && p != "udp" && (c["from-port"] != "any" || c["to-port"] != "any") {
			return fmt.Errorf("%s has no ports", p)
		}
		return nil
	},
}

// anyPrefix is an address, a prefix, or any.
func anyPrefix() Value {
	v := Value{Type: Text, Form: "an address or a prefix such as 10.20.40.0/24", normal: func(s string) (string, error) {
		if a, err := netip.ParseAddr(s); err == nil {
			return netip.PrefixFrom(a, a.BitLen()).String(), nil
		}
		p, err := netip.ParsePrefix(s)
		if err != nil {
			return "", fmt.Errorf("%q is no address and no prefix", s)
		}
		return p.Masked().String(), nil
	}}
	return v.or("any")
}

// portRange is a TCP or UDP port or a range of them, or any.
func portRange() Value {
	v := Value{Type: Text, Form: "a port or a range such as 5000-5100", normal: func(s string) (string, error) {
		r, err := parsePorts(s)
		return r.String(), err
	}}
	return v.or("any")
}

func (r PortRange) String() string {
	switch {
	case r == PortRange{}:
		return "any"
	case r.Low == r.High:
		return strconv.Itoa(int(r.Low))
	}
	return fmt.Sprintf("%d-%d", r.Low, r.High)
}

func parsePorts(s string) (PortRange, error) {
	low, high, isRange := strings.Cut(s, "-")
	if !isRange {
		high = low
	}
	l, err1 := strconv.ParseUint(low, 10, 16)
	h, err2 := strconv.ParseUint(high, 10, 16)
	if err1 != nil || err2 != nil || l == 0 || h < l {
		return PortRange{}, fmt.Errorf("%q is not a port or a range of ports", s)
	}
	return PortRange{uint16(l), uint16(h)}, nil
}

func (r Rule) String() string {
	if r.Protocol == "" {
		return ""
	}
	prefix := func(p netip.Prefix) string {
		if !p.IsValid() {
			return "any"
		}
		return p.String()
	}
	action := "deny"
	if r.Permit {
		action = "permit"
	}
	return ruleTable.format(Cells{"action": action, "protocol": r.Protocol, "from": prefix(r.From), "from-port": r.FromPort.String(),
		"to": prefix(r.To), "to-port": r.ToPort.String()})
}

// ParseRule reads a rule.
func ParseRule(s string) (Rule, error) {
	c, err := ruleTable.parse(s)
	if err != nil {
		return Rule{}, err
	}
	r := Rule{Permit: c["action"] == "permit", Protocol: c["protocol"]}
	r.From, _ = netip.ParsePrefix(c["from"]) // any is none
	r.To, _ = netip.ParsePrefix(c["to"])
	r.FromPort, _ = parsePorts(c["from-port"])
	r.ToPort, _ = parsePorts(c["to-port"])
	return r, nil
}
