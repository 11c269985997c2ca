package network

import (
	"fmt"
	"strings"
	"time"
)

// Site is a place with devices.
type Site struct {
	Name  string `json:"name"`  // as in addresses of pages: tern-haven
	Title string `json:"title"` // as people say it: Tern Haven terminal
	// Entry is the device through which the management network comes into the site, "" while nobody has said so.
	Entry string `json:"entry,omitempty"`
	// Code is what people call the site on labels: TH.
	Code     string    `json:"code,omitempty"`
	Address  string    `json:"address,omitempty"` // postal
	Position *Position `json:"position,omitempty"`
	TimeZone string    `json:"time_zone,omitempty"` // of the IANA database: Europe/London
	Contact  string    `json:"contact,omitempty"`
	Notes    string    `json:"notes,omitempty"`
}

// Position is a place on the earth in degrees (WGS 84): north and east are positive.
type Position struct {
	Latitude  float64 `json:"latitude"`
	Longitude float64 `json:"longitude"`
}

// Valid tells whether there is such a place.
func (p Position) Valid() bool {
	return p.Latitude >= -90 && p.Latitude <= 90 && p.Longitude >= -180 && p.Longitude <= 180
}

// Control is who changes what a device runs.
type Control string

// The controls.
const (
	ControlHere    Control = ""        // this service, by drafts; what others change is drift
	ControlWatched Control = "watched" // others: it is only looked at
	ControlLocal   Control = "local"   // handed to people on the spot until it is taken back; what they change waits
)

// Controls lists the words for control as they are told.
func Controls() []string { return []string{"here", string(ControlWatched), string(ControlLocal)} }

// ParseControl reads one of Controls.
func ParseControl(s string) (Control, error) {
	switch c := Control(s); {
	case s == "here":
		return ControlHere, nil
	case c == ControlWatched || c == ControlLocal:
		return c, nil
	}
	return "", fmt.Errorf("%q is no way to control a device: there are here, watched and local", s)
}

func (c Control) String() string {
	if c == ControlHere {
		return "here"
	}
	return string(c)
}

// Particulars is what people say of a device and it does not know itself.
type Particulars struct {
	Contact  string    `json:"contact,omitempty"`
	Building string    `json:"building,omitempty"`
	Floor    string    `json:"floor,omitempty"`
	Rack     string    `json:"rack,omitempty"`
	RackUnit int       `json:"rack_unit,omitempty"` // the lowest it takes, counted from 1 at the bottom; 0 when not told
	Position *Position `json:"position,omitempty"`
	Tags     []string  `json:"tags,omitempty"` // in order, without doubles
	Page     string    `json:"page,omitempty"` // address of the device's own page, where it does not tell it
	Notes    string    `json:"notes,omitempty"`
}

// Kind is what a device is for.
type Kind string

// The kinds.
const (
	Switch      Kind = "switch"
	AccessPoint Kind = "access-point"
	Firewall    Kind = "firewall"
	Edge        Kind = "edge"
	RadioLink   Kind = "radio-link"
	OtherKind   Kind = "other"
)

// Kinds lists the kinds.
func Kinds() []string {
	return []string{string(Switch), string(AccessPoint), string(Firewall), string(Edge), string(RadioLink), string(OtherKind)}
}

// Identity is what a device says of itself.
type Identity struct {
	Hostname string    `json:"hostname"`
	Kind     Kind      `json:"kind"`
	Maker    string    `json:"maker"`
	Model    string    `json:"model"`
	Serial   string    `json:"serial"`
	Firmware string    `json:"firmware"`
	BootedAt time.Time `json:"booted_at"`
	// Abilities that the device announced, in our words: see the constants.
	Abilities []Ability `json:"abilities"`
	// Announces lists the models of a device of which nothing can be read; it is empty for all others.
	Announces []string `json:"announces,omitempty"`
	Unread    bool     `json:"unread,omitempty"` // that nothing of it can be read
}

// UnreadWhy says of a device of which nothing can be read what it is.
func (id Identity) UnreadWhy() string {
	const shown = 6
	switch n := len(id.Announces); {
	case !id.Unread:
		return ""
	case n == 0:
		return "It is connected, and nothing of it can be read: it announces no model."
	case n > shown:
		return fmt.Sprintf("It is connected, and nothing of it can be read: of the models that it announces (%s and %d more) none is known here.", strings.Join(id.Announces[:shown], ", "), n-shown)
	}
	return fmt.Sprintf("It is connected, and nothing of it can be read: of the models that it announces (%s) none is known here.", strings.Join(id.Announces, ", "))
}

// Ability is something that a device can do, as far as its announcements tell.
type Ability string

// The abilities.
const (
	CanTrial     Ability = "trial"     // run a change and go back by itself
	CanOnlyRun   Ability = "no trial"  // run a change, and not go back from it by itself
	CanCandidate Ability = "candidate" // prepare a change beside the running configuration
	CanValidate  Ability = "validate"  // check a prepared change before it runs
	CanNotify    Ability = "notify"    // tell of changes as they happen
)

// Reach is whether the service has a device in hand.
type Reach string

// The states of reach.
const (
	ReachConnected Reach = "connected" // a session is up
	ReachWaiting   Reach = "waiting"   // the first session is not yet up
	ReachGone      Reach = "gone"      // the session was lost, or cannot be made
	ReachRefused   Reach = "refused"   // the device answers but does not let us in, or its key is not the pinned one
	ReachRetired   Reach = "retired"   // taken out of service by a person; nobody tries to reach it
)

// Reaches lists the states of reach.
func Reaches() []string {
	return []string{string(ReachConnected), string(ReachWaiting), string(ReachGone), string(ReachRefused), string(ReachRetired)}
}
