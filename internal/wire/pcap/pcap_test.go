package pcap_test

import (
	"bytes"
	"net"
	"testing"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/pcap"
)

var at = time.Date(2026, 11, 29, 8, 0, 0, 123456789, time.UTC)

func frame(t testing.TB, on string, after time.Duration, of ...gopacket.SerializableLayer) pcap.Frame {
	t.Helper()
	b := gopacket.NewSerializeBuffer()
	require.NoError(t, gopacket.SerializeLayers(b, gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}, of...))
	return pcap.Frame{At: at.Add(after), On: on, In: true, Length: len(b.Bytes()), Data: bytes.Clone(b.Bytes())}
}

func mac(s string) net.HardwareAddr {
	m, _ := net.ParseMAC(s)
	return m
}

var (
	camera, recorder = mac("02:4c:53:20:00:07"), mac("02:4c:53:20:00:01")
	ethernet         = &layers.Ethernet{SrcMAC: camera, DstMAC: recorder, EthernetType: layers.EthernetTypeIPv4}
	ip               = func(p layers.IPProtocol) *layers.IPv4 {
		return &layers.IPv4{Version: 4, TTL: 64, Protocol: p, SrcIP: net.IP{10, 20, 50, 7}, DstIP: net.IP{10, 20, 50, 1}}
	}
)

func rtsp(t testing.TB) pcap.Frame {
	i := ip(layers.IPProtocolTCP)
	tcp := &layers.TCP{SrcPort: 40000, DstPort: 554, PSH: true, ACK: true}
	_ = tcp.SetNetworkLayerForChecksum(i)
	return frame(t, "1/1/17", 0, ethernet, i, tcp, gopacket.Payload("PLAY"))
}

func arp(t testing.TB) pcap.Frame {
	return frame(t, "1/1/18", time.Second, &layers.Ethernet{SrcMAC: camera, DstMAC: mac("ff:ff:ff:ff:ff:ff"), EthernetType: layers.EthernetTypeDot1Q}, &layers.Dot1Q{VLANIdentifier: 50, Type: layers.EthernetTypeARP},
		&layers.ARP{AddrType: layers.LinkTypeEthernet, Protocol: layers.EthernetTypeIPv4, HwAddressSize: 6, ProtAddressSize: 4, Operation: layers.ARPRequest,
			SourceHwAddress: camera, SourceProtAddress: []byte{10, 20, 50, 7}, DstHwAddress: make([]byte, 6), DstProtAddress: []byte{10, 20, 50, 1}})
}

func dns(t testing.TB) pcap.Frame {
	i := ip(layers.IPProtocolUDP)
	udp := &layers.UDP{SrcPort: 40001, DstPort: 53}
	_ = udp.SetNetworkLayerForChecksum(i)
	return frame(t, "1/1/17", 2*time.Second, ethernet, i, udp, &layers.DNS{ID: 1, RD: true, QDCount: 1, Questions: []layers.DNSQuestion{{Name: []byte("time.lantern.test"), Type: layers.DNSTypeA, Class: layers.DNSClassIN}}})
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	out := arp(t)
	out.In = false
	all := []pcap.Frame{dns(t), rtsp(t), out}
	all[0].Data = all[0].Data[:40] // a part of it was kept
	var file bytes.Buffer
	require.NoError(t, pcap.Write(&file, all))
	got, more, err := pcap.Read(file.Bytes(), pcap.Limits{Frames: 10, FrameOctets: 2000})
	require.NoError(t, err)
	assert.False(t, more)
	assert.Equal(t, []pcap.Frame{all[1], all[2], all[0]}, got, "in the order of time")
	got, more, err = pcap.Read(file.Bytes(), pcap.Limits{Frames: 2, FrameOctets: 20})
	require.NoError(t, err)
	assert.True(t, more)
	assert.Len(t, got[1].Data, 20)
	got, _, err = pcap.Read(file.Bytes()[:file.Len()-10], pcap.Limits{Frames: 10, FrameOctets: 2000})
	require.NoError(t, err, "one that was cut off holds what it holds")
	assert.Len(t, got, 2)
	_, _, err = pcap.Read([]byte("what is this?"), pcap.Limits{Frames: 10, FrameOctets: 2000})
	assert.ErrorIs(t, err, pcap.ErrFormat)
	begin := bytes.Clone(file.Bytes()[:file.Len()])
	for range 3000 { // interfaces without end
		begin = append(begin, 1, 0, 0, 0, 20, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, 20, 0, 0, 0)
	}
	_, _, err = pcap.Read(begin, pcap.Limits{Frames: 10, FrameOctets: 2000})
	assert.ErrorContains(t, err, "more interfaces than any device")
	file.Reset()
	require.NoError(t, pcap.Write(&file, nil))
	got, _, err = pcap.Read(file.Bytes(), pcap.Limits{Frames: 10, FrameOctets: 2000})
	require.NoError(t, err)
	assert.Empty(t, got)
}

func TestFramesAreDescribed(t *testing.T) {
	said := func(f pcap.Frame) pcap.Text {
		d := pcap.Describe(f)
		return pcap.Text{From: d.From, To: d.To, Protocol: d.Protocol, VLAN: d.VLAN, Info: d.Info}
	}
	cut := rtsp(t)
	cut.Data = cut.Data[:len(cut.Data)-3]
	assert.Equal(t, "40000 to 554 PSH ACK, 4 octets", said(cut).Info, "of the whole frame, whatever was kept of it")
	assert.Equal(t, pcap.Text{From: "10.20.50.7", To: "10.20.50.1", Protocol: "TCP", Info: "40000 to 554 PSH ACK, 4 octets"}, said(rtsp(t)))
	assert.Equal(t, pcap.Text{From: "02:4c:53:20:00:07", To: "ff:ff:ff:ff:ff:ff", Protocol: "ARP", VLAN: 50, Info: "who has 10.20.50.1? tell 10.20.50.7"}, said(arp(t)))
	assert.Equal(t, pcap.Text{From: "10.20.50.7", To: "10.20.50.1", Protocol: "DNS", Info: "asks A time.lantern.test"}, said(dns(t)))
	assert.Equal(t, "60 octets", pcap.Describe(pcap.Frame{Length: 60, Data: []byte{1, 2}}).Info)
}

func TestFiltersPickFrames(t *testing.T) {
	frames := map[string]pcap.Frame{"rtsp": rtsp(t), "arp": arp(t), "dns": dns(t)}
	for text, want := range map[string][]string{
		"":                                  {"arp", "dns", "rtsp"},
		"tcp port 554":                      {"rtsp"},
		"port 554 or port 53":               {"dns", "rtsp"},
		"udp and dst port 53":               {"dns"},
		"src port 53":                       nil,
		"not tcp":                           {"arp", "dns"},
		"! (tcp || udp)":                    {"arp"},
		"arp":                               {"arp"},
		"vlan 50":                           {"arp"},
		"vlan":                              {"arp"},
		"host 10.20.50.7":                   {"arp", "dns", "rtsp"},
		"src host 10.20.50.1":               nil,
		"ip host 10.20.50.1":                {"dns", "rtsp"},
		"dst net 10.20.50.0/24 and ip":      {"dns", "rtsp"},
		"net 10.30.0.0/16":                  nil,
		"ether src 02:4C:53:20:00:07":       {"arp", "dns", "rtsp"},
		"ether host 02:4c:53:20:00:01":      {"dns", "rtsp"},
		"broadcast":                         {"arp"},
		"multicast":                         {"arp"},
		"portrange 500-600":                 {"rtsp"},
		"tcp or arp and not host 10.20.0.1": {"arp", "rtsp"},
		"src 10.20.50.7 and (port 53)":      {"dns"},
	} {
		f, err := pcap.ParseFilter(text)
		require.NoError(t, err, text)
		var got []string
		for _, name := range []string{"arp", "dns", "rtsp"} {
			if f(frames[name].Data) {
				got = append(got, name)
			}
		}
		assert.Equal(t, want, got, text)
	}
	for text, says := range map[string]string{
		"tcp prot 5":                            `"prot" stands where there should be the end`,
		"((((":                                  "it ends where",
		"host and":                              `"and" stands where there should be an IP address`,
		"port 99999":                            "a number from 0 to 65535",
		"xyz":                                   "should be host, net, port",
		"net 10.0.0.0":                          "10.20.40.0/24",
		string(bytes.Repeat([]byte("("), 999)):  "nested too deep",
		string(bytes.Repeat([]byte("x"), 1001)): "longer than",
	} {
		_, err := pcap.ParseFilter(text)
		require.ErrorIs(t, err, pcap.ErrFilter, text)
		assert.ErrorContains(t, err, says)
	}
}

// Whatever a device sends: it is read or refused, within bounds.
func FuzzRead(f *testing.F) {
	var file bytes.Buffer
	require.NoError(f, pcap.Write(&file, []pcap.Frame{rtsp(f), arp(f), dns(f)}))
	f.Add(file.Bytes())
	f.Fuzz(func(t *testing.T, b []byte) {
		frames, _, err := pcap.Read(b, pcap.Limits{Frames: 100, FrameOctets: 300})
		if err != nil {
			return
		}
		assert.LessOrEqual(t, len(frames), 100)
		for _, one := range frames {
			assert.LessOrEqual(t, len([]rune(pcap.Describe(one).Info)), 163)
		}
		var again bytes.Buffer
		require.NoError(t, pcap.Write(&again, frames))
	})
}
