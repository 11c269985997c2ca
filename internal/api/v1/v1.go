// Package v1 is the contract of the HTTP interface, version 1: what goes over the wire, and nothing else. The service,
// the Go client, the command line and (through OpenAPI) the console all use these types.
//
// Times are RFC 3339 in UTC. Numbers carry their unit in their name. A port is written device:port.
package v1

import (
	"time"

	"example.net/everypost/internal/core/network"
)

// CSRFHeader carries the value of Person.CSRF in every request of a browser that changes something.
const CSRFHeader = "X-Everypost-CSRF"

// SessionCookie is the name of the cookie of a browser's session.
const SessionCookie = "everypost_session"

// Problem types, as RFC 9457 "type" members.
const (
	ProblemBlocked    = "urn:everypost:problem:findings"          // findings keep a change from being pushed
	ProblemState      = "urn:everypost:problem:state"             // the change is not in a state for that
	ProblemCannot     = "urn:everypost:problem:cannot"            // the device cannot do what is asked of it
	ProblemBusy       = "urn:everypost:problem:busy"              // another change is under way
	ProblemGone       = "urn:everypost:problem:unreachable"       // a device cannot be reached
	ProblemHostKey    = "urn:everypost:problem:host-key"          // a device shows another host key
	ProblemLogin      = "urn:everypost:problem:device-login"      // a device does not let the service in
	ProblemSignIn     = "urn:everypost:problem:sign-in"           // not signed in
	ProblemForbidden  = "urn:everypost:problem:right"             // a right is missing
	ProblemTrying     = "urn:everypost:problem:trying-a-role"     // nothing is done while a role is tried
	ProblemInvalid    = "urn:everypost:problem:invalid"           // what was given cannot be
	ProblemNotFound   = "urn:everypost:problem:not-found"         // there is no such thing
	ProblemExists     = "urn:everypost:problem:exists"            // there is such a thing already
	ProblemSelector   = "urn:everypost:problem:selector"          // an expression cannot be read; "errors" tells where
	ProblemInUse      = "urn:everypost:problem:in-use"            // something else needs what was to be removed
	ProblemUnrecorded = "urn:everypost:problem:unrecorded"        // nothing can be recorded, so that nothing is done
	ProblemStale      = "urn:everypost:problem:changed-meanwhile" // If-Match did not match
)

// SignIn is what a person signs in with.
type SignIn struct {
	Name     string `json:"name" maxLength:"64" doc:"User name"`
	Password string `json:"password" maxLength:"256" doc:"Password"`
}

// Person is who is signed in.
type Person struct {
	Name      string    `json:"name"`
	FullName  string    `json:"full_name"`
	Role      string    `json:"role"`
	Only      string    `json:"only,omitempty" doc:"A selector to which the person is confined"`
	Trying    bool      `json:"trying,omitempty" doc:"Whether the role is one that is tried"`
	Rights    []Right   `json:"rights" doc:"What the person may do, and where"`
	CSRF      string    `json:"csrf,omitempty" doc:"For the header X-Everypost-CSRF; only for sessions of browsers"`
	ExpiresAt time.Time `json:"expires_at"`
	Version   string    `json:"version" doc:"Version of the service"`
}

// TokenRequest asks for a bearer token.
type TokenRequest struct {
	Label    string `json:"label" minLength:"1" maxLength:"100" doc:"What the token is for"`
	ReadOnly bool   `json:"read_only,omitempty" doc:"Whether the token may only see"`
	Days     int    `json:"days,omitempty" minimum:"1" maximum:"366" doc:"Life in days; 30 when left out"`
}

// TokenSignIn asks for a bearer token with a password instead of a session.
type TokenSignIn struct {
	SignIn
	TokenRequest
}

// Token is a bearer token without its secret.
type Token struct {
	ID        int64     `json:"id"`
	Label     string    `json:"label"`
	ReadOnly  bool      `json:"read_only"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
}

// NewToken is a token that was just made. The secret is shown this once.
type NewToken struct {
	Token
	Secret string `json:"secret"`
}

// Session is a browser that is signed in.
type Session struct {
	ID        string    `json:"id" doc:"For ending it; it lets nobody in"`
	Address   string    `json:"address,omitempty" doc:"From where it was made"`
	Agent     string    `json:"agent,omitempty" doc:"With which program, as that says"`
	MadeAt    time.Time `json:"made_at"`
	SeenAt    time.Time `json:"seen_at" doc:"When it was last heard of, to the minute"`
	ExpiresAt time.Time `json:"expires_at"`
	This      bool      `json:"this" doc:"Whether it is the one that asks"`
}

// Preference is how a person likes something. The service keeps it and does not look into it.
type Preference struct {
	Value string `json:"value" maxLength:"8000" doc:"Empty to forget it"`
}

// Device is a device.
type Device struct {
	Name           string       `json:"name"`
	Site           string       `json:"site"`
	Kind           string       `json:"kind" doc:"switch, access-point, firewall, edge, radio-link or other"`
	Maker          string       `json:"maker"`
	Model          string       `json:"model"`
	Serial         string       `json:"serial"`
	Firmware       string       `json:"firmware"`
	Address        string       `json:"address"`
	CallsHome      bool         `json:"calls_home,omitempty" doc:"Whether the device opens the connection; the address is where it came from last"`
	OwnPage        string       `json:"page_address,omitempty" doc:"Where the device's own page is: as a person said, else as the device tells"`
	HostKey        string       `json:"host_key" doc:"Fingerprint of the pinned SSH host key"`
	BootedAt       time.Time    `json:"booted_at"`
	Reach          string       `json:"reach" doc:"connected, waiting, gone, refused or retired"`
	Since          time.Time    `json:"since" doc:"Since when it is so"`
	Why            string       `json:"why,omitempty"`
	SeenAt         time.Time    `json:"seen_at" doc:"When it last answered"`
	Health         string       `json:"health" enum:"well,degraded,down,off,unknown"`
	Troubles       []string     `json:"troubles,omitempty" doc:"What is wrong with it, in sentences"`
	ManagementVLAN int          `json:"management_vlan,omitempty"`
	Ports          HealthCounts `json:"ports"`
	Power          *Power       `json:"power,omitempty"`
	Abilities      []string     `json:"abilities"`
	EnrolledAt     time.Time    `json:"enrolled_at"`
	EnrolledBy     string       `json:"enrolled_by"`
	Control        string       `json:"control" enum:"here,watched,local" doc:"Who changes it: this service, nobody from here, or people on the spot"`
	Drift          int          `json:"drift,omitempty" doc:"How many settings it runs other than intended"`
	Rights         []string     `json:"rights" doc:"What who asks may do with the device, besides seeing it"`
	Particulars
}

// Power is what a device feeds over its ports.
type Power struct {
	BudgetMilliW int `json:"budget_mw"`
	UsedMilliW   int `json:"used_mw"`
}

// DeviceDetail is a device with its front and ports.
type DeviceDetail struct {
	Device
	Face     []FacePort `json:"face"`
	PortList []Port     `json:"port_list"`
	VLANs    []VLAN     `json:"vlans"`
	Objects  []Object   `json:"objects" doc:"Bundles, VLANs and what else can be set up on it"`
	Features []string   `json:"features" doc:"What the device can be told"`
	Can      []string   `json:"operations" doc:"What it can be asked to do: kinds of /operations/kinds"`
	Resolved []Resolved `json:"resolved,omitempty" doc:"Addresses that the device resolved to hardware addresses (ARP)"`
	// Inside is nil until it was read.
	Inside *network.Inside `json:"inside,omitempty" doc:"Hardware, tables, radios, tunnels: read every half minute"`
}

// Clock is how the clock of a device stands.
type Clock = network.Clock

// LicenceSoon is how long before its end a licence is to be seen to.
const LicenceSoon = network.LicenceSoon

// Resolved is an address that a device resolved to a hardware address (ARP, RFC 826).
type Resolved struct {
	Address   string `json:"address"`
	MAC       string `json:"mac"`
	Interface string `json:"interface"`
}

// VLAN is a VLAN as a device knows it.
type VLAN struct {
	ID   int    `json:"id" minimum:"0" maximum:"4095"`
	Name string `json:"name"`
}

// FacePort is a port's place on the front of its device: columns from the left, rows from the top, from 0.
type FacePort struct {
	Port   string `json:"port"`
	Label  string `json:"label"`
	Kind   string `json:"kind" enum:"copper,cage,radio"`
	Column int    `json:"column"`
	Row    int    `json:"row"`
	Group  int    `json:"group"`
	Unit   int    `json:"unit" doc:"The box, from 1: a stack has several"`
}

// Port is a port: what is set, and what is seen.
type Port struct {
	Ref         string    `json:"ref" doc:"device:port"`
	Device      string    `json:"device"`
	Port        string    `json:"port"`
	Site        string    `json:"site"`
	Description string    `json:"description"`
	Enabled     bool      `json:"enabled"`
	Mode        string    `json:"mode" doc:"access, trunk, or empty for a port that is not switched"`
	AccessVLAN  int       `json:"access_vlan,omitempty"`
	NativeVLAN  int       `json:"native_vlan,omitempty"`
	TrunkVLANs  string    `json:"trunk_vlans,omitempty" doc:"A list such as 10,20-25"`
	Health      string    `json:"health" enum:"well,degraded,down,off,unknown"`
	Oper        string    `json:"oper" doc:"up, down, not-present or unknown; unknown while the device is away"`
	ChangedAt   time.Time `json:"changed_at" doc:"When oper last changed, by the device's clock"`
	SpeedMbps   int       `json:"speed_mbps,omitempty"`
	ShutBy      string    `json:"shut_by,omitempty" doc:"What on the device itself keeps the port shut: flap-guard, loop-protection, bpdu-guard, schedule or follow"`
	Bundle      string    `json:"bundle,omitempty" doc:"The link aggregation of which it is a member"`
	MAC         string    `json:"mac,omitempty"`
	Addresses   []string  `json:"addresses,omitempty" doc:"Of the port itself, with the length of the network"`
	HasPoE      bool      `json:"has_poe"`
	PoE         bool      `json:"poe" doc:"Whether the port feeds power when asked"`
	PoEMilliW   int       `json:"poe_mw,omitempty"`
	PoEMilliV   int       `json:"poe_mv,omitempty" doc:"Of what it feeds"`
	PoEMilliA   int       `json:"poe_ma,omitempty"`
	PoEClass    int       `json:"poe_class,omitempty"`
	Isolation   string    `json:"isolation,omitempty" doc:"The group of ports that exchange no frames with each other"`
	Counters    Counters  `json:"counters"`
	Rates       *Rates    `json:"rates,omitempty" doc:"What goes over the port now; left out when it is not known"`
	Peer        *Peer     `json:"peer,omitempty" doc:"What the other end of the cable says of itself"`
	ObservedAt  time.Time `json:"observed_at" doc:"When this was read"`
	Stale       bool      `json:"stale" doc:"Whether the device is away, so that this is only the last known"`
	MayChange   bool      `json:"may_change" doc:"Whether who asks may change the port"`
}

// Counters are totals since the device booted.
type Counters struct {
	RxOctets    uint64 `json:"rx_octets"`
	TxOctets    uint64 `json:"tx_octets"`
	RxUnicast   uint64 `json:"rx_unicast"`
	TxUnicast   uint64 `json:"tx_unicast"`
	RxMulticast uint64 `json:"rx_multicast"`
	TxMulticast uint64 `json:"tx_multicast"`
	RxBroadcast uint64 `json:"rx_broadcast"`
	TxBroadcast uint64 `json:"tx_broadcast"`
	RxErrors    uint64 `json:"rx_errors"`
	RxFCSErrors uint64 `json:"rx_fcs_errors" doc:"Frames with a wrong checksum; they count as rx_errors too"`
	RxFragments uint64 `json:"rx_fragments" doc:"Frames shorter than 64 octets with a wrong checksum (RFC 2819)"`
	Collisions  uint64 `json:"collisions" doc:"Of a half-duplex port (RFC 2819)"`
	RxDiscards  uint64 `json:"rx_discards"`
	TxErrors    uint64 `json:"tx_errors"`
	TxDiscards  uint64 `json:"tx_discards"`
}

// Rates is what went over a port between the last two readings.
type Rates struct {
	RxBps    float64 `json:"rx_bps" doc:"bit/s"`
	TxBps    float64 `json:"tx_bps" doc:"bit/s"`
	RxPps    float64 `json:"rx_pps" doc:"frames/s"`
	TxPps    float64 `json:"tx_pps" doc:"frames/s"`
	Errors   float64 `json:"errors_ps" doc:"Frames in error each second, received and sent"`
	Discards float64 `json:"discards_ps" doc:"Frames discarded each second, received and sent"`
	Use      float64 `json:"use_percent,omitempty" doc:"Part of the link's speed that the busier direction takes"`
	SpanMs   int64   `json:"span_ms" doc:"Between the two readings"`
}

// Peer is the other end of a cable.
type Peer struct {
	System string `json:"system"`
	Port   string `json:"port"`
	Device string `json:"device,omitempty" doc:"The device it is, when it is known"`
}

// Probe asks an address for its host key.
type Probe struct {
	Address string `json:"address" minLength:"1" maxLength:"260" doc:"host or host:port; the port is 830 when left out"`
}

// ProbeResult is the key that a device shows.
type ProbeResult struct {
	Address string `json:"address"`
	HostKey string `json:"host_key" doc:"Fingerprint, to be compared with what the device itself displays"`
}

// DeviceLogin says as whom the service logs in to a device.
type DeviceLogin struct {
	User     string `json:"user,omitempty" maxLength:"100" doc:"As before when left out"`
	Password string `json:"password" minLength:"1" maxLength:"1000" doc:"It is sealed, and never told"`
}

// Pin accepts another host key of a device.
type Pin struct {
	HostKey string `json:"host_key" minLength:"1" maxLength:"100" doc:"The fingerprint that was accepted; it must be the one that the device shows now"`
}

// Enrolment enrols a device.
type Enrolment struct {
	Address  string `json:"address" minLength:"1" maxLength:"260"`
	User     string `json:"user" minLength:"1" maxLength:"64"`
	Password string `json:"password" maxLength:"256"`
	HostKey  string `json:"host_key" minLength:"1" maxLength:"100" doc:"The fingerprint that was accepted"`
	Site     string `json:"site" minLength:"1" maxLength:"63"`
	Name     string `json:"name,omitempty" maxLength:"63" doc:"The device's host name when left out"`
}

// Edit sets one setting of one port, of another object of a device, or of a device.
type Edit struct {
	Port  string `json:"port" maxLength:"140" doc:"What it is set on: device:port, device:lag1, device:vlan/40 and such, device alone, or a layer: template/NAME:port, template/NAME:self, site/NAME:vlan/40"`
	Field string `json:"field" maxLength:"48" doc:"The name of the setting: /settings lists them"`
	Value string `json:"value,omitempty" maxLength:"1000000"`
	Act   string `json:"act,omitempty" enum:"inherit,restore" doc:"Instead of a value. inherit: it says nothing itself, so that the layers below hold; restore: the device is to run what is intended"`
}

// ChangeRequest makes a draft.
type ChangeRequest struct {
	Why   string `json:"why,omitempty" maxLength:"500"`
	Edits []Edit `json:"edits" maxItems:"20000"`
}

// EditsRequest adds edits to a draft.
type EditsRequest struct {
	Edits []Edit `json:"edits" minItems:"1" maxItems:"20000"`
}

// WhyRequest says why a change is made.
type WhyRequest struct {
	Why string `json:"why" maxLength:"500"`
}

// PushRequest pushes a checked change.
type PushRequest struct {
	Accept       []string `json:"accept,omitempty" doc:"Findings (their ids) that are accepted"`
	TrialSeconds int      `json:"trial_seconds,omitempty" minimum:"10" maximum:"3600" doc:"How long the devices wait to be told to keep; 120 when left out"`
	KeepSeconds  int      `json:"keep_seconds,omitempty" minimum:"1" maximum:"3595" doc:"Keep it by itself once all has been well for so long; on a person's word when left out"`
	// When it begins: at once where nothing is said.
	At       *time.Time `json:"at,omitempty" doc:"Have the push wait until then"`
	InWindow bool       `json:"in_window,omitempty" doc:"Have the push wait for the hours that the rules of the house say for these devices"`
}

// ApproveRequest has a second person approve a change.
type ApproveRequest struct {
	Why string `json:"why,omitempty" maxLength:"500"`
}

// Waits is for what a change waits to be pushed.
type Waits struct {
	By           string     `json:"by" doc:"Who has it pushed"`
	Since        time.Time  `json:"since"`
	At           *time.Time `json:"at,omitempty" doc:"Not before"`
	InWindow     bool       `json:"in_window,omitempty" doc:"In the hours of changes"`
	Approval     bool       `json:"approval,omitempty" doc:"A second person has to approve it still"`
	TrialSeconds int        `json:"trial_seconds"`
	KeepSeconds  int        `json:"keep_seconds,omitempty"`
}

// Approval is a second person's yes.
type Approval struct {
	By  string    `json:"by"`
	At  time.Time `json:"at"`
	Why string    `json:"why,omitempty"`
}

// ChangeWindow is the hours that a rule of the house says for devices of a change.
type ChangeWindow struct {
	Rule    string     `json:"rule"`
	Devices []string   `json:"devices"`
	Hours   string     `json:"hours"`
	Open    bool       `json:"open" doc:"When the change was checked"`
	Next    *time.Time `json:"next,omitempty" doc:"When they begin next, as of the check"`
}

// ChangeRule is a rule of the house for changes of some devices.
type ChangeRule struct {
	Name     string `json:"name" maxLength:"63"`
	Title    string `json:"title,omitempty" maxLength:"200"`
	Pick     string `json:"pick,omitempty" maxLength:"2000" doc:"A selector of devices; all when left out"`
	Hours    string `json:"hours,omitempty" maxLength:"500" doc:"In which changes of them are made: mon-fri 06:00-19:00, sat 08:00-12:00"`
	Zone     string `json:"zone,omitempty" maxLength:"64" doc:"Time zone of the hours (IANA); UTC when left out"`
	Approval bool   `json:"approval,omitempty" doc:"A second person has to approve changes of them"`
}

// Change is a change and how far it has come.
type Change struct {
	Number        int64          `json:"number"`
	Revision      int64          `json:"revision" doc:"Rises with every step; for If-Match"`
	State         string         `json:"state" enum:"draft,checked,waiting,pushing,on-trial,keeping,undoing,kept,undone,failed"`
	Why           string         `json:"why"`
	Owner         string         `json:"owner"`
	CreatedAt     time.Time      `json:"created_at"`
	UpdatedAt     time.Time      `json:"updated_at"`
	Edits         []Edit         `json:"edits"`
	Differences   []Difference   `json:"differences"`
	EditCount     int            `json:"edit_count" doc:"How many edits there are: lists of changes hold the first 500 of each"`
	DiffCount     int            `json:"difference_count" doc:"How many differences there are"`
	Findings      []Finding      `json:"findings"`
	Accepted      []Acceptance   `json:"accepted"`
	Devices       []ChangeDevice `json:"devices" doc:"In the order in which they run it"`
	PushedBy      string         `json:"pushed_by,omitempty"`
	TrialSeconds  int            `json:"trial_seconds,omitempty"`
	KeepSeconds   int            `json:"keep_seconds,omitempty" doc:"It is kept by itself once all has been well for so long"`
	Deadline      *time.Time     `json:"deadline,omitempty" doc:"When the trial ends unless it is kept"`
	EndedBy       string         `json:"ended_by,omitempty"`
	EndedAt       *time.Time     `json:"ended_at,omitempty"`
	Outcome       string         `json:"outcome,omitempty" doc:"What came of it"`
	Log           []LogLine      `json:"log"`
	Editors       []string       `json:"editors,omitempty" doc:"Who put edits in besides the owner"`
	Waits         *Waits         `json:"waits,omitempty" doc:"While it waits to be pushed"`
	Windows       []ChangeWindow `json:"windows,omitempty" doc:"The hours that rules of the house say for it"`
	NeedsApproval []string       `json:"needs_approval,omitempty" doc:"Rules by which a second person has to approve it"`
	Approvals     []Approval     `json:"approvals,omitempty"`
	Overlaps      []Overlap      `json:"overlaps,omitempty" doc:"What other open changes set on the same things; at most 50. Only of changes that are open"`
}

// Overlap is a setting that another open change sets on the same thing.
type Overlap struct {
	Change int64  `json:"change"`
	Owner  string `json:"owner"`
	State  string `json:"state"`
	Port   string `json:"port"`
	Field  string `json:"field"`
	Value  string `json:"value" doc:"What the other one sets"`
}

// Difference is a field that the change makes different.
type Difference struct {
	Port   string `json:"port"`
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
	Layer  string `json:"layer,omitempty" doc:"The template or site that says so; left out for the device's own word"`
}

// Finding is what a guard has to say.
type Finding struct {
	ID     string   `json:"id"`
	Guard  string   `json:"guard"`
	Level  string   `json:"level" enum:"stop,warn,note"`
	Ports  []string `json:"ports"`
	What   string   `json:"what"`
	Why    string   `json:"why"`
	Remedy string   `json:"remedy"`
	Fix    []Edit   `json:"fix,omitempty" doc:"Edits that would mend it"`
}

// Acceptance is a finding that somebody took upon himself.
type Acceptance struct {
	Finding string    `json:"finding"`
	By      string    `json:"by"`
	At      time.Time `json:"at"`
}

// ChangeDevice is a change on one device.
type ChangeDevice struct {
	Device string `json:"device"`
	Step   string `json:"step" doc:"waiting, ready, running, on-trial, keeping, kept, undone, untouched or refused"`
	Said   string `json:"said,omitempty" doc:"The device's own words, or how it came to this"`
}

// LogLine is a step of a change's life.
type LogLine struct {
	At   time.Time `json:"at"`
	Text string    `json:"text"`
}

// Event is something that happened.
type Event struct {
	Seq       uint64    `json:"seq,omitempty"`
	At        time.Time `json:"at"`
	Kind      string    `json:"kind" enum:"port,device,state,operation,config,change,fleet,drift,search,alarm,job,guest"`
	Code      string    `json:"code,omitempty" doc:"What happened: port.link-lost, device.gone ..."`
	Device    string    `json:"device,omitempty"`
	Port      string    `json:"port,omitempty"`
	Change    int64     `json:"change,omitempty" minimum:"0" maximum:"9007199254740991"`
	Operation int64     `json:"operation,omitempty" minimum:"0" maximum:"9007199254740991"`
	Job       int64     `json:"job,omitempty" minimum:"0" maximum:"9007199254740991"`
	Text      string    `json:"text,omitempty"`
	Health    string    `json:"health,omitempty"`
	// ImportedBy is who took it over from another system; nobody where the service saw it itself.
	ImportedBy string `json:"imported_by,omitempty" doc:"Who took it over from another system; left out where the service saw it itself"`
}

// Reset tells a listener to read everything anew: at the begin, and after an absence.
type Reset struct {
	Seq    uint64 `json:"seq" doc:"The last event before those that follow"`
	Missed bool   `json:"missed,omitempty" doc:"Events after the one that was named are not to be had any more, or are too many"`
}

// Beat tells a listener that the stream lives.
type Beat struct {
	At time.Time `json:"at"`
}

// AuditEntry is who did what to what, when.
type AuditEntry struct {
	ID     int64     `json:"id"`
	At     time.Time `json:"at"`
	User   string    `json:"user"`
	Action string    `json:"action"`
	Object string    `json:"object"`
	Detail string    `json:"detail"`
}

// AuditVerdict is what came of holding the audit log against its chain.
type AuditVerdict struct {
	Entries int    `json:"entries"`
	Older   int    `json:"older" doc:"Entries that were written before there was a chain"`
	Head    string `json:"head" doc:"Hash of the last entry, in hexadecimal digits: noted elsewhere, it proves later that nothing up to here was changed"`
	Broken  int64  `json:"broken,omitempty" doc:"The first entry that does not follow from the one before"`
}
