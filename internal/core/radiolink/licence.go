package radiolink

import (
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/setting"
)

// ErrLicence tells that something said of a licence is none.
var ErrLicence = errors.New("that is no licence")

// Licence is the right of one end of a radio link to send, as an authority gave it.
type Licence struct {
	Device       string   `json:"-"`
	Port         string   `json:"-"`
	Number       string   `json:"number"` // by which the authority knows it
	Authority    string   `json:"authority,omitempty"`
	TxMHz        float64  `json:"tx_mhz"`                 // centre of the channel
	WidthMHz     float64  `json:"width_mhz"`              // of it
	Polarization string   `json:"polarization,omitempty"` // "" for either
	MostDbm      *float64 `json:"most_dbm,omitempty"`     // power at the transmitter
	Ends         string   `json:"ends,omitempty"`         // the last day, as 2006-01-02; "" for never
	Notes        string   `json:"notes,omitempty"`
}

// Check brings a licence into its form, or tells what is wrong with it.
func (l *Licence) Check() error {
	for name, t := range map[string]*string{"number": &l.Number, "authority": &l.Authority, "notes": &l.Notes} {
		*t = strings.TrimSpace(*t)
		if utf8.RuneCountInString(*t) > 200 || !utf8.ValidString(*t) || strings.ContainsFunc(*t, unicode.IsControl) {
			return fmt.Errorf("%w: %s: it has at most 200 characters, and none of control", ErrLicence, name)
		}
	}
	switch {
	case l.Number == "":
		return fmt.Errorf("%w: number: say by which the authority knows it", ErrLicence)
	case !(l.TxMHz > 0 && l.TxMHz <= 400_000):
		return fmt.Errorf("%w: tx_mhz: it is the centre of the channel, in MHz", ErrLicence)
	case !(l.WidthMHz > 0 && l.WidthMHz <= 4000):
		return fmt.Errorf("%w: width_mhz: it is how wide the channel is, in MHz, up to 4000", ErrLicence)
	case l.Polarization != "" && l.Polarization != "horizontal" && l.Polarization != "vertical":
		return fmt.Errorf("%w: polarization: %q is none: there are horizontal and vertical; leave it out for either", ErrLicence, l.Polarization)
	case l.MostDbm != nil && !(*l.MostDbm >= -60 && *l.MostDbm <= 60):
		return fmt.Errorf("%w: most_dbm: it is from -60 to 60 dBm", ErrLicence)
	}
	if l.Ends == "" {
		return nil
	}
	if _, err := time.Parse(time.DateOnly, l.Ends); err != nil {
		return fmt.Errorf("%w: ends: %q is no day: write it like 2027-06-30", ErrLicence, l.Ends)
	}
	return nil
}

// What may be wrong with a licence and what an end sends.
const (
	OutsideChannel = "channel"
	OutsidePlane   = "plane"
	OutsidePower   = "power"
	Ended          = "ended"
	Ending         = "ending"
)

// soon is how long before its end a licence is to be renewed: authorities take their time.
const soon = 60 * 24 * time.Hour

// Outside tells in what an end would send otherwise than its licence says; "" for nothing, or where it sends nothing.
func (l Licence) Outside(c setting.Carrier) string {
	const rounding = 0.001 // of frequencies in kHz
	half, room := c.SeparationMHz/2, l.WidthMHz/2
	switch {
	case !c.On || c.TxMHz <= 0:
	case c.TxMHz-half < l.TxMHz-room-rounding || c.TxMHz+half > l.TxMHz+room+rounding:
		return OutsideChannel
	case l.Polarization != "" && c.Polarization != l.Polarization:
		return OutsidePlane
	case l.MostDbm != nil && c.PowerDbm > *l.MostDbm:
		return OutsidePower
	}
	return ""
}

// Stands tells whether a licence ended, or soon will; "" for neither.
func (l Licence) Stands(now time.Time) string {
	last, err := time.Parse(time.DateOnly, l.Ends)
	switch end := last.AddDate(0, 0, 1); {
	case err != nil:
		return ""
	case !end.After(now):
		return Ended
	case end.Sub(now) <= soon:
		return Ending
	}
	return ""
}

// Args are what is to be said of something that is wrong with it.
func (l Licence) Args(c setting.Carrier, code string) map[string]any {
	return map[string]any{"code": code, "number": l.Number, "tx": c.TxMHz, "may": l.TxMHz, "width": l.WidthMHz, "plane": l.Polarization, "ends": l.Ends}
}

// Wrong lists what is wrong with a licence now, the gravest first.
func (l Licence) Wrong(c setting.Carrier, now time.Time) (out []string) {
	if code := l.Outside(c); code != "" {
		out = append(out, code)
	}
	if code := l.Stands(now); code != "" && (code == Ending || c.On) {
		out = append(out, code)
	}
	return out
}
