package v1

import "time"

// PolicySummary is how the policy of a firewall stands.
type PolicySummary struct {
	Device    string         `json:"device"`
	Site      string         `json:"site"`
	Decides   bool           `json:"decides" doc:"It has a policy; a firewall without one lets everything pass"`
	Rules     int            `json:"rules"`
	Sessions  uint64         `json:"sessions" doc:"On which its rules decided since it came up"`
	Unmatched uint64         `json:"unmatched_sessions" doc:"Denied because no rule fits, since it came up"`
	Faults    map[string]int `json:"faults" doc:"How many rules have which fault"`
	SeenAt    *time.Time     `json:"seen_at,omitempty" doc:"When it was read how its rules decided"`
}

// PolicyRule is a rule of a policy as it runs.
type PolicyRule struct {
	Number      int        `json:"number" doc:"Its place: rules stand in the order of their numbers"`
	Text        string     `json:"text" doc:"As it is written in a table of settings"`
	Action      string     `json:"action" enum:"allow,deny,reject,unknown"`
	From        []string   `json:"from" doc:"Zones; empty: any"`
	To          []string   `json:"to" doc:"Zones; empty: any"`
	Source      []string   `json:"source" doc:"Names of addresses, or prefixes; empty: any"`
	Destination []string   `json:"destination" doc:"Names of addresses, or prefixes; empty: any"`
	Service     []string   `json:"service" doc:"Names of services, or such as tcp/443; empty: any"`
	Inspect     string     `json:"inspect,omitempty" doc:"The inspection that looks into its sessions"`
	During      string     `json:"during,omitempty" doc:"A schedule; always when left out"`
	Until       string     `json:"until,omitempty" doc:"The last day on which it holds"`
	Log         bool       `json:"log"`
	Note        string     `json:"note,omitempty"`
	Layer       string     `json:"layer,omitempty" doc:"The template or site that says it; the device itself when left out"`
	Sessions    *uint64    `json:"sessions,omitempty" doc:"On which it decided since the device came up"`
	LastAt      *time.Time `json:"last_at,omitempty" doc:"When it decided last"`
	Fault       string     `json:"fault,omitempty" enum:"shadowed,redundant,wide,past,nobody,unused,too-large" doc:"shadowed: others decide before it, and otherwise; redundant: without it the same would pass; wide: it lets everybody reach everything; past: its last day is over; nobody: what it names is nothing; unused: it decided on nothing for 30 days; too-large: it falls into too many pieces to be looked at"`
	By          []int      `json:"by,omitempty" doc:"The rules that decide in its place"`
}

// PolicyTranslation is a translation of addresses (NAT, RFC 3022) as it runs.
type PolicyTranslation struct {
	Number      int        `json:"number" doc:"Its place: of each kind the first that fits does"`
	Text        string     `json:"text" doc:"As it is written in a table of settings"`
	Kind        string     `json:"kind" enum:"source,destination,unknown" doc:"Whose address: destinations before the rules are asked, sources after"`
	From        []string   `json:"from" doc:"Zones; empty: any"`
	To          []string   `json:"to" doc:"Zones; empty: any"`
	Source      []string   `json:"source" doc:"Names of addresses, or prefixes; empty: any"`
	Destination []string   `json:"destination" doc:"Names of addresses, or prefixes; empty: any"`
	Service     []string   `json:"service" doc:"Names of services, or such as tcp/443; empty: any"`
	Into        string     `json:"into,omitempty" doc:"The address that it gets; left out: it keeps its own"`
	Port        int        `json:"port,omitempty" doc:"The port that it gets; the same when left out"`
	Note        string     `json:"note,omitempty"`
	Layer       string     `json:"layer,omitempty" doc:"The template or site that says it; the device itself when left out"`
	Sessions    *uint64    `json:"sessions,omitempty" doc:"That it translated since the device came up"`
	LastAt      *time.Time `json:"last_at,omitempty" doc:"When it did so last"`
}

// InspectionFound is something that an inspection found in sessions that were let begin, since the device came up.
type InspectionFound struct {
	Inspection string     `json:"inspection"`
	What       string     `json:"what" doc:"category news, application file-sharing"`
	Blocked    uint64     `json:"blocked_sessions"`
	Limited    uint64     `json:"limited_sessions" doc:"Slowed down to the rate that is set for it"`
	Logged     uint64     `json:"logged_sessions" doc:"Let pass, and counted"`
	LastAt     *time.Time `json:"last_at,omitempty"`
}

// PolicyFlood is what was dropped in a zone, as its sources began more sessions than they may.
type PolicyFlood struct {
	Zone     string     `json:"zone"`
	Protocol string     `json:"protocol"`
	Dropped  uint64     `json:"dropped_sessions" doc:"Since the device came up"`
	Rate     uint64     `json:"rate" doc:"Sessions a second that are dropped now; 0: none"`
	Source   string     `json:"source,omitempty" doc:"Whose it was last"`
	LastAt   *time.Time `json:"last_at,omitempty"`
}

// PolicyOverride lets a station see a category that an inspection blocks, for a time.
type PolicyOverride struct {
	Source   string    `json:"source"`
	Category string    `json:"category"`
	By       string    `json:"by" doc:"Who let it"`
	Until    time.Time `json:"until"`
	Passed   uint64    `json:"passed_sessions"`
}

// PolicyName is a zone, an address, a service or an inspection that a firewall knows by a name.
type PolicyName struct {
	Kind    string            `json:"kind" enum:"security-zone,address,service,inspection,web-category"`
	Name    string            `json:"name"`
	Purpose string            `json:"purpose,omitempty"`
	Values  map[string]string `json:"values" doc:"Its settings"`
	UsedBy  []string          `json:"used_by" doc:"Rules and groups"`
}

// Policy is what a firewall lets pass, as it runs.
type Policy struct {
	PolicySummary
	List []PolicyRule `json:"list"`
	// Translations stand beside the rules.
	Translations []PolicyTranslation `json:"translations"`
	Found        []InspectionFound   `json:"found" doc:"What inspections found, what was stopped most first"`
	Floods       []PolicyFlood       `json:"floods" doc:"What limits of zones dropped, of late first"`
	Overrides    []PolicyOverride    `json:"overrides" doc:"Who may see for a time what inspections block"`
	Names        []PolicyName        `json:"names"`
	Since        *time.Time          `json:"since,omitempty" doc:"Since when it counts: when it came up"`
}

// WebListRequest is a list of what is in which category, for firewalls.
type WebListRequest struct {
	Name   string `json:"name" pattern:"^[a-zA-Z0-9]([a-zA-Z0-9-]{0,38}[a-zA-Z0-9])?$" doc:"Of the list: the template is called web-NAME"`
	Where  string `json:"where" minLength:"1" maxLength:"2000" doc:"A selector: which firewalls follow it"`
	Text   string `json:"text" minLength:"1" maxLength:"2000000" doc:"Lines of a domain and a category, with comments after #"`
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Why    string `json:"why,omitempty" maxLength:"500" doc:"Of a new draft"`
}

// PolicyDelta is what a change lets a firewall pass, or stop.
type PolicyDelta struct {
	Device      string `json:"device"`
	Opens       bool   `json:"opens" doc:"It lets pass; else it stops"`
	Rule        int    `json:"rule" doc:"Of the new policy, that lets it pass; or of the old one, that did"`
	From        string `json:"from"`
	To          string `json:"to"`
	Source      string `json:"source"`
	Destination string `json:"destination"`
	Service     string `json:"service"`
}

// PolicyDeltas are what a change lets firewalls pass, and stop.
type PolicyDeltas struct {
	Items []PolicyDelta `json:"items"`
	Whole bool          `json:"whole" doc:"Nothing more is opened or closed than is told"`
}

// ReachRequest asks whether one end reaches another by a service.
type ReachRequest struct {
	From     string `json:"from" minLength:"1" maxLength:"100" doc:"An address, a hardware address, or the name of an end station or a device"`
	To       string `json:"to" minLength:"1" maxLength:"100" doc:"The same"`
	Protocol string `json:"protocol" enum:"tcp,udp,icmp"`
	Port     int    `json:"port,omitempty" minimum:"0" maximum:"65535" doc:"Of the destination, of tcp and udp"`
	Change   int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"As the network would be after this draft; as it is when left out"`
}

// ReachHop is a step of a way.
type ReachHop struct {
	Device  string `json:"device,omitempty" doc:"Left out for one that you may not see"`
	In      string `json:"in,omitempty" doc:"The port by which it comes in"`
	Out     string `json:"out,omitempty" doc:"The port, or the interface of a route, by which it leaves"`
	VLAN    int    `json:"vlan,omitempty"`
	Verdict string `json:"verdict" enum:"passes,stops,unknown"`
	What    string `json:"what" doc:"What happens there"`
	Object  string `json:"object,omitempty" doc:"What decides: policy/main, acl/desks"`
	Table   string `json:"table,omitempty" doc:"Of it, where it has several: rules, translations"`
	Row     int    `json:"row,omitempty" doc:"The number of the line of it that decides"`
	Line    string `json:"line,omitempty" doc:"That line"`
}

// Reach is whether one end reaches another, and the way.
type Reach struct {
	Verdict string     `json:"verdict" enum:"passes,stops,unknown"`
	Why     string     `json:"why,omitempty" doc:"Where it does not pass, or nobody knows"`
	From    string     `json:"from" doc:"Who was meant, with the address"`
	To      string     `json:"to"`
	Hops    []ReachHop `json:"hops"`
}
