package standin

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"net"
	"slices"
	"strconv"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/pcap"
	"example.net/everypost/internal/wire/xmlnode"
)

// busiest is how many frames a second of a station are made: the others are as if they were not seen.
const busiest = 40

// capture keeps the frames of ports for a time, and leaves a file.
func (d *device) capture(t *task, how *xmlnode.Node, ports []*portSim) error {
	filter, err := pcap.ParseFilter(how.TextAt("filter"))
	if err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "%v", err)
	}
	number := func(name string, usual int) int {
		n, _ := strconv.Atoi(how.TextAt(name))
		return cmp.Or(n, usual)
	}
	count, length, size := number("count", 1000), number("length", 256), number("size", 4096)<<10
	var kept []pcap.Frame
	octets := 0
	t.undo = func() {
		var file bytes.Buffer
		if pcap.Write(&file, kept) == nil {
			d.lastCapture++
			t.file = fmt.Sprintf("capture-%d.pcapng", d.lastCapture)
			d.inbox.put(t.file, file.Bytes())
		}
	}
	d.each(t, number("for", 30), time.Second, func(i int) bool {
		for _, f := range d.passing(ports, i) {
			if len(kept) == count || octets+min(len(f.Data), length) > size {
				break
			}
			if filter(f.Data) {
				f.Data = f.Data[:min(len(f.Data), length)]
				kept, octets = append(kept, f), octets+len(f.Data)
			}
		}
		d.say(t, "frames", strconv.Itoa(len(kept)), "octets", strconv.Itoa(octets))
		return len(kept) < count
	})
	return nil
}

// passing is the frames that pass ports in the second to come, in order.
func (d *device) passing(ports []*portSim, second int) (out []pcap.Frame) {
	w := d.world
	now := w.clock.now()
	for _, p := range ports {
		if !p.up {
			continue
		}
		at := endpoint{d.spec.Name, p.spec.Name}
		trunk := slices.ContainsFunc(w.cablesAt[d.spec.Name], func(c *cable) bool { return c.a == at || c.b == at })
		for _, h := range w.hosts {
			if h.away || h.asleep || h.cut || !h.port.up || h.at != at && !(trunk && slices.ContainsFunc(w.routeOf(h), func(x hop) bool { return x.near == p || x.far == p })) {
				continue
			}
			out = append(out, w.framesOf(h, p, h.at != at, second, now)...)
		}
		if trunk {
			out = append(out, d.announcements(p, second, now)...)
		}
	}
	slices.SortStableFunc(out, func(a, b pcap.Frame) int { return a.At.Compare(b.At) })
	return out
}

// talk is what a station of a kind does most.
type talk struct {
	port int
	udp  bool
	to   string // whom it talks to, in the company's middle
}

func talkOf(name string) talk {
	switch {
	case hasWord(name, "camera"):
		return talk{5004, true, "10.1.50.10"}
	case hasWord(name, "phone"):
		return talk{16384, true, "10.1.30.10"}
	case hasWord(name, "ticket-printer"):
		return talk{9100, false, "10.1.40.20"}
	case hasWord(name, "gate"), hasWord(name, "sensor"):
		return talk{8883, false, "10.1.60.10"}
	}
	return talk{443, false, "10.1.20.10"}
}

// framesOf is what a station sends and gets in a second, as it passes a port: tagged where it is another one than its own.
func (w *World) framesOf(h *host, p *portSim, tagged bool, second int, now time.Time) (out []pcap.Frame) {
	d := w.devices[h.at.device]
	vlan := h.joined(d.cfg)
	own, gateway := hardware(h.MAC), hardware("02:45:47:57:00:01")
	ip := net.ParseIP(h.IP).To4()
	if ip == nil {
		ip = net.IPv4(10, byte(d.spec.SiteNet), byte(vlan), own[5]).To4()
	}
	tag := 0
	if tagged {
		tag = vlan
	}
	about := talkOf(h.Name)
	far := net.ParseIP(about.to).To4()
	frames := min(max(int(float64(h.RateBps)/8/frameSize*habit(h.Name, now)), 1), busiest)
	add := func(i int, in bool, data []byte) {
		at := now.Add(time.Second * time.Duration(i) / time.Duration(frames+2)).Add(time.Duration(own[5]) * time.Millisecond)
		out = append(out, pcap.Frame{At: at, On: p.spec.Name, In: in != tagged, Length: len(data), Data: data})
	}
	if second%10 == int(own[5])%10 {
		add(0, true, ethernet(own, hardware("ff:ff:ff:ff:ff:ff"), tag, layers.EthernetTypeARP, &layers.ARP{AddrType: layers.LinkTypeEthernet, Protocol: layers.EthernetTypeIPv4, HwAddressSize: 6, ProtAddressSize: 4,
			Operation: layers.ARPRequest, SourceHwAddress: own, SourceProtAddress: ip, DstHwAddress: make([]byte, 6), DstProtAddress: net.IPv4(10, byte(d.spec.SiteNet), byte(vlan), 1).To4()}))
	}
	for i := range frames {
		in := i%4 == 0 != sends(h.Name)
		from, to, a, b := ip, far, own, gateway
		source, target := 40000+int(own[5]), about.port
		if !in {
			from, to, a, b, source, target = to, from, b, a, target, source
		}
		payload := gopacket.Payload(make([]byte, 40+int(chance(h.MAC, int64(second*busiest+i))*(1<<40))%560)) // its high digits are alike for near numbers
		if about.udp {
			binary.BigEndian.PutUint16(payload, 0x8060)                       // RTP (RFC 3550)
			binary.BigEndian.PutUint16(payload[2:], uint16(second*busiest+i)) // it runs round
			add(i+1, in, udp(a, b, from, to, tag, source, target, payload))
			continue
		}
		add(i+1, in, tcp(a, b, from, to, tag, source, target, payload))
	}
	return out
}

// announcements is what switches tell each other on their cables.
func (d *device) announcements(p *portSim, second int, now time.Time) (out []pcap.Frame) {
	own := hardware(p.mac)
	if second%30 == 0 {
		data := ethernet(own, hardware("01:80:c2:00:00:0e"), 0, layers.EthernetTypeLinkLayerDiscovery, gopacket.Payload(lldpOf(d, p)))
		out = append(out, pcap.Frame{At: now, On: p.spec.Name, Length: len(data), Data: data})
	}
	return out
}

// lldpOf is an announcement (IEEE 802.1AB): chassis, port, time to live, name of the system.
func lldpOf(d *device, p *portSim) []byte {
	var out []byte
	add := func(kind int, value []byte) {
		out = binary.BigEndian.AppendUint16(out, uint16(kind<<9|len(value))) // both are small
		out = append(out, value...)
	}
	add(1, append([]byte{4}, hardware(d.chassisMAC())...))
	add(2, append([]byte{5}, p.spec.Name...))
	add(3, []byte{0, 120})
	add(5, []byte(d.cfg.hostname))
	add(0, nil)
	return out
}

func hardware(s string) net.HardwareAddr {
	m, err := net.ParseMAC(s)
	if err != nil {
		return make(net.HardwareAddr, 6)
	}
	return m
}

func ethernet(from, to net.HardwareAddr, tag int, kind layers.EthernetType, inner ...gopacket.SerializableLayer) []byte {
	all := []gopacket.SerializableLayer{&layers.Ethernet{SrcMAC: from, DstMAC: to, EthernetType: kind}}
	if tag > 0 {
		all = []gopacket.SerializableLayer{&layers.Ethernet{SrcMAC: from, DstMAC: to, EthernetType: layers.EthernetTypeDot1Q}, &layers.Dot1Q{VLANIdentifier: uint16(tag), Type: kind}} // a VLAN
	}
	b := gopacket.NewSerializeBuffer()
	if err := gopacket.SerializeLayers(b, gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}, append(all, inner...)...); err != nil {
		return nil
	}
	return b.Bytes()
}

func udp(a, b net.HardwareAddr, from, to net.IP, tag, source, target int, payload gopacket.Payload) []byte {
	ip := &layers.IPv4{Version: 4, TTL: 64, Protocol: layers.IPProtocolUDP, SrcIP: from, DstIP: to}
	l := &layers.UDP{SrcPort: layers.UDPPort(source), DstPort: layers.UDPPort(target)} // ports
	_ = l.SetNetworkLayerForChecksum(ip)
	return ethernet(a, b, tag, layers.EthernetTypeIPv4, ip, l, payload)
}

func tcp(a, b net.HardwareAddr, from, to net.IP, tag, source, target int, payload gopacket.Payload) []byte {
	ip := &layers.IPv4{Version: 4, TTL: 64, Protocol: layers.IPProtocolTCP, SrcIP: from, DstIP: to}
	l := &layers.TCP{SrcPort: layers.TCPPort(source), DstPort: layers.TCPPort(target), ACK: true, PSH: true, Window: 65000} // ports
	_ = l.SetNetworkLayerForChecksum(ip)
	return ethernet(a, b, tag, layers.EthernetTypeIPv4, ip, l, payload)
}
