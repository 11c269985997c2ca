package v1

import "time"

// Configuration is a configuration that a device was seen to have.
type Configuration struct {
	At time.Time `json:"at" doc:"When it was read first"`
	By string    `json:"by,omitempty" doc:"Who changed the device, where it says so"`
	// Change is the change that was being pushed, kept or undone then.
	Change int64 `json:"change,omitempty" minimum:"0" maximum:"9007199254740991" doc:"The change that was under way on the device then"`
}

// Comparison is what differs between two moments of devices.
type Comparison struct {
	From        time.Time        `json:"from"`
	To          time.Time        `json:"to"`
	Devices     []ComparedDevice `json:"devices" doc:"Those that differ"`
	Compared    int              `json:"compared" doc:"How many devices were compared"`
	Differences []Difference     `json:"differences"`
}

// ComparedDevice is a device that differs between two moments.
type ComparedDevice struct {
	Device   string          `json:"device"`
	FromAt   time.Time       `json:"from_at" doc:"Of the configuration that it had first"`
	ToAt     time.Time       `json:"to_at" doc:"Of the one that it had last"`
	Steps    []Configuration `json:"steps" doc:"The configurations that it had since, the last of them first"`
	Settings int             `json:"settings" doc:"How many settings differ; 0 when only what is not among the settings does"`
}
