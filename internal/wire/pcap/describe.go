package pcap

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
)

// Text is what is in a frame, in a line.
type Text struct {
	From, To string // addresses of the highest protocol that has some
	Protocol string
	VLAN     int // of its tag (IEEE 802.1Q), 0 where it has none
	Info     string

	room int // octets of what the network layer carries, of the whole frame
}

// maxInfo bounds what is said of a frame.
const maxInfo = 160

// Describe says what is in a frame.
func Describe(f Frame) Text {
	p := decode(f.Data)
	t := Text{Protocol: "Ethernet"}
	for _, l := range p.Layers() {
		t.add(l)
	}
	if t.Info == "" {
		t.Info = fmt.Sprintf("%d octets", f.Length)
	}
	t.Info = printable(t.Info)
	return t
}

func decode(data []byte) gopacket.Packet {
	return gopacket.NewPacket(data, layers.LayerTypeEthernet, gopacket.DecodeOptions{NoCopy: true})
}

// add takes what a layer says; the higher ones come later.
func (t *Text) add(l gopacket.Layer) {
	switch l := l.(type) {
	case *layers.Ethernet:
		t.From, t.To = l.SrcMAC.String(), l.DstMAC.String()
		if l.EthernetType > 0x5ff {
			t.Info = fmt.Sprintf("type 0x%04x", uint16(l.EthernetType))
		}
	case *layers.Dot1Q:
		t.VLAN = int(l.VLANIdentifier)
	case *layers.ARP:
		t.Protocol, t.Info = "ARP", arpInfo(l)
	case *layers.IPv4:
		t.From, t.To, t.Protocol, t.Info = l.SrcIP.String(), l.DstIP.String(), "IPv4", "protocol "+l.Protocol.String()
		t.room = int(l.Length) - 4*int(l.IHL)
	case *layers.IPv6:
		t.From, t.To, t.Protocol, t.Info = l.SrcIP.String(), l.DstIP.String(), "IPv6", "next header "+l.NextHeader.String()
		t.room = int(l.Length)
	case *layers.ICMPv4:
		t.Protocol, t.Info = "ICMP", l.TypeCode.String()
	case *layers.ICMPv6:
		t.Protocol, t.Info = "ICMPv6", l.TypeCode.String()
	case *layers.UDP:
		t.Protocol, t.Info = "UDP", fmt.Sprintf("%d to %d, %d octets", uint16(l.SrcPort), uint16(l.DstPort), max(int(l.Length)-8, 0))
	case *layers.TCP:
		t.Protocol, t.Info = "TCP", fmt.Sprintf("%d to %d%s, %d octets", uint16(l.SrcPort), uint16(l.DstPort), tcpFlags(l), max(t.room-4*int(l.DataOffset), 0))
	case *layers.DNS:
		t.Protocol, t.Info = "DNS", dnsInfo(l)
	case *layers.DHCPv4:
		t.Protocol, t.Info = "DHCP", strings.ToLower(l.Operation.String())+" "+l.ClientHWAddr.String()
		for _, o := range l.Options {
			if o.Type == layers.DHCPOptMessageType && len(o.Data) == 1 {
				t.Info = layers.DHCPMsgType(o.Data[0]).String() + " " + l.ClientHWAddr.String()
			}
		}
	case *layers.LinkLayerDiscovery:
		t.Protocol, t.Info = "LLDP", "neighbour announcement (IEEE 802.1AB)"
	case *layers.STP:
		t.Protocol, t.Info = "STP", "bridge protocol data unit (IEEE 802.1D)"
	}
}

func arpInfo(l *layers.ARP) string {
	dotted := func(b []byte) string {
		parts := make([]string, len(b))
		for i, x := range b {
			parts[i] = strconv.Itoa(int(x))
		}
		return strings.Join(parts, ".")
	}
	if l.Operation == layers.ARPReply {
		return fmt.Sprintf("%s is at %x", dotted(l.SourceProtAddress), l.SourceHwAddress)
	}
	return fmt.Sprintf("who has %s? tell %s", dotted(l.DstProtAddress), dotted(l.SourceProtAddress))
}

func tcpFlags(l *layers.TCP) string {
	var set []string
	for _, f := range []struct {
		on   bool
		name string
	}{{l.SYN, "SYN"}, {l.FIN, "FIN"}, {l.RST, "RST"}, {l.PSH, "PSH"}, {l.ACK, "ACK"}} {
		if f.on {
			set = append(set, f.name)
		}
	}
	if len(set) == 0 {
		return ""
	}
	return " " + strings.Join(set, " ")
}

func dnsInfo(l *layers.DNS) string {
	kind := "asks"
	if l.QR {
		kind = "answers"
	}
	var names []string
	for _, q := range l.Questions {
		names = append(names, q.Type.String()+" "+string(q.Name))
	}
	return kind + " " + strings.Join(names, ", ")
}

// printable takes out what does not belong on a line, and cuts it to its length.
func printable(s string) string {
	out := strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f || r >= 0x80 && r < 0xa0 || r == 0xfffd {
			return '?'
		}
		return r
	}, strings.ToValidUTF8(s, "?"))
	if r := []rune(out); len(r) > maxInfo {
		return string(r[:maxInfo]) + "..."
	}
	return out
}
