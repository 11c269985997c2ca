package standin

import (
	"fmt"
	"slices"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// storage is what a configuration says of who may see what: fabrics, and zones in them.
type storage struct {
	fabricOf map[string]string // of a port
	zones    []zone            // that are in force
}

type zone struct {
	fabric string
	ports  []string
}

func (c *compiled) compileStorage(tree *xmlnode.Node) {
	s := tree.Child("storage")
	if s == nil {
		return
	}
	c.storage.fabricOf = map[string]string{}
	for _, f := range s.All("fabric") {
		for _, p := range f.Child("ports").All("port") {
			c.storage.fabricOf[p.Text] = f.TextAt("name")
		}
	}
	for _, z := range s.All("zone") {
		if z.TextAt("active") == "false" {
			continue
		}
		one := zone{fabric: z.TextAt("fabric")}
		for _, p := range z.Child("ports").All("port") {
			one.ports = append(one.ports, p.Text)
		}
		c.storage.zones = append(c.storage.zones, one)
	}
}

// seesPort tells whether what is plugged into one port sees what is plugged into another: in one fabric, and named by a zone
// of it together.
func (s storage) seesPort(a, b string) bool {
	fabric := s.fabricOf[a]
	return fabric != "" && s.fabricOf[b] == fabric && slices.ContainsFunc(s.zones, func(z zone) bool {
		return z.fabric == fabric && slices.Contains(z.ports, a) && slices.Contains(z.ports, b)
	})
}

// storageState tells who has logged in, and whom each sees.
func (d *device) storageState(n *xmlnode.Node, _ time.Time) {
	if d.spec.Model != "H16S" {
		return
	}
	x := in("ep-st")
	hosts := d.world.hostsAt[d.spec.Name]
	for _, h := range hosts {
		if !d.ports[h.at.port].up {
			continue
		}
		kind := "host"
		if hasWord(h.Name, "array") {
			kind = "storage"
		}
		login := x.node("login", x.leaf("port", h.at.port), x.leaf("name", h.Name), x.leaf("address", wwn(h.MAC)), x.leaf("kind", kind))
		for _, o := range hosts {
			if o != h && d.ports[o.at.port].up && d.cfg.storage.seesPort(h.at.port, o.at.port) {
				login.Add(x.leaf("sees", o.at.port))
			}
		}
		n.Add(login)
	}
}

// wwn is a world-wide name that is made of a hardware address.
func wwn(mac string) string { return fmt.Sprintf("21:00:%s", mac) }
