package netconf

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

const inFirewall = `<firewall xmlns="urn:everypost:yang:ep-firewall">%s</firewall>`

// A device can tell whatever it likes: what is no session, no block and no certificate is left out, and nothing is longer than it may be.
func TestWhatFirewallsTellIsBounded(t *testing.T) {
	read := func(s string) (network.Session, bool) {
		return readSession(parse(t, "<session>"+s+"</session>").Child("session"))
	}
	s, ok := read(`<id>1f</id><protocol>tcp</protocol><source>10.2.20.7</source><source-port>40112</source-port><destination>203.0.113.80</destination><destination-port>443</destination-port>
		<from>office</from><to>outside</to><rule>70</rule><seen-source>198.51.100.12</seen-source><seen-source-port>1024</seen-source-port><application>booking</application><began>2026-11-30T12:00:00Z</began><up-octets>7</up-octets>`)
	require.True(t, ok)
	assert.Equal(t, network.Session{ID: "1f", Protocol: "tcp", Source: netip.MustParseAddrPort("10.2.20.7:40112"), Destination: netip.MustParseAddrPort("203.0.113.80:443"), From: "office", To: "outside", Rule: 70,
		SeenSource: netip.MustParseAddrPort("198.51.100.12:1024"), Application: "booking", Began: s.Began, Up: 7}, s)
	for name, bad := range map[string]string{
		"no id":      `<source>10.2.20.7</source><destination>203.0.113.80</destination>`,
		"no source":  `<id>1</id><destination>203.0.113.80</destination>`,
		"no address": `<id>1</id><source>desk</source><destination>203.0.113.80</destination>`,
		"a long id":  `<id>` + strings.Repeat("x", 81) + `</id><source>10.2.20.7</source><destination>203.0.113.80</destination>`,
	} {
		_, ok := read(bad)
		assert.False(t, ok, name)
	}
	s, ok = read(`<id>1</id><source>10.2.20.7</source><source-port>-5</source-port><destination>203.0.113.80</destination><destination-port>99999999</destination-port><application>` + strings.Repeat("x", 81) + `</application>`)
	require.True(t, ok)
	assert.Equal(t, [2]uint16{0, 65_535}, [2]uint16{s.Source.Port(), s.Destination.Port()})
	assert.Empty(t, s.Application)

	blocked := readBlocked(parse(t, fmt.Sprintf(inFirewall, `<blocked><address>10.2.80.7</address><until>2026-11-30T12:00:00Z</until><refused>3</refused></blocked><blocked><address>everybody</address><until>2026-11-30T12:00:00Z</until></blocked>
		<blocked><address>10.2.80.8</address><until>soon</until></blocked>`)))
	assert.Equal(t, []network.Blocked{{Address: netip.MustParseAddr("10.2.80.7"), Until: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), Refused: 3}}, blocked)
	many := strings.Repeat(`<blocked><address>10.2.80.7</address><until>2026-11-30T12:00:00Z</until></blocked>`, maxBlocked+50)
	assert.Len(t, readBlocked(parse(t, fmt.Sprintf(inFirewall, many))), maxBlocked)
}

func TestWhatInspectionsFoundIsRead(t *testing.T) {
	found := readFound(parse(t, fmt.Sprintf(inFirewall, `<inspection><name>surf</name><found><what>category news</what><blocked>1</blocked><limited>2</limited><logged>3</logged><last>2026-11-30T12:00:00Z</last></found>
		<found><what>`+strings.Repeat("x", 500)+`</what><blocked>-1</blocked><last>never</last></found></inspection>`)))
	require.Len(t, found, 2)
	assert.Equal(t, network.Inspected{Inspection: "surf", What: "category news", Blocked: 1, Limited: 2, Logged: 3, LastAt: found[0].LastAt}, found[0])
	assert.LessOrEqual(t, len(found[1].What), maxCellText+3)
	assert.True(t, found[1].LastAt.IsZero())
}

func TestCertificatesAreRead(t *testing.T) {
	const good = `<certificate><name>web</name><subject>CN=th-fw-01</subject><issuer>CN=house</issuer><serial>0a</serial><fingerprint>ff</fingerprint><alternative-name>th-fw-01</alternative-name><alternative-name>10.2.10.2</alternative-name>
		<used-by>web</used-by><not-before>2026-01-01T00:00:00Z</not-before><not-after>2027-01-01T00:00:00+01:00</not-after></certificate>`
	of := func(s string) []network.Certificate {
		return readCertificates(parse(t, `<device xmlns="urn:everypost:yang:ep-device">`+s+`</device>`))
	}
	list := of(good + `<certificate><name>vpn</name><not-before>2026-01-01T00:00:00Z</not-before><not-after>never</not-after></certificate>`)
	require.Len(t, list, 1, "one that ends at no time is none")
	assert.Equal(t, network.Certificate{Name: "web", Subject: "CN=th-fw-01", Issuer: "CN=house", Serial: "0a", Fingerprint: "ff", Names: []string{"10.2.10.2", "th-fw-01"}, UsedBy: []string{"web"},
		NotBefore: time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), NotAfter: time.Date(2026, 12, 31, 23, 0, 0, 0, time.UTC)}, list[0])
	assert.Len(t, of(strings.Repeat(good, maxCertificates+9)), maxCertificates)
}

func TestLeasesAreRead(t *testing.T) {
	var in network.Inside
	readLeases(&in, parse(t, `<routing xmlns="urn:everypost:yang:ep-routing"><gateway><vlan>20</vlan><dhcp-server><size>80</size><free>-4</free>
		<lease-given><address>10.2.20.21</address><mac>02:4c:53:20:00:07</mac><name>lamp</name><ends>2026-12-01T00:00:00Z</ends><reserved>true</reserved></lease-given>
		<lease-given><address>somewhere</address></lease-given></dhcp-server></gateway>
		<gateway><vlan>30</vlan><dhcp-server><enabled>false</enabled></dhcp-server></gateway><gateway><vlan>4095</vlan><dhcp-server><size>1</size></dhcp-server></gateway></routing>`))
	assert.Equal(t, []network.Pool{{VLAN: 20, Size: 80}}, in.Pools)
	assert.Equal(t, []network.Lease{{VLAN: 20, Address: "10.2.20.21", MAC: "02:4c:53:20:00:07", Name: "lamp", Ends: time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC), Reserved: true}}, in.Leases)
}
