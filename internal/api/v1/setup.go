package v1

// SetupRequest is the answers of a first set-up of devices: one, or all of a small site.
type SetupRequest struct {
	Devices []string          `json:"devices,omitempty" maxItems:"200" doc:"By name"`
	Site    string            `json:"site,omitempty" maxLength:"63" doc:"Besides: all devices of a site"`
	System  map[string]string `json:"system,omitempty" doc:"Settings of the devices themselves, as far as each can have them: time-zone, ntp-servers ..."`
	VLANs   []VLAN            `json:"vlans,omitempty" maxItems:"200" doc:"Made on every device that has VLANs"`
	Links   bool              `json:"links,omitempty" doc:"Have the links among the devices, and from them to others, carry these VLANs"`
	Root    string            `json:"root,omitempty" maxLength:"63" doc:"The device that is to be the root of spanning tree"`
	Ports   []SetupPorts      `json:"ports,omitempty" maxItems:"500"`
	Change  int64             `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft to add to; a new one when left out"`
	Why     string            `json:"why,omitempty" maxLength:"2000"`
	DryRun  bool              `json:"dry_run,omitempty" doc:"Only tell what would be different"`
}

// SetupPorts is ports that are for one thing.
type SetupPorts struct {
	On    []string          `json:"on,omitempty" maxItems:"5000" doc:"device:port"`
	Where string            `json:"where,omitempty" maxLength:"4000" doc:"Besides: the ports that a selector picks"`
	Set   map[string]string `json:"set" doc:"Their settings. A # in the description is the number of the port among them"`
}

// SetupAnswer tells what a set-up comes to.
type SetupAnswer struct {
	Devices     []string     `json:"devices" doc:"That are set up"`
	Notes       []string     `json:"notes" doc:"What cannot be had somewhere"`
	Results     []BulkResult `json:"results"`
	Differences []Difference `json:"differences"`
	Change      *Change      `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; none where nothing would be different, or nothing was to be made"`
}
