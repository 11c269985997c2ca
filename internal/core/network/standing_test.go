package network

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// What devices tell of addresses and certificates is a trouble where it is one, with a code by which it is known as long as it lasts.
func TestTroublesOfAddressesAndCertificates(t *testing.T) {
	now := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	in := Inside{ObservedAt: now,
		Intruders:    []DHCPIntruder{{VLAN: 20, Port: "1/1/7", MAC: "02:4c:53:20:00:07"}, {VLAN: 30, Port: "1/1/8", Blocked: true}},
		Pools:        []Pool{{VLAN: 20, Size: 100, Free: 4}, {VLAN: 30, Size: 100, Free: 5}, {VLAN: 40}},
		Policy:       &PolicyState{Floods: []Flood{{Zone: "guests", Protocol: "tcp", Rate: 3900, Source: "10.2.80.7"}, {Zone: "guests", Protocol: "udp", Dropped: 7}}},
		Certificates: []Certificate{{Name: "web", NotAfter: now.Add(CertificateSoon)}, {Name: "vpn", NotAfter: now.Add(CertificateSoon - time.Second)}, {Name: "old", NotAfter: now}},
	}
	var got []string
	for _, trouble := range in.Troubles() {
		got = append(got, trouble.Key+": "+trouble.Code)
		assert.False(t, trouble.OfLinks())
	}
	assert.Equal(t, []string{"dhcp 1/1/7 20: rogue-dhcp", "dhcp 1/1/8 30: rogue-dhcp-blocked", "pool 20: dhcp-pool", "flood guests tcp: flood", "certificate vpn: certificate-ending", "certificate old: certificate-ended"}, got)
}
