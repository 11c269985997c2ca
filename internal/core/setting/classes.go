package setting

import (
	"fmt"
	"strconv"

	"example.net/everypost/internal/core/network"
)

// TrafficClasses is the feature of switches that treat traffic by its class.
const TrafficClasses network.Feature = "traffic classes"

var classOnly = []Kind{OnClass}

// classSettings say of each of the eight classes of traffic what is in it and how it is sent.
var classSettings = []Setting{
	{Name: "class-dscp", On: classOnly, Title: "DSCP", Group: "Class", Help: "the code points that are in it (RFC 2474); what no class names goes by its precedence, DSCP / 8", Default: "none", Needs: TrafficClasses, Value: codePoints()},
	{Name: "scheduling", On: classOnly, Title: "Scheduling", Group: "Class", Help: "strict: before all lower ones, whatever these wait; weighted: by its share", Default: "weighted", Needs: TrafficClasses, Value: choice("weighted", "strict")},
	{Name: "share", On: classOnly, Title: "Share", Group: "Class", Help: "of what strict classes leave, against the shares of the others", Default: "1", Needs: TrafficClasses, Value: number(1, 100, "")},
	{Name: "bandwidth", On: classOnly, Title: "Bandwidth", Group: "Class", Help: "the most that it may take of a port", Default: "none", Needs: TrafficClasses, Value: number(1, 100, "%").or("none")},
}

// described is what people say of objects that have no other name than their number, or that stand for something.
var described = func() (out []Setting) {
	for _, k := range []Kind{OnClass, OnRing, OnFabric, OnZone, OnReceiver, OnSecurityZone, OnAddress, OnService, OnGateway, OnRoute, OnInspection, OnWebCategory, OnWLAN, OnPassphrase, OnPortal, OnBlocked, OnTunnel, OnSegment, OnBGPPeer, OnLimited} {
		out = append(out, Setting{Name: "purpose", On: []Kind{k}, Title: "Purpose", Group: groupOf[k], Help: "what it is for", Value: text(64)})
	}
	return out
}()

// groupOf is the group of the settings of an object, where it has only one.
var groupOf = map[Kind]string{OnClass: "Class", OnRing: "Ring", OnFabric: "Fabric", OnZone: "Zone", OnReceiver: "Receiver", OnSecurityZone: "Security zone", OnAddress: "Address", OnService: "Service", OnGateway: "Gateway", OnRoute: "Static route", OnInspection: "Inspection", OnWebCategory: "Web category", OnWLAN: "Wireless network", OnPassphrase: "Passphrase", OnPortal: "Guest portal", OnBlocked: "Blocked station", OnTunnel: "Tunnel", OnSegment: "Segment", OnBGPPeer: "BGP peer", OnLimited: "Limited station"}

// codePoints are values of DSCP.
func codePoints() Value {
	return list("numbers from 0 to 63", 64, func(s string) (string, error) {
		n, err := strconv.Atoi(s)
		if err != nil || n < 0 || n > 63 {
			return "", fmt.Errorf("%q is no DSCP: it is a number from 0 to 63", s)
		}
		return strconv.Itoa(n), nil
	})
}
