package v1

import "time"

// Claim claims a device by its serial number before it ever spoke.
type Claim struct {
	Serial   string `json:"serial" maxLength:"64"`
	Name     string `json:"name,omitempty" maxLength:"63" doc:"That of the device that it replaces when left out"`
	Site     string `json:"site,omitempty" maxLength:"63"`
	Like     string `json:"like,omitempty" maxLength:"63" doc:"The device whose configuration it gets, without what its ports are for"`
	Replaces string `json:"replaces,omitempty" maxLength:"63" doc:"The device whose name, place and whole configuration it gets"`
	Edits    []Edit `json:"edits,omitempty" maxItems:"1000" doc:"What is set besides; the ports are named as those of the new device"`
	Particulars
}

// ClaimRequest claims devices. Each has a result of its own.
type ClaimRequest struct {
	Claims []Claim `json:"claims" minItems:"1" maxItems:"1000"`
}

// ClaimResult is what came of one of them.
type ClaimResult struct {
	Serial  string `json:"serial"`
	Problem string `json:"problem,omitempty" doc:"Why it was not claimed"`
}

// ClaimedDevice is a device that is expected, and how far it is.
type ClaimedDevice struct {
	Claim
	Step    string     `json:"step" enum:"expected,asked,told" doc:"expected: nothing was heard of it; asked: it asked what it is to be; told: it is that, and will call home"`
	Model   string     `json:"model,omitempty" doc:"As it said when it asked"`
	HostKey string     `json:"host_key,omitempty" doc:"By which it will call home"`
	By      string     `json:"by"`
	At      time.Time  `json:"at"`
	AskedAt *time.Time `json:"asked_at,omitempty"`
	ToldAt  *time.Time `json:"told_at,omitempty"`
	Said    string     `json:"said,omitempty" doc:"What went wrong"`
}

// Doors tells where devices come by themselves.
type Doors struct {
	CallHome string `json:"call_home" doc:"host:port at which devices call home; empty while none are heard"`
}

// RenameRequest gives a device another name.
type RenameRequest struct {
	Name string `json:"name" minLength:"1" maxLength:"63"`
}
