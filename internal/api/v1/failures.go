package v1

// Failure is what is lost when something fails, and what takes its place.
type Failure struct {
	What      string          `json:"what" doc:"A device, a port as device:port, a power supply as device:supply, or a tunnel as tunnel/NAME"`
	Kind      string          `json:"kind" enum:"device,link,port,circuit,tunnel,supply"`
	Ends      []string        `json:"ends" doc:"Where it is: of a link both ports, of a tunnel both edges"`
	Devices   []string        `json:"devices" doc:"That are not reached any more, as far as who asks may see them"`
	CutOff    []string        `json:"cut_off" doc:"Edges that have no tunnel to other sites any more"`
	Sites     []string        `json:"sites" doc:"Sites of which anything is lost"`
	Clients   int             `json:"clients" doc:"End stations at what fails and at what is lost"`
	Opens     []string        `json:"opens" doc:"Links that were held back (spanning tree, rings) and are used then, by their ends"`
	Over      []string        `json:"over" doc:"Tunnels that are left to edges which lose one"`
	Customers []CustomerApart `json:"customers,omitempty" doc:"Ports to customers that do not reach others of their service VLAN any more"`
	Powered   []string        `json:"powered,omitempty" doc:"Supplies that go on feeding the device of which one fails"`
}

// CustomerApart is a port to a customer, and the others of its service VLAN that it does not reach any more.
type CustomerApart struct {
	ServiceVLAN int      `json:"service_vlan"`
	Port        string   `json:"port" doc:"device:port"`
	From        []string `json:"from" doc:"device:port; those that who asks may not see are left out"`
}
