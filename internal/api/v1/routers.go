package v1

import "time"

// Router is a router of a site with which an edge exchanges routes, or is told to.
type Router struct {
	Device    string     `json:"device" doc:"The edge"`
	Site      string     `json:"site,omitempty"`
	Protocol  string     `json:"protocol" enum:"bgp,ospf" doc:"BGP (RFC 4271) or OSPF (RFC 2328)"`
	Name      string     `json:"name" doc:"Of the BGP peer; of OSPF the interface"`
	Object    string     `json:"object" doc:"In which it is set: bgp-peer/yard, gateway/20"`
	VRF       string     `json:"vrf,omitempty"`
	Interface string     `json:"interface,omitempty"`
	Address   string     `json:"address,omitempty" doc:"Absent where none is heard"`
	RouterID  string     `json:"router_id,omitempty" doc:"Of OSPF"`
	AS        uint32     `json:"as,omitempty" doc:"Of BGP"`
	Area      string     `json:"area,omitempty" doc:"Of OSPF"`
	Up        bool       `json:"up"`
	State     string     `json:"state,omitempty" doc:"As the device tells: of RFC 4271 section 8.2.2, of RFC 2328 section 10.1"`
	Since     *time.Time `json:"since,omitempty" doc:"Of a session that stands"`
	Received  int        `json:"received" doc:"Prefixes that it told, by BGP"`
	Sent      int        `json:"sent" doc:"Prefixes that it was told, by BGP"`
	Routes    int        `json:"routes" doc:"In use that go by it"`
	Why       string     `json:"why,omitempty" doc:"Why nothing is exchanged, or less than was meant, and what to do"`
}
