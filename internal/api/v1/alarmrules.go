package v1

import "time"

// AlarmRule is a rule of the house: what besides the ready rules is an alarm.
type AlarmRule struct {
	Name string `json:"name"`
	AlarmRuleRequest
}

// AlarmRuleRequest is what a rule says.
type AlarmRuleRequest struct {
	Pick       string  `json:"pick,omitempty" maxLength:"4000" doc:"A selector: of ports where the reading is of ports, else of devices; all when left out"`
	Part       string  `json:"part" enum:"device,port,tunnel,radio,radio-link,module" doc:"Of what the reading is"`
	Metric     string  `json:"metric" maxLength:"63" doc:"Which: see /history/metrics"`
	Is         string  `json:"is" enum:"above,below,absent" doc:"absent: there is no reading of what had one"`
	Limit      float64 `json:"limit,omitempty" doc:"In the unit of the reading"`
	Back       float64 `json:"back,omitempty" doc:"The alarm is over at this value and beyond it (hysteresis)"`
	ForSeconds int     `json:"for_s,omitempty" minimum:"0" maximum:"86400" doc:"How long it must be so"`
	Severity   string  `json:"severity" enum:"critical,major,minor,warning"`
	Effect     string  `json:"effect,omitempty" maxLength:"1000" doc:"What comes of it"`
	Remedy     string  `json:"remedy,omitempty" maxLength:"1000" doc:"What to do"`
	Off        bool    `json:"off,omitempty" doc:"It is kept, and raises nothing"`
}

// AlarmRuleTrial is when a rule would have had alarms.
type AlarmRuleTrial struct {
	From        time.Time       `json:"from"`
	To          time.Time       `json:"to"`
	StepSeconds int             `json:"step_s" doc:"Readings are looked at in steps of so long"`
	Things      int             `json:"things" doc:"Whose readings were looked at"`
	More        bool            `json:"more,omitempty" doc:"It picks more things than were looked at"`
	Total       int             `json:"total" doc:"Alarms"`
	Times       []AlarmRuleTime `json:"times" doc:"The newest first, at most 200"`
}

// AlarmRuleTime is one of the alarms that a rule would have had.
type AlarmRuleTime struct {
	Device string     `json:"device"`
	Thing  string     `json:"thing,omitempty" doc:"Of the device: port, tunnel, radio"`
	From   time.Time  `json:"from"`
	To     *time.Time `json:"to,omitempty" doc:"Left out where it would stand now"`
	Worst  float64    `json:"worst" doc:"The reading farthest out"`
}
