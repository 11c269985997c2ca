package standin

import (
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/snmp"
	"example.net/everypost/internal/wire/xmlnode"
)

// asking is who may ask a device by SNMP.
type asking struct {
	versions    []gosnmp.SnmpVersion
	communities []snmp.Community
	users       []snmp.User
}

func (c *compiled) compileAsking(tree *xmlnode.Node) {
	plane := tree.Find("management-plane/snmp")
	c.asking.versions = map[string][]gosnmp.SnmpVersion{"v2c": {gosnmp.Version2c}, "v3": {gosnmp.Version3}, "v2c-and-v3": {gosnmp.Version2c, gosnmp.Version3}}[plane.TextAt("versions")]
	for _, one := range plane.All("community") {
		word := snmp.Community{Word: one.TextAt("secret"), Write: one.TextAt("access") == "read-write"}
		for _, p := range one.Child("from").All("prefix") {
			if prefix, err := netip.ParsePrefix(p.Text); err == nil {
				word.From = append(word.From, prefix)
			}
		}
		c.asking.communities = append(c.asking.communities, word)
	}
	for _, one := range plane.All("user") {
		c.asking.users = append(c.asking.users, snmpUser(one))
	}
}

// snmpUser reads a user of SNMPv3. What is not said is as the model has it: proven by SHA-256, hidden by AES.
func snmpUser(n *xmlnode.Node) snmp.User {
	u := snmp.User{Name: n.TextAt("name"), Auth: gosnmp.SHA256, Privacy: gosnmp.AES, AuthSecret: n.TextAt("auth-secret"), PrivacySecret: n.TextAt("privacy-secret"),
		Write: n.TextAt("access") == "read-write"}
	switch n.TextAt("auth") {
	case "sha-1":
		u.Auth = gosnmp.SHA
	case "none":
		u.Auth = gosnmp.NoAuth
	}
	if n.TextAt("privacy") == "none" {
		u.Privacy = gosnmp.NoPriv
	}
	return u
}

// settleAsking has a device listen for questions where it may be asked: over UDP at the address and the number of the port at
// which it is managed.
func (d *device) settleAsking() {
	if d.listener == nil || d.listener.Listener == nil || d.world.closed {
		return
	}
	at := d.listener.Addr().(*net.TCPAddr)
	want := len(d.cfg.asking.versions) > 0
	if d.asked != nil && (!want || !d.asked.LocalAddr().(*net.UDPAddr).IP.Equal(at.IP)) {
		_ = d.asked.Close()
		d.asked = nil
	}
	if !want || d.asked != nil {
		return
	}
	c, err := net.ListenPacket("udp", at.String())
	if err != nil {
		return // somebody else has it: nobody is answered
	}
	d.asked = c
	d.world.wg.Go(func() { snmp.Serve(c, d.snmpAgent) })
}

// endAsking ends it for good.
func (d *device) endAsking() {
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	if d.asked != nil {
		_ = d.asked.Close()
		d.asked = nil
	}
}

// snmpAgent is how the device answers a question at this moment, nil while nobody reaches it.
func (d *device) snmpAgent() *snmp.Agent {
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	if !d.world.reached[d.spec.Name] || !d.powered || d.booting || d.hung || d.lost || !d.letsManage() {
		return nil
	}
	return &snmp.Agent{
		EngineID: d.engineID(), Boots: uint32(d.booted.Unix()), Began: d.booted, Now: d.world.clock.now(), //nolint:gosec // seconds since 1970
		Versions: d.cfg.asking.versions, Communities: d.cfg.asking.communities, Users: d.cfg.asking.users,
		Objects: d.objects, Set: d.setObjects,
	}
}

// engineID is by RFC 3411: of the enterprise number that is kept for examples (RFC 5612), and a text.
func (d *device) engineID() string {
	return "\x80\x00\x7e\xd9\x04" + d.spec.Serial[:min(len(d.spec.Serial), 27)]
}

const (
	mib2    = "1.3.6.1.2.1."
	ifTable = mib2 + "2.2.1."
	ifX     = mib2 + "31.1.1.1."
)

// objects are those of SNMPv2-MIB (system), and of IF-MIB (ifTable, ifXTable) for each port.
func (d *device) objects() []snmp.Object {
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	now := d.world.clock.now()
	about := d.running.Child("about")
	ticks := func(t time.Time) uint32 { return uint32(max(t.Sub(d.booted), 0) / (10 * time.Millisecond)) } //nolint:gosec // they wrap around, RFC 3418
	out := []snmp.Object{
		{OID: mib2 + "1.1.0", Type: gosnmp.OctetString, Value: fmt.Sprintf("%s %s, firmware %s", d.spec.Maker, d.spec.Model, d.spec.Firmware)},
		{OID: mib2 + "1.2.0", Type: gosnmp.ObjectIdentifier, Value: "1.3.6.1.4.1.32473.1"},
		{OID: mib2 + "1.3.0", Type: gosnmp.TimeTicks, Value: ticks(now)},
		{OID: mib2 + "1.4.0", Type: gosnmp.OctetString, Value: about.TextAt("contact")},
		{OID: mib2 + "1.5.0", Type: gosnmp.OctetString, Value: d.cfg.hostname},
		{OID: mib2 + "1.6.0", Type: gosnmp.OctetString, Value: about.TextAt("location")},
		{OID: mib2 + "1.7.0", Type: gosnmp.Integer, Value: 2}, // it works at layer 2
		{OID: mib2 + "2.1.0", Type: gosnmp.Integer, Value: len(d.spec.Ports)},
	}
	for i, spec := range d.spec.Ports {
		at := "." + strconv.Itoa(i+1)
		p, speed := d.ports[spec.Name], d.speedOf(spec.Name)
		add := func(column string, t gosnmp.Asn1BER, v any) {
			out = append(out, snmp.Object{OID: column + at, Type: t, Value: v})
		}
		count := func(column string, f float64) { add(ifTable+column, gosnmp.Counter32, uint32(uint64(f))) } //nolint:gosec // it wraps around, RFC 2863
		add(ifTable+"1", gosnmp.Integer, i+1)
		add(ifTable+"2", gosnmp.OctetString, spec.Name)
		add(ifTable+"3", gosnmp.Integer, 6) // ethernetCsmacd
		add(ifTable+"5", gosnmp.Gauge32, uint32(min(uint64(speed)*1_000_000, 4_294_967_295)))
		if mac, err := net.ParseMAC(p.mac); err == nil {
			add(ifTable+"6", gosnmp.OctetString, []byte(mac))
		}
		add(ifTable+"7", gosnmp.Integer, upDown(d.cfg.ports[spec.Name].enabled))
		add(ifTable+"8", gosnmp.Integer, upDown(p.up))
		add(ifTable+"9", gosnmp.TimeTicks, ticks(p.changed))
		count("10", p.counters.inOctets)
		count("11", p.counters.inUnicast)
		count("13", p.counters.inDiscards)
		count("14", p.counters.inErrors)
		count("16", p.counters.outOctets)
		count("17", p.counters.outUnicast)
		add(ifX+"1", gosnmp.OctetString, spec.Name)
		add(ifX+"6", gosnmp.Counter64, uint64(p.counters.inOctets))
		add(ifX+"10", gosnmp.Counter64, uint64(p.counters.outOctets))
		add(ifX+"15", gosnmp.Gauge32, uint32(speed)) //nolint:gosec // Mbit/s
		add(ifX+"18", gosnmp.OctetString, d.interfaceConfig(d.running, spec.Name).TextAt("description"))
	}
	return out
}

func upDown(up bool) int {
	if up {
		return 1
	}
	return 2
}

// interfaceConfig is what is set on a port, nil where nothing is.
func (d *device) interfaceConfig(tree *xmlnode.Node, port string) *xmlnode.Node {
	for _, i := range tree.Child("interfaces").All("interface") {
		if i.TextAt("name") == port {
			return i.Child("config")
		}
	}
	return nil
}

// setObjects sets what a manager may: who looks after the device, its name and place, and of ports what they are for and whether
// they work.
func (d *device) setObjects(by string, list []snmp.Object) error {
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	if d.pending != nil || d.locks[netconf.Running] != 0 {
		return snmp.Refusal(gosnmp.ResourceUnavailable) // somebody else changes it
	}
	tree := d.running.Clone()
	for _, o := range list {
		if err := d.setObject(tree, o); err != nil {
			return err
		}
	}
	if validate(tree) != nil {
		return snmp.Refusal(gosnmp.WrongValue)
	}
	d.run(tree, &netconf.ServerSession{User: by})
	d.save()
	return nil
}

func (d *device) setObject(tree *xmlnode.Node, o snmp.Object) error {
	put := func(parent *xmlnode.Node, name, value string) error {
		if parent == nil {
			return snmp.Refusal(gosnmp.NoCreation)
		}
		leaf := parent.Child(name)
		if leaf == nil {
			leaf = xmlnode.New(parent.Space, name)
			parent.Add(leaf)
		}
		leaf.Text = value
		return nil
	}
	text, isText := o.Value.([]byte)
	number, isNumber := o.Value.(int)
	wants := func(ok bool, do func() error) error {
		if !ok {
			return snmp.Refusal(gosnmp.WrongType)
		}
		return do()
	}
	column, index := o.OID, ""
	if i := strings.LastIndexByte(o.OID, '.'); i >= 0 {
		column, index = o.OID[:i], o.OID[i+1:]
	}
	about := func() *xmlnode.Node {
		if o.OID == mib2+"1.5.0" {
			return tree.Ensure(namespaces["oc-sys"], "system").Ensure(namespaces["oc-sys"], "config")
		}
		return tree.Ensure(namespaces["ep-dev"], "about")
	}
	at := func() *xmlnode.Node {
		n, err := strconv.Atoi(index)
		if err != nil || n < 1 || n > len(d.spec.Ports) {
			return nil
		}
		return d.interfaceConfig(tree, d.spec.Ports[n-1].Name)
	}
	leaf, isAbout := map[string]string{mib2 + "1.4.0": "contact", mib2 + "1.5.0": "hostname", mib2 + "1.6.0": "location"}[o.OID]
	switch {
	case isAbout:
		return wants(isText, func() error { return put(about(), leaf, string(text)) })
	case column == ifX+"18":
		return wants(isText, func() error { return put(at(), "description", string(text)) })
	case column == ifTable+"7" && isNumber && !slices.Contains([]int{1, 2}, number):
		return snmp.Refusal(gosnmp.WrongValue)
	case column == ifTable+"7":
		return wants(isNumber, func() error { return put(at(), "enabled", strconv.FormatBool(number == 1)) })
	}
	return snmp.Refusal(gosnmp.NotWritable)
}
