package v1

import (
	"time"

	"example.net/everypost/internal/core/network"
)

// Image is firmware in the library.
type Image struct {
	Number     int64      `json:"number" minimum:"1" maximum:"9007199254740991"`
	Maker      string     `json:"maker"`
	Models     []string   `json:"models" doc:"That may run it"`
	Version    string     `json:"version"`
	SizeOctets int64      `json:"size_octets" doc:"Of the file"`
	SHA256     string     `json:"sha256" doc:"Of the file (FIPS 180-4), in hexadecimal digits"`
	Signer     string     `json:"signer" doc:"Fingerprint of the key (Ed25519, RFC 8032) that it is signed with"`
	Trusted    bool       `json:"trusted" doc:"Images of the maker with this signature were approved before"`
	Notes      string     `json:"notes,omitempty" doc:"What the maker says of it"`
	AddedAt    time.Time  `json:"added_at"`
	AddedBy    string     `json:"added_by"`
	ApprovedAt *time.Time `json:"approved_at,omitempty" doc:"Devices are given it only after"`
	ApprovedBy string     `json:"approved_by,omitempty"`
}

// ImageAct is done to an image.
type ImageAct struct {
	Act   string `json:"act" enum:"approve,withdraw"`
	Trust bool   `json:"trust,omitempty" doc:"Trust its signature from now on, although others of the maker bear another one"`
}

// BaselineEntry says which firmware a model is to run.
type BaselineEntry struct {
	Maker   string    `json:"maker"`
	Model   string    `json:"model"`
	Image   int64     `json:"image" minimum:"1" maximum:"9007199254740991"`
	Version string    `json:"version"`
	SetAt   time.Time `json:"set_at"`
	SetBy   string    `json:"set_by"`
}

// BaselineRequest says which image a model is to run.
type BaselineRequest struct {
	Image int64 `json:"image" minimum:"1" maximum:"9007199254740991"`
}

// DeviceFirmware is how the firmware of a device stands.
type DeviceFirmware struct {
	Device   string                 `json:"device"`
	Maker    string                 `json:"maker"`
	Model    string                 `json:"model"`
	Runs     string                 `json:"runs"`
	Standing string                 `json:"standing" enum:"current,behind,ahead,free,unknown" doc:"Towards the baseline; free: its model is no part of it"`
	Baseline string                 `json:"baseline,omitempty" doc:"The version that it is to run"`
	Slots    []network.FirmwareSlot `json:"slots"`
	Able     bool                   `json:"able" doc:"It can be upgraded from here"`
}
