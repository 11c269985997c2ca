package network

import "time"

// Certificate is one (X.509, RFC 5280) by which a device shows others who it is.
type Certificate struct {
	Name        string    `json:"name"` // of the place in the device that holds it: web
	Subject     string    `json:"subject"`
	Issuer      string    `json:"issuer"`
	Serial      string    `json:"serial"`            // hexadecimal digits
	Fingerprint string    `json:"fingerprint"`       // SHA-256 of it, hexadecimal digits
	Names       []string  `json:"names,omitempty"`   // subjectAltName: names and addresses
	UsedBy      []string  `json:"used_by,omitempty"` // services of the device
	NotBefore   time.Time `json:"not_before"`
	NotAfter    time.Time `json:"not_after"`
}

// CertificateSoon is how long before its end a certificate is to be seen to.
const CertificateSoon = 14 * 24 * time.Hour

// CertificateStanding is how a certificate stands.
type CertificateStanding string

// How certificates stand.
const (
	CertificateGood   CertificateStanding = "good"
	CertificateEnding CertificateStanding = "ending"
	CertificateEnded  CertificateStanding = "ended"
)

// Standing tells how it stands at a moment.
func (c Certificate) Standing(now time.Time) CertificateStanding {
	switch left := c.NotAfter.Sub(now); {
	case left <= 0:
		return CertificateEnded
	case left < CertificateSoon:
		return CertificateEnding
	}
	return CertificateGood
}
