package fact

import "example.net/everypost/internal/core/network"

// What can happen to ports.
type (
	// LinkLost: a port lost its link, or the device shut it: by what, where it tells.
	LinkLost struct {
		Oper   network.OperStatus `json:"oper"`
		ShutBy string             `json:"shut_by,omitempty"`
	}
	// LinkBack: a port has its link back.
	LinkBack struct{}
)

func (LinkLost) Code() Code { return "port.link-lost" }
func (LinkBack) Code() Code { return "port.link-back" }

// Cause is why a device cannot be reached.
type Cause string

// The causes.
const (
	Ended Cause = "ended"  // the session did
	Mute  Cause = "silent" // it does not answer
	Else  Cause = "other"  // as the detail says
)

// What can happen to devices.
type (
	// DeviceConnected: a device is in hand.
	DeviceConnected struct{}
	// DeviceRefused: a device does not let the service in, by its key or the password.
	DeviceRefused struct {
		Why string `json:"why"`
	}
	// DeviceGone: a device cannot be reached any more.
	DeviceGone struct {
		Cause  Cause  `json:"cause"`
		Detail string `json:"detail,omitempty"`
	}
	// DeviceTrouble: something in a device went wrong.
	DeviceTrouble struct {
		Trouble network.Trouble `json:"trouble"`
	}
	// DeviceTroubleOver: it is in order again.
	DeviceTroubleOver struct {
		Trouble network.Trouble `json:"trouble"`
	}
	// DeviceSteered: traffic of an edge took another tunnel, or none any more.
	DeviceSteered struct {
		Way     int     `json:"way"`
		Remote  string  `json:"remote"`
		From    string  `json:"from,omitempty"`
		To      string  `json:"to,omitempty"`
		Why     string  `json:"why"`
		Delay   float64 `json:"delay_ms,omitempty"`
		Jitter  float64 `json:"jitter_ms,omitempty"`
		Percent float64 `json:"loss_percent,omitempty"`
		Traffic string  `json:"traffic,omitempty"` // of what the way is, as it is set
	}
	// DeviceRetired: a device was taken out of service.
	DeviceRetired struct {
		By string `json:"by"`
	}
	// DeviceReinstated: a device was taken into service again.
	DeviceReinstated struct {
		By string `json:"by"`
	}
	// DeviceKeyAccepted: another host key was accepted for a device.
	DeviceKeyAccepted struct {
		By string `json:"by"`
	}
	// DeviceLoginChanged: the service logs in to a device with another password, or as another user.
	DeviceLoginChanged struct {
		By   string `json:"by"`
		User string `json:"user"`
	}
	// DeviceAsked: somebody asked a device for what disturbs it, such as to restart.
	DeviceAsked struct {
		By string `json:"by"`
		To string `json:"to"`
	}
	// DeviceMoved: a device is at another address.
	DeviceMoved struct {
		From string `json:"from"`
		To   string `json:"to"`
	}
)

func (DeviceConnected) Code() Code    { return "device.connected" }
func (DeviceRefused) Code() Code      { return "device.refused" }
func (DeviceGone) Code() Code         { return "device.gone" }
func (DeviceTrouble) Code() Code      { return "device.trouble" }
func (DeviceTroubleOver) Code() Code  { return "device.trouble-over" }
func (DeviceSteered) Code() Code      { return "device.steered" }
func (DeviceRetired) Code() Code      { return "device.retired" }
func (DeviceReinstated) Code() Code   { return "device.reinstated" }
func (DeviceKeyAccepted) Code() Code  { return "device.key-accepted" }
func (DeviceLoginChanged) Code() Code { return "device.login-changed" }
func (DeviceAsked) Code() Code        { return "device.asked" }
func (DeviceMoved) Code() Code        { return "device.moved" }

// What can happen to alarms. Their subject is that of the alarm.
type (
	// AlarmRaised: something is out of order, or is so again.
	AlarmRaised struct {
		Alarm    int64          `json:"alarm"`
		Type     string         `json:"type"`
		Name     string         `json:"name,omitempty"`
		Severity string         `json:"severity"`
		Args     map[string]any `json:"args,omitempty"`
		Cause    int64          `json:"cause,omitempty"` // the alarm that it follows from
	}
	// AlarmCleared: it is in order again, or somebody closed it.
	AlarmCleared struct {
		Alarm int64          `json:"alarm"`
		Type  string         `json:"type"`
		Args  map[string]any `json:"args,omitempty"`
		By    string         `json:"by,omitempty"`
		Why   string         `json:"why,omitempty"`
	}
)

func (AlarmRaised) Code() Code  { return "alarm.raised" }
func (AlarmCleared) Code() Code { return "alarm.cleared" }

// What can happen to configurations.
type (
	// ConfigChanged: a device runs something else. By is who made it so, where the device tells; Own that it was this service.
	ConfigChanged struct {
		By  string `json:"by,omitempty"`
		Own bool   `json:"own,omitempty"`
	}
	// ConfigTimedOut: a device went back by itself from what it ran on trial.
	ConfigTimedOut struct{}
)

func (ConfigChanged) Code() Code  { return "config.changed" }
func (ConfigTimedOut) Code() Code { return "config.timed-out" }

// What can happen to changes.
type (
	// ChangeOnTrial: a change runs on trial on devices.
	ChangeOnTrial struct {
		On string `json:"on"`
	}
	// ChangeWorse: something is worse than before a change that is on trial.
	ChangeWorse struct {
		What string `json:"what"`
	}
	// ChangeUndoing: a change is taken back wherever it may run.
	ChangeUndoing struct {
		Why string `json:"why"`
	}
	// ChangeBack: a change is put back that some devices had kept already.
	ChangeBack struct {
		Why string `json:"why"`
	}
	// ChangeEnded: a change is kept, undone or failed.
	ChangeEnded struct {
		State   string `json:"state"`
		Outcome string `json:"outcome"`
	}
	// ChangeNotPushed: a change that waited is not pushed.
	ChangeNotPushed struct {
		Why string `json:"why"`
	}
	// ChangeDiscarded: a draft was thrown away.
	ChangeDiscarded struct{}
)

func (ChangeOnTrial) Code() Code   { return "change.on-trial" }
func (ChangeWorse) Code() Code     { return "change.worse" }
func (ChangeUndoing) Code() Code   { return "change.undoing" }
func (ChangeBack) Code() Code      { return "change.put-back" }
func (ChangeEnded) Code() Code     { return "change.ended" }
func (ChangeNotPushed) Code() Code { return "change.not-pushed" }
func (ChangeDiscarded) Code() Code { return "change.discarded" }

// What can happen to the set of devices and sites.
type (
	// DeviceEnrolled: a device was taken in hand.
	DeviceEnrolled struct {
		By string `json:"by"`
	}
	// DeviceArrived: a claimed device called home for the first time.
	DeviceArrived struct {
		Serial    string `json:"serial"`
		ClaimedBy string `json:"claimed_by"`
	}
	// DeviceReplaced: a claimed device took the place of another.
	DeviceReplaced struct {
		Serial    string `json:"serial"`
		Old       string `json:"old"` // serial number
		ClaimedBy string `json:"claimed_by"`
	}
	// DeviceRenamed: a device has another name.
	DeviceRenamed struct {
		From string `json:"from"`
		By   string `json:"by"`
	}
	// DeviceForgotten: a device and what was kept of it is no more.
	DeviceForgotten struct {
		By string `json:"by"`
	}
	// DeviceControl: who changes what a device runs was set.
	DeviceControl struct {
		Control network.Control `json:"control"`
		By      string          `json:"by"`
	}
	// SiteRemoved: a site is no more.
	SiteRemoved struct{}
	// SiteMerged: what is at a site is at another.
	SiteMerged struct {
		Into string `json:"into"`
	}
)

func (DeviceEnrolled) Code() Code  { return "fleet.enrolled" }
func (DeviceArrived) Code() Code   { return "fleet.arrived" }
func (DeviceReplaced) Code() Code  { return "fleet.replaced" }
func (DeviceRenamed) Code() Code   { return "fleet.renamed" }
func (DeviceForgotten) Code() Code { return "fleet.forgotten" }
func (DeviceControl) Code() Code   { return "fleet.control" }
func (SiteRemoved) Code() Code     { return "fleet.site-removed" }
func (SiteMerged) Code() Code      { return "fleet.site-merged" }

// What can happen to what is intended.
type (
	// DriftBegan: a device does not run what is intended, or differs in something else than before.
	DriftBegan struct {
		Differs []string `json:"differs"` // the first of them: thing, setting and values
		More    int      `json:"more,omitempty"`
		By      []string `json:"by,omitempty"`
	}
	// DriftEnded: it runs what is intended again.
	DriftEnded struct{}
)

func (DriftBegan) Code() Code { return "drift.began" }
func (DriftEnded) Code() Code { return "drift.ended" }

// What can happen to devices that are looked for or expected.
type (
	// SearchEnded: a search for devices is over.
	SearchEnded struct {
		State string `json:"state"`
		Found int    `json:"found"`
	}
	// Claimed: somebody claimed a device by its serial number.
	Claimed struct {
		Name string `json:"name"`
		By   string `json:"by"`
	}
	// ClaimDropped: a claim was taken back.
	ClaimDropped struct {
		By string `json:"by"`
	}
	// ClaimAsked: a claimed device asked what it is to be.
	ClaimAsked struct {
		Model string `json:"model"`
		Name  string `json:"name"`
	}
	// ClaimFailed: it did not take what it was told.
	ClaimFailed struct {
		Said string `json:"said"`
	}
)

func (SearchEnded) Code() Code  { return "search.ended" }
func (Claimed) Code() Code      { return "search.claimed" }
func (ClaimDropped) Code() Code { return "search.claim-dropped" }
func (ClaimAsked) Code() Code   { return "search.claim-asked" }
func (ClaimFailed) Code() Code  { return "search.claim-failed" }

// What can happen to jobs.
type (
	// JobBegan: a job is being done.
	JobBegan struct {
		Title   string `json:"title"`
		Run     int64  `json:"run"`
		Devices int    `json:"devices"`
		By      string `json:"by,omitempty"` // who began it by hand
	}
	// JobEnded: it was done, or not.
	JobEnded struct {
		Title   string `json:"title"`
		Run     int64  `json:"run"`
		State   string `json:"state"`
		Why     string `json:"why,omitempty"`
		Devices int    `json:"devices"`
		Failed  int    `json:"failed,omitempty"`
		Skipped int    `json:"skipped,omitempty"`
	}
)

func (JobBegan) Code() Code { return "job.began" }
func (JobEnded) Code() Code { return "job.ended" }

// all is one of each.
var all = []Happening{JobBegan{}, JobEnded{}, LinkLost{}, LinkBack{}, DeviceConnected{}, DeviceRefused{}, DeviceGone{}, DeviceTrouble{}, DeviceTroubleOver{}, DeviceSteered{}, DeviceRetired{}, DeviceReinstated{}, DeviceKeyAccepted{}, DeviceLoginChanged{}, DeviceAsked{}, AlarmRaised{}, AlarmCleared{},
	DeviceMoved{}, ConfigChanged{}, ConfigTimedOut{}, ChangeOnTrial{}, ChangeWorse{}, ChangeUndoing{}, ChangeBack{}, ChangeEnded{}, ChangeNotPushed{}, ChangeDiscarded{}, DeviceEnrolled{}, DeviceArrived{},
	DeviceReplaced{}, DeviceRenamed{}, DeviceForgotten{}, DeviceControl{}, SiteMerged{}, SiteRemoved{}, DriftBegan{}, DriftEnded{}, SearchEnded{}, Claimed{}, ClaimDropped{}, ClaimAsked{}, ClaimFailed{}}
