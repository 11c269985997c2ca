package netconf

import (
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/xmlnode"
)

// writeInstance writes an instance of MSTP. Its VLANs are a leaf-list beside other leaves, and cannot be replaced alone: the whole is.
func writeInstance(e *edit, object string, before, after network.Config) {
	was, had := before.Objects[object]
	is := after.Objects[object]
	if had && was["instance-vlans"] == is["instance-vlans"] && was["priority"] == is["priority"] {
		return
	}
	number := keyOfObject(object)
	config := replace(e.at(newPath(objectLists[setting.OnInstance]+"/config").steps, number))
	config.Add(xmlnode.Leaf(nsSpanning, "mst-id", number))
	if vlans := is["instance-vlans"]; vlans != "" {
		for _, v := range vlanRanges.write(vlans) {
			config.Add(xmlnode.Leaf(nsSpanning, "vlan", v))
		}
	}
	if p := is["priority"]; p != "" {
		config.Add(xmlnode.Leaf(nsSpanning, "bridge-priority", p))
	}
}
