package network

import (
	"net/netip"
	"time"
)

// Session is one that a firewall let begin, as it stands.
type Session struct {
	ID              string // by which the device knows it
	Protocol        string // tcp, udp or icmp
	Source          netip.AddrPort
	Destination     netip.AddrPort
	From, To        string         // security zones
	Rule            int            // that let it begin
	SeenSource      netip.AddrPort // as it is seen beyond the firewall, where that translates it; not valid: as it is
	SeenDestination netip.AddrPort
	Application     string // as the device calls it; "" where it does not know
	Category        string // of the application
	Began           time.Time
	Up, Down        uint64 // octets from and to the source
}

// SessionQuery picks sessions; what is left out picks all.
type SessionQuery struct {
	Source, Destination netip.Prefix // either as it is or as it is seen beyond the firewall
	Protocol            string
	Port                int // of the destination
	Rule                int
	Most                int // that are told
}

// Blocked is a source that a firewall lets reach nothing for a time.
type Blocked struct {
	Address netip.Addr `json:"address"`
	Until   time.Time  `json:"until"`
	Refused uint64     `json:"refused_sessions"` // since it is blocked
}
