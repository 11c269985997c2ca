package network

import (
	"cmp"
	"math"
	"time"
)

// RingState is the part that a device has in a ring (IEC 62439-2) as it is.
type RingState struct {
	Name    string `json:"name"`
	ActsAs  string `json:"acts_as"`           // manager or client
	State   string `json:"state"`             // closed, open or undefined
	Blocked string `json:"blocked,omitempty"` // the port that this device blocks
	Changes int    `json:"changes"`           // how often it opened or closed since the device came up
}

// The states of a ring.
const (
	RingClosed    = "closed"    // whole
	RingOpen      = "open"      // broken in one place, and still working
	RingUndefined = "undefined" // nobody manages it, or more than one
)

// PairState is how a device stands to the other of its pair (MLAG).
type PairState struct {
	Name   string `json:"name"`
	Joined bool   `json:"joined"`
	// Keepalive tells whether the other is heard besides the bundle: "heard", "lost", or "" where nothing is asked for.
	Keepalive string `json:"keepalive,omitempty"`
}

// ClassCount is what was sent of a class of traffic since the device came up, in frames.
type ClassCount struct {
	Class   int    `json:"class"`
	Sent    uint64 `json:"sent_frames"`
	Dropped uint64 `json:"dropped_frames"` // for want of room
}

// ControllerState is the connection to a process controller.
type ControllerState struct {
	Address   string    `json:"address"`
	Connected bool      `json:"connected"`
	Since     time.Time `json:"since"`
}

// DHCPIntruder is somebody who offers addresses (RFC 2131) behind a port where nobody should.
type DHCPIntruder struct {
	VLAN    VLANID `json:"vlan"`
	Port    string `json:"port"`
	MAC     string `json:"mac"`
	Address string `json:"address"`
	Blocked bool   `json:"blocked"` // stations do not hear it: the VLAN is snooped
}

// Pool is how many addresses a device can give out in a VLAN, or to the stations of a wireless network (RFC 2131).
type Pool struct {
	VLAN    VLANID `json:"vlan"`
	Network string `json:"network,omitempty"` // the wireless network of which the access point has its stations in a network of its own
	Outside string `json:"outside,omitempty"` // the address with which those are seen beyond
	Size    int    `json:"size"`
	Free    int    `json:"free"` // that nobody has
}

// Lease is an address that a station has from a device.
type Lease struct {
	VLAN     VLANID    `json:"vlan"`
	Network  string    `json:"network,omitempty"` // the wireless network that has addresses of its own
	Address  string    `json:"address"`
	MAC      string    `json:"mac"`
	Name     string    `json:"name,omitempty"` // as the station calls itself
	Ends     time.Time `json:"ends"`           // unless it is asked for again
	Reserved bool      `json:"reserved,omitempty"`
}

// StorageLogin is who is plugged into a port of a storage switch, and has logged in.
type StorageLogin struct {
	Port    string   `json:"port"`
	Name    string   `json:"name"`
	Address string   `json:"address"` // world-wide name
	Kind    string   `json:"kind"`    // host or storage
	Sees    []string `json:"sees"`    // ports of others that it sees
}

// ContactState is an input to which a contact is wired.
type ContactState struct {
	Number   string `json:"number"`
	Text     string `json:"text,omitempty"`
	Severity string `json:"severity"` // of its alarm
	Contact  string `json:"contact"`  // open or closed
	Alarm    bool   `json:"alarm"`
}

// ListHits is how often the rules of an access list decided since the device came up, in their order.
type ListHits struct {
	Name string    `json:"name"`
	Rows []RowHits `json:"rows"`
}

// RowHits is how often a rule decided.
type RowHits struct {
	Row    int    `json:"row"`    // its number
	Frames uint64 `json:"frames"` // on which it decided
}

// PolicyState is how a firewall decided on sessions since it came up.
type PolicyState struct {
	Rules []RuleHits `json:"rules"`
	// Translations are how often each translation of addresses did.
	Translations []RuleHits `json:"translations,omitempty"`
	Unmatched    uint64     `json:"unmatched_sessions"` // denied because no rule fits
	Since        time.Time  `json:"since"`              // when it began to count; zero where that is not told
	// Found is what inspections found in sessions that were let begin.
	Found []Inspected `json:"found,omitempty"`
	// Floods are what limits of zones dropped.
	Floods []Flood `json:"floods,omitempty"`
	// Overrides are who may see for a time what inspections block.
	Overrides []Override `json:"overrides,omitempty"`
}

// Override lets a station see a category for a time.
type Override struct {
	Source   string    `json:"source"`
	Category string    `json:"category"`
	By       string    `json:"by"` // who let it
	Until    time.Time `json:"until"`
	Passed   uint64    `json:"passed_sessions"`
}

// Flood is what was dropped in a zone, as its sources began more sessions than they may.
type Flood struct {
	Zone     string    `json:"zone"`
	Protocol string    `json:"protocol"`
	Dropped  uint64    `json:"dropped_sessions"` // since the device came up
	Rate     uint64    `json:"rate"`             // a second, now
	Source   string    `json:"source"`           // whose it was last
	LastAt   time.Time `json:"last_at"`
}

// Inspected is something that an inspection found, and what became of it since the device came up.
type Inspected struct {
	Inspection string    `json:"inspection"`
	What       string    `json:"what"` // category news, application file-sharing
	Blocked    uint64    `json:"blocked_sessions"`
	Limited    uint64    `json:"limited_sessions"`
	Logged     uint64    `json:"logged_sessions"`
	LastAt     time.Time `json:"last_at"`
}

// RuleHits is how often a rule of a policy decided.
type RuleHits struct {
	Number   int       `json:"number"`
	Sessions uint64    `json:"sessions"`
	LastAt   time.Time `json:"last_at"` // zero: never
}

// scarce is the part of the addresses of a VLAN below which they are running out.
const scarce = 0.05

// standingTroubles says what is wrong with what stands in for each other, and at inputs.
func (i Inside) standingTroubles(out *troubles) {
	say := out.say
	for _, c := range i.Contacts {
		if c.Alarm {
			say("input "+c.Number, "input", "text", c.Text, "number", c.Number, "contact", c.Contact, "severity", c.Severity)
		}
	}
	for _, r := range i.Rings {
		switch r.State {
		case RingOpen:
			say("ring "+r.Name, "ring-open", "name", r.Name)
		case RingUndefined:
			say("ring "+r.Name, "ring-undefined", "name", r.Name)
		}
	}
	if p := i.Pair; p != nil {
		if !p.Joined {
			say("pair", "pair", "name", p.Name)
		} else if p.Keepalive == "lost" {
			say("keepalive", "keepalive", "name", p.Name)
		}
	}
	for _, d := range i.Intruders {
		code := "rogue-dhcp"
		if d.Blocked {
			code = "rogue-dhcp-blocked"
		}
		say("dhcp "+d.Port+" "+d.VLAN.String(), code, "port", d.Port, "vlan", int(d.VLAN), "mac", d.MAC, "address", d.Address)
	}
	for _, p := range i.Pools {
		if p.Size > 0 && float64(p.Free) < scarce*float64(p.Size) {
			say("pool "+cmp.Or(p.Network, p.VLAN.String()), "dhcp-pool", "vlan", int(p.VLAN), "network", p.Network, "free", p.Free, "of", p.Size)
		}
	}
	if i.Policy != nil {
		for _, f := range i.Policy.Floods {
			if f.Rate > 0 {
				say("flood "+f.Zone+" "+f.Protocol, "flood", "zone", f.Zone, "protocol", f.Protocol, "rate", int(min(f.Rate, math.MaxInt32)), "source", f.Source)
			}
		}
	}
	if c := i.Controller; c != nil && !c.Connected {
		say("controller", "controller", "address", c.Address)
	}
	if c := i.Cluster; c != nil {
		for _, m := range c.Members {
			if m.Role == "missing" {
				say("member "+m.Name, "member", "name", m.Name)
			}
		}
	}
}
