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
	Here      bool      `json:"here" doc:"Whether it is there now"`
	FirstSeen time.Time `json:"first_seen"`
	LastSeen  time.Time `json:"last_seen"`
}

// NameRequest gives a name.
type NameRequest struct {
	Name string `json:"name" maxLength:"100" doc:"Empty to take it back"`
}
