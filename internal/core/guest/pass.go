package guest

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"math"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Pass says of a station that comes to a portal which one it is, in the words of the access point that sent it there (ep-wireless).
type Pass struct {
	Station string // its hardware address, digits in lower case with colons
	Network string
	At      string // the access point
	Until   time.Time
}

// ErrPass tells that nobody sent a station here, or long ago.
var ErrPass = errors.New("that is no pass of an access point, or an old one")

// longest is how long a pass is good for at most.
const longest = time.Hour

func (p Pass) signature(key string) []byte {
	h := hmac.New(sha256.New, []byte(key))
	_, _ = fmt.Fprintf(h, "%s|%s|%s|%d", p.Station, p.Network, p.At, p.Until.Unix())
	return h.Sum(nil)
}

// PassFields are the parts of a pass as it stands in an address.
var PassFields = []string{"station", "network", "at", "until", "sign"}

// Sign writes a pass as a part of an address.
func (p Pass) Sign(key string) url.Values {
	return url.Values{"station": {p.Station}, "network": {p.Network}, "at": {p.At}, "until": {strconv.FormatInt(p.Until.Unix(), 10)},
		"sign": {base64.RawURLEncoding.EncodeToString(p.signature(key))}}
}

var (
	stationForm = regexp.MustCompile(`^[0-9a-f]{2}(:[0-9a-f]{2}){5}$`)
	nameForm    = regexp.MustCompile(`^[^|\x00-\x1f\x7f]{1,63}$`)
)

// ReadPass reads a pass that was signed by a key.
func ReadPass(q url.Values, key string, now time.Time) (Pass, error) {
	until, err := strconv.ParseInt(q.Get("until"), 10, 64)
	if err != nil || key == "" {
		return Pass{}, ErrPass
	}
	p := Pass{q.Get("station"), q.Get("network"), q.Get("at"), time.Unix(until, 0).UTC()}
	sign, err := base64.RawURLEncoding.DecodeString(q.Get("sign"))
	if err != nil || !hmac.Equal(sign, p.signature(key)) || !stationForm.MatchString(p.Station) || !nameForm.MatchString(p.Network) || !nameForm.MatchString(p.At) {
		return Pass{}, ErrPass
	}
	if left := p.Until.Sub(now); left <= 0 || left > longest+time.Minute {
		return Pass{}, ErrPass
	}
	return p, nil
}

// letters are those of codes: none that is read as another.
const letters = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"

// codeLength is how many letters a code has: with 31 letters some 39 bits.
const codeLength = 8

// Code makes the code of a voucher of random octets; ok tells whether they were good for it.
func Code(random []byte) (code string, ok bool) {
	const fair = 256 - 256%len(letters)
	var b strings.Builder
	for _, r := range random {
		if int(r) >= fair {
			continue // the first letters would come more often
		}
		if b.WriteByte(letters[int(r)%len(letters)]); b.Len() == codeLength {
			return b.String(), true
		}
	}
	return "", false
}

// ShownCode is a code as it is written for people.
func ShownCode(code string) string { return code[:codeLength/2] + "-" + code[codeLength/2:] }

// NormalCode is a code as it was made, of one that somebody typed; "" where it cannot be one.
func NormalCode(typed string) string {
	var b strings.Builder
	for _, r := range strings.ToUpper(typed) {
		switch {
		case r == ' ' || r == '-':
			continue
		case !strings.ContainsRune(letters, r) || b.Len() == codeLength:
			return ""
		}
		b.WriteRune(r)
	}
	if b.Len() < codeLength {
		return ""
	}
	return b.String()
}

// Captive is what a station is told when it asks whether it is let through (RFC 8908 section 5).
type Captive struct {
	Captive   bool   `json:"captive"`
	Page      string `json:"user-portal-url,omitempty"`
	Extends   bool   `json:"can-extend-session,omitempty"`
	Remaining *int64 `json:"seconds-remaining,omitempty"`
}

// Told is what a station is told at a time, of its stay and of the page for it.
func Told(s Stay, page string, now time.Time) Captive {
	out := Captive{Captive: true, Page: page}
	if left := s.Left(now); left > 0 {
		seconds := int64(left.Seconds())
		out.Captive, out.Remaining, out.Extends = false, &seconds, true
	}
	return out
}

// luminance is that of a colour #rrggbb (WCAG 2.2).
func luminance(c string) float64 {
	n, _ := strconv.ParseUint(strings.TrimPrefix(c, "#"), 16, 32)
	part := func(shift int) float64 {
		v := float64(n>>shift&0xff) / 255
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	return 0.2126*part(16) + 0.7152*part(8) + 0.0722*part(0)
}
