package network

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"
)

// isLabel reports whether a text is a DNS label (RFC 1123 section 2.1), of small letters where only those are wanted. Names
// are checked thousands of times in a call: a pattern takes ten times as long.
func isLabel(s string, small bool) bool {
	if s == "" || len(s) > 63 || s[0] == '-' || s[len(s)-1] == '-' {
		return false
	}
	for i := range len(s) {
		if c := s[i]; c != '-' && !isLetterOrDigit(c) || small && 'A' <= c && c <= 'Z' {
			return false
		}
	}
	return true
}

func isLetterOrDigit(c byte) bool {
	return 'a' <= c && c <= 'z' || '0' <= c && c <= '9' || 'A' <= c && c <= 'Z'
}

// isPortName reports whether a text is what we take as a port's name: what devices use (1/1/7, eth0, lan2, ge-0/0/1), without
// white space or anything that would need escaping.
func isPortName(s string) bool {
	if s == "" || len(s) > 64 || !isLetterOrDigit(s[0]) {
		return false
	}
	for i := range len(s) {
		if c := s[i]; !isLetterOrDigit(c) && c != '/' && c != '.' && c != '_' && c != '-' {
			return false
		}
	}
	return true
}

// CheckName tells why a device's or site's name is not valid, or nil: a label of small letters, so that names make good
// addresses of pages.
func CheckName(name string) error {
	if !isLabel(name, true) {
		return fmt.Errorf("%q is not a valid name: use 1 to 63 small letters, digits and hyphens, with no hyphen at either end", name)
	}
	return nil
}

// CheckHostName tells why a text is not the name of a host (RFC 1123 section 2.1, one label), or nil.
func CheckHostName(name string) error {
	if !isLabel(name, false) {
		return fmt.Errorf("%q is not the name of a host: use 1 to 63 letters, digits and hyphens, with no hyphen at either end", name)
	}
	return nil
}

// CheckPage tells why a text is not the address of a page that may be linked to, or nil.
func CheckPage(s string) error {
	u, err := url.Parse(s)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || len(s) > 300 {
		return fmt.Errorf("%q is no address of a page", s)
	}
	return nil
}

// PortRef names a port of the whole network. Its text form is device:port, such as th-sw-02:1/1/7. Where something may be
// set on a port or on a device itself, one without a port names the device; where settings may be said for many devices, it
// may be part of a template or of a site instead: template/camera:port, site/tern-haven.
type PortRef struct {
	Device, Port string
}

func (r PortRef) String() string {
	if r.Port == "" {
		return r.Device
	}
	return r.Device + ":" + r.Port
}

// ParsePortRef reads the text form.
func ParsePortRef(s string) (PortRef, error) {
	device, port, ok := strings.Cut(s, ":")
	if !ok || CheckName(device) != nil || !isPortName(port) {
		return PortRef{}, fmt.Errorf("%q is not a port: write device:port, such as th-sw-02:1/1/7", s)
	}
	return PortRef{device, port}, nil
}

// MarshalText writes the text form.
func (r PortRef) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// ParseTarget reads the text form of a port, the name of a device, or the target of a layer below devices.
func ParseTarget(s string) (PortRef, error) {
	device, object, _ := strings.Cut(s, ":")
	if layer, name, ok := strings.Cut(device, "/"); ok && (layer == "template" || layer == "site") {
		if err := CheckName(name); err != nil {
			return PortRef{}, err
		}
		if object != "" && !isPortName(object) {
			return PortRef{}, fmt.Errorf("%q is nothing that something can be set on", object)
		}
		return PortRef{device, object}, nil
	}
	if CheckName(s) == nil {
		return PortRef{Device: s}, nil
	}
	return ParsePortRef(s)
}

// maxRange is how many ports a range names at most.
const maxRange = 512

// ParseTargets is ParseTarget for a text that may name several ports or VLANs of a device by a range: th-sw-02:1/1/1-4,
// th-sw-02:vlan/40-42.
func ParseTargets(s string) ([]PortRef, error) {
	device, object, _ := strings.Cut(s, ":")
	at := strings.LastIndexByte(object, '-')
	if at < 0 || strings.Contains(object, "/") && !strings.HasPrefix(object, "vlan/") && !isDigit(object[0]) {
		one, err := ParseTarget(s)
		return []PortRef{one}, err
	}
	begin := at
	for begin > 0 && isDigit(object[begin-1]) {
		begin--
	}
	first, err1 := strconv.Atoi(object[begin:at])
	last, err2 := strconv.Atoi(object[at+1:])
	if err1 != nil || err2 != nil {
		one, err := ParseTarget(s)
		return []PortRef{one}, err
	}
	if last < first || last-first >= maxRange {
		return nil, fmt.Errorf("%q is no range: write the first and the last, such as 1/1/1-4, at most %d", object, maxRange)
	}
	out := make([]PortRef, 0, last-first+1)
	for n := first; n <= last; n++ {
		one, err := ParseTarget(device + ":" + object[:begin] + strconv.Itoa(n))
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// UnmarshalText reads the text form.
func (r *PortRef) UnmarshalText(b []byte) (err error) {
	*r, err = ParseTarget(string(b))
	return err
}

// ComparePorts orders port names as people do: 1/1/2 before 1/1/10, eth2 before eth10.
func ComparePorts(a, b string) int {
	for a != "" && b != "" {
		da, db := digits(a), digits(b)
		if da > 0 && db > 0 {
			na, nb := strings.TrimLeft(a[:da], "0"), strings.TrimLeft(b[:db], "0")
			if len(na) != len(nb) {
				return len(na) - len(nb)
			}
			if c := strings.Compare(na, nb); c != 0 {
				return c
			}
			a, b = a[da:], b[db:]
			continue
		}
		if a[0] != b[0] {
			return int(a[0]) - int(b[0])
		}
		a, b = a[1:], b[1:]
	}
	return len(a) - len(b)
}

func digits(s string) int {
	n := 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		n++
	}
	return n
}
