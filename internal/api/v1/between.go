package v1

import "time"

// Path is a tunnel between sites as one of its ends measures it.
type Path struct {
	Tunnel      string     `json:"tunnel"`
	Device      string     `json:"device" doc:"The edge that measures it"`
	Site        string     `json:"site,omitempty"`
	Port        string     `json:"port" doc:"Over which it goes"`
	Underlay    string     `json:"underlay" doc:"fibre, cellular, satellite and such"`
	Far         string     `json:"far,omitempty" doc:"The edge at the other end, where who asks may see it"`
	Up          bool       `json:"up"`
	Since       *time.Time `json:"since,omitempty" doc:"When that changed last"`
	DelayMs     float64    `json:"delay_ms" doc:"There and back"`
	JitterMs    float64    `json:"jitter_ms" doc:"RFC 3550 section 6.4.1"`
	LossPercent float64    `json:"loss_percent"`
	Sent        *PathWay   `json:"sent,omitempty" doc:"To the other end only; left out where the edge measures there and back only"`
	Received    *PathWay   `json:"received,omitempty" doc:"From the other end only"`
	Rating      float64    `json:"rating" doc:"Transmission rating factor R of a call over it (ITU-T G.107, G.711 in packets of 20 ms, a buffer of twice the jitter); 0 while it is down"`
	Opinion     float64    `json:"opinion" doc:"Mean opinion score that R comes to (G.107 annex B), 1 to 4.5"`
	Category    string     `json:"category" enum:"best,high,medium,low,poor,not advised,down,not known" doc:"Speech quality (ITU-T G.109); not known while the edge that measures it is away: then the rest is the last known"`
}

// PathWay is what a tunnel is like in one direction.
type PathWay struct {
	DelayMs     float64 `json:"delay_ms" doc:"RFC 7679"`
	JitterMs    float64 `json:"jitter_ms" doc:"RFC 3393"`
	LossPercent float64 `json:"loss_percent" doc:"RFC 7680"`
	Rating      float64 `json:"rating" doc:"R of what is said in this direction (ITU-T G.107)"`
	Opinion     float64 `json:"opinion" doc:"Mean opinion score that R comes to (G.107 annex B)"`
	Category    string  `json:"category" enum:"best,high,medium,low,poor,not advised" doc:"Speech quality (ITU-T G.109)"`
}

// CircuitRequest says what a circuit is: a line of a provider that leads out of a site.
type CircuitRequest struct {
	Device   string  `json:"device" minLength:"1" maxLength:"63"`
	Port     string  `json:"port" minLength:"1" maxLength:"63" doc:"At which it ends"`
	Provider string  `json:"provider" minLength:"1" maxLength:"800"`
	Kind     string  `json:"kind" enum:"fibre,copper,cable,cellular,satellite,radio,other"`
	Contract string  `json:"contract,omitempty" maxLength:"800" doc:"By which the provider knows it"`
	DownMbps float64 `json:"down_mbps,omitempty" minimum:"0" maximum:"400000" doc:"As ordered; 0: not said"`
	UpMbps   float64 `json:"up_mbps,omitempty" minimum:"0" maximum:"400000" doc:"As ordered; 0: not said"`
	CapGB    float64 `json:"cap_gb,omitempty" minimum:"0" maximum:"1000000" doc:"Of both ways in a month, in 10^9 octets; 0: none"`
	Notes    string  `json:"notes,omitempty" maxLength:"800"`
	HandedAt string  `json:"handed_at,omitempty" maxLength:"130" doc:"The port at which the provider hands it over, as device:port, where that is not at the edge itself: what fails between takes the line with it"`
}

// Circuit is a line of a provider, and how much of it is used.
type Circuit struct {
	CircuitRequest
	Site          string   `json:"site,omitempty"`
	Up            bool     `json:"up"`
	DownBps       float64  `json:"down_bps" doc:"Now, in bit/s"`
	UpBps         float64  `json:"up_bps"`
	MonthOctets   *float64 `json:"month_octets,omitempty" doc:"Both ways in this month of the site's zone; absent where nothing was read"`
	MonthForeseen *float64 `json:"month_foreseen,omitempty" doc:"By its end, if it goes on so; absent in its first 36 hours"`
	Standing      string   `json:"standing,omitempty" enum:"within,likely over,over" doc:"Against the cap"`
	Tunnels       []string `json:"tunnels" doc:"That go over it"`
}
