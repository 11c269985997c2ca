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

// PolicyName is a zone, an address or a service that a firewall knows by a name.
type PolicyName struct {
	Kind    string            `json:"kind" enum:"security-zone,address,service"`
	Name    string            `json:"name"`
	Purpose string            `json:"purpose,omitempty"`
	Values  map[string]string `json:"values" doc:"Its settings"`
	UsedBy  []string          `json:"used_by" doc:"Rules and groups"`
}

// Policy is what a firewall lets pass, as it runs.
type Policy struct {
	PolicySummary
	List  []PolicyRule `json:"list"`
	Names []PolicyName `json:"names"`
	Since *time.Time   `json:"since,omitempty" doc:"Since when it counts: when it came up"`
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
