package v1

// SegmentNetwork is a network of an edge that is in a segment.
type SegmentNetwork struct {
	VLAN    int    `json:"vlan"`
	Network string `json:"network,omitempty" doc:"Absent where the edge has no address there"`
}

// SegmentEdge is what one edge has of a segment.
type SegmentEdge struct {
	Device   string           `json:"device"`
	Site     string           `json:"site,omitempty"`
	Number   int              `json:"number" doc:"0: none is said"`
	Networks []SegmentNetwork `json:"networks"`
	Leaks    []string         `json:"leaks" doc:"Tables of which it uses the routes too: segments, main, outside"`
	Within   []string         `json:"within" doc:"Of these only routes within these prefixes; all where there is none"`
	Routes   int              `json:"routes" doc:"In use in that table"`
}

// Segment is a table of routes (VRF, virtual routing and forwarding) that edges keep apart from others.
type Segment struct {
	Name   string        `json:"name"`
	Number int           `json:"number" doc:"By which most of its edges know it between sites"`
	Edges  []SegmentEdge `json:"edges" doc:"That who asks may see"`
	Faults []string      `json:"faults" doc:"In what edges disagree, and what to do"`
}

// SegmentRequest puts networks of many edges into a segment.
type SegmentRequest struct {
	Change   int64    `json:"change,omitempty" doc:"The draft into which it goes; a new one when left out"`
	Why      string   `json:"why,omitempty" maxLength:"2000"`
	Name     string   `json:"name" minLength:"1" maxLength:"63"`
	Number   int      `json:"number,omitempty" minimum:"0" maximum:"16777215" doc:"One that is there already, or a free one, when left out"`
	VLANs    []int    `json:"vlans" minItems:"1" maxItems:"100" doc:"Of which the networks go into it, at each edge that has them"`
	Edges    string   `json:"edges,omitempty" maxLength:"4000" doc:"A selector: at which edges; all when left out"`
	Leaks    []string `json:"leaks,omitempty" maxItems:"16" doc:"Tables of which it uses the routes too: segments, main, outside"`
	Prefixes []string `json:"prefixes,omitempty" maxItems:"50" doc:"Of these only routes within these"`
	Purpose  string   `json:"purpose,omitempty" maxLength:"64"`
}

// UsedRoute is a route that a device uses.
type UsedRoute struct {
	Device    string `json:"device"`
	Site      string `json:"site,omitempty"`
	VRF       string `json:"vrf"`
	Prefix    string `json:"prefix"`
	Via       string `json:"via,omitempty"`
	Interface string `json:"interface,omitempty"`
	Origin    string `json:"origin" doc:"connected, static, bgp ..."`
	From      string `json:"from,omitempty" doc:"The VRF from which it was leaked"`
}

// UsedRoutes are routes of many devices.
type UsedRoutes struct {
	Items []UsedRoute `json:"items"`
	Total int         `json:"total" doc:"How many there are; no more than 5,000 are told"`
}
