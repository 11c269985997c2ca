package v1

// GroupRequest makes or replaces a group.
type GroupRequest struct {
	Title   string   `json:"title,omitempty" maxLength:"200"`
	Pick    string   `json:"pick,omitempty" maxLength:"4000" doc:"A selector: the group is what it picks. Left out for a group that is picked by hand"`
	Members []string `json:"members,omitempty" maxItems:"5000" doc:"The devices of a group that is picked by hand"`
}

// Group is a named set of devices, and what it comes to now.
type Group struct {
	Name string `json:"name"`
	GroupRequest
	Owner   string       `json:"owner" doc:"Who made it"`
	Devices HealthCounts `json:"devices" doc:"Those that who asks may see"`
	Ports   int          `json:"ports"`
	Clients int          `json:"clients"`
}

// MembersRequest changes who is in a group that is picked by hand.
type MembersRequest struct {
	Add    []string `json:"add,omitempty" maxItems:"5000"`
	Remove []string `json:"remove,omitempty" maxItems:"5000"`
}
