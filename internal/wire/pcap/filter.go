package pcap

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/gopacket/gopacket/layers"
)

// Filter tells whether a frame is wanted.
type Filter func(data []byte) bool

// ErrFilter tells that an expression is no filter.
var ErrFilter = errors.New("that is no filter")

const (
	maxFilter = 1000 // octets
	maxNested = 30
)

// traits are what filters look at in a frame.
type traits struct {
	macs     [2]string // from, to
	vlan     int
	kinds    []string // arp, ip, ip6, tcp, udp, icmp, icmp6
	ips      [2]netip.Addr
	ports    [2]int
	hasPorts bool
}

type test func(traits) bool

// ParseFilter reads an expression: of the syntax of pcap-filter the primitives host, net, port, portrange, ether host and vlan, with src and dst; arp, ip,
// ip6, tcp, udp, icmp, icmp6, broadcast and multicast; joined by and, or, not and parentheses. The empty one picks all frames.
func ParseFilter(text string) (Filter, error) {
	if len(text) > maxFilter {
		return nil, fmt.Errorf("%w: it is longer than %d octets", ErrFilter, maxFilter)
	}
	for _, s := range []string{"(", ")", "!"} {
		text = strings.ReplaceAll(text, s, " "+s+" ")
	}
	text = strings.NewReplacer("&&", " and ", "||", " or ", "!", " not ").Replace(text)
	p := &filterParser{words: strings.Fields(text)}
	if len(p.words) == 0 {
		return func([]byte) bool { return true }, nil
	}
	t, err := p.or()
	if err == nil && p.at < len(p.words) {
		err = p.fault("the end, and, or")
	}
	if err != nil {
		return nil, err
	}
	return func(data []byte) bool { return t(traitsOf(data)) }, nil
}

type filterParser struct {
	words []string
	at    int
	deep  int
}

func (p *filterParser) fault(wanted string) error {
	if p.at >= len(p.words) {
		return fmt.Errorf("%w: it ends where there should be %s", ErrFilter, wanted)
	}
	return fmt.Errorf("%w: %q stands where there should be %s", ErrFilter, p.words[p.at], wanted)
}

func (p *filterParser) peek() string {
	if p.at < len(p.words) {
		return p.words[p.at]
	}
	return ""
}

func (p *filterParser) take(word string) bool {
	if p.peek() != word {
		return false
	}
	p.at++
	return true
}

func (p *filterParser) or() (test, error) {
	left, err := p.and()
	for err == nil && p.take("or") {
		var right test
		if right, err = p.and(); err == nil {
			l := left
			left = func(t traits) bool { return l(t) || right(t) }
		}
	}
	return left, err
}

func (p *filterParser) and() (test, error) {
	left, err := p.not()
	for err == nil && p.take("and") {
		var right test
		if right, err = p.not(); err == nil {
			l := left
			left = func(t traits) bool { return l(t) && right(t) }
		}
	}
	return left, err
}

func (p *filterParser) not() (test, error) {
	if p.deep++; p.deep > maxNested {
		return nil, fmt.Errorf("%w: it is nested too deep", ErrFilter)
	}
	defer func() { p.deep-- }()
	switch {
	case p.take("not"):
		inner, err := p.not()
		if err != nil {
			return nil, err
		}
		return func(t traits) bool { return !inner(t) }, nil
	case p.take("("):
		inner, err := p.or()
		if err == nil && !p.take(")") {
			err = p.fault(")")
		}
		return inner, err
	}
	return p.primitive()
}

var filterKinds = []string{"arp", "ip", "ip6", "tcp", "udp", "icmp", "icmp6"}

// primitive reads one: [kind] [src|dst] host|net|port|portrange VALUE, a kind alone, and such.
func (p *filterParser) primitive() (test, error) {
	var kind string
	if slices.Contains(filterKinds, p.peek()) {
		kind = p.peek()
		p.at++
	}
	ofKind := func(t traits) bool { return kind == "" || slices.Contains(t.kinds, kind) }
	switch {
	case kind == "" && p.take("broadcast"):
		return func(t traits) bool { return t.macs[1] == "ff:ff:ff:ff:ff:ff" }, nil
	case kind == "" && p.take("multicast"):
		return func(t traits) bool { return len(t.macs[1]) > 1 && strings.ContainsRune("13579bdf", rune(t.macs[1][1])) }, nil
	case kind == "" && p.take("vlan"):
		n, err := p.number(4094)
		if err != nil { // any tag
			return func(t traits) bool { return t.vlan > 0 }, nil
		}
		return func(t traits) bool { return t.vlan == n }, nil
	}
	ether := kind == "" && p.take("ether")
	sides := []int{0, 1}
	if p.take("src") {
		sides = []int{0}
	} else if p.take("dst") {
		sides = []int{1}
	}
	any := func(f func(t traits, side int) bool) test {
		return func(t traits) bool {
			return ofKind(t) && slices.ContainsFunc(sides, func(side int) bool { return f(t, side) })
		}
	}
	switch {
	case ether:
		p.take("host")
		mac := strings.ToLower(p.peek())
		if len(mac) != 17 || strings.Count(mac, ":") != 5 {
			return nil, p.fault("a hardware address such as 02:4c:53:20:00:07")
		}
		p.at++
		return any(func(t traits, side int) bool { return t.macs[side] == mac }), nil
	case p.take("net"):
		prefix, err := netip.ParsePrefix(p.peek())
		if err != nil {
			return nil, p.fault("a network such as 10.20.40.0/24")
		}
		p.at++
		return any(func(t traits, side int) bool { return prefix.Contains(t.ips[side]) }), nil
	case p.take("port"):
		n, err := p.number(65_535)
		if err != nil {
			return nil, err
		}
		return any(func(t traits, side int) bool { return t.hasPorts && t.ports[side] == n }), nil
	case p.take("portrange"):
		low, high, _ := strings.Cut(p.peek(), "-")
		from, err1 := strconv.Atoi(low)
		to, err2 := strconv.Atoi(high)
		if err1 != nil || err2 != nil || from > to {
			return nil, p.fault("ports such as 5000-5010")
		}
		p.at++
		return any(func(t traits, side int) bool { return t.hasPorts && t.ports[side] >= from && t.ports[side] <= to }), nil
	case p.take("host") || len(sides) == 1:
		address, err := netip.ParseAddr(p.peek())
		if err != nil {
			return nil, p.fault("an IP address")
		}
		p.at++
		return any(func(t traits, side int) bool { return t.ips[side] == address }), nil
	case kind != "":
		return ofKind, nil
	}
	return nil, p.fault("host, net, port, portrange, ether, vlan, arp, ip, ip6, tcp, udp, icmp, icmp6, broadcast or multicast")
}

func (p *filterParser) number(most int) (int, error) {
	n, err := strconv.Atoi(p.peek())
	if err != nil || n < 0 || n > most {
		return 0, p.fault(fmt.Sprintf("a number from 0 to %d", most))
	}
	p.at++
	return n, nil
}

// traitsOf looks into a frame.
func traitsOf(data []byte) (t traits) {
	for _, l := range decode(data).Layers() {
		switch l := l.(type) {
		case *layers.Ethernet:
			t.macs = [2]string{l.SrcMAC.String(), l.DstMAC.String()}
		case *layers.Dot1Q:
			t.vlan = int(l.VLANIdentifier)
		case *layers.ARP:
			t.kinds = append(t.kinds, "arp")
			from, _ := netip.AddrFromSlice(l.SourceProtAddress)
			to, _ := netip.AddrFromSlice(l.DstProtAddress)
			t.ips = [2]netip.Addr{from, to}
		case *layers.IPv4:
			t.kinds = append(t.kinds, "ip")
			t.addresses(l.SrcIP, l.DstIP)
		case *layers.IPv6:
			t.kinds = append(t.kinds, "ip6")
			t.addresses(l.SrcIP, l.DstIP)
		case *layers.ICMPv4:
			t.kinds = append(t.kinds, "icmp")
		case *layers.ICMPv6:
			t.kinds = append(t.kinds, "icmp6")
		case *layers.TCP:
			t.kinds, t.ports, t.hasPorts = append(t.kinds, "tcp"), [2]int{int(l.SrcPort), int(l.DstPort)}, true
		case *layers.UDP:
			t.kinds, t.ports, t.hasPorts = append(t.kinds, "udp"), [2]int{int(l.SrcPort), int(l.DstPort)}, true
		}
	}
	return t
}

func (t *traits) addresses(from, to []byte) {
	a, _ := netip.AddrFromSlice(from)
	b, _ := netip.AddrFromSlice(to)
	t.ips = [2]netip.Addr{a.Unmap(), b.Unmap()}
}
