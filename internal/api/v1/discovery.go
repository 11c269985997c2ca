package v1

import "time"

// DiscoveryRequest says where to look for devices.
type DiscoveryRequest struct {
	Targets  []string `json:"targets" minItems:"1" maxItems:"100" doc:"Addresses (10.20.1.11, with :port if it is another), prefixes (10.20.1.0/24) and ranges (10.20.1.10-10.20.1.40)"`
	Port     int      `json:"port,omitempty" minimum:"1" maximum:"65535" doc:"Where a target says none; 830 when left out"`
	User     string   `json:"user" minLength:"1" maxLength:"64" doc:"With which to log in to what answers"`
	Password string   `json:"password" maxLength:"256"`
	Hops     int      `json:"hops" minimum:"0" maximum:"32" doc:"How far neighbours are followed; 0: not at all"`
}

// Discovery is a search for devices.
type Discovery struct {
	Number    int64             `json:"number"`
	State     string            `json:"state" enum:"running,done,cancelled,interrupted"`
	By        string            `json:"by"`
	Targets   []string          `json:"targets"`
	Hops      int               `json:"hops"`
	StartedAt time.Time         `json:"started_at"`
	EndedAt   *time.Time        `json:"ended_at,omitempty"`
	Asked     int               `json:"asked" doc:"Addresses that were asked"`
	Queued    int               `json:"queued" doc:"Addresses that wait to be asked"`
	Found     int               `json:"found" doc:"Devices that were not known"`
	Known     int               `json:"known" doc:"Devices that were"`
	Silent    int               `json:"silent" doc:"Addresses at which nothing answers"`
	Refused   map[string]string `json:"refused" doc:"Addresses that answered and did not let the service in, with why"`
	Cut       bool              `json:"cut,omitempty" doc:"Whether it met its bound of 10,000 addresses"`
}

// FoundDevice is a device that was found and waits to be accepted.
type FoundDevice struct {
	Address  string    `json:"address"`
	HostKey  string    `json:"host_key" doc:"Fingerprint that it showed, to be compared with what the device itself displays"`
	Hostname string    `json:"hostname"`
	Kind     string    `json:"kind"`
	Maker    string    `json:"maker"`
	Model    string    `json:"model"`
	Serial   string    `json:"serial"`
	Firmware string    `json:"firmware"`
	Via      string    `json:"via,omitempty" doc:"Which device told of it, and the port or tunnel"`
	Site     string    `json:"site,omitempty" doc:"The site that is proposed: by the beginning of the host name, or that of the neighbour"`
	FoundAt  time.Time `json:"found_at"`
	Run      int64     `json:"run" doc:"Number of the search that found it"`
}

// AcceptRequest takes found devices into service.
type AcceptRequest struct {
	Devices []DeviceAcceptance `json:"devices" minItems:"1" maxItems:"10000"`
}

// DeviceAcceptance takes one found device into service.
type DeviceAcceptance struct {
	Address string `json:"address" maxLength:"260"`
	HostKey string `json:"host_key" maxLength:"100" doc:"The fingerprint that was accepted"`
	Site    string `json:"site,omitempty" maxLength:"63" doc:"The one proposed when left out"`
	Name    string `json:"name,omitempty" maxLength:"63" doc:"Its host name when left out"`
}

// AcceptResult is what came of one acceptance.
type AcceptResult struct {
	Address string `json:"address"`
	Device  string `json:"device,omitempty" doc:"Its name, if it was enrolled"`
	Problem string `json:"problem,omitempty" doc:"Why it was not"`
}

// DismissRequest forgets found devices; a later search finds them again.
type DismissRequest struct {
	Addresses []string `json:"addresses" minItems:"1" maxItems:"10000"`
}
