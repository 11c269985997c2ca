// Package sztp is Secure Zero Touch Provisioning (RFC 8572) as far as a bootstrap server that the device trusts goes: the
// device shows itself by the certificate that its maker put into it (IEEE 802.1AR), asks what it is to be, says what came of
// it, and with that tells the SSH host keys by which it will show itself from then on.
//
// Both ends are here. The messages are RESTCONF operations (RFC 8040) in JSON (RFC 7951); what is conveyed is not signed,
// which section 4.2 of RFC 8572 allows where the connection is trusted.
package sztp

import (
	"crypto/x509"
	"encoding/asn1"
	"encoding/json"
	"errors"
	"fmt"
)

// MediaType of requests and answers.
const MediaType = "application/yang-data+json"

const (
	operations = "/restconf/operations/ietf-sztp-bootstrap-server:"
	fetchPath  = operations + "get-bootstrapping-data"
	reportPath = operations + "report-progress"
	maxMessage = 16 << 20 // bytes
	inputName  = "ietf-sztp-bootstrap-server:input"
	outputName = "ietf-sztp-bootstrap-server:output"
	errorsName = "ietf-restconf:errors"
	conveyed   = "ietf-sztp-conveyed-info:onboarding-information"

	mergeConfig   = "merge"
	replaceConfig = "replace"
)

// Device is what a device says of itself when it asks (RFC 8572 section 7.1, get-bootstrapping-data).
type Device struct {
	HardwareModel string `json:"hw-model,omitempty"`
	OSName        string `json:"os-name,omitempty"`
	OSVersion     string `json:"os-version,omitempty"`
}

// HostKey is a key by which a device will show itself.
type HostKey struct {
	Algorithm string `json:"algorithm"`
	Data      []byte `json:"key-data"` // in the wire form of RFC 4253 section 6.6
}

// Steps of progress that are decided by (RFC 8572 section 7.1, progress-type).
const (
	Initiated     = "bootstrap-initiated"
	ConfigApplied = "config-complete"
	ConfigError   = "config-error"
	Complete      = "bootstrap-complete"
)

// Progress is how far a device is.
type Progress struct {
	Type     string
	Message  string
	HostKeys []HostKey // with Complete
}

type progressJSON struct {
	Type    string `json:"progress-type"`
	Message string `json:"message,omitempty"`
	Keys    *struct {
		List []HostKey `json:"ssh-host-key"`
	} `json:"ssh-host-keys,omitempty"`
}

// conveyedJSON is id-ct-sztpConveyedInfoJSON: the content type of conveyed information in JSON (RFC 8572 section 3.1).
var conveyedJSON = asn1.ObjectIdentifier{1, 2, 840, 113549, 1, 9, 16, 1, 43}

// contentInfo is the outermost structure of CMS (RFC 5652 section 3).
type contentInfo struct {
	Type    asn1.ObjectIdentifier
	Content []byte `asn1:"explicit,tag:0"`
}

// Configuration is what a device is to be.
type Configuration struct {
	Document []byte
	Replace  bool // what the device runs is replaced by it, and not added to (RFC 8572 section 6.3, configuration-handling)
}

type onboarding struct {
	Handling string `json:"configuration-handling"`
	Config   []byte `json:"configuration"`
}

// wrap puts a configuration into conveyed information.
func wrap(c Configuration) ([]byte, error) {
	o := onboarding{mergeConfig, c.Document}
	if c.Replace {
		o.Handling = replaceConfig
	}
	b, err := json.Marshal(map[string]onboarding{conveyed: o})
	if err != nil {
		return nil, err
	}
	return asn1.Marshal(contentInfo{conveyedJSON, b})
}

// unwrap takes the configuration out of conveyed information.
func unwrap(der []byte) (c Configuration, err error) {
	var info contentInfo
	rest, err := asn1.Unmarshal(der, &info)
	if err != nil || len(rest) > 0 || !info.Type.Equal(conveyedJSON) {
		return c, errors.New("sztp: what is conveyed is not unsigned information in JSON")
	}
	var doc map[string]onboarding
	if err := json.Unmarshal(info.Content, &doc); err != nil {
		return c, fmt.Errorf("sztp: %w", err)
	}
	o, ok := doc[conveyed]
	if !ok || o.Handling != mergeConfig && o.Handling != replaceConfig {
		return c, errors.New("sztp: no onboarding information with a configuration to merge or to replace by")
	}
	return Configuration{o.Config, o.Handling == replaceConfig}, nil
}

// SerialOf is the serial number in a device's certificate: the attribute serialNumber of its subject (IEEE 802.1AR section 8.6).
func SerialOf(c *x509.Certificate) string { return c.Subject.SerialNumber }
