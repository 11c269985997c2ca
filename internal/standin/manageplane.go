package standin

import (
	"cmp"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// managed is what a configuration says of how the device is managed.
type managed struct {
	from    []netip.Prefix // addresses that may reach it; none for all
	vlans   []vlanSpan     // VLANs from which it may be reached; none for all
	address string         // its own, without the prefix
	ownPort string         // the port that has its own address, "" when a VLAN has
	vrf     string         // in which that port is, "" for the one of all
	inputs  map[string]contactInput
}

type contactInput struct {
	text, alarmWhen string
	severity        int
}

func (c *compiled) compileManagement(tree *xmlnode.Node) {
	for _, from := range tree.Find("management/allowed").All("from") {
		if p, err := netip.ParsePrefix(from.Text); err == nil {
			c.manage.from = append(c.manage.from, p)
		}
	}
	plane := tree.Child("management-plane")
	for _, v := range plane.Child("allowed").All("vlan") {
		if low, high, err := vlanRange(v.Text); err == nil {
			c.manage.vlans = append(c.manage.vlans, vlanSpan{low, high})
		}
	}
	for _, i := range tree.Child("interfaces").All("interface") {
		if a := i.Find("routed-vlan/ipv4/addresses/address"); a != nil && c.manage.address == "" {
			c.manage.address = a.TextAt("ip")
		}
	}
	if c.manage.ownPort = plane.TextAt("own-port/port"); c.manage.ownPort != "" {
		c.management = 0
	}
	c.manage.vrf = plane.TextAt("vrf")
	c.manage.inputs = map[string]contactInput{}
	for _, i := range plane.All("contact-input") {
		severity := slices.Index(severities, cmp.Or(i.TextAt("severity"), "warning"))
		c.manage.inputs[i.TextAt("number")] = contactInput{i.TextAt("text"), cmp.Or(i.TextAt("alarm-when"), "open"), max(severity, 0)}
	}
}

// manager is from where the service comes in this world: from the machine itself.
var manager = netip.AddrFrom4([4]byte{127, 0, 0, 1})

// letsManage tells whether a device lets itself be managed from where the service is, by the VLAN by which that comes in.
func (d *device) letsManage() bool {
	m := d.cfg.manage
	byAddress := len(m.from) == 0 || slices.ContainsFunc(m.from, func(p netip.Prefix) bool { return p.Contains(manager) })
	byVLAN := len(m.vlans) == 0 || d.cfg.management == 0 ||
		slices.ContainsFunc(m.vlans, func(s vlanSpan) bool { return d.cfg.management >= s.low && d.cfg.management <= s.high })
	return byAddress && byVLAN
}

// settleAddress has a device listen at the address that it is given. It is found at addresses of this machine only; at the one
// with which it left the box it listens where it did.
func (d *device) settleAddress() {
	address := d.cfg.manage.address
	if d.listener == nil || d.listener.Listener == nil || d.server == nil || address == "" || d.world.closed {
		return
	}
	if address == d.spec.ManagementIP {
		address = d.spec.Loopback
	}
	ip := net.ParseIP(address)
	if d.lost = ip == nil || !ip.IsLoopback(); d.lost {
		return
	}
	at := d.listener.Addr().(*net.TCPAddr)
	if at.IP.Equal(ip) {
		return
	}
	l, err := net.Listen("tcp", net.JoinHostPort(address, strconv.Itoa(at.Port)))
	if err != nil {
		d.lost = true
		return
	}
	old := d.listener
	d.listener = newGatedListener(l, d.gate)
	d.serve(d.world.running, d.listener)
	old.setDown(true) // who is connected at the old address is there no more
	_ = old.Close()
}

// atOwnPorts lists the devices of which the own port is plugged into an untagged port of a room.
func (w *World) atOwnPorts(r room) (out []string) {
	for _, c := range w.cablesAt[r.device] {
		near, far := c.a, c.b
		if far.device == r.device {
			near, far = far, near
		}
		own := w.devices[far.device].cfg.manage.ownPort
		if own == far.port && w.at(near).up && w.at(far).up && w.devices[near.device].cfg.ports[near.port].untagged == r.vlan {
			out = append(out, far.device)
		}
	}
	return out
}

// flipContact opens or closes the contact at an input: device:1.
func (w *World) flipContact(target string) error {
	name, input, _ := strings.Cut(target, ":")
	d := w.devices[name]
	if d == nil || !slices.Contains(modelFeatures[d.spec.Model].management, "contact-inputs") || within(1, 16)(input) != nil {
		return fmt.Errorf("%q is no contact input: give a device that has some and the number of the input, such as kb-sw-01:1", target)
	}
	defer func() {
		if i, ok := d.cfg.manage.inputs[input]; ok && d.contact(input) == i.alarmWhen {
			d.tells(happening{i.severity, "CONTACT", i.text, "", ""})
		}
	}()
	d.contacts[input] = map[string]string{"open": "closed", "closed": "open"}[d.contact(input)]
	return nil
}

// contact tells how the contact at an input is.
func (d *device) contact(input string) string {
	if c := d.contacts[input]; c != "" {
		return c
	}
	return "closed"
}

func (d *device) managementState(plane *xmlnode.Node, _ time.Time) {
	x := in("ep-mg")
	for _, i := range plane.All("contact-input") {
		i.Add(x.leaf("contact", d.contact(i.TextAt("number"))))
	}
}
