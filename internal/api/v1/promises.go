package v1

// PromiseRequest says what must always, or must never, reach what.
type PromiseRequest struct {
	Title    string `json:"title,omitempty" maxLength:"120" doc:"Its name when left out"`
	Never    bool   `json:"never,omitempty" doc:"It must never reach it; else it must always"`
	From     string `json:"from" minLength:"1" maxLength:"2000" doc:"A selector of end stations, or an address"`
	To       string `json:"to" minLength:"1" maxLength:"2000" doc:"The same"`
	Protocol string `json:"protocol" enum:"tcp,udp,icmp"`
	Port     int    `json:"port,omitempty" minimum:"0" maximum:"65535" doc:"Of the destination, of tcp and udp"`
}

// PromiseBreach is two ends between which a promise does not hold.
type PromiseBreach struct {
	From string `json:"from"`
	To   string `json:"to"`
	Why  string `json:"why" doc:"Where it stops; or, of what must never pass, the line that lets it"`
}

// Promise is what must always, or must never, reach what, and how that stands on what runs.
type Promise struct {
	Name string `json:"name"`
	PromiseRequest
	Standing string          `json:"standing" enum:"kept,broken,unknown"`
	Why      string          `json:"why,omitempty" doc:"Why it is not known"`
	Asked    int             `json:"asked" doc:"Between so many pairs of ends; of those at one device in one VLAN some"`
	Breaches []PromiseBreach `json:"breaches" doc:"At most ten"`
}
