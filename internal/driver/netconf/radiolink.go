package netconf

import (
	"math"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

// readRadioLink reads how an end of a radio link hears the other, nil of a device that is none.
func readRadioLink(n *xmlnode.Node) *network.RadioLinkRead {
	c := n.Child("carrier-termination")
	s := c.Child("state")
	if s == nil {
		return nil
	}
	out := &network.RadioLinkRead{Port: c.TextAt("name"), ReceivedDbm: decimal(s, "actual-received-level"), Modulation: strings.ToUpper(modulationWords.read([]string{s.TextAt("actual-rx-cm")})), CapacityMbps: number(s, "capacity"),
		FrequencyGHz: decimal(c, "rx-frequency") / 1e6, DistanceKm: decimal(s, "distance"), Sends: s.TextAt("tx-oper-status") == "on", SentDbm: decimal(s, "actual-transmitted-level"),
		GainDbi: decimal(s, "antenna-gain"), FarGainDbi: decimal(s, "far-antenna-gain"), LowestMHz: decimal(s, "lowest-frequency") / 1000, HighestMHz: decimal(s, "highest-frequency") / 1000}
	if far := s.TextAt("far-transmit-power"); far != "" { // it is told over the link: not while that is down
		dBm, known := microwave.Expected(microwave.End{PowerDbm: decimal(s, "far-transmit-power"), GainDbi: out.FarGainDbi}, microwave.End{GainDbi: out.GainDbi}, out.FrequencyGHz, out.DistanceKm)
		if dBm = math.Round(10*dBm) / 10; known {
			out.ExpectedDbm = &dBm
		}
	}
	if e := s.Child("error-performance-statistics"); e != nil {
		out.Errors = &network.RadioLinkErrors{Seconds: counter(e, "seconds"), Errored: counter(e, "es"), Severely: counter(e, "ses"), Unavailable: counter(e, "uas"), BlockErrors: counter(e, "bbe")}
	}
	return out
}

var modulationWords = words("qpsk", "qpsk", "16-qam", "qam-16", "64-qam", "qam-64", "256-qam", "qam-256", "1024-qam", "qam-1024")

// megahertz is a setting in MHz that devices keep in kHz.
var megahertz = codec{
	read: func(l []string) string {
		f, err := strconv.ParseFloat(l[0], 64)
		if err != nil {
			return l[0]
		}
		return strconv.FormatFloat(f/1000, 'f', -1, 64)
	},
	write: func(v string) []string {
		f, err := strconv.ParseFloat(v, 64)
		if err != nil {
			return nil
		}
		return []string{strconv.FormatFloat(math.Round(f*1000), 'f', -1, 64)}
	},
}

// tenths is a setting that devices keep with one digit after the point.
var tenths = codec{
	read: func(l []string) string {
		f, err := strconv.ParseFloat(l[0], 64)
		if err != nil {
			return l[0]
		}
		return strconv.FormatFloat(f, 'f', -1, 64)
	},
	write: func(v string) []string {
		f, err := strconv.ParseFloat(v, 64)
		if err != nil {
			return nil
		}
		return []string{strconv.FormatFloat(f, 'f', 1, 64)}
	},
}
