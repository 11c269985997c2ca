package v1

import "time"

// LiveReading is a device as it was read just now.
type LiveReading struct {
	At     time.Time  `json:"at"`
	Device LiveDevice `json:"device"`
	Ports  []LivePort `json:"ports"`
}

// LiveDevice is what is read of the device itself; what it does not tell is left out.
type LiveDevice struct {
	CPUPercent         *float64 `json:"cpu_percent,omitempty"`
	MemoryPercent      *float64 `json:"memory_percent,omitempty"`
	TemperatureCelsius *float64 `json:"temperature_celsius,omitempty"`
	PoEMilliW          int      `json:"poe_mw,omitempty"`
}

// LivePort is a port at a moment.
type LivePort struct {
	Port      string  `json:"port"`
	Up        bool    `json:"up"`
	RxBps     float64 `json:"rx_bps" doc:"Received since the reading before, in bit/s"`
	TxBps     float64 `json:"tx_bps"`
	RxFps     float64 `json:"rx_fps" doc:"In frames each second"`
	TxFps     float64 `json:"tx_fps"`
	Errors    float64 `json:"errors_fps" doc:"Frames in error, both ways"`
	Discards  float64 `json:"discards_fps"`
	PoEMilliW int     `json:"poe_mw,omitempty"`
}

// Gone ends a stream of readings.
type Gone struct {
	Why string `json:"why"`
}
