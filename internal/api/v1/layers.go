package v1

import "time"

// Saying is what a layer says of a setting.
type Saying struct {
	Layer  string `json:"layer" doc:"default, template/NAME, site/NAME or device"`
	Value  string `json:"value"`
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The change by which it was said; left out for what was found on the device"`
}

// Word is what a template or site says of a setting.
type Word struct {
	Object  string `json:"object" doc:"port for each port that is picked, vlan/40 and such; empty for the device itself"`
	Setting string `json:"setting"`
	Value   string `json:"value"`
	Change  int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The change by which it was said"`
}

// Template is a set of settings for all devices or ports that a selector picks. It is edited by drafts, on template/NAME.
type Template struct {
	Name    string   `json:"name"`
	Title   string   `json:"title,omitempty"`
	For     string   `json:"for" enum:"devices,ports"`
	Pick    string   `json:"pick" doc:"A selector of what follows it; nothing while it is empty"`
	Order   int      `json:"order" doc:"Of two templates that speak of the same, the one of the higher order holds"`
	Says    []Word   `json:"says"`
	Picks   int      `json:"picks" doc:"How many devices or ports it picks"`
	Devices int      `json:"devices" doc:"On how many devices"`
	Others  int      `json:"others" doc:"Of how many settings of these a stronger layer speaks"`
	Picked  []Picked `json:"picked,omitempty" doc:"Of one template: what it picks, at most 2,000"`
}

// Picked is something that a template picks.
type Picked struct {
	On     string  `json:"on"`
	Others []Other `json:"others" doc:"Settings of which a stronger layer speaks"`
}

// Other is a setting of a template of which a stronger layer speaks.
type Other struct {
	Object  string `json:"object,omitempty" doc:"Of a device: the object"`
	Setting string `json:"setting"`
	Value   string `json:"value" doc:"What holds"`
	Layer   string `json:"layer" doc:"That says so"`
}

// SiteLayer is what is said for all devices of a site.
type SiteLayer struct {
	Site string `json:"site"`
	Says []Word `json:"says"`
}

// Drift is what a device runs other than intended.
type Drift struct {
	Device      string            `json:"device"`
	Site        string            `json:"site"`
	Control     string            `json:"control" enum:"here,watched,local"`
	Differences []DriftDifference `json:"differences"`
}

// DriftDifference is one setting that a device runs other than intended.
type DriftDifference struct {
	On       string    `json:"on"`
	Setting  string    `json:"setting"`
	Intended string    `json:"intended"`
	Runs     string    `json:"runs"`
	Layer    string    `json:"layer" doc:"That says what is intended"`
	Since    time.Time `json:"since" doc:"Since when the device is known to run it"`
	By       string    `json:"by,omitempty" doc:"Who set it, where the device told"`
}

// AcceptDriftRequest takes what a device runs as what is intended.
type AcceptDriftRequest struct {
	Objects []string `json:"objects,omitempty" maxItems:"5000" doc:"Ports, vlan/40 and such, an empty text for the device itself; all when left out"`
}

// RestoreRequest makes a draft that has devices run what is intended again.
type RestoreRequest struct {
	Change int64    `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why    string   `json:"why,omitempty" maxLength:"500" doc:"Of a new draft"`
	On     []string `json:"on" minItems:"1" maxItems:"5000" doc:"Devices, or single objects of them"`
}

// ControlRequest sets who changes a device.
type ControlRequest struct {
	Control string `json:"control" enum:"here,watched,local" doc:"here: by drafts; watched: it is only looked at; local: by people on the spot, until it is taken back"`
}

// CopyRequest puts settings of one device into a draft for others.
type CopyRequest struct {
	Change int64    `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why    string   `json:"why,omitempty" maxLength:"500" doc:"Of a new draft"`
	From   string   `json:"from" maxLength:"63" doc:"The device whose settings are copied"`
	To     []string `json:"to,omitempty" maxItems:"2000" doc:"The devices that get them"`
	Where  string   `json:"where,omitempty" maxLength:"4000" doc:"Besides: the devices that a selector picks"`
	Parts  []string `json:"parts,omitempty" enum:"device,vlans,ports,lists,sign-in" doc:"device, vlans, ports (of the same names), lists (schedules, mirrors, access lists, traffic classes), sign-in (users of the device, SNMP); all when left out"`
}
