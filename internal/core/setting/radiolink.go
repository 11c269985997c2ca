package setting

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
)

// RadioCarriers is the feature of ends of radio links: how they send and what they expect to hear.
const RadioCarriers network.Feature = "radio carriers"

// radioLinkSettings are of one end of a point-to-point radio link, by what RFC 8561 has for it.
var radioLinkSettings = []Setting{
	{Name: "transmitter", On: portOnly, Title: "Transmitter", Group: "Radio link", Help: "whether it sends (RFC 8561 tx-enabled); off: the far end hears nothing", Default: "on", Needs: RadioCarriers, Value: onOff(), when: isCarrier},
	{Name: "tx-frequency", On: portOnly, Title: "Sends on", Group: "Radio link", Help: "centre of what it sends: the far end must hear there", Needs: RadioCarriers, Value: decimals(1000, 90_000, 3, "MHz"), when: isCarrier},
	{Name: "rx-frequency", On: portOnly, Title: "Hears on", Group: "Radio link", Help: "centre of what it hears: the far end must send there", Needs: RadioCarriers, Value: decimals(1000, 90_000, 3, "MHz"), when: isCarrier},
	{Name: "channel-separation", On: portOnly, Title: "Channel separation", Group: "Radio link", Help: "how wide the channel is, alike at both ends", Needs: RadioCarriers, Value: decimals(1.75, 2000, 3, "MHz"), when: isCarrier},
	{Name: "polarization", On: portOnly, Title: "Polarisation", Group: "Radio link", Help: "alike at both ends", Default: "vertical", Needs: RadioCarriers, Value: choice("horizontal", "vertical"), when: isCarrier},
	{Name: "power-mode", On: portOnly, Title: "Power control", Group: "Radio link", Help: "fixed (RTPC): it sends with the power that is set; automatic (ATPC): with what the far end needs, at most with that", Default: "fixed", Needs: RadioCarriers, Value: choice("fixed", "automatic"), when: isCarrier},
	{Name: "nominal-power", On: portOnly, Title: "Power at most", Group: "Radio link", Help: "maximum nominal power of the transmitter", Needs: RadioCarriers, Value: decimals(-20, 40, 1, "dBm"), when: isCarrier},
	{Name: "level-least", On: portOnly, Title: "Level at least", Group: "Radio link", Help: "below it at the far end, automatic power sends with more", Needs: RadioCarriers, Value: decimals(-99, -20, 1, "dBm"), when: isCarrier},
	{Name: "level-most", On: portOnly, Title: "Level at most", Group: "Radio link", Help: "above it at the far end, automatic power sends with less", Needs: RadioCarriers, Value: decimals(-99, -20, 1, "dBm"), when: isCarrier},
	{Name: "modulation-lowest", On: portOnly, Title: "Lowest modulation", Group: "Radio link", Help: "how far it goes down in rain: below the level for it the link is down", Default: string(microwave.QPSK), Needs: RadioCarriers, Value: choice(modulations()...), when: isCarrier},
	{Name: "modulation-highest", On: portOnly, Title: "Highest modulation", Group: "Radio link", Help: "how far it goes up in clear air; the same as the lowest: it never changes", Default: string(microwave.QAM1024), Needs: RadioCarriers, Value: choice(modulations()...), when: isCarrier},
}

func modulations() (out []string) {
	for _, m := range microwave.Modulations() {
		out = append(out, string(m))
	}
	return out
}

func isCarrier(p network.PortConfig) error {
	if !p.Carrier {
		return errors.New("is no end of a radio link")
	}
	return nil
}

// decimals are numbers with at most so many digits after the point.
func decimals(low, high float64, most int, unit string) Value {
	form := fmt.Sprintf("%g to %g %s", low, high, unit)
	return Value{Type: Text, Unit: unit, Form: form, normal: func(s string) (string, error) {
		f, ok := decimal(s, most)
		if !ok || !(f >= low && f <= high) {
			return "", fmt.Errorf("%q is not a number from %s, with at most %s after the point", s, form, []string{"no digit", "one digit", "two digits", "three digits"}[most])
		}
		return strconv.FormatFloat(f, 'f', -1, 64), nil
	}}
}

// Carrier is how one end of a radio link is told to send and hear. What is 0 is not told.
type Carrier struct {
	Port                        string
	On                          bool // the port and its transmitter
	TxMHz, RxMHz, SeparationMHz float64
	Polarization                string
	Automatic                   bool
	PowerDbm                    float64
	LeastDbm, MostDbm           float64 // with automatic power: at the far end; 0 where it is not told
	Lowest, Highest             microwave.Modulation
}

// CarrierAt is how the end of a radio link at a port is set.
func CarrierAt(c network.Config, port string) (Carrier, bool) {
	p, ok := c.Ports[port]
	if !ok || !p.Carrier {
		return Carrier{}, false
	}
	at := func(name string) string {
		if v, set := p.Settings[name]; set {
			return v
		}
		s, _ := Lookup(OnPort, name)
		return s.Default
	}
	f := func(name string) float64 { v, _ := strconv.ParseFloat(at(name), 64); return v }
	return Carrier{Port: port, On: p.Enabled && at("transmitter") == "on", TxMHz: f("tx-frequency"), RxMHz: f("rx-frequency"), SeparationMHz: f("channel-separation"), Polarization: at("polarization"),
		Automatic: at("power-mode") == "automatic", PowerDbm: f("nominal-power"), LeastDbm: f("level-least"), MostDbm: f("level-most"),
		Lowest: microwave.Modulation(at("modulation-lowest")), Highest: microwave.Modulation(at("modulation-highest"))}, true
}

// Carriers are the ends of radio links of a device, by port.
func Carriers(c network.Config) (out []Carrier) {
	for _, name := range slices.Sorted(maps.Keys(c.Ports)) {
		if at, ok := CarrierAt(c, name); ok {
			out = append(out, at)
		}
	}
	return out
}

// AtFarEnd is what the far end must be told for what is told to one, so that both go on to fit: what one sends the other hears. ok is false for what each end has for itself.
func AtFarEnd(name string) (far string, ok bool) {
	switch name {
	case "tx-frequency":
		return "rx-frequency", true
	case "rx-frequency":
		return "tx-frequency", true
	case "channel-separation", "polarization", "power-mode", "nominal-power", "level-least", "level-most", "modulation-lowest", "modulation-highest":
		return name, true
	}
	return "", false
}

// OfBothEnds lists the settings that fit at both ends.
func OfBothEnds() (out []string) {
	for _, s := range radioLinkSettings {
		if _, both := AtFarEnd(s.Name); both {
			out = append(out, s.Name)
		}
	}
	return out
}

// IsOfRadioLink tells whether a setting is one of radio links.
func IsOfRadioLink(name string) bool {
	for _, s := range radioLinkSettings {
		if s.Name == name {
			return true
		}
	}
	return false
}
