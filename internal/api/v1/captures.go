package v1

import "time"

// Frame is a frame that a device captured.
type Frame struct {
	At       time.Time `json:"at"`
	On       string    `json:"on" doc:"The port, with its device where several captures are merged"`
	Way      string    `json:"way" enum:"in,out" doc:"Whether it came in or went out there"`
	Octets   int       `json:"octets" doc:"Of the whole frame"`
	VLAN     int       `json:"vlan,omitempty" doc:"Of its tag"`
	From     string    `json:"from"`
	To       string    `json:"to"`
	Protocol string    `json:"protocol"`
	Info     string    `json:"info"`
}

// Frames are frames that devices captured, in the order of time.
type Frames struct {
	Items []Frame `json:"items"`
	Total int     `json:"total" doc:"How many match"`
	More  bool    `json:"more,omitempty" doc:"More were captured than are shown: the file holds all"`
}

// DeviceFile is a file that a device has.
type DeviceFile struct {
	Name      string    `json:"name"`
	Octets    int64     `json:"octets"`
	ChangedAt time.Time `json:"changed_at"`
}
