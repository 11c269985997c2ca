package v1

import "time"

// NetworkClient is an end station, wired or wireless: where it is, or was last.
type NetworkClient struct {
	MAC       string    `json:"mac"`
	Name      string    `json:"name,omitempty" doc:"As given by hand, or else as it says itself"`
	GivenName string    `json:"given_name,omitempty" doc:"As given by hand"`
	Maker     string    `json:"maker,omitempty" doc:"By the first half of its hardware address, if a registry was given to the service"`
	Address   string    `json:"address,omitempty"`
	System    string    `json:"system,omitempty" doc:"Operating system, where that is known"`
	Device    string    `json:"device"`
	Site      string    `json:"site"`
	Port      string    `json:"port,omitempty" doc:"Of a wired one"`
	SSID      string    `json:"ssid,omitempty" doc:"Of a wireless one"`
	Band      string    `json:"band,omitempty"`
	VLAN      int       `json:"vlan,omitempty"`
	SignalDbm int       `json:"signal_dbm,omitempty"`
	Use       *Use      `json:"use,omitempty" doc:"What it used; left out when it is gone, or shares its port with others"`
	Here      bool      `json:"here" doc:"Whether it is there now"`
	FirstSeen time.Time `json:"first_seen"`
	LastSeen  time.Time `json:"last_seen"`
}

// Use is what went from and to a client.
type Use struct {
	UpOctets   uint64   `json:"up_octets" doc:"From the client, since it joined or since its port began to count"`
	DownOctets uint64   `json:"down_octets" doc:"To the client"`
	UpBps      *float64 `json:"up_bps,omitempty" doc:"Now; left out when not known yet"`
	DownBps    *float64 `json:"down_bps,omitempty"`
}

// NameRequest gives a name.
type NameRequest struct {
	Name string `json:"name" maxLength:"100" doc:"Empty to take it back"`
}

// ClientWay is where an end station is, and the way from it to where its site is entered.
type ClientWay struct {
	Client NetworkClient `json:"client"`
	Hops   []WayHop      `json:"hops" doc:"The devices on the way, the one at which it is first; as far as you may see them"`
	Hidden bool          `json:"hidden,omitempty" doc:"The way goes on where you may not see it"`
	Whole  bool          `json:"whole" doc:"The way leads to where the site is entered, and carries its VLAN all along"`
}

// WayHop is a device on a way.
type WayHop struct {
	Device     string   `json:"device"`
	Reach      string   `json:"reach"`
	In         string   `json:"in,omitempty" doc:"The port by which it comes in"`
	Out        string   `json:"out,omitempty" doc:"The port by which it goes on; empty at the end"`
	NotCarried []string `json:"not_carried,omitempty" doc:"Which of these ports do not carry its VLAN"`
	Alarms     []string `json:"alarms,omitempty" doc:"What is out of order with the device or these ports"`
}
