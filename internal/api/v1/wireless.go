package v1

import "time"

// WirelessNetwork is a wireless network, of all access points that offer one of the name.
type WirelessNetwork struct {
	Name     string   `json:"name" doc:"By which people here know it"`
	SSID     string   `json:"ssid" doc:"What stations call it"`
	Purpose  string   `json:"purpose,omitempty"`
	Security string   `json:"security" doc:"Who may join: open, owe, wpa2-personal ..."`
	VLANs    []string `json:"vlans" doc:"In which its stations are, the most frequent first; empty: that of the access point itself"`
	Bands    []string `json:"bands" doc:"In which it is offered, in GHz"`
	Devices  []string `json:"devices" doc:"Access points that have it"`
	Offered  int      `json:"offered" doc:"On how many of them it can be joined"`
	Stations int      `json:"stations" doc:"That are at it now"`
	UpBps    float64  `json:"up_bps" doc:"From its stations"`
	DownBps  float64  `json:"down_bps" doc:"To its stations"`
	Differs  []string `json:"differs" doc:"Settings that are not the same on all of them"`
}

// AirRadio is a radio of an access point.
type AirRadio struct {
	Device      string      `json:"device"`
	Site        string      `json:"site"`
	Port        string      `json:"port"`
	Away        bool        `json:"away,omitempty" doc:"Its device cannot be reached: what is told is of before"`
	Country     string      `json:"country,omitempty" doc:"ISO 3166-1"`
	Band        string      `json:"band" doc:"In GHz"`
	On          bool        `json:"on"`
	Channel     int         `json:"channel" doc:"On which it sends"`
	WidthMHz    int         `json:"width_mhz"`
	PowerDbm    int         `json:"power_dbm" doc:"EIRP"`
	OwnChoice   bool        `json:"own_choice" doc:"Whether it chose the channel itself"`
	BusyPercent int         `json:"busy_percent" doc:"Of the time that the channel is taken"`
	NoiseDbm    int         `json:"noise_dbm"`
	Stations    int         `json:"stations"`
	Heard       []HeardAir  `json:"heard" doc:"Radios that it hears, the loudest first"`
	Channels    []AirChoice `json:"channels" doc:"On which it may send in its country; none where the country is not known"`
}

// HeardAir is a radio that one of an access point hears.
type HeardAir struct {
	BSSID     string `json:"bssid"`
	SSID      string `json:"ssid"`
	Channel   int    `json:"channel"`
	WidthMHz  int    `json:"width_mhz"`
	SignalDbm int    `json:"signal_dbm"`
	Ours      string `json:"ours,omitempty" doc:"Which radio of the house it is: device:port"`
}

// AirChoice is a channel on which may be sent.
type AirChoice struct {
	Channel  int  `json:"channel"`
	PowerDbm int  `json:"power_dbm" doc:"EIRP at most, as wide as it is now"`
	Radar    bool `json:"radar,omitempty" doc:"Only where no radar is heard (DFS)"`
	Indoor   bool `json:"indoor,omitempty" doc:"Only inside buildings"`
}

// Refusal is a station that tried to join a wireless network within the last hour and did not.
type Refusal struct {
	MAC       string    `json:"mac"`
	Name      string    `json:"name,omitempty" doc:"What the station is called, if it was known before"`
	Network   string    `json:"network"`
	SSID      string    `json:"ssid"`
	Device    string    `json:"device"`
	Site      string    `json:"site"`
	Radio     string    `json:"radio"`
	SignalDbm int       `json:"signal_dbm"`
	Last      time.Time `json:"last" doc:"When it tried last"`
	Tries     int       `json:"tries" doc:"How often, within the hour"`
	Why       string    `json:"why" doc:"What was in the way, as a code"`
	Says      string    `json:"says" doc:"The same in words"`
	Do        string    `json:"remedy"`
}

// JoinStep is one of those by which a station joins a wireless network.
type JoinStep struct {
	Name  string `json:"name" enum:"heard,taken,let-in,carried,addressed"`
	State string `json:"state" enum:"done,failed,unknown" doc:"unknown: it was not got to"`
	Says  string `json:"says"`
	Do    string `json:"remedy,omitempty"`
}

// ChannelMove is a radio with the channel on which it sends, and the one that a plan gives it.
type ChannelMove struct {
	Device     string  `json:"device"`
	Site       string  `json:"site"`
	Port       string  `json:"port"`
	WidthMHz   int     `json:"width_mhz"`
	Before     int     `json:"before"`
	After      int     `json:"after"`
	BusyBefore float64 `json:"busy_before" doc:"How much of the time its channel is taken, in percent, as far as that is known"`
	BusyAfter  float64 `json:"busy_after"`
	Stations   int     `json:"stations" doc:"That have to find it again where it moves"`
}

// ChannelPlan is which radio would send on which channel.
type ChannelPlan struct {
	Band       string        `json:"band"`
	Items      []ChannelMove `json:"items"`
	BusyBefore float64       `json:"busy_before" doc:"Of a radio, in the mean, in percent of the time"`
	BusyAfter  float64       `json:"busy_after"`
}

// JoinCodeRequest is what the code to join a network by holds.
type JoinCodeRequest struct {
	SSID       string `json:"ssid" minLength:"1" maxLength:"32"`
	Security   string `json:"security" maxLength:"40"`
	Passphrase string `json:"passphrase,omitempty" maxLength:"63"`
	Hidden     bool   `json:"hidden,omitempty"`
}

// JoinCode is a QR code (ISO/IEC 18004), row by row.
type JoinCode struct {
	Text string   `json:"text" doc:"What it holds: WIFI:S:...;;"`
	Rows []string `json:"rows" doc:"# is dark, . is light"`
}

// BlockedStation is a station of which devices let nothing pass.
type BlockedStation struct {
	MAC     string   `json:"mac"`
	Name    string   `json:"name,omitempty" doc:"What the station is called, if it was known before"`
	Until   string   `json:"until,omitempty" doc:"The last day, such as 2026-12-31; for good when left out"`
	Purpose string   `json:"purpose,omitempty" doc:"Why"`
	Devices []string `json:"devices" doc:"That block it"`
}

// BlockRequest puts into a draft that nothing of a station passes, or that it passes again.
type BlockRequest struct {
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Passes bool   `json:"passes,omitempty" doc:"It is to pass again"`
	Until  string `json:"until,omitempty" maxLength:"10" doc:"The last day on which it is blocked, such as 2026-12-31; for good when left out"`
	Why    string `json:"why,omitempty" maxLength:"64"`
	Where  string `json:"where,omitempty" maxLength:"2000" doc:"A selector of the devices that block; all switches and access points when left out, or as the template of blocked stations says already"`
}

// LimitedStation is a station that access points let send and receive no more than a rate.
type LimitedStation struct {
	MAC     string   `json:"mac"`
	Name    string   `json:"name,omitempty" doc:"What the station is called, if it was known before"`
	Rate    string   `json:"rate" doc:"What it may send and receive at most, each: 2M, 512k, in bit/s; the lowest, where access points differ"`
	Until   string   `json:"until,omitempty" doc:"The last day, such as 2026-12-31; for good when left out"`
	Purpose string   `json:"purpose,omitempty" doc:"Why"`
	Devices []string `json:"devices" doc:"That limit it"`
}

// LimitRequest puts into a draft that a station may send and receive no more than a rate, or as much as it likes again.
type LimitRequest struct {
	Change int64  `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The draft; a new one when left out"`
	Free   bool   `json:"free,omitempty" doc:"It is not to be limited any more"`
	Rate   string `json:"rate,omitempty" maxLength:"12" doc:"What it may send and receive at most, each: 2M, 512k, in bit/s"`
	Until  string `json:"until,omitempty" maxLength:"10" doc:"The last day on which it is limited, such as 2026-12-31; for good when left out"`
	Why    string `json:"why,omitempty" maxLength:"64"`
	Where  string `json:"where,omitempty" maxLength:"2000" doc:"A selector of the access points that limit; all when left out, or as the template of limited stations says already"`
}
