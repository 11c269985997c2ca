package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/schedule"
)

// Type is the sort of a value, by which a form chooses how to ask for it.
type Type string

// The types.
const (
	Switch Type = "switch" // on or off
	Choice Type = "choice" // one of Choices
	Number Type = "number" // from Min to Max, or one of Choices
	Text   Type = "text"
	VLAN   Type = "vlan"  // a VLAN, or one of Choices
	VLANs  Type = "vlans" // a list of VLANs
	Rate   Type = "rate"  // bits a second, or one of Choices
	List   Type = "list"  // several values, in order
	Name   Type = "name"  // of an object of the kind Of, or one of Choices
	Table  Type = "table" // rows, in order: each is a setting of its own as well
	// TableRow is a row of a table.
	TableRow Type = "row"
)

// Value says how the values of a setting are written.
type Value struct {
	Type     Type
	Choices  []string
	Min, Max int
	Unit     string
	Of       Kind   // of a Name
	Hashed   bool   // of a Secret: it is kept as a hash
	Form     string // for people: 1 to 4094, or none

	normal func(string) (string, error)
	table  *table // of a Table and its rows
}

// Normal brings what a person typed to its normal form, or says what is wrong with it.
func (v Value) Normal(text string) (string, error) { return v.normal(strings.TrimSpace(text)) }

func onOff() Value {
	return Value{Type: Switch, Choices: []string{"on", "off"}, Form: "on or off", normal: func(s string) (string, error) {
		switch strings.ToLower(s) {
		case "on", "true", "yes":
			return "on", nil
		case "off", "false", "no":
			return "off", nil
		}
		return "", fmt.Errorf("%q is neither on nor off", s)
	}}
}

func choice(words ...string) Value {
	form := join(words)
	return Value{Type: Choice, Choices: words, Form: form, normal: func(s string) (string, error) {
		if s = strings.ToLower(s); slices.Contains(words, s) {
			return s, nil
		}
		return "", fmt.Errorf("%q is not one of %s", s, form)
	}}
}

func join(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}

// caseless has choices that are written with capitals be typed without.
func (v Value) caseless() Value {
	words := v.Choices
	v.normal = func(s string) (string, error) {
		for _, w := range words {
			if strings.EqualFold(w, s) {
				return w, nil
			}
		}
		return "", fmt.Errorf("%q is not one of %s", s, v.Form)
	}
	return v
}

// or lets one of the words stand instead of what v takes.
func (v Value) or(words ...string) Value {
	inner := v.normal
	v.Choices, v.Form = append(slices.Clone(words), v.Choices...), v.Form+", or "+join(words)
	v.normal = func(s string) (string, error) {
		if low := strings.ToLower(s); slices.Contains(words, low) {
			return low, nil
		}
		out, err := inner(s)
		if err != nil {
			return "", fmt.Errorf("%w (or %s)", err, join(words))
		}
		return out, nil
	}
	return v
}

func number(low, high int, unit string) Value {
	form := fmt.Sprintf("%d to %d", low, high)
	if unit != "" {
		form += " " + unit
	}
	return Value{Type: Number, Min: low, Max: high, Unit: unit, Form: form, normal: func(s string) (string, error) {
		n, err := strconv.Atoi(s)
		if err != nil || n < low || n > high {
			return "", fmt.Errorf("%q is not a number from %d to %d", s, low, high)
		}
		return strconv.Itoa(n), nil
	}}
}

// steps are numbers that are multiples of a step.
func steps(low, high, step int) Value {
	v := number(low, high, "")
	v.Form += fmt.Sprintf(" in steps of %d", step)
	inner := v.normal
	v.normal = func(s string) (string, error) {
		out, err := inner(s)
		if n, _ := strconv.Atoi(out); err == nil && n%step != 0 {
			return "", fmt.Errorf("%d is not a multiple of %d", n, step)
		}
		return out, err
	}
	return v
}

func text(most int) Value {
	return Value{Type: Text, Max: most, Form: fmt.Sprintf("text of at most %d characters", most), normal: func(s string) (string, error) {
		if n := utf8.RuneCountInString(s); n > most {
			return "", fmt.Errorf("it has at most %d characters, this one has %d", most, n)
		}
		if strings.ContainsFunc(s, unicode.IsControl) || !utf8.ValidString(s) {
			return "", errors.New("it cannot hold control characters")
		}
		return s, nil
	}}
}

func vlan() Value {
	return Value{Type: VLAN, Min: 1, Max: int(network.MaxVLAN), Form: "1 to 4094", normal: func(s string) (string, error) {
		id, err := network.ParseVLAN(s)
		if err != nil {
			return "", err
		}
		return id.String(), nil
	}}
}

func vlans() Value {
	return Value{Type: VLANs, Form: "a list such as 10,20-25", normal: func(s string) (string, error) {
		set, err := network.ParseVLANSet(s)
		if err != nil {
			return "", err
		}
		if len(set) == 0 {
			return "", errors.New("give a list such as 10,20-25")
		}
		return set.String(), nil
	}}
}

var rateUnits = []struct {
	letter string
	bits   int64
}{{"G", 1_000_000_000}, {"M", 1_000_000}, {"k", 1000}}

// rate is a number of bits a second such as 512k, 20M or 1G, at least 64k and at most 100G.
func rate() Value {
	return Value{Type: Rate, Unit: "bit/s", Form: "a rate in bits a second such as 512k, 20M or 1G", normal: func(s string) (string, error) {
		n, err := ParseRate(s)
		if err != nil {
			return "", err
		}
		return FormatRate(n), nil
	}}
}

// ParseRate reads a rate in bits a second.
func ParseRate(s string) (int64, error) {
	by, digits := int64(1), s
	for _, u := range rateUnits {
		if len(s) > 1 && strings.EqualFold(s[len(s)-1:], u.letter) {
			by, digits = u.bits, s[:len(s)-1]
		}
	}
	f, err := strconv.ParseFloat(strings.TrimSpace(digits), 64)
	n := f * float64(by)
	if err != nil || n < 64_000 || n > 100e9 || n != float64(int64(n)) || int64(n)%1000 != 0 {
		return 0, fmt.Errorf("%q is not a rate: give whole kbit/s from 64k to 100G, such as 512k, 20M or 1G", s)
	}
	return int64(n), nil
}

// FormatRate writes a rate in the largest unit in which it is a whole number.
func FormatRate(bits int64) string {
	for _, u := range rateUnits {
		if bits%u.bits == 0 {
			return strconv.FormatInt(bits/u.bits, 10) + u.letter
		}
	}
	return strconv.FormatInt(bits, 10)
}

// list is several values separated by commas or spaces, without doubles, or none.
func list(of string, most int, check func(string) (string, error)) Value {
	return Value{Type: List, Max: most, Form: of + " separated by commas, or none", normal: func(s string) (string, error) {
		if strings.EqualFold(s, "none") {
			return "none", nil
		}
		var out []string
		for _, part := range strings.FieldsFunc(s, func(r rune) bool { return r == ',' || unicode.IsSpace(r) }) {
			v, err := check(part)
			if err != nil {
				return "", err
			}
			if !slices.Contains(out, v) {
				out = append(out, v)
			}
		}
		if len(out) == 0 {
			return "", errors.New("give " + of + ", or none")
		}
		if len(out) > most {
			return "", fmt.Errorf("at most %d, these are %d", most, len(out))
		}
		return strings.Join(out, ","), nil
	}}
}

// Items splits the value of a list.
func Items(value string) []string {
	if value == "" || value == "none" {
		return nil
	}
	return strings.Split(value, ",")
}

// addresses are IP addresses.
func addresses(most int) Value {
	return list("IP addresses", most, func(s string) (string, error) {
		a, err := netip.ParseAddr(s)
		if err != nil {
			return "", fmt.Errorf("%q is not an IP address", s)
		}
		return a.String(), nil
	})
}

// prefixes are addresses or prefixes.
func prefixes(most int) Value {
	return list("prefixes such as 10.20.10.0/24", most, func(s string) (string, error) {
		if a, err := netip.ParseAddr(s); err == nil {
			return netip.PrefixFrom(a, a.BitLen()).String(), nil
		}
		p, err := netip.ParsePrefix(s)
		if err != nil {
			return "", fmt.Errorf("%q is not a prefix: write it like 10.20.10.0/24", s)
		}
		return p.Masked().String(), nil
	})
}

// ports are names of ports of the same device.
func ports(most int) Value {
	return list("ports such as 1/1/25", most, func(s string) (string, error) {
		if _, err := network.ParsePortRef("x:" + s); err != nil {
			return "", fmt.Errorf("%q is not a port", s)
		}
		return s, nil
	})
}

// named is the name of an object of a kind, or none.
func named(k Kind) Value {
	v := Value{Type: Name, Of: k, Form: "the name of a " + string(k) + " of the device", normal: func(s string) (string, error) {
		return s, network.CheckName(s)
	}}
	return v.or("none")
}

// hours is spans of the week: "mon-fri 06:00-19:00, sat 08:00-12:00".
func hours() Value {
	return Value{Type: Text, Form: schedule.Form, normal: func(s string) (string, error) {
		spans, err := schedule.Parse(s)
		return spans.String(), err
	}}
}
