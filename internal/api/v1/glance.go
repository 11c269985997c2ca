package v1

import "time"

// Strip is how a site, a device, a port or a tunnel fared over a time.
type Strip struct {
	Name   string   `json:"name" doc:"Of the site, the device, device:port, or the tunnel"`
	Device string   `json:"device,omitempty"`
	Port   string   `json:"port,omitempty"`
	Site   string   `json:"site,omitempty"`
	Tunnel string   `json:"tunnel,omitempty"`
	Steps  []string `json:"steps" doc:"The worst severity of each step, empty where nothing was out of order"`
}

// Strips are how sites, devices or ports fared over a time.
type Strips struct {
	From        time.Time `json:"from"`
	StepSeconds int       `json:"step_s"`
	Items       []Strip   `json:"items"`
}

// TopRow is something that ranks high by a reading.
type TopRow struct {
	Device string  `json:"device"`
	Name   string  `json:"name,omitempty" doc:"Of its port, tunnel, radio ..."`
	Text   string  `json:"text,omitempty" doc:"What it is described as"`
	Mean   float64 `json:"mean"`
	Peak   float64 `json:"peak"`
}

// Top is what ranks highest by a reading over a time.
type Top struct {
	From  time.Time `json:"from"`
	To    time.Time `json:"to"`
	Unit  string    `json:"unit"`
	Items []TopRow  `json:"items"`
	Total int       `json:"total" doc:"How many have the reading"`
	More  bool      `json:"more,omitempty" doc:"More devices are picked than were looked at"`
}

// Volume is what went through a port in an hour, a day or a month.
type Volume struct {
	From     time.Time `json:"from"`
	RxOctets float64   `json:"rx_octets"`
	TxOctets float64   `json:"tx_octets"`
	Known    bool      `json:"known" doc:"Whether anything was read in it"`
}

// Volumes are what went through a port over a time.
type Volumes struct {
	Device string   `json:"device"`
	Port   string   `json:"port"`
	By     string   `json:"by"`
	Zone   string   `json:"zone"`
	Items  []Volume `json:"items"`
}
