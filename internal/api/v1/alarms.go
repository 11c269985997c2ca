package v1

import "time"

// Alarm is something that is out of order, over its life (RFC 8632).
type Alarm struct {
	Number     int64       `json:"number" minimum:"1" maximum:"9007199254740991"`
	Type       string      `json:"type" doc:"link-down, device-gone, supply ..."`
	Severity   string      `json:"severity" enum:"critical,major,minor,warning" doc:"ITU-T X.733"`
	Resource   string      `json:"resource" doc:"The device or device:port that it is of; empty for the service itself"`
	Device     string      `json:"device,omitempty"`
	Site       string      `json:"site,omitempty"`
	Text       string      `json:"text" doc:"What is wrong"`
	Effect     string      `json:"effect,omitempty" doc:"What comes of it"`
	Remedy     string      `json:"remedy,omitempty" doc:"What to do"`
	State      string      `json:"state" enum:"open,closed,cleared" doc:"closed: by hand, while it stands"`
	RaisedAt   time.Time   `json:"raised_at"`
	ChangedAt  time.Time   `json:"changed_at"`
	ClearedAt  *time.Time  `json:"cleared_at,omitempty"`
	Count      int         `json:"count" doc:"How often it was raised: what comes back within a quarter of an hour is the same alarm"`
	Cause      int64       `json:"cause,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The alarm that it follows from"`
	Followers  int         `json:"followers" doc:"How many alarms follow from it; of one that is open, only those that are open too"`
	Change     int64       `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The change that was made on what it touches in the quarter of an hour before"`
	ChangedBy  string      `json:"changed_by,omitempty" doc:"Who changed what it touches in the quarter of an hour before"`
	AckedBy    string      `json:"acked_by,omitempty"`
	AckedAt    *time.Time  `json:"acked_at,omitempty"`
	AssignedTo string      `json:"assigned_to,omitempty"`
	ClosedBy   string      `json:"closed_by,omitempty"`
	ClosedWhy  string      `json:"closed_why,omitempty"`
	SilencedBy string      `json:"silenced_by,omitempty"`
	Silence    *time.Time  `json:"silence_until,omitempty" doc:"Nobody wants to hear of it until then"`
	Notes      []AlarmNote `json:"notes,omitempty" doc:"What was said and done about it; lists hold none"`
}

// AlarmNote is what somebody said of an alarm, or did about it.
type AlarmNote struct {
	At   time.Time `json:"at"`
	By   string    `json:"by" maxLength:"64"`
	Text string    `json:"text" maxLength:"2100"`
}

// AlarmDetail is an alarm with what follows from it.
type AlarmDetail struct {
	Alarm
	Follow []Alarm `json:"follow" doc:"The alarms that follow from it; of one that is open, only those that are open too"`
}

// AlarmCounts is how many are open, by severity; those that follow from others or are silenced are not counted.
type AlarmCounts struct {
	Critical int `json:"critical"`
	Major    int `json:"major"`
	Minor    int `json:"minor"`
	Warning  int `json:"warning"`
}

// AlarmAct is something done about an alarm.
type AlarmAct struct {
	Act     string `json:"act" enum:"acknowledge,unacknowledge,assign,note,close,silence"`
	To      string `json:"to,omitempty" maxLength:"64" doc:"Of assign: the user; nobody when left out"`
	Text    string `json:"text,omitempty" maxLength:"2000" doc:"Of note: what is said. Of close: why, although it stands"`
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"44640" doc:"Of silence: for how long; 0 ends it"`
}

// PastAlarms are alarms that another system kept of devices, from before they were enrolled here.
type PastAlarms struct {
	Alarms []PastAlarm `json:"alarms" minItems:"1" maxItems:"1000"`
}

// PastAlarm is an alarm that is over.
type PastAlarm struct {
	Type       string         `json:"type" maxLength:"64" doc:"link-down, device-gone, supply ..."`
	Device     string         `json:"device" maxLength:"63"`
	Port       string         `json:"port,omitempty" maxLength:"64"`
	Name       string         `json:"name,omitempty" maxLength:"140" doc:"The part that is meant: psu1"`
	Severity   string         `json:"severity" enum:"critical,major,minor,warning" doc:"ITU-T X.733"`
	Args       map[string]any `json:"args,omitempty" doc:"What its sentence tells, by name: text, numbers, true or false. Of link-down and tunnel-down: to, the other end"`
	RaisedAt   time.Time      `json:"raised_at"`
	ClearedAt  time.Time      `json:"cleared_at" doc:"Before the device was enrolled"`
	Count      int            `json:"count,omitempty" minimum:"0" maximum:"100000" doc:"How often it was raised; once when left out"`
	Follows    int            `json:"follows,omitempty" minimum:"0" maximum:"1000" doc:"The place in this list, from 1, of the alarm that it follows from: that one stands before it"`
	AckedBy    string         `json:"acked_by,omitempty" maxLength:"64"`
	AckedAt    *time.Time     `json:"acked_at,omitempty"`
	AssignedTo string         `json:"assigned_to,omitempty" maxLength:"64"`
	Notes      []AlarmNote    `json:"notes,omitempty" maxItems:"100"`
}
