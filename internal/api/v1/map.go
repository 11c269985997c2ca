package v1

// Map is how devices hang together.
type Map struct {
	Devices []MapDevice `json:"devices"`
	Lines   []Line      `json:"lines"`
}

// MapDevice is a device on a map.
type MapDevice struct {
	Name   string `json:"name"`
	Site   string `json:"site"`
	Kind   string `json:"kind"`
	Model  string `json:"model"`
	Health string `json:"health" enum:"well,degraded,down,off,unknown"`
	Alarm  string `json:"alarm,omitempty" enum:"critical,major,minor,warning" doc:"The worst open alarm on it that follows from no other"`
	Alarms int    `json:"alarms,omitempty" doc:"How many there are"`
	Beyond bool   `json:"beyond,omitempty" doc:"It was not asked for, and is there because a line leads to it"`
	VLAN   bool   `json:"vlan,omitempty" doc:"Whether it knows the VLAN that was asked for"`
	Ports  int    `json:"vlan_ports,omitempty" doc:"How many of its access ports are in the VLAN that was asked for"`
}

// Line is a link as people draw it: a bundle is one, a tunnel is one.
type Line struct {
	Kind      string  `json:"kind" enum:"cable,bundle,tunnel"`
	A         LineEnd `json:"a"`
	B         LineEnd `json:"b"`
	Health    string  `json:"health" enum:"well,degraded,down,off,unknown" doc:"degraded: a part of a bundle is down"`
	Up        int     `json:"up"`
	Members   int     `json:"members"`
	SpeedMbps int     `json:"speed_mbps,omitempty" doc:"Of the members that are up"`
	BlockedAt string  `json:"blocked_at,omitempty" doc:"The end that spanning tree blocks: device:port"`
	OneSided  bool    `json:"one_sided,omitempty" doc:"Only one end reports the other"`
	Radio     bool    `json:"radio,omitempty" doc:"Whether it goes through the air"`
	Underlay  string  `json:"underlay,omitempty" doc:"Of a tunnel"`
	DelayMs   float64 `json:"delay_ms,omitempty"`
	Loss      float64 `json:"loss_percent,omitempty"`
	VLAN      string  `json:"vlan,omitempty" enum:"carried,held,stopped,absent" doc:"How the VLAN that was asked for fares on it"`
	Why       string  `json:"vlan_why,omitempty" doc:"Why it is stopped"`
}

// Link is a line with what goes over it now.
type Link struct {
	Line
	ABps float64 `json:"ab_bps,omitempty" doc:"What goes from A to B, as A counts; of a tunnel not known"`
	BBps float64 `json:"ba_bps,omitempty" doc:"What goes from B to A, as A counts"`
	Use  float64 `json:"use_percent,omitempty" doc:"How much of its speed the busier direction takes"`
	VLAN []int   `json:"vlans,omitempty" doc:"The VLANs that pass it"`
}

// LineEnd is one end of a line.
type LineEnd struct {
	Device string   `json:"device"`
	Name   string   `json:"name" doc:"Of the port, the bundle or the tunnel"`
	Ports  []string `json:"ports"`
}
