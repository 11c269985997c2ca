// Package circuit is what a site has of its providers: lines that lead out of it, what was ordered, and how much of it is used.
package circuit

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
)

// ErrInvalid tells that something said of a circuit is none.
var ErrInvalid = errors.New("that is no circuit")

// Kinds of circuits.
var kinds = []string{"fibre", "copper", "cable", "cellular", "satellite", "radio", "other"}

// Kinds lists the kinds.
func Kinds() []string { return slices.Clone(kinds) }

// Circuit is a line that leads out of a site, at a port of a device.
type Circuit struct {
	Device   string  `json:"-"`
	Port     string  `json:"-"`
	Provider string  `json:"provider"`
	Kind     string  `json:"kind"`
	Contract string  `json:"contract,omitempty"`  // by which the provider knows it
	DownMbps float64 `json:"down_mbps,omitempty"` // as ordered; 0: not said
	UpMbps   float64 `json:"up_mbps,omitempty"`
	CapGB    float64 `json:"cap_gb,omitempty"` // of both ways in a month, in 10^9 octets; 0: none
	Notes    string  `json:"notes,omitempty"`
	HandedAt string  `json:"handed_at,omitempty"` // the port at which the provider hands it over, as device:port, where that is elsewhere
}

const (
	mostMbps = 400_000
	mostGB   = 1_000_000
)

// Check brings a circuit into its form, or tells what is wrong with it.
func (c *Circuit) Check() error {
	for name, t := range map[string]*string{"provider": &c.Provider, "contract": &c.Contract, "notes": &c.Notes} {
		*t = strings.TrimSpace(*t)
		if utf8.RuneCountInString(*t) > 200 || !utf8.ValidString(*t) || strings.ContainsFunc(*t, unicode.IsControl) {
			return fmt.Errorf("%w: %s: it has at most 200 characters, and none of control", ErrInvalid, name)
		}
	}
	if c.HandedAt != "" {
		if at, err := network.ParsePortRef(c.HandedAt); err != nil || at.Port == "" || at.Device == c.Device {
			return fmt.Errorf("%w: handed_at: %q is no port of another device: write it like th-sw-01:2/1/47", ErrInvalid, c.HandedAt)
		}
	}
	switch {
	case c.Provider == "":
		return fmt.Errorf("%w: provider: say whose it is", ErrInvalid)
	case !slices.Contains(kinds, c.Kind):
		return fmt.Errorf("%w: kind: %q is none: there are %s", ErrInvalid, c.Kind, strings.Join(kinds, ", "))
	case !(c.DownMbps >= 0 && c.DownMbps <= mostMbps && c.UpMbps >= 0 && c.UpMbps <= mostMbps):
		return fmt.Errorf("%w: rate: it is up to %d Mbit/s, 0 where it is not known", ErrInvalid, mostMbps)
	case !(c.CapGB >= 0 && c.CapGB <= mostGB):
		return fmt.Errorf("%w: cap: it is up to %d GB in a month, 0 for none", ErrInvalid, mostGB)
	}
	return nil
}

// Use is how much of a circuit is used.
type Use struct {
	Octets   float64 // both ways, since the month began
	Known    bool    // whether anything was read of it
	Expected float64 // by the end of the month, if it goes on so
}

// Month is where a month of a zone begins and ends.
func Month(now time.Time, zone *time.Location) (begin, end time.Time) {
	now = now.In(zone)
	begin = time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, zone)
	return begin, begin.AddDate(0, 1, 0)
}

// soonest is how much of a month must be over before its end is foretold.
const soonest = 36 * time.Hour

// UseOf works out how much a circuit is used, of what went through since its month began.
func UseOf(octets float64, known bool, now, begin, end time.Time) Use {
	u := Use{Octets: octets, Known: known}
	if past := now.Sub(begin); known && past >= soonest {
		u.Expected = octets * float64(end.Sub(begin)) / float64(past)
	}
	return u
}

// How a circuit stands against its cap.
const (
	Within = "within"
	Likely = "likely over" // by the end of the month, if it goes on so
	Over   = "over"
)

// Standing is how a circuit stands against its cap, "" where it has none or nothing is known.
func (c Circuit) Standing(u Use) string {
	most := c.CapGB * 1e9
	switch {
	case most == 0 || !u.Known:
		return ""
	case u.Octets > most:
		return Over
	case u.Expected > most:
		return Likely
	}
	return Within
}
