package guard

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// managementVRF finds what would share the VRF of the management, in which nothing else may be.
func managementVRF(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		after, before := p.After[device], p.Before[device]
		vrf, own := after.Settings["management-vrf"], after.Settings["management-port"]
		if vrf == "" {
			continue
		}
		changed := vrf != before.Settings["management-vrf"] || own != before.Settings["management-port"]
		if own == "" && changed {
			at := network.PortRef{Device: device}
			out = append(out, Finding{
				ID: "management-vrf:" + device, Guard: "management-vrf", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("The management of %s would be in VRF %s without a port of its own.", device, vrf), Why: "A VRF keeps apart what comes by different ports.",
				Do: "Name the management port too, or leave the management in the VRF of all.", Fix: []intent.Edit{{Port: at, Field: "management-vrf", Value: "none"}},
			})
		}
		for _, name := range after.PortNames() {
			if name == own || after.Ports[name].Settings["vrf"] != vrf || !changed && before.Ports[name].Settings["vrf"] == vrf {
				continue
			}
			at := network.PortRef{Device: device, Port: name}
			out = append(out, Finding{
				ID: "management-vrf:" + at.String(), Guard: "management-vrf", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s would be in VRF %s, which is that of the management.", at, vrf), Why: "What is there can reach the management of devices.",
				Do: "Put it into another VRF.", Fix: []intent.Edit{{Port: at, Field: "vrf", Value: "none"}},
			})
		}
	}
	return out
}

// signIn finds devices to which nobody could sign in any more, or not this service.
func signIn(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		after, before := p.After[device], p.Before[device]
		at := network.PortRef{Device: device}
		if s := after.Settings; s["sign-in"] == "radius" && s["sign-in-servers"] == "" && (before.Settings["sign-in"] != "radius" || before.Settings["sign-in-servers"] != "") {
			out = append(out, Finding{
				ID: "sign-in:" + device + ":servers", Guard: "sign-in", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s would ask RADIUS servers who may sign in, and knows none.", device), Why: "Whoever signs in would wait for an answer that never comes.",
				Do: "Name the servers, or leave it to the users of the device.", Fix: []intent.Edit{{Port: at, Field: "sign-in", Value: "local"}},
			})
		}
		user := p.SignsInAs[device]
		object := setting.Object(setting.OnUser, user)
		was, had := before.Objects[object]
		is, has := after.Objects[object]
		if user == "" || !had || has && is["role"] == was["role"] && is["password"] == was["password"] {
			continue
		}
		what := fmt.Sprintf("the role and password of %s on %s would change", user, device)
		if !has {
			what = fmt.Sprintf("user %s of %s would be removed", user, device)
		}
		out = append(out, Finding{
			ID: "sign-in:" + device + ":service", Guard: "sign-in", Level: Warn, Ports: []network.PortRef{{Device: device, Port: object}},
			What: fmt.Sprintf("This service signs in as %s, and %s.", user, what), Why: "It could be kept out after the trial, when its session ends.",
			Do: "Leave that user alone, or give the service another one first.",
		})
	}
	return out
}

// snmp finds who could ask, or be told, without being known.
func snmp(p Proposal) []Finding {
	var out []Finding
	p.objectsOf(setting.OnCommunity, func(at network.PortRef, name string, before, after network.Settings) {
		if maps.Equal(before, after) && before != nil {
			return
		}
		if after["access"] == "read-write" && after["from"] == "" {
			out = append(out, Finding{
				ID: "snmp:" + at.String(), Guard: "snmp", Level: Warn, Ports: []network.PortRef{at},
				What: fmt.Sprintf("Whoever knows the word of community %s could set things on %s, from anywhere.", name, at.Device), Why: "The word goes over the network in the clear.",
				Do: "Say from where it is good, or let it read only.", Fix: []intent.Edit{{Port: at, Field: "access", Value: "read"}},
			})
		}
	})
	p.objectsOf(setting.OnSNMPUser, func(at network.PortRef, name string, before, after network.Settings) {
		if maps.Equal(before, after) && before != nil {
			return
		}
		for _, need := range []struct{ kind, secret, word string }{{"auth", "auth-secret", "authentication"}, {"privacy", "privacy-secret", "privacy"}} {
			if after[need.kind] != "none" && after[need.secret] == "" {
				out = append(out, Finding{
					ID: fmt.Sprintf("snmp:%s:%s", at, need.kind), Guard: "snmp", Level: Stop, Ports: []network.PortRef{at},
					What: fmt.Sprintf("SNMP user %s of %s has %s and no secret for it.", name, at.Device, need.word), Why: "No message of it would be taken.",
					Do: fmt.Sprintf("Give it a secret, or set %s=none.", need.kind),
				})
			}
		}
	})
	p.objectsOf(setting.OnReceiver, func(at network.PortRef, name string, before, after network.Settings) {
		if maps.Equal(before, after) && before != nil || after["severity"] == "" {
			return
		}
		if after["address"] == "" || after["community"] == "" && after["snmp-user"] == "" {
			out = append(out, Finding{
				ID: "snmp:" + at.String(), Guard: "snmp", Level: Warn, Ports: []network.PortRef{at},
				What: fmt.Sprintf("Receiver %s of %s is to be told of things, and it is not said where or with which community or user.", name, at.Device),
				Why:  "Nothing would be sent.", Do: "Give it an address, and a community or an SNMP user.",
			})
		}
	})
	return out
}

// hostNames finds devices that would call themselves alike.
func hostNames(p Proposal) []Finding {
	var out []Finding
	by := map[string][]string{}
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		if h := p.After[device].Hostname; h != "" {
			by[h] = append(by[h], device)
		}
	}
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		h := p.After[device].Hostname
		if h == p.Before[device].Hostname || len(by[h]) < 2 {
			continue
		}
		at := network.PortRef{Device: device}
		other := by[h][0]
		if other == device {
			other = by[h][1]
		}
		out = append(out, Finding{
			ID: "host-name:" + device, Guard: "host-name", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would call itself %s, as %s does.", device, h, other), Why: "Neighbours could not tell them apart, nor could this service draw the links.",
			Do: "Give it a name of its own.", Fix: []intent.Edit{{Port: at, Field: "hostname", Value: p.Before[device].Hostname}},
		})
	}
	return out
}

// managementAddress finds devices that would have the address of another one, or one that is not of their network.
func managementAddress(p Proposal) []Finding {
	var out []Finding
	has := map[netip.Addr]string{}
	nets := map[string]netip.Prefix{} // by site and VLAN, of a device that does not move
	place := func(device string) string { return p.Site[device] + " " + p.After[device].ManagementVLAN.String() }
	prefix := func(device string) (netip.Prefix, bool) {
		a, err := netip.ParsePrefix(p.After[device].ManagementAddress)
		return a, err == nil
	}
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		a, ok := prefix(device)
		if ok && p.After[device].ManagementAddress == p.Before[device].ManagementAddress {
			has[a.Addr()], nets[place(device)] = device, a.Masked()
		}
	}
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		a, ok := prefix(device)
		if !ok || p.After[device].ManagementAddress == p.Before[device].ManagementAddress {
			continue
		}
		at := network.PortRef{Device: device}
		f := Finding{
			Guard: "management-address", Ports: []network.PortRef{at}, Fix: []intent.Edit{{Port: at, Field: "management-address", Value: p.Before[device].ManagementAddress}},
		}
		if other := has[a.Addr()]; other != "" {
			f.ID, f.Level = "management-address:"+device, Stop
			f.What = fmt.Sprintf("%s would have the address %s, as %s has.", device, a.Addr(), other)
			f.Why, f.Do = "Of two with one address nobody knows who answers.", "Give it an address of its own."
			out = append(out, f)
		} else if beside, known := nets[place(device)]; known && beside != a.Masked() {
			f.ID, f.Level = "management-address:"+device+":network", Warn
			f.What = fmt.Sprintf("%s would have the address %s among others of %s.", device, a, beside)
			f.Why, f.Do = "What is not of the network of its VLAN is not found in it.", fmt.Sprintf("Take an address of %s, or accept this and let the trial prove it.", beside)
			out = append(out, f)
		}
		has[a.Addr()] = device
	}
	return out
}

// trafficClasses finds code points that would be in two classes.
func trafficClasses(p Proposal) []Finding {
	var out []Finding
	in := map[string]string{} // by device and code point
	p.objectsOf(setting.OnClass, func(at network.PortRef, name string, before, after network.Settings) {
		for _, dscp := range setting.Items(after["class-dscp"]) {
			key := at.Device + " " + dscp
			other := in[key]
			if in[key] = name; other == "" {
				continue
			}
			was := p.Before[at.Device].Objects[setting.Object(setting.OnClass, other)]
			if maps.Equal(before, after) && maps.Equal(was, p.After[at.Device].Objects[setting.Object(setting.OnClass, other)]) {
				continue
			}
			out = append(out, Finding{
				ID: fmt.Sprintf("class:%s:%s", at, dscp), Guard: "class", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("DSCP %s would be in classes %s and %s of %s.", dscp, other, name, at.Device), Why: "It is not said how such frames are sent.",
				Do: fmt.Sprintf("Take it out of class %s.", other),
			})
		}
	})
	return out
}
