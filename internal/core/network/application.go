package network

import (
	"net/netip"
	"time"
)

// ApplicationUse is how much a source used an application through a firewall, as the firewall recognizes applications.
type ApplicationUse struct {
	Application string
	Category    string
	Source      netip.Addr
	Zone        string // from which the sessions began
	Sessions    uint64 // that were let begin
	Denied      uint64 // that were not
	Up, Down    uint64 // octets from and to the source
}

// ApplicationUses is what a firewall counted.
type ApplicationUses struct {
	Since time.Time // from when on, not before what was asked for
	Uses  []ApplicationUse
	Cut   bool // there is more than is told
}
