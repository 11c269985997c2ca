package catalog

import (
	"encoding/csv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// Client is an end station: where it is, or was last.
type Client struct {
	Sighting
	GivenName           string // by a person
	Maker               string // by the first half of its hardware address
	FirstSeen, LastSeen time.Time
	Here                bool    // whether it is there now
	Device              *Device // never nil
	PortRow             *Port   // nil for a wireless one
	text                string
}

// Sighting is what is seen of a client at a moment.
type Sighting struct {
	MAC       string
	DeviceID  string // name of the device at which it is
	Port      string // "" for a wireless one
	SSID      string // "" for a wired one
	Band      string
	VLAN      network.VLANID
	Address   string
	OwnName   string
	System    string // operating system
	SignalDbm int
	Use       ClientUse
}

// ClientUse is what went to and from a client, as its access point or the port that it has for itself counts it. What
// several share a port with use, nobody knows one by one.
type ClientUse struct {
	Known                bool
	UpOctets, DownOctets uint64 // from and to the client, since it joined or the port began to count
	RatesKnown           bool
	UpBps, DownBps       float64
}

// Wireless tells whether it came over the air.
func (s Sighting) Wireless() bool { return s.SSID != "" }

// Name is how the client is called: as a person said, or else as it says itself.
func (c *Client) Name() string {
	if c.GivenName != "" {
		return c.GivenName
	}
	return c.OwnName
}

// Sightings lists the clients that a device sees: the stations of its radios, and the addresses that it learned on ports
// which lead to no other device.
func Sightings(device string, s Sight) []Sighting {
	var out []Sighting
	for _, st := range s.Inside.Stations {
		out = append(out, Sighting{MAC: st.MAC, DeviceID: device, SSID: st.SSID, Band: st.Band, VLAN: st.VLAN, Address: st.Address, OwnName: st.Name, System: st.System, SignalDbm: st.SignalDbm,
			Use: ClientUse{Known: true, UpOctets: st.RxOctets, DownOctets: st.TxOctets, RatesKnown: st.RatesKnown, UpBps: st.RxBps, DownBps: st.TxBps}})
	}
	alone := map[string]string{} // by port: the one address on it, "" for several
	for _, m := range s.Inside.MACs {
		if first, seen := alone[m.Port]; seen && first != m.MAC {
			alone[m.Port] = ""
		} else {
			alone[m.Port] = m.MAC
		}
	}
	for _, m := range s.Inside.MACs {
		p, is := s.State.Ports[m.Port]
		if !is || p.Neighbour != nil || s.Config.Ports[m.Port].LAG != "" {
			continue
		}
		sighting := Sighting{MAC: m.MAC, DeviceID: device, Port: m.Port, VLAN: m.VLAN}
		if alone[m.Port] == m.MAC {
			sighting.Use = ClientUse{Known: true, UpOctets: p.Counters.RxOctets, DownOctets: p.Counters.TxOctets, RatesKnown: p.Rates.Span > 0, UpBps: p.Rates.RxBps, DownBps: p.Rates.TxBps}
		}
		out = append(out, sighting)
	}
	return out
}

// NewClient makes the row of a client.
func NewClient(s Sighting, given, maker string, first, last time.Time, here bool, d *Device, p *Port) *Client {
	c := &Client{Sighting: s, GivenName: given, Maker: maker, FirstSeen: first, LastSeen: last, Here: here, Device: d, PortRow: p}
	c.text = fold(s.MAC, given, s.OwnName, s.Address, maker, s.SSID, d.Name, s.Port, d.Site.Name, d.Site.Title)
	return c
}

// BindClient gives the rows that a client determines.
func BindClient(c *Client) selector.Rows {
	rows := selector.Rows{selector.Site: c.Device.Site, selector.Device: c.Device, selector.Client: c}
	if c.PortRow != nil {
		rows[selector.Port] = c.PortRow
	}
	return rows
}

// rate is a rate of the client, which is known while it is there.
func (c *Client) rate(bps float64) selector.Datum {
	if !c.Here || !c.Use.RatesKnown {
		return selector.Datum{}
	}
	return selector.OfNumber(bps)
}

func clientFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Client) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Client, Type: t, Help: help, Get: of(get)}
	}
	words := func(name, help string, get func(*Client) string) *selector.Field {
		return f(name, selector.Text, help, func(c *Client) selector.Datum { return selector.Of(get(c)) })
	}
	return []*selector.Field{
		words("", "", func(c *Client) string { return c.text }),
		words("client", "name of the client, as given by hand or by itself", (*Client).Name),
		words("client.mac", "hardware address of the client", func(c *Client) string { return c.MAC }),
		f("client.address", selector.Address, "address of the client", func(c *Client) selector.Datum { return selector.Of(c.Address) }),
		words("client.maker", "who made the client, by its hardware address", func(c *Client) string { return c.Maker }),
		words("client.system", "operating system of the client", func(c *Client) string { return c.System }),
		words("client.ssid", "wireless network that the client joined", func(c *Client) string { return c.SSID }),
		words("client.band", "band in which the client is heard", func(c *Client) string { return c.Band }),
		f("client.vlan", selector.Number, "VLAN in which the client is", func(c *Client) selector.Datum { return some(int(c.VLAN)) }),
		f("client.signal", selector.Number, "level at which the client is heard, in dBm", func(c *Client) selector.Datum { return some(c.SignalDbm) }),
		f("client.up", selector.Number, "what the client sends, in bit/s", func(c *Client) selector.Datum { return c.rate(c.Use.UpBps) }),
		f("client.down", selector.Number, "what is sent to the client, in bit/s", func(c *Client) selector.Datum { return c.rate(c.Use.DownBps) }),
		f("client.octets", selector.Number, "octets from and to the client since it joined, or since its port began to count", func(c *Client) selector.Datum {
			if !c.Here || !c.Use.Known {
				return selector.Datum{}
			}
			return selector.OfNumber(c.Use.UpOctets + c.Use.DownOctets)
		}),
		f("client.wireless", selector.Flag, "whether the client came over the air", func(c *Client) selector.Datum { return selector.OfFlag(c.Wireless()) }),
		f("client.here", selector.Flag, "whether the client is there now", func(c *Client) selector.Datum { return selector.OfFlag(c.Here) }),
		f("client.first", selector.Age, "how long ago the client was seen first", func(c *Client) selector.Datum { return when(c.FirstSeen) }),
		f("client.seen", selector.Age, "how long ago the client was seen last", func(c *Client) selector.Datum { return when(c.LastSeen) }),
	}
}

// Makers finds who made a thing by its hardware address.
type Makers map[string]string

// ParseMakers reads a registry of address blocks in the form of the IEEE's comma-separated files: a line for each block,
// with the registry, the assignment in hexadecimal digits (6, 7 or 9 of them) and the name of the organization. Lines that
// cannot be read are left out and counted.
func ParseMakers(text string) (m Makers, bad int) {
	m = Makers{}
	r := csv.NewReader(strings.NewReader(text))
	r.FieldsPerRecord, r.LazyQuotes, r.ReuseRecord = -1, true, true
	for {
		line, err := r.Read()
		if line == nil && err != nil {
			break
		}
		if err != nil || len(line) < 3 {
			bad++
			continue
		}
		block := strings.ToLower(strings.TrimSpace(line[1]))
		if strings.Trim(block, "0123456789abcdef") != "" || len(block) < 6 || len(block) > 9 {
			if block != "assignment" {
				bad++
			}
			continue
		}
		m[block] = strings.TrimSpace(line[2])
	}
	return m, bad
}

var separators = strings.NewReplacer(":", "", "-", "", ".", "")

// Of returns the maker of the smallest block that holds an address, or "".
func (m Makers) Of(mac string) string {
	if len(m) == 0 {
		return ""
	}
	digits := strings.ToLower(separators.Replace(mac))
	for _, n := range []int{9, 7, 6} {
		if len(digits) >= n {
			if name, ok := m[digits[:n]]; ok {
				return name
			}
		}
	}
	return ""
}
