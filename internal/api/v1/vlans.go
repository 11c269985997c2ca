package v1

// NetworkVLAN is a VLAN of the whole network: what is said of it, and how it stands.
type NetworkVLAN struct {
	ID    int      `json:"id"`
	Names []string `json:"names" doc:"By which devices know it, the most frequent first"`
	VLANRecord
	Devices int           `json:"devices" doc:"How many know it"`
	Access  int           `json:"access_ports"`
	Trunks  int           `json:"trunk_ports"`
	Clients int           `json:"clients"`
	Missing []VLANMissing `json:"missing" doc:"Devices to which it must be carried, and is not"`
	Places  []VLANPlace   `json:"places,omitempty" doc:"The devices that know it; only of one VLAN"`
}

// VLANRecord is what people say of a VLAN.
type VLANRecord struct {
	Purpose  string `json:"purpose,omitempty" maxLength:"1000"`
	Subnets  string `json:"subnets,omitempty" maxLength:"2000" doc:"Prefixes separated by commas: for reading and for checks; no device is told"`
	Gateways string `json:"gateways,omitempty" maxLength:"2000" doc:"Addresses separated by commas, each in one of the subnets"`
	Wanted   string `json:"wanted,omitempty" maxLength:"2000" doc:"A selector of the devices to which it must be carried"`
}

// VLANPlace is a device that knows a VLAN.
type VLANPlace struct {
	Device  string `json:"device"`
	Site    string `json:"site"`
	Name    string `json:"name"`
	Access  int    `json:"access_ports"`
	Trunks  int    `json:"trunk_ports"`
	Clients int    `json:"clients"`
}

// VLANMissing is a device to which a VLAN must be carried, and is not.
type VLANMissing struct {
	Device string `json:"device"`
	Why    string `json:"why"`
}

// CarryRequest asks what it takes to have a VLAN carried from one device to another.
type CarryRequest struct {
	From   string `json:"from" minLength:"1" maxLength:"63"`
	To     string `json:"to" minLength:"1" maxLength:"63"`
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"What this draft sets is taken as set"`
}

// ServiceVLAN is a service VLAN, in which devices carry untouched what somebody else sends (IEEE 802.1ad).
type ServiceVLAN struct {
	ID     int           `json:"id"`
	Joined bool          `json:"joined" doc:"All of its ports reach each other, and there is more than one"`
	Ports  []ServicePort `json:"ports" doc:"At which frames of others come in and go out"`
	Breaks []string      `json:"breaks" doc:"Where a way breaks off, in words; only where not all ports reach each other"`
}

// ServicePort is a port to somebody else.
type ServicePort struct {
	Port        string `json:"port" doc:"device:port"`
	Site        string `json:"site"`
	Description string `json:"description,omitempty"`
	Up          bool   `json:"up"`
	Part        int    `json:"part" doc:"Ports of one part reach each other: from 1"`
}

// ServiceCarryRequest asks what it takes to have what is sent into one port come out at another untouched.
type ServiceCarryRequest struct {
	From   string `json:"from" minLength:"3" maxLength:"127" doc:"device:port"`
	To     string `json:"to" minLength:"3" maxLength:"127" doc:"device:port"`
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"What this draft sets is taken as set"`
}

// Carriage is what it takes.
type Carriage struct {
	Links []string `json:"links" doc:"On the ways between them: device:port device:port"`
	Edits []Edit   `json:"edits"`
	Notes []string `json:"notes" doc:"What cannot be done by an edit"`
}
