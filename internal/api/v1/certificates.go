package v1

import "time"

// DeviceCertificate is a certificate by which a device shows others who it is.
type DeviceCertificate struct {
	Device      string    `json:"device"`
	Name        string    `json:"name" doc:"Of the place in the device that holds it: web"`
	Subject     string    `json:"subject"`
	Issuer      string    `json:"issuer"`
	Serial      string    `json:"serial" doc:"Hexadecimal digits"`
	Fingerprint string    `json:"fingerprint" doc:"SHA-256 of it, hexadecimal digits"`
	Names       []string  `json:"names" doc:"Names and addresses for which it is good"`
	UsedBy      []string  `json:"used_by" doc:"Services of the device that show it"`
	NotBefore   time.Time `json:"not_before"`
	NotAfter    time.Time `json:"not_after"`
	Standing    string    `json:"standing" enum:"good,ending,ended" doc:"ending: within 14 days"`
	House       bool      `json:"house" doc:"The authority of the house signed it"`
}

// Authority is the certificate authority of the house.
type Authority struct {
	Subject     string    `json:"subject"`
	Fingerprint string    `json:"fingerprint" doc:"SHA-256 of its certificate, hexadecimal digits"`
	NotAfter    time.Time `json:"not_after"`
	Signed      int       `json:"signed" doc:"How many certificates it has signed"`
	Certificate string    `json:"certificate" doc:"As PEM (RFC 7468): what is to trust it is given this"`
}
