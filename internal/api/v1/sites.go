package v1

// Site is a place with devices.
type Site struct {
	Name string `json:"name"`
	SiteRequest
	Devices HealthCounts `json:"devices"`
	Ports   HealthCounts `json:"ports"`
}

// SiteRequest is what people say of a site; it makes or changes one.
type SiteRequest struct {
	Title    string    `json:"title" minLength:"1" maxLength:"100" doc:"Its name as people say it"`
	Entry    string    `json:"entry,omitempty" maxLength:"63" doc:"Device through which the management network comes in"`
	Code     string    `json:"code,omitempty" maxLength:"100" doc:"What it is called on labels"`
	Address  string    `json:"address,omitempty" maxLength:"100" doc:"Postal address"`
	Position *Position `json:"position,omitempty"`
	TimeZone string    `json:"time_zone,omitempty" maxLength:"64" doc:"Of the IANA database, such as Europe/London"`
	Contact  string    `json:"contact,omitempty" maxLength:"100" doc:"Who to ask there"`
	Notes    string    `json:"notes,omitempty" maxLength:"4000"`
}

// Position is a place on the earth in degrees (WGS 84): north and east are positive.
type Position struct {
	Latitude  float64 `json:"latitude" minimum:"-90" maximum:"90"`
	Longitude float64 `json:"longitude" minimum:"-180" maximum:"180"`
}

// MergeRequest moves what a site holds to another and removes the one.
type MergeRequest struct {
	Into string `json:"into" minLength:"1" maxLength:"63" doc:"The site that takes the devices"`
}

// HealthCounts counts things by their health.
type HealthCounts struct {
	Total    int `json:"total"`
	Well     int `json:"well"`
	Degraded int `json:"degraded"`
	Down     int `json:"down"`
	Off      int `json:"off"`
	Unknown  int `json:"unknown"`
}

// Particulars is what people say of a device and it does not know itself.
type Particulars struct {
	Contact  string    `json:"contact,omitempty" maxLength:"100" doc:"Who to ask about it"`
	Building string    `json:"building,omitempty" maxLength:"100"`
	Floor    string    `json:"floor,omitempty" maxLength:"100"`
	Rack     string    `json:"rack,omitempty" maxLength:"100"`
	RackUnit int       `json:"rack_unit,omitempty" minimum:"0" maximum:"60" doc:"The lowest unit it takes, counted from 1 at the bottom"`
	Position *Position `json:"position,omitempty" doc:"Where it stands, if not where its site is"`
	Tags     []string  `json:"tags,omitempty" maxItems:"50"`
	Page     string    `json:"page,omitempty" maxLength:"300" doc:"Address of the device's own page, where it does not tell it itself"`
	Notes    string    `json:"notes,omitempty" maxLength:"4000"`
}

// DeviceDescription sets the site and the particulars of a device.
type DeviceDescription struct {
	Site string `json:"site" minLength:"1" maxLength:"63"`
	Particulars
}
