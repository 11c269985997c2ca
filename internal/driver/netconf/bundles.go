package netconf

import (
	"maps"
	"slices"
	"strconv"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/xmlnode"
)

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// The protocol of a bundle stands in two places: its type with the interface, and whether it begins by itself with LACP.

func protocolSetting() *setting.Setting {
	s, err := setting.Lookup(setting.OnBundle, "protocol")
	if err != nil {
		panic(err)
	}
	return s
}

func readProtocols(data *xmlnode.Node, c *network.Config) {
	passive := map[string]bool{}
	for _, i := range data.Find("lacp/interfaces").All("interface") {
		passive[i.TextAt("name")] = i.TextAt("config/lacp-mode") == "PASSIVE"
	}
	for _, i := range data.Child("interfaces").All("interface") {
		aggregation := i.Child("aggregation")
		if aggregation == nil {
			continue
		}
		name, protocol := i.TextAt("name"), "lacp-active"
		switch {
		case aggregation.TextAt("config/lag-type") == "STATIC":
			protocol = "static"
		case passive[name]:
			protocol = "lacp-passive"
		}
		_ = protocolSetting().Set(c, name, protocol)
	}
}

func writeProtocols(e *edit, before, after network.Config) {
	for _, name := range slices.Sorted(maps.Keys(after.Bundles)) {
		a, err := protocolSetting().Get(after, name)
		if err != nil {
			continue
		}
		if b, err := protocolSetting().Get(before, name); err == nil && a == b {
			continue
		}
		kind := "LACP"
		if a == "static" {
			kind = "STATIC"
		}
		e.put(newPath("if:interfaces/interface[name=%]/lag:aggregation/config/lag-type"), name, kind)
		if a == "static" {
			e.take(newPath("lacp:lacp/interfaces/interface[name=%]"), name)
			continue
		}
		mode := "ACTIVE"
		if a == "lacp-passive" {
			mode = "PASSIVE"
		}
		config := e.at(newPath("lacp:lacp/interfaces/interface[name=%]/config").steps, name)
		config.Add(xmlnode.Leaf(nsLACP, "lacp-mode", mode))
	}
}
