package setting

import (
	"strings"

	"example.net/everypost/internal/core/network"
)

// Limiting is the feature of access points that let a station send and receive no more than is said of it.
const Limiting network.Feature = "limited stations"

// limitedSettings say how much a station may send and receive, and until when that holds. It is named by its hardware address.
var limitedSettings = []Setting{
	{Name: "limited-to", On: []Kind{OnLimited}, Title: "Limited to", Group: "Limited station", Help: "what it may send and receive at most, each: 2M, 512k", Default: "none", Needs: Limiting, Value: rate().or("none")},
	{Name: "until", On: []Kind{OnLimited}, Title: "Until", Group: "Limited station", Help: "the last day on which it is limited, by the clock of the device", Default: "always", Needs: Limiting, Value: day().or("always")},
}

// LimitedObject is what a limited station is called in a configuration, by its hardware address.
func LimitedObject(mac string) string {
	return Object(OnLimited, strings.ToLower(strings.ReplaceAll(mac, ":", "-")))
}

// LimitedStation is one that a device lets send and receive no more than a rate.
type LimitedStation struct {
	MAC     string
	Rate    string // 2M, 512k
	Until   string // a date, "" for good
	Purpose string
}

// LimitedStations are those of a configuration, by hardware address.
func LimitedStations(c network.Config) (out []LimitedStation) {
	for _, object := range ObjectsOf(c, OnLimited) {
		o := c.Objects[object]
		out = append(out, LimitedStation{strings.ReplaceAll(strings.TrimPrefix(object, string(OnLimited)+"/"), "-", ":"), o["limited-to"], o["until"], o["purpose"]})
	}
	return out
}
