package v1

import "time"

// OperationKind is something that devices can be asked to do.
type OperationKind struct {
	Kind     string            `json:"kind"`
	Title    string            `json:"title"`
	Does     string            `json:"does" doc:"What the device does"`
	Params   []OperationParam  `json:"params" doc:"What is to be said of it"`
	Columns  []OperationColumn `json:"columns" doc:"The parts of the lines that come back"`
	Right    string            `json:"right" doc:"What it takes: operate tests"`
	Disturbs string            `json:"disturbs,omitempty" doc:"What is lost while it goes on"`
	Captures bool              `json:"captures,omitempty" doc:"It leaves frames: see /captures/frames"`
	Leaves   bool              `json:"leaves,omitempty" doc:"The device goes away with it"`
}

// OperationParam is something to be said of an operation.
type OperationParam struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	Help    string   `json:"help"`
	Default string   `json:"default,omitempty"`
	Free    bool     `json:"free,omitempty" doc:"It may be left out"`
	Form    string   `json:"form" doc:"What a value looks like"`
	Unit    string   `json:"unit,omitempty"`
	Ports   bool     `json:"ports,omitempty" doc:"It is names of ports of the device"`
	Choices []string `json:"choices,omitempty"`
}

// OperationColumn is a part of the lines that come back.
type OperationColumn struct {
	Name  string `json:"name"`
	Title string `json:"title"`
	Unit  string `json:"unit,omitempty"`
}

// OperationRequest has a device do something.
type OperationRequest struct {
	Kind string            `json:"kind" maxLength:"40" doc:"One of /operations/kinds"`
	Args map[string]string `json:"args,omitempty" maxProperties:"20" doc:"What is said of it, by name"`
}

// Behind is what is cut off while a device is away.
type Behind struct {
	Device  string   `json:"device"`
	Devices []string `json:"devices" doc:"Those whose every way to the service leads through it"`
	Clients int      `json:"clients" doc:"End stations on it and on those"`
}

// Operation is what a device was asked to do.
type Operation struct {
	Number    int64             `json:"number" minimum:"1" maximum:"9007199254740991"`
	Device    string            `json:"device"`
	Kind      string            `json:"kind"`
	Args      map[string]string `json:"args"`
	Text      string            `json:"text" doc:"It in words: ping to 10.20.40.7"`
	By        string            `json:"by"`
	State     string            `json:"state" enum:"running,done,failed,cancelled,lost" doc:"lost: the service stopped while it went on"`
	Why       string            `json:"why,omitempty" doc:"It did not come to its end"`
	StartedAt time.Time         `json:"started_at"`
	EndedAt   *time.Time        `json:"ended_at,omitempty"`
	Lines     []OperationLine   `json:"lines" doc:"What came back; lists hold none"`
	Summary   []OperationFact   `json:"summary" doc:"What can be said of all lines together"`
}

// OperationLine is something that came back.
type OperationLine struct {
	At    time.Time         `json:"at"`
	Cells map[string]string `json:"cells" doc:"By column"`
}

// OperationFact is something that can be said of all lines together.
type OperationFact struct {
	Title string `json:"title"`
	Value string `json:"value"`
}
