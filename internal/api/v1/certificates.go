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

// CertificateFiles is a certificate that another authority signed, for a device.
type CertificateFiles struct {
	Chain string `json:"chain" maxLength:"65536" doc:"The device's own certificate, then those of who signed it (PEM, RFC 7468)"`
	Key   string `json:"key,omitempty" maxLength:"65536" doc:"Its private key (PEM); left out where the device made the key. It goes to the device and is kept nowhere else"`
}

// CertificateImport is what such a certificate is, and what speaks against it.
type CertificateImport struct {
	Certificate DeviceCertificate `json:"certificate"`
	Doubts      []string          `json:"doubts" doc:"What speaks against its use, in words"`
	Used        bool              `json:"used" doc:"The device has it now"`
}

// CertificateRequest is a request for a certificate (PKCS #10, RFC 2986) of a key that a device made.
type CertificateRequest struct {
	Device  string `json:"device"`
	Request string `json:"request" doc:"As PEM (RFC 7468): an authority signs this"`
}

// CertificateNames are those for which a certificate is to be good.
type CertificateNames struct {
	Names []string `json:"names,omitempty" maxItems:"20" doc:"Names and addresses of hosts; its name and its address when left out"`
}

// Authority is the certificate authority of the house.
type Authority struct {
	Subject     string    `json:"subject"`
	Fingerprint string    `json:"fingerprint" doc:"SHA-256 of its certificate, hexadecimal digits"`
	NotAfter    time.Time `json:"not_after"`
	Signed      int       `json:"signed" doc:"How many certificates it has signed"`
	Certificate string    `json:"certificate" doc:"As PEM (RFC 7468): what is to trust it is given this"`
}
