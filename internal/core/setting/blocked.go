package setting

import (
	"fmt"
	"regexp"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Blocking is the feature of devices that let no frame of a station pass, whatever else it is allowed.
const Blocking network.Feature = "blocked stations"

// blockedSettings say until when a station is blocked. It is named by its hardware address.
var blockedSettings = []Setting{
	{Name: "until", On: []Kind{OnBlocked}, Title: "Until", Group: "Blocked station", Help: "the last day on which it is blocked, by the clock of the device", Default: "always", Needs: Blocking, Value: day().or("always")},
}

var blockedName = regexp.MustCompile(`^[0-9a-f]{2}(-[0-9a-f]{2}){5}$`)

func checkBlocked(name string) error {
	if !blockedName.MatchString(name) {
		return fmt.Errorf("%q is not the hardware address of a station: it looks like 02-4c-53-20-00-07", name)
	}
	if strings.ContainsRune("13579bdf", rune(name[1])) {
		return fmt.Errorf("%s is the address of a group of stations, not of one", name)
	}
	return nil
}

// BlockedObject is what a blocked station is called in a configuration, by its hardware address.
func BlockedObject(mac string) string {
	return Object(OnBlocked, strings.ToLower(strings.ReplaceAll(mac, ":", "-")))
}

// BlockedStation is one that a device lets pass nothing of.
type BlockedStation struct {
	MAC     string
	Until   string // a date, "" for good
	Purpose string
}

// BlockedStations are those of a configuration, by hardware address.
func BlockedStations(c network.Config) (out []BlockedStation) {
	for _, object := range ObjectsOf(c, OnBlocked) {
		o := c.Objects[object]
		out = append(out, BlockedStation{strings.ReplaceAll(strings.TrimPrefix(object, string(OnBlocked)+"/"), "-", ":"), o["until"], o["purpose"]})
	}
	return out
}
