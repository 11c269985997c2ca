package setting

import (
	"slices"

	"example.net/everypost/internal/core/network"
)

// Zoning is the feature of storage switches: fabrics, and zones in them.
const Zoning network.Feature = "zones"

var fabricOnly, zoneOnly = []Kind{OnFabric}, []Kind{OnZone}

// storageSettings part a storage switch into fabrics, and say in each which hosts may see which storage.
var storageSettings = []Setting{
	{Name: "fabric-ports", On: fabricOnly, Title: "Ports", Group: "Fabric", Help: "the ports of the fabric; a port is in one at most", Default: "none", Needs: Zoning, Value: ports(64)},
	{Name: "fabric", On: zoneOnly, Title: "Fabric", Group: "Zone", Help: "the fabric in which the zone is", Default: "none", Needs: Zoning, Value: named(OnFabric)},
	{Name: "zone-ports", On: zoneOnly, Title: "Ports", Group: "Zone", Help: "the ports that see each other", Default: "none", Needs: Zoning, Value: ports(64)},
	{Name: "active", On: zoneOnly, Title: "Active", Group: "Zone", Help: "whether the zone is in force", Default: "on", Needs: Zoning, Value: onOff()},
}

// SeesPort tells whether what is plugged into one port of a storage switch sees what is plugged into another: both are in
// one fabric, and an active zone of it names both.
func SeesPort(c network.Config, a, b string) bool {
	in := func(s network.Settings, name string) bool {
		list := Items(s[name])
		return slices.Contains(list, a) && slices.Contains(list, b)
	}
	for object, z := range c.Objects {
		if KindOf(object) == OnZone && z["active"] != "off" && in(z, "zone-ports") && in(c.Objects[Object(OnFabric, z["fabric"])], "fabric-ports") {
			return true
		}
	}
	return false
}
