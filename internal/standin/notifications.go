package standin

import (
	"context"
	"fmt"
	"net"
	"slices"
	"strconv"
	"time"

	"github.com/gosnmp/gosnmp"

	"example.net/everypost/internal/wire/snmp"
	"example.net/everypost/internal/wire/xmlnode"
)

// telling is whom a configuration has the device tell what happens: syslog servers (RFC 5424), and receivers of traps.
type telling struct {
	syslog    []string
	receivers []receiver
}

// receiver is told what is at least of a severity: as a user of SNMPv3, or by SNMPv2c with a community.
type receiver struct {
	address, community string
	user               *snmp.User
	least              int // 0 critical to 3 warning, 4 all
}

var severities = []string{"critical", "major", "minor", "warning", "all"}

func (c *compiled) compileTelling(tree *xmlnode.Node) {
	for _, s := range tree.Find("system/logging/remote-servers").All("remote-server") {
		c.telling.syslog = append(c.telling.syslog, s.TextAt("host"))
	}
	plane := tree.Find("management-plane/snmp")
	versions := plane.TextAt("versions")
	words, users := map[string]string{}, map[string]*snmp.User{}
	if versions == "v2c" || versions == "v2c-and-v3" {
		for _, one := range plane.All("community") {
			words[one.TextAt("name")] = one.TextAt("secret")
		}
	}
	if versions == "v3" || versions == "v2c-and-v3" {
		for _, one := range plane.All("user") {
			u := snmpUser(one)
			users[u.Name] = &u
		}
	}
	for _, r := range plane.All("receiver") {
		least := slices.Index(severities, r.TextAt("severity"))
		to := receiver{r.TextAt("to/address"), words[r.TextAt("community")], users[r.TextAt("user")], least}
		if least >= 0 && to.address != "" && (to.community != "" || to.user != nil) {
			c.telling.receivers = append(c.telling.receivers, to)
		}
	}
}

// happening is something that a device tells of.
type happening struct {
	severity int    // as in severities
	word     string // MSGID of RFC 5424
	text     string
	oid      string // of the trap, "" for none
	port     string
}

const (
	oidLinkDown = "1.3.6.1.6.3.1.1.5.3" // IF-MIB linkDown
	oidLinkUp   = "1.3.6.1.6.3.1.1.5.4" // IF-MIB linkUp
	severityAll = 4
)

// tells sends what happened to whom the device is set up to tell. It goes out as it is, and nobody answers: the time is that
// of the machine, since who receives it lives by that, as far as the device's clock is right. Only addresses of this machine are told: the others are made up.
func (d *device) tells(h happening) {
	for _, host := range d.cfg.telling.syslog {
		level := []int{2, 3, 4, 5, 6}[h.severity] // RFC 5424 section 6.2.1
		text := fmt.Sprintf("<%d>1 %s %s %s - %s - %s", 23*8+level, time.Now().Add(d.ahead(d.world.clock.now())).UTC().Format("2006-01-02T15:04:05.000Z"), d.cfg.hostname, d.spec.Model, h.word, h.text)
		d.datagram(host, d.world.opts.SyslogPort, 514, func(c net.Conn) { _, _ = c.Write([]byte(text)) })
	}
	for _, r := range d.cfg.telling.receivers {
		if h.oid == "" || h.severity > r.least {
			continue
		}
		d.datagram(r.address, d.world.opts.TrapPort, 162, func(c net.Conn) { d.trap(c, r, h) })
	}
}

// datagram calls send with a connection to an address of this machine.
func (d *device) datagram(host string, port, usual int, send func(net.Conn)) {
	if ip := net.ParseIP(host); ip == nil || !ip.IsLoopback() {
		return
	}
	if port == 0 {
		port = usual
	}
	c, err := net.Dial("udp", net.JoinHostPort(host, strconv.Itoa(port)))
	if err != nil {
		return
	}
	send(c)
	_ = c.Close()
}

// trap sends a notification of IF-MIB (RFC 2863), as SNMPv3 where the receiver is a user of it.
func (d *device) trap(c net.Conn, r receiver, h happening) {
	s := &gosnmp.GoSNMP{Conn: c, Target: r.address, Community: r.community, Version: gosnmp.Version2c, Timeout: time.Second, MaxOids: gosnmp.MaxOids, Transport: "udp", Context: context.Background()}
	if r.user != nil { // the sender of what is not answered is the one whose clock counts (RFC 3412 section 6.4)
		now := &snmp.Agent{EngineID: d.engineID(), Boots: uint32(d.booted.Unix()), Began: d.booted, Now: d.world.clock.now()} //nolint:gosec // seconds since 1970
		s.Version, s.SecurityModel, s.ContextEngineID = gosnmp.Version3, gosnmp.UserSecurityModel, d.engineID()
		s.MsgFlags, s.SecurityParameters = now.Params(*r.user)
	}
	index := 1 + slices.IndexFunc(d.spec.Ports, func(p PortSpec) bool { return p.Name == h.port })
	oper := map[string]int{oidLinkDown: 2, oidLinkUp: 1}[h.oid]
	admin := map[bool]int{true: 1, false: 2}[d.cfg.ports[h.port].enabled]
	at := func(column int) string { return fmt.Sprintf("1.3.6.1.2.1.2.2.1.%d.%d", column, index) }
	_, _ = s.SendTrap(gosnmp.SnmpTrap{Variables: []gosnmp.SnmpPDU{
		{Name: "1.3.6.1.6.3.1.1.4.1.0", Type: gosnmp.ObjectIdentifier, Value: "." + h.oid},
		{Name: at(1), Type: gosnmp.Integer, Value: index}, {Name: at(7), Type: gosnmp.Integer, Value: admin}, {Name: at(8), Type: gosnmp.Integer, Value: oper},
		{Name: "1.3.6.1.2.1.31.1.1.1.1." + strconv.Itoa(index), Type: gosnmp.OctetString, Value: h.port},
	}})
}

// linkChanged tells of a port's link: its loss is a minor matter, its return only for who wants all.
func (d *device) linkChanged(p *portSim) {
	h := happening{2, "LINKDOWN", "the link of " + p.spec.Name + " is down", oidLinkDown, p.spec.Name}
	if p.up {
		h = happening{severityAll, "LINKUP", "the link of " + p.spec.Name + " is up", oidLinkUp, p.spec.Name}
	}
	d.tells(h)
}
