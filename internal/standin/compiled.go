package standin

import (
	"net"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// compiled is what a configuration tree comes to for forwarding, worked out once each time a configuration starts to run.
type compiled struct {
	hostname   string
	ports      map[string]portConfig // and bundles
	vlans      map[int]bool          // that are active
	management int                   // the VLAN in which the device has its own address, 0 for none
	stp        bool
	mst        mstConfig
	times      stpTimes
	timed      bool     // a server sets its clock
	names      []string // servers that it asks for names
	priority   int      // of the bridge

	off map[string]bool // services that are switched off

	switching
	classes  classes
	pair     pairConfig
	rings    map[string]ringConfig
	members  map[string]int // priorities of members of a stack
	storage  storage
	firewall firewall
	routed   routingConfig
	wireless wirelessConfig
	tunnels  []tunnelConfig       // by name
	ways     []*way               // of traffic to other sites, in their order
	carriers map[string]carrier   // ends of radio links, by port
	blocked  map[string]time.Time // stations of which nothing passes, and until when; zero: for good
	limited  map[string]stationLimit
	at       time.Time // by the clock of the device, as of the last time that the world settled
	manage   managed
	telling  telling
	asking   asking
	signIn   signIn
	callHome string            // host:port to call; "" for none
	keys     map[string]string // by which users are let in
	users    map[string]localUser
}

type portConfig struct {
	enabled, poe bool
	untagged     int // 0: none
	tagged       []vlanSpan
	lag          string
	portSwitching
}

type vlanSpan struct{ low, high int }

// passesTagged reports whether frames tagged with v pass.
func (p portConfig) passesTagged(v int) bool { return inSpans(p.tagged, v) }

func inSpans(spans []vlanSpan, v int) bool {
	for _, s := range spans {
		if v >= s.low && v <= s.high {
			return true
		}
	}
	return false
}

func compile(tree *xmlnode.Node) *compiled {
	c := &compiled{times: stpTimes{maxAge: 20, hello: 2, forward: 15 * time.Second}, hostname: tree.TextAt("system/config/hostname"), ports: map[string]portConfig{}, vlans: map[int]bool{}, priority: 32768, keys: map[string]string{}, off: map[string]bool{}}
	for _, s := range tree.Child("services").All("service") {
		c.off[s.TextAt("name")] = s.TextAt("enabled") == "false"
	}
	ntp := tree.Find("system/ntp")
	c.timed = ntp.TextAt("config/enabled") == "true" && ntp.Find("servers/server") != nil
	for _, n := range tree.Find("system/dns/servers").All("server") {
		c.names = append(c.names, n.TextAt("address"))
	}
	c.compileUsers(tree)
	if home := tree.Find("netconf-server/call-home/netconf-client/endpoints/endpoint/ssh/tcp-client-parameters"); home != nil {
		c.callHome = net.JoinHostPort(home.TextAt("remote-address"), home.TextAt("remote-port"))
	}
	for _, v := range tree.Find("network-instances/network-instance").Child("vlans").All("vlan") {
		if id, err := strconv.Atoi(v.TextAt("vlan-id")); err == nil && v.TextAt("config/status") != "SUSPENDED" {
			c.vlans[id] = true
		}
	}
	interfaces := tree.Child("interfaces").All("interface")
	for _, i := range interfaces {
		if v := i.TextAt("routed-vlan/config/vlan"); v != "" {
			if c.management == 0 && i.TextAt("config/enabled") != "false" {
				c.management, _ = strconv.Atoi(v)
			}
			continue
		}
		p := portConfig{enabled: i.TextAt("config/enabled") != "false", poe: i.Find("ethernet/poe/config").TextAt("enabled") != "false",
			lag: i.TextAt("ethernet/config/aggregate-id")}
		sv := i.Find("ethernet/switched-vlan/config")
		if sv == nil {
			sv = i.Find("aggregation/switched-vlan/config")
		}
		p.untagged, p.tagged = compileVLANs(sv)
		p.link(i)
		c.ports[i.TextAt("name")] = p
	}
	c.compileSwitching(tree)
	c.compileClasses(tree)
	c.compileRedundancy(tree)
	c.compileStorage(tree)
	c.compileFirewall(tree)
	c.compileRouting(tree)
	c.compileWireless(tree)
	c.compileTunnels(tree)
	c.compileSteering(tree)
	c.compileCarriers(tree)
	c.compileBlocked(tree)
	c.compileManagement(tree)
	c.compileTelling(tree)
	c.compileAsking(tree)
	c.compileSignIn(tree)
	for name, p := range c.ports {
		if p.lag != "" { // a member forwards what its bundle does
			bundle := c.ports[p.lag]
			p.untagged, p.tagged, p.service, p.services = bundle.untagged, bundle.tagged, bundle.service, bundle.services
			p.enabled = p.enabled && bundle.enabled
			c.ports[name] = p
		}
	}
	if stp := tree.Child("stp"); stp != nil {
		c.mst = compileInstances(stp)
		c.stp = c.mst.on || protocol(stp, "RSTP")
		if n, err := strconv.Atoi(stp.TextAt("rstp/config/bridge-priority")); err == nil {
			c.priority = n
		}
		c.times.read(stp.Find("rstp/config"))
	}
	return c
}

func compileVLANs(sv *xmlnode.Node) (untagged int, tagged []vlanSpan) {
	if sv.TextAt("interface-mode") != "TRUNK" {
		untagged, _ = strconv.Atoi(sv.TextAt("access-vlan"))
		return untagged, nil
	}
	untagged, _ = strconv.Atoi(sv.TextAt("native-vlan"))
	for _, t := range sv.All("trunk-vlans") {
		if low, high, err := vlanRange(strings.TrimSpace(t.Text)); err == nil {
			tagged = append(tagged, vlanSpan{low, high})
		}
	}
	return untagged, tagged
}
