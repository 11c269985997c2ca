package v1

import "time"

// ServiceState is how the service itself fares.
type ServiceState struct {
	Version      string           `json:"version"`
	StartedAt    time.Time        `json:"started_at"`
	Platform     string           `json:"platform" doc:"Operating system and processor"`
	Processors   int              `json:"processors" doc:"That it may use"`
	MemoryOctets uint64           `json:"memory_octets" doc:"That it took from the operating system"`
	KeptOctets   int64            `json:"kept_octets" doc:"All that it keeps in its data folder"`
	DiskUsed     float64          `json:"disk_used" doc:"How much of that disk is used, in parts of 1"`
	Users        int              `json:"users"`
	Devices      map[string]int   `json:"devices" doc:"How many, by how far the service has them in hand"`
	Log          []ServiceLogLine `json:"log" doc:"What it logged last, the newest first: warnings and errors"`
}

// ServiceLogLine is something that the service logged.
type ServiceLogLine struct {
	At    time.Time `json:"at"`
	Level string    `json:"level" enum:"DEBUG,INFO,WARN,ERROR"`
	Text  string    `json:"text"`
}
