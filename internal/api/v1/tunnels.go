package v1

import "time"

// TunnelEnd is one end of a tunnel.
type TunnelEnd struct {
	Device   string   `json:"device"`
	Port     string   `json:"port" doc:"Over which it goes"`
	Address  string   `json:"address,omitempty" doc:"Of that port, as providers carry it"`
	Local    []string `json:"local" doc:"Networks from which it carries; none: any"`
	Remote   []string `json:"remote" doc:"Networks to which it carries; none: any"`
	Fault    string   `json:"fault,omitempty" doc:"Why it is down, as this end says: no-answer, port-down, no-proposal-chosen, authentication-failed, ts-unacceptable (RFC 7296) or incomplete"`
	DelayMs  float64  `json:"delay_ms,omitempty" doc:"There and back"`
	Underlay string   `json:"underlay,omitempty"`
}

// JoinedTunnel joins two sites: IPsec kept by IKEv2.
type JoinedTunnel struct {
	Name       string     `json:"name"`
	Purpose    string     `json:"purpose,omitempty"`
	Near       TunnelEnd  `json:"near"`
	Far        *TunnelEnd `json:"far,omitempty" doc:"Absent where the other end is of another house, is told nothing of it, or is not to be seen by who asks"`
	To         string     `json:"to,omitempty" doc:"Address to which the near end goes"`
	Peer       string     `json:"peer,omitempty" doc:"For whom the near end takes the other"`
	Foreign    bool       `json:"foreign" doc:"Whether no edge that is known here has the other end"`
	Up         bool       `json:"up"`
	Since      *time.Time `json:"since,omitempty" doc:"When that changed last"`
	Encryption string     `json:"encryption"`
	Group      string     `json:"group" doc:"Of the key exchange, by its number among the IKEv2 transforms of type 4"`
	RekeyMin   int        `json:"rekey_min" doc:"How long keys are used, in minutes"`
	Why        []string   `json:"why" doc:"Why it is not up, and what to do; what weighs most first"`
}

// TunnelPlanRequest says which edges are to be joined: two of them, or all that selectors pick.
type TunnelPlanRequest struct {
	Change     int64    `json:"change,omitempty" doc:"The draft into which it goes; a new one when left out"`
	Why        string   `json:"why,omitempty" maxLength:"2000"`
	Name       string   `json:"name,omitempty" maxLength:"63" doc:"Of a tunnel between two; chosen when left out"`
	A          string   `json:"a,omitempty" maxLength:"200" doc:"One end, as device:port or as device: its first port to a provider"`
	B          string   `json:"b,omitempty" maxLength:"200" doc:"The other end"`
	Hubs       string   `json:"hubs,omitempty" maxLength:"4000" doc:"A selector of hubs: each of them is joined with each spoke"`
	Spokes     string   `json:"spokes,omitempty" maxLength:"4000" doc:"A selector of spokes"`
	Mesh       string   `json:"mesh,omitempty" maxLength:"4000" doc:"A selector of edges each of which is joined with each other"`
	Over       []string `json:"over,omitempty" maxItems:"20" doc:"Names of ports over which tunnels may go; any when left out"`
	Encryption string   `json:"encryption,omitempty" enum:"aes-gcm-256,aes-gcm-128,aes-cbc-256,chacha20-poly1305" doc:"aes-gcm-256 when left out"`
	Group      string   `json:"group,omitempty" enum:"14,19,20,31" doc:"Of the key exchange; 19 when left out"`
	Purpose    string   `json:"purpose,omitempty" maxLength:"64"`
	Try        bool     `json:"try,omitempty" doc:"Only tell which tunnels these are; nothing is put into a draft"`
}

// PlannedTunnel is a tunnel that is to be.
type PlannedTunnel struct {
	Name string `json:"name"`
	A    string `json:"a" doc:"device:port"`
	B    string `json:"b" doc:"device:port"`
}

// TunnelPlan is which tunnels are to be.
type TunnelPlan struct {
	Tunnels []PlannedTunnel `json:"tunnels"`
	There   int             `json:"there" doc:"How many of what was asked for are there already"`
	Answer  *BulkAnswer     `json:"answer,omitempty" doc:"What became of each end, and the draft; absent where it was only tried, or all are there"`
}

// TunnelSheet is what who sets up the other end of a tunnel has to know.
type TunnelSheet struct {
	Name    string           `json:"name"`
	Device  string           `json:"device"`
	Lines   []TunnelSheetRow `json:"lines"`
	Caution string           `json:"caution"`
}

// TunnelSheetRow is a line of such a sheet, as seen from the other end.
type TunnelSheetRow struct {
	What  string `json:"what"`
	Value string `json:"value"`
}

// TunnelRemoval takes both ends of a tunnel away.
type TunnelRemoval struct {
	Change int64  `json:"change,omitempty" doc:"The draft into which it goes; a new one when left out"`
	Why    string `json:"why,omitempty" maxLength:"2000"`
	Device string `json:"device" minLength:"1" maxLength:"63" doc:"One of its edges"`
	Name   string `json:"name" minLength:"1" maxLength:"63"`
}
