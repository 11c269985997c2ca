package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radio"
	"example.net/everypost/internal/core/schedule"
)

const (
	// Wireless is the feature of access points: networks that they offer, and how their radios send.
	Wireless network.Feature = "wireless networks"
	// Portals is the feature of those that send guests to a page until they are admitted.
	Portals network.Feature = "guest portals"
	// StationNetworks is the feature of those that give their stations addresses themselves, and hide them behind their own.
	StationNetworks network.Feature = "station networks"
)

var wlanOnly, passphraseOnly, portalOnly = []Kind{OnWLAN}, []Kind{OnPassphrase}, []Kind{OnPortal}

// Who may join a wireless network, and how what is sent is encrypted.
const (
	SecurityOpen = "open"
	SecurityOWE  = "owe" // RFC 8110
	// The others are named after the certificates of the trade, and by whom they let in.
	SecurityPersonal = "wpa2-wpa3-personal"
)

var securities = []string{SecurityOpen, SecurityOWE, "wpa2-personal", SecurityPersonal, "wpa3-personal", "wpa2-enterprise", "wpa3-enterprise"}

// Passphrases of wireless networks are so long, in characters (IEEE 802.11 annex J.4).
const (
	leastPassphrase = 8
	mostPassphrase  = 63
)

// wirelessSettings say which networks an access point offers, who may join them, and how its radios send.
var wirelessSettings = []Setting{
	{Name: "country", On: deviceOnly, Title: "Country", Group: "Wireless", Help: "where it stands (ISO 3166-1): its rules say on which channels it may send, and how loud", Default: "none", Needs: Wireless, Value: country().or("none")},
	{Name: "channel", On: portOnly, Title: "Channel", Group: "Radio", Help: "by its number (IEEE 802.11); auto: it chooses one itself", Default: "auto", Needs: Wireless, Value: number(1, 233, "").or("auto"), when: isRadio},
	{Name: "channel-width", On: portOnly, Title: "Channel width", Group: "Radio", Help: "the wider, the faster, and the more neighbours are disturbed", Default: "auto", Needs: Wireless,
		Value: Value{Type: Choice, Unit: "MHz", Choices: []string{"auto", "20", "40", "80", "160"}, Form: "auto, 20, 40, 80 or 160 MHz", normal: choice("auto", "20", "40", "80", "160").normal}, when: isRadio},
	{Name: "radio-power", On: portOnly, Title: "Power", Group: "Radio", Help: "how loud it sends (EIRP); auto: it chooses itself", Default: "auto", Needs: Wireless, Value: number(1, 36, "dBm").or("auto"), when: isRadio},

	{Name: "ssid", On: wlanOnly, Title: "Name in the air", Group: "Wireless network", Help: "what stations call it (SSID), 1 to 32 octets", Needs: Wireless, Value: ssid()},
	{Name: "offered", On: wlanOnly, Title: "Offered", Group: "Wireless network", Help: "whether it can be joined", Default: "on", Needs: Wireless, Value: onOff()},
	{Name: "hidden", On: wlanOnly, Title: "Hidden", Group: "Wireless network", Help: "beacons leave its name out; it protects from nothing", Default: "off", Needs: Wireless, Value: onOff()},
	{Name: "bands", On: wlanOnly, Title: "Bands", Group: "Wireless network", Help: "in which it is offered, in GHz", Default: "all", Needs: Wireless, Value: bandList()},
	{Name: "offered-hours", On: wlanOnly, Title: "Hours", Group: "Wireless network", Help: "when it is offered, by the clock of the device", Default: "always", Needs: Wireless, Value: hours().or("always")},
	{Name: "security", On: wlanOnly, Title: "Security", Group: "Who may join", Help: "open and owe: anybody; personal: who knows the passphrase; enterprise: whom a RADIUS server lets in", Default: SecurityPersonal, Needs: Wireless, Value: choice(securities...)},
	{Name: "passphrase", On: wlanOnly, Title: "Passphrase", Group: "Who may join", Help: "of a personal network, 8 to 63 characters", Needs: Wireless, Value: passphrase()},
	{Name: "wlan-radius", On: wlanOnly, Title: "RADIUS servers", Group: "Who may join", Help: "who is asked, of an enterprise network, in the order of asking", Default: "none", Needs: Wireless, Value: addresses(4)},
	{Name: "wlan-radius-secret", On: wlanOnly, Title: "RADIUS secret", Group: "Who may join", Help: "shared with those servers", Needs: Wireless, Value: secret(false)},
	{Name: "wlan-vlan", On: wlanOnly, Title: "VLAN", Group: "Stations", Help: "in which its stations are; none: that of the access point itself", Default: "none", Needs: Wireless, Value: vlan().or("none")},
	{Name: "station-isolation", On: wlanOnly, Title: "Kept apart", Group: "Stations", Help: "its stations do not reach each other", Default: "off", Needs: Wireless, Value: onOff()},
	{Name: "station-network", On: wlanOnly, Title: "Network of its own", Group: "Stations", Help: "its stations get addresses of it from the access point, such as 192.168.80.1/24, and are seen beyond with the access point's own (DHCP, RFC 2131; NAT, RFC 3022)", Default: "none",
		Needs: StationNetworks, Value: stationNetwork().or("none")},
	{Name: "station-lease", On: wlanOnly, Title: "Lease", Group: "Stations", Help: "for how long an address of that network is given", Default: "1440", Needs: StationNetworks, Value: number(5, 43_200, "min")},
	{Name: "station-dns", On: wlanOnly, Title: "Name servers", Group: "Stations", Help: "that stations in that network are told of; none: those that the access point asks", Default: "none", Needs: StationNetworks, Value: addresses(4)},
	{Name: "station-rate", On: wlanOnly, Title: "Rate", Group: "Stations", Help: "what each station may send and receive at most", Default: "none", Needs: Wireless, Value: rate().or("none")},
	{Name: "portal", On: wlanOnly, Title: "Guest portal", Group: "Stations", Help: "on which its stations are received: until they are admitted they reach nothing else", Default: "none", Needs: Portals, Value: named(OnPortal)},

	{Name: "portal-address", On: portalOnly, Title: "Address", Group: "Guest portal", Help: "where stations find it", Needs: Portals, Value: webAddress()},
	{Name: "portal-key", On: portalOnly, Title: "Key", Group: "Guest portal", Help: "by which access points sign who comes", Needs: Portals, Value: secret(false)},

	{Name: "wlan", On: passphraseOnly, Title: "Network", Group: "Passphrase", Help: "the personal network that it opens", Default: "none", Needs: Wireless, Value: named(OnWLAN)},
	{Name: "passphrase", On: passphraseOnly, Title: "Passphrase", Group: "Passphrase", Help: "8 to 63 characters", Needs: Wireless, Value: passphrase()},
	{Name: "wlan-vlan", On: passphraseOnly, Title: "VLAN", Group: "Passphrase", Help: "in which stations are that have it; none: that of the network", Default: "none", Needs: Wireless, Value: vlan().or("none")},
	{Name: "until", On: passphraseOnly, Title: "Until", Group: "Passphrase", Help: "the last day on which it lets in, by the clock of the device", Default: "always", Needs: Wireless, Value: day().or("always")},
}

// stationNetwork is the address of an access point in a network of its own: one that is for private use (RFC 1918), with room for stations.
func stationNetwork() Value {
	inner := interfaceAddress()
	return Value{Type: Text, Max: 50, Form: "an address with its prefix such as 192.168.80.1/24", normal: func(s string) (string, error) {
		out, err := inner.normal(s)
		if err != nil {
			return "", fmt.Errorf("%q is no network of its own: write the address of the access point in it, such as 192.168.80.1/24", s)
		}
		switch p := netip.MustParsePrefix(out); {
		case !p.Addr().Is4() || !p.Addr().IsPrivate():
			return "", fmt.Errorf("%s is not for private use: take one of 10.0.0.0/8, 172.16.0.0/12 or 192.168.0.0/16 (RFC 1918)", p)
		case p.Bits() < 16 || p.Bits() > 29:
			return "", fmt.Errorf("%s: the length of the network is 16 to 29", p)
		}
		return out, nil
	}}
}

func isRadio(p network.PortConfig) error {
	if p.Band == "" {
		return errors.New("is no radio of an access point")
	}
	return nil
}

func ssid() Value {
	return Value{Type: Text, Max: 32, Form: "1 to 32 octets", normal: func(s string) (string, error) {
		switch {
		case len(s) > 32:
			return "", fmt.Errorf("it is at most 32 octets, this one has %d", len(s))
		case !utf8.ValidString(s) || strings.ContainsFunc(s, unicode.IsControl):
			return "", errors.New("it cannot hold control characters")
		}
		return s, nil
	}}
}

// webAddress is an address of the web without anything after its path.
func webAddress() Value {
	return Value{Type: Text, Max: 200, Form: "an address such as https://guests.lantern.example/landing", normal: func(s string) (string, error) {
		u, err := url.Parse(s)
		switch {
		case s == "":
			return s, nil
		case err != nil, u.Scheme != "http" && u.Scheme != "https", u.Host == "":
			return "", errors.New("write an address such as https://guests.lantern.example/landing")
		case u.User != nil, u.RawQuery != "", u.Fragment != "", len(s) > 200:
			return "", errors.New("it ends with its path, and is at most 200 characters")
		}
		return strings.TrimSuffix(u.String(), "/"), nil
	}}
}

func country() Value {
	return Value{Type: Text, Form: "a code of a country such as GB", normal: func(s string) (string, error) {
		if s = strings.ToUpper(s); radio.Source(s) == "" {
			return "", fmt.Errorf("the rules of %q are not known: there are %s", s, strings.Join(radio.Countries(), ", "))
		}
		return s, nil
	}}
}

func band(s string) (string, error) {
	if !slices.Contains([]string{"2.4", "5", "6"}, s) {
		return "", fmt.Errorf("%q is no band: there are 2.4, 5 and 6", s)
	}
	return s, nil
}

// bandList is bands, or all of them.
func bandList() Value {
	v := list("bands such as 2.4,5", 3, band)
	inner := v.normal
	v.Form = "bands such as 2.4,5, or all"
	v.normal = func(s string) (string, error) {
		if s = strings.ToLower(s); s == "all" || s == "none" {
			return "all", nil
		}
		return inner(s)
	}
	return v
}

func passphrase() Value {
	v := secret(false)
	v.Min, v.Max, v.Form = leastPassphrase, mostPassphrase, "a secret of 8 to 63 characters"
	return v
}

// CheckPlain tells why a secret that somebody typed cannot be one of its form, or nil. It does not quote it.
func (v Value) CheckPlain(plain string) error {
	if v.Min == 0 || plain == "" || IsReference(plain) {
		return nil
	}
	if len(plain) < v.Min || len(plain) > v.Max {
		return fmt.Errorf("it has %d to %d characters, this one has %d", v.Min, v.Max, len(plain))
	}
	if strings.ContainsFunc(plain, func(r rune) bool { return r < 0x20 || r > 0x7e }) {
		return errors.New("it holds printable characters of ASCII only: the other side would not read others alike")
	}
	return nil
}

// CheckJoin tells why nobody could join a network by what is said of it, or nil. It does not quote the passphrase.
func CheckJoin(name, security, plain string) error {
	if _, err := ssid().Normal(name); err != nil {
		return fmt.Errorf("ssid: %w", err)
	}
	if !slices.Contains(securities, security) {
		return fmt.Errorf("security: %q is none: there are %s", security, strings.Join(securities, ", "))
	}
	w := WLAN{Security: security}
	switch {
	case w.Enterprise():
		return errors.New("security: who joins an enterprise network proves who he is, which no code does")
	case w.Personal() && plain == "":
		return errors.New("passphrase: say it: the code holds it")
	case w.Personal():
		if err := passphrase().CheckPlain(plain); err != nil {
			return fmt.Errorf("passphrase: %w", err)
		}
	}
	return nil
}

// WLAN is a wireless network that a device offers.
type WLAN struct {
	Name, SSID, Security string
	Offered, Hidden      bool
	Hours                schedule.Week // none: always
	Bands                []string      // none: all
	VLAN                 network.VLANID
	Network              netip.Prefix // of the access point's own, with its address in it; not valid: its stations are in the VLAN themselves
	Passphrase, Secret   string       // references
	RADIUS               []string
	Apart                bool
	Rate                 string // "" for none
	Portal               string // on which its stations are received, "" for none
}

// Personal tells whether who knows a passphrase may join.
func (w WLAN) Personal() bool { return strings.HasSuffix(w.Security, "-personal") }

// Enterprise tells whether RADIUS servers say who may join.
func (w WLAN) Enterprise() bool { return strings.HasSuffix(w.Security, "-enterprise") }

// Anybody tells whether anybody may join.
func (w WLAN) Anybody() bool { return !w.Personal() && !w.Enterprise() }

// In tells whether it is offered in a band.
func (w WLAN) In(band string) bool {
	return (len(w.Bands) == 0 || slices.Contains(w.Bands, band)) && (band != string(radio.Band6) || w.ForSix())
}

// ForSix tells whether it may be offered at 6 GHz: what was there before WPA3 is not (IEEE 802.11ax clause 12.12.2).
func (w WLAN) ForSix() bool {
	return !slices.Contains([]string{SecurityOpen, "wpa2-personal", "wpa2-enterprise"}, w.Security)
}

// WLANs are the wireless networks of a configuration, by name.
func WLANs(c network.Config) (out []WLAN) {
	for _, object := range ObjectsOf(c, OnWLAN) {
		o := c.Objects[object]
		w := WLAN{Name: strings.TrimPrefix(object, string(OnWLAN)+"/"), SSID: o["ssid"], Security: o["security"], Offered: o["offered"] != "off", Hidden: o["hidden"] == "on",
			Bands: Items(strings.TrimPrefix(o["bands"], "all")), Passphrase: o["passphrase"], Secret: o["wlan-radius-secret"], RADIUS: Items(o["wlan-radius"]), Apart: o["station-isolation"] == "on", Rate: o["station-rate"], Portal: strings.TrimPrefix(o["portal"], "none")}
		if w.Security == "" {
			w.Security = SecurityPersonal
		}
		w.Hours, _ = schedule.Parse(o["offered-hours"])
		w.VLAN, _ = network.ParseVLAN(o["wlan-vlan"])
		w.Network, _ = netip.ParsePrefix(o["station-network"])
		out = append(out, w)
	}
	return out
}

// WLANObject is what a wireless network is called in a configuration, by its name.
func WLANObject(name string) string { return Object(OnWLAN, name) }

// PortalObject is what a guest portal is called in a configuration, by its name.
func PortalObject(name string) string { return Object(OnPortal, name) }

// Portal is one on which guests are received.
type Portal struct {
	Name, Address string
	Key           string // a reference
}

// PortalsOf are those of a configuration, by name.
func PortalsOf(c network.Config) (out []Portal) {
	for _, object := range ObjectsOf(c, OnPortal) {
		o := c.Objects[object]
		out = append(out, Portal{strings.TrimPrefix(object, string(OnPortal)+"/"), o["portal-address"], o["portal-key"]})
	}
	return out
}

// Passphrase is a further one of a personal network.
type Passphrase struct {
	Name, WLAN string
	Reference  string
	VLAN       network.VLANID
	Until      string // a date, "" for good
}

// Passphrases are those of a configuration, by name.
func Passphrases(c network.Config) (out []Passphrase) {
	for _, object := range ObjectsOf(c, OnPassphrase) {
		o := c.Objects[object]
		p := Passphrase{Name: strings.TrimPrefix(object, string(OnPassphrase)+"/"), WLAN: o["wlan"], Reference: o["passphrase"], Until: o["until"]}
		p.VLAN, _ = network.ParseVLAN(o["wlan-vlan"])
		out = append(out, p)
	}
	return out
}

// Radio is how a radio is told to send; 0 is for it to choose.
type Radio struct {
	Port                     string
	Band                     radio.Band
	Channel, Width, PowerDBm int
	On                       bool
}

// Radios are those of an access point, by name.
func Radios(c network.Config) (out []Radio) {
	for _, name := range c.PortNames() {
		p := c.Ports[name]
		if p.Band == "" {
			continue
		}
		r := Radio{Port: name, Band: radio.Band(p.Band), On: p.Enabled}
		r.Channel, _ = strconv.Atoi(p.Settings["channel"])
		r.Width, _ = strconv.Atoi(p.Settings["channel-width"])
		r.PowerDBm, _ = strconv.Atoi(p.Settings["radio-power"])
		out = append(out, r)
	}
	return out
}

// Country is where a device stands, "" where it does not say.
func Country(c network.Config) string {
	if v := c.Settings["country"]; v != "none" {
		return v
	}
	return ""
}
