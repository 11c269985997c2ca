package v1

import "time"

// History is metrics over a time, cut into steps.
type History struct {
	From   time.Time     `json:"from" doc:"The begin of the first step"`
	StepS  int           `json:"step_s" doc:"The length of a step in seconds"`
	Count  int           `json:"count" doc:"How many steps"`
	Series []HistoryLine `json:"series"`
}

// HistoryLine is one metric of one thing.
type HistoryLine struct {
	Device string     `json:"device,omitempty"`
	Part   string     `json:"part" enum:"device,port,tunnel,radio,radio-link,module,client"`
	Name   string     `json:"name,omitempty" doc:"Of the port, the tunnel ...; of a device none"`
	Metric string     `json:"metric"`
	Unit   string     `json:"unit"`
	Min    []*float64 `json:"min,omitempty" doc:"The least of each step; of what is counted none. Null: not known"`
	Mean   []*float64 `json:"mean" doc:"The mean of each step; null: not known"`
	Max    []*float64 `json:"max" doc:"The highest of each step, of what is counted the highest rate between two readings"`
}

// MetricInfo is something of which history is kept.
type MetricInfo struct {
	Part    string `json:"part"`
	Name    string `json:"name"`
	Unit    string `json:"unit"`
	Counter bool   `json:"counter,omitempty" doc:"Whether it is the rate of what a device counts"`
	Help    string `json:"help"`
}

// PastRequest is what another system kept of a device before it was enrolled here.
type PastRequest struct {
	Points []PastPoints `json:"points,omitempty" maxItems:"20000"`
	Events []PastEvent  `json:"events,omitempty" maxItems:"10000"`
}

// PastPoints is points of one metric of one thing.
type PastPoints struct {
	Part   string     `json:"part" enum:"device,port,tunnel,radio,radio-link,module"`
	Name   string     `json:"name,omitempty" maxLength:"100"`
	Metric string     `json:"metric" maxLength:"40"`
	From   time.Time  `json:"from" doc:"The begin of the first step, at a whole step of UTC"`
	StepS  int        `json:"step_s" enum:"300,3600"`
	Mean   []*float64 `json:"mean" maxItems:"20000" doc:"The mean of each step in the metric's unit; null: not known"`
	Max    []*float64 `json:"max,omitempty" maxItems:"20000" doc:"The highest of each step; the mean when left out"`
}

// PastEvent is something that happened to a device before it was enrolled here.
type PastEvent struct {
	At   time.Time `json:"at"`
	Port string    `json:"port,omitempty" maxLength:"64"`
	Text string    `json:"text" minLength:"1" maxLength:"300"`
}

// LinkUse is how much of a link was used over a time.
type LinkUse struct {
	Kind      string  `json:"kind" enum:"cable,bundle"`
	A         LineEnd `json:"a"`
	B         LineEnd `json:"b"`
	SpeedMbps int     `json:"speed_mbps"`
	// By direction: from A to B and from B to A, as A counts.
	MeanAB  float64 `json:"mean_ab_bps"`
	MeanBA  float64 `json:"mean_ba_bps"`
	PeakAB  float64 `json:"peak_ab_bps" doc:"The highest rate between two readings; of a bundle the sum of its members' own"`
	PeakBA  float64 `json:"peak_ba_bps"`
	UseMean float64 `json:"use_mean_percent" doc:"Of the busier direction"`
	UsePeak float64 `json:"use_peak_percent"`
}
