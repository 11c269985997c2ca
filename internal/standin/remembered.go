package standin

import (
	"cmp"
	"slices"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// PastConfig is a configuration that a device had before, as another system would have kept it.
type PastConfig struct {
	Device, By      string // By changed the device to it; "" for the first that is known
	At              time.Time
	Model, Firmware string
	Document        []byte
}

// whoChanged are people of the company who set devices up by hand before there was a service.
var whoChanged = []string{"bram", "coral", "edda"}

// Remembered are the configurations that devices had in the days before a time: people described ports, moved them to other VLANs and switched them on.
func (w *World) Remembered(days int, to time.Time) []PastConfig {
	w.mu.Lock()
	defer w.mu.Unlock()
	begin := to.Add(-time.Duration(days) * 24 * time.Hour)
	var out []PastConfig
	for _, name := range w.names {
		d := w.devices[name]
		if d.crated {
			continue
		}
		changes := 0
		if d.spec.Role == "switch" {
			changes = int(hashOf(name, "changes") % 4)
		}
		if changes == 0 {
			continue
		}
		tree := d.running.Clone()
		list := []PastConfig{}
		for i := changes; i >= 0; i-- { // from what it runs now back to the first
			p := PastConfig{Device: name, At: begin, Model: d.spec.Model, Firmware: d.spec.Firmware, Document: tree.Indented()}
			if i > 0 {
				p.At = begin.Add(time.Duration(i) * to.Sub(begin) / time.Duration(changes+1)).Add(-time.Duration(hashOf(name, i)%72) * time.Hour / 3).Truncate(time.Minute)
				p.By = whoChanged[hashOf(name, i, "by")%uint32(len(whoChanged))]
			}
			list = append(list, p)
			if i > 0 && !takeBack(tree, name, i) {
				list[len(list)-1].At, list[len(list)-1].By = begin, ""
				break
			}
		}
		out = append(out, list...)
	}
	slices.SortStableFunc(out, func(a, b PastConfig) int { return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Device, b.Device)) })
	return out
}

// takeBack undoes a change of a port in a configuration; ok is false where there is nothing that could have been changed.
func takeBack(tree *xmlnode.Node, device string, change int) (ok bool) {
	var ports []*xmlnode.Node
	for _, i := range tree.Child("interfaces").All("interface") {
		if i.TextAt("config/description") != "" && i.TextAt("ethernet/switched-vlan/config/interface-mode") == "ACCESS" && i.TextAt("config/enabled") != "false" {
			ports = append(ports, i)
		}
	}
	if len(ports) == 0 {
		return false
	}
	port := ports[hashOf(device, change, "port")%uint32(len(ports))]
	config := port.Child("config")
	switch hashOf(device, change, "what") % 3 {
	case 0:
		config.Remove(config.Child("description"))
	case 1:
		vlan := port.Find("ethernet/switched-vlan/config").Child("access-vlan")
		for _, v := range tree.Find("network-instances/network-instance").Child("vlans").All("vlan") {
			if id := v.TextAt("vlan-id"); vlan != nil && id != vlan.Text && id != "10" {
				vlan.Text = id
				break
			}
		}
	default:
		if e := config.Child("enabled"); e != nil {
			e.Text = "false"
		} else {
			config.Add(in("oc-if").leaf("enabled", "false"))
		}
		config.Child("description").Text = "Spare"
	}
	return true
}
