package v1

// Setting is something that can be set.
type Setting struct {
	Name    string   `json:"name"`
	On      []string `json:"on" doc:"What it is set on: device, port, template, or a kind of /settings/kinds"`
	Title   string   `json:"title"`
	Group   string   `json:"group" doc:"Settings that stand together on a form"`
	Help    string   `json:"help" doc:"What it means"`
	Type    string   `json:"type" enum:"switch,choice,number,text,vlan,vlans,rate,list,table,row,name,secret"`
	Choices []string `json:"choices,omitempty" doc:"Words that it takes, besides or instead of other values"`
	Min     int      `json:"min,omitempty"`
	Max     int      `json:"max,omitempty"`
	Unit    string   `json:"unit,omitempty"`
	Of      string   `json:"of,omitempty" doc:"Of a name: the kind of object that is named"`
	Form    string   `json:"form" doc:"What a value looks like"`
	Default string   `json:"default,omitempty" doc:"What holds when nobody sets it; left out where it is for the device to say"`
	Needs   string   `json:"needs,omitempty" doc:"What a device must have for it"`
	Columns []Column `json:"columns,omitempty" doc:"Of a table: the parts of a row. Each row is a setting of its own, TABLE/NUMBER, and rows stand in the order of their numbers"`
	Highest int      `json:"highest,omitempty" doc:"Of a table: the highest number of a row"`
	Example string   `json:"example,omitempty" doc:"Of a table: a row"`
}

// Column is a part of the rows of a table.
type Column struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	Lead    string   `json:"lead,omitempty" doc:"The word before it in the text of a row"`
	Default string   `json:"default,omitempty" doc:"What holds where it is left out; without one it must stand there"`
	Help    string   `json:"help,omitempty"`
	Form    string   `json:"form" doc:"What a value looks like"`
	Choices []string `json:"choices,omitempty"`
	Only    bool     `json:"only,omitempty" doc:"It takes nothing but the choices"`
}

// SettingKind is a kind of things that a device holds besides its ports.
type SettingKind struct {
	Kind   string `json:"kind"`
	Title  string `json:"title" doc:"Of several: Access lists"`
	One    string `json:"one" doc:"Of one: access list"`
	Needs  string `json:"needs,omitempty" doc:"What a device must have to hold one"`
	Form   string `json:"form" doc:"How one is named"`
	Own    bool   `json:"own,omitempty" doc:"It is set up on each device: templates and sites do not speak of it"`
	Prefix string `json:"prefix" doc:"What stands before the name: acl/ of acl/guests; nothing for bundles"`
}

// ReadySettings are settings that are often wanted together, of a device and what it holds.
type ReadySettings struct {
	Name  string     `json:"name"`
	Title string     `json:"title"`
	Help  string     `json:"help"`
	Rows  []ReadyRow `json:"rows"`
}

// ReadyRow sets one object of a device.
type ReadyRow struct {
	Object string            `json:"object" doc:"Of what on the device: vlan/40, class/5 ...; empty for the device itself"`
	Set    map[string]string `json:"set"`
}

// StandingRequest asks how some things stand on their settings.
type StandingRequest struct {
	On     []string `json:"on,omitempty" maxItems:"20000" doc:"device:port, device:object, device, template/NAME:port and such"`
	Where  string   `json:"where,omitempty" maxLength:"4000" doc:"Besides: the ports that a selector picks"`
	Change int64    `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"What this draft sets is taken as set"`
	// Set is taken as set besides, where it can be.
	Set map[string]string `json:"set,omitempty" maxProperties:"20" doc:"Taken as set besides, where it can be"`
}

// Standings is how some things stand on all their settings.
type Standings struct {
	On    int        `json:"on" doc:"How many things"`
	Items []Standing `json:"items"`
}

// Standing is how some things stand on a setting.
type Standing struct {
	Setting string  `json:"setting"`
	Applies int     `json:"applies" doc:"How many can have it"`
	Values  []Count `json:"values" doc:"How many have each value, the most first; at most 20"`
	Why     string  `json:"why,omitempty" doc:"Why it does not apply to the others"`
	Offers  []Offer `json:"offers,omitempty" doc:"Of VLANs and names: those that all of the devices have"`
	// Layers and Says tell where the values come from.
	Layers []Count  `json:"layers" doc:"How many have it from each layer; drift: of which the device runs what none says; trial: the same while a change is under way on it"`
	Says   []Saying `json:"says,omitempty" doc:"Of one thing: what every layer says, the weakest first"`
}

// Offer is a value that can be taken.
type Offer struct {
	Value string `json:"value"`
	Text  string `json:"text,omitempty" doc:"What it is called"`
}

// BulkRequest puts settings of many things into a draft.
type BulkRequest struct {
	Change int64     `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why    string    `json:"why,omitempty" maxLength:"500" doc:"Of a new draft"`
	Rows   []BulkRow `json:"rows" minItems:"1" maxItems:"20000"`
}

// BulkRow sets the same on several things.
type BulkRow struct {
	On      []string          `json:"on,omitempty" maxItems:"20000" doc:"device:port, device:object, device, template/NAME:port and such"`
	Where   string            `json:"where,omitempty" maxLength:"4000" doc:"Besides: the ports that a selector picks"`
	Devices string            `json:"devices,omitempty" maxLength:"4000" doc:"Besides: the devices that a selector picks"`
	Set     map[string]string `json:"set,omitempty" maxProperties:"100" doc:"Values by setting"`
	Inherit []string          `json:"inherit,omitempty" maxItems:"100" doc:"Settings of which they are to say nothing themselves, so that the layers below hold"`
	Steps   []TableStep       `json:"steps,omitempty" maxItems:"100" doc:"What is to be done with rows of tables, one after another"`
}

// TableStep is something to be done with a row of a table. Its number is worked out on each thing by itself.
type TableStep struct {
	Table string `json:"table" maxLength:"40" doc:"Such as rules"`
	Act   string `json:"act" enum:"add,move,remove,renumber"`
	Row   int    `json:"row,omitempty" minimum:"0" maximum:"1000000" doc:"Which one: of move and remove"`
	Text  string `json:"text,omitempty" maxLength:"4000" doc:"What is added"`
	At    string `json:"at,omitempty" maxLength:"20" doc:"Where it goes: first, last (when left out), before-20 or after-20"`
}

// BulkAnswer is what became of it, thing by thing.
type BulkAnswer struct {
	Change  *Change      `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; left out when nothing could be set"`
	Results []BulkResult `json:"results"`
}

// BulkResult is one thing of a bulk edit.
type BulkResult struct {
	On      string `json:"on"`
	Outcome string `json:"outcome" enum:"set,unchanged,refused"`
	Why     string `json:"why,omitempty"`
}

// Object is something that a device holds besides its ports.
type Object struct {
	Name    string            `json:"name" doc:"As in device:name: lag1, vlan/40, schedule/office"`
	Kind    string            `json:"kind" doc:"One of /settings/kinds"`
	Title   string            `json:"title,omitempty" doc:"What people call it"`
	Members []string          `json:"members,omitempty" doc:"Of a bundle: its ports"`
	Known   map[string]string `json:"settings" doc:"What is set on it"`
}

// BundleRequest asks for a proposal of a bundle of ports.
type BundleRequest struct {
	Ports    []string `json:"ports" minItems:"1" maxItems:"16" doc:"device:port; of one device, or of a pair that acts as one"`
	Name     string   `json:"name,omitempty" maxLength:"7" doc:"Of the bundle at this end; the next that is free when left out"`
	Protocol string   `json:"protocol,omitempty" enum:"lacp-active,lacp-passive,static" doc:"lacp-active when left out"`
	Change   int64    `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"What this draft sets is taken as set"`
}

// BundleProposal is a bundle that could be made, with the edits that make it.
type BundleProposal struct {
	Near  []BundleEnd `json:"near"`
	Far   []BundleEnd `json:"far" doc:"The other end, as the neighbours tell; empty where that is not known"`
	Notes []string    `json:"notes" doc:"What is left out or open"`
	Edits []Edit      `json:"edits"`
}

// BundleEnd is one device's part of a bundle.
type BundleEnd struct {
	Device string   `json:"device"`
	Bundle string   `json:"bundle"`
	Ports  []string `json:"ports"`
}
