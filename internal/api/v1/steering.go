package v1

import "time"

// SteeredFlow is traffic of an edge to another one, and the tunnel that it goes over.
type SteeredFlow struct {
	Device  string     `json:"device"`
	Site    string     `json:"site,omitempty"`
	Way     int        `json:"way" doc:"Number of the way that decides; 0: what no way fits"`
	Traffic string     `json:"traffic,omitempty" doc:"What the way fits, as it is set; absent: all else"`
	Far     string     `json:"far" doc:"The edge at the other end; empty where who asks may not see it"`
	Tunnel  string     `json:"tunnel,omitempty" doc:"Absent: there is no way left, and it is dropped"`
	Second  string     `json:"second,omitempty" doc:"Over which each packet goes besides"`
	Since   *time.Time `json:"since,omitempty"`
	Why     string     `json:"why,omitempty" enum:"first,limit,down,return,lost" doc:"first in order; the one before broke a limit; it went down; a better one was good again; nothing is left"`
	Octets  uint64     `json:"octets" doc:"Carried since the edge started"`
}

// SteeringMove is traffic that took another tunnel.
type SteeringMove struct {
	At          time.Time `json:"at"`
	Way         int       `json:"way"`
	Traffic     string    `json:"traffic,omitempty"`
	Far         string    `json:"far"`
	From        string    `json:"from,omitempty" doc:"The tunnel that it left"`
	To          string    `json:"to,omitempty" doc:"Absent: none was left"`
	Why         string    `json:"why" enum:"first,limit,down,return,lost"`
	DelayMs     float64   `json:"delay_ms,omitempty" doc:"Of the tunnel that it left, there and back, as it was measured then"`
	JitterMs    float64   `json:"jitter_ms,omitempty"`
	LossPercent float64   `json:"loss_percent,omitempty"`
}

// SteeringCalls are how people would have understood each other over a time (ITU-T G.107, G.711 with concealment).
type SteeringCalls struct {
	Rating   float64 `json:"rating" doc:"Transmission rating factor R, its mean"`
	Opinion  float64 `json:"opinion" doc:"Mean opinion score of that rating (G.107 annex B)"`
	Worst    float64 `json:"worst" doc:"The lowest R"`
	BadS     int     `json:"bad_s" doc:"Seconds in which R was below 70, where many users are dissatisfied (ITU-T G.109)"`
	Category string  `json:"category"`
}

// SteeringReplay is what a way would have come to for traffic to an edge.
type SteeringReplay struct {
	Way     int                `json:"way"`
	Traffic string             `json:"traffic,omitempty"`
	Far     string             `json:"far"`
	KnownS  int                `json:"known_s" doc:"Seconds of the time in which the tunnels were measured"`
	Over    map[string]float64 `json:"over" doc:"For what part of that it would have gone over each tunnel, 0 to 1; an empty name stands for none"`
	Moves   []SteeringMove     `json:"moves" doc:"The last 50"`
	Moved   int                `json:"moved" doc:"How many moves it would have been"`
	With    *SteeringCalls     `json:"with,omitempty" doc:"Calls that went by this way; absent where nothing was measured"`
	Without *SteeringCalls     `json:"without,omitempty" doc:"Calls over the first tunnel that is up, as an edge sends what no way fits"`
}

// SteeringWay is a row of the steering of an edge.
type SteeringWay struct {
	Number  int    `json:"number"`
	Text    string `json:"text"`
	Traffic string `json:"traffic,omitempty" doc:"What it fits; absent: all"`
	Note    string `json:"note,omitempty"`
}

// Steering is how an edge is told to carry what goes to other sites, what it does, and what that would have come to.
type Steering struct {
	Device  string           `json:"device"`
	Steers  bool             `json:"steers" doc:"Whether the device can"`
	Draft   int64            `json:"draft,omitempty" doc:"The draft of which the ways are"`
	Ways    []SteeringWay    `json:"ways"`
	Flows   []SteeredFlow    `json:"flows"`
	Moves   []SteeringMove   `json:"moves" doc:"As the edge tells them, the newest first"`
	From    time.Time        `json:"from" doc:"Begin of the time that is gone through"`
	Replays []SteeringReplay `json:"replays"`
}
