package netconf

import (
	"context"
	"encoding/hex"
	"maps"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/standin"
)

// someSwitches are sessions to switches of a simulated world, which have every feature between them.
func someSwitches(t *testing.T, names ...string) (map[string]driver.Session, *standin.World) {
	t.Helper()
	w, err := standin.New(standin.LanternSound(), standin.Options{User: "admin", Password: "secret"})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	out := map[string]driver.Session{}
	for _, name := range names {
		s, err := Connector{Secrets: openBox{}}.Connect(t.Context(), driver.Target{Address: w.Address(name), User: "admin", Password: "secret",
			HostKey: ssh.FingerprintSHA256(w.HostKey(name))})
		require.NoError(t, err)
		t.Cleanup(func() { _ = s.Close() })
		out[name] = s
	}
	return out, w
}

// openBox keeps secrets in the references to them.
type openBox struct{}

// twice is a secret that is too short for what it is for, and stands there twice.
const twice = "tide-tables-"

func (openBox) Hide(plain string) (string, error) {
	plain = strings.Replace(plain, twice+twice, twice, 1)
	return "secret:" + hex.EncodeToString([]byte(plain)), nil
}

func (openBox) Reveal(reference string) (string, error) {
	plain, err := hex.DecodeString(strings.TrimPrefix(reference, "secret:"))
	return strings.Replace(string(plain), twice, twice+twice, 1), err
}

// somethingElse is a value of a setting that is good on the switch and not the one it has.
func somethingElse(s setting.Setting, now string) string {
	candidates := map[string][]string{
		"follow": {"1/1/9"}, "sources": {"1/1/3,1/1/4"}, "to": {"1/1/5"}, "hours": {"mon-fri 06:00-19:00, sat 08:00-12:00"},
		"zone-vlans": {"120-130"}, "interfaces": {"lan5,lan6"}, "addresses": {"10.7.20.0/24,10.7.30.1-10.7.30.9,tides.example.net"}, "services": {"tcp/8443,udp/500-510,icmp"}, "members": {map[bool]string{true: "web", false: "desks"}[slices.Contains(s.On, setting.OnService)]},
		"rules": {"allow from office,crew to outside source desks,10.7.40.0/24 destination booking service web,udp/123 until 2027-01-31 log on note \"<all> & \\\"more\\\", kept\"\ndeny from any to any",
			"permit tcp from 10.4.50.0/24 to any port 443\ndeny udp from any port 67-68 to 10.4.1.1/32\npermit ip from any to any"},
		"time-zone": {"Europe/London"}, "ntp-servers": {"10.1.1.1,10.1.1.2"}, "dns-servers": {"10.1.1.3"}, "syslog-servers": {"10.1.1.4"},
		"radius-servers": {"10.1.1.5"}, "management-from": {"10.0.0.0/8,127.0.0.0/8"}, "schedule": {"office"}, "acl-in": {"guests"}, "bundle": {"lag1"},
		"hostname": {"gate-switch"}, "fabric": {"none", "side-1"}, "community": {"watch"}, "snmp-user": {"watch"}, "peer-bundle": {"lag1", "none"}, "management-port": {"1/1/7", "mgmt0"},
		"management-vrf": {"own"}, "vrf": {"own"}, "management-in": {"10,20-30"}, "sign-in-servers": {"10.1.1.6"}, "controller": {"10.6.90.21"}, "class-dscp": {"46,48"}, "keepalive": {"10.1.10.9"},
		"ring-ports": {"1/1/10,1/1/9"}, "fabric-ports": {"1/1/5,1/1/6"}, "zone-ports": {"1/1/5,1/1/6"}, "from": {"10.1.10.0/24"}, "address": {"10.1.10.7"},
		"web-block": {"gambling,violence"}, "category-names": {"tides.example.net,news.example.net"}, "web-override": {"news,weather"}, "web-log": {"news"}, "application-block": {"file-sharing"}, "mail-senders": {"lottery.example,win@pills.example"}, "mail-lists": {"listed.example.net"}, "mail-words": {"medicine,casino"}, "application-limit": {"tide-tables=2M,booking=512k"}, "file-exceptions": {"desks,10.1.0.0/16"},
		"gateway-address": {"10.7.20.9/24"}, "dhcp-ranges": {"10.7.20.30-10.7.20.40,10.7.20.60"}, "dhcp-dns": {"10.1.1.3,10.1.1.4"}, "route-prefix": {"10.9.0.0/16"}, "route-via": {"10.7.20.77"},
		"reservations": {"02:4c:53:20:00:07 gets 10.7.20.7 note \"the <lamp>\"\n02:4c:53:20:00:08 gets 10.7.20.8"},
		"mst-region":   {"isles"}, "instance-vlans": {"30,40-42"},
		"ways": {"application voice,video service udp/5060,tcp/443 dscp 46,34 to 10.1.0.0/16 over wan2,fibre,wan1 delay 150 jitter 30 loss 0.25 within 3 back 90 send twice note \"telephones, <all>\"\nover any",
			"10 application voice over fibre"},
		"tunnel-port": {"wan1"}, "tunnel-to": {"198.18.0.77"}, "tunnel-peer": {"the-other-edge"}, "tunnel-secret": {"secret:" + hex.EncodeToString([]byte(twice))}, "tunnel-local": {"10.7.0.0/16"}, "tunnel-remote": {"10.9.0.0/16,10.11.0.0/16"},
		"station-network": {"192.168.80.1/24"}, "station-dns": {"10.1.1.3"}, "ssid": {"Lantern <Crew> 2"}, "country": {"NO"}, "bands": {"2.4,5"}, "offered-hours": {"mon-fri 06:00-19:00"}, "wlan-radius": {"10.1.1.6,10.1.1.7"}, "wlan": {"crew"}, "portal": {"trial"}, "portal-address": {"https://guests.lantern.example/landing"}, "until": {"2027-06-30"}, "wlan-vlan": {"70", "20"},
		"tx-frequency": {"18360.125"}, "rx-frequency": {"19370.125"}, "channel-separation": {"55"}, "nominal-power": {"-2.5"}, "level-least": {"-50"}, "level-most": {"-45.5"},
		"modulation-lowest": {"16-qam"}, "modulation-highest": {"256-qam"},
		"leaks": {"main,outside"}, "leak-prefixes": {"10.9.0.0/16"}, "segment": {"cranes"},
		"peer-address": {"10.7.20.77"}, "announces": {"10.0.0.0/8,172.20.0.0/16"}, "accepts": {"0.0.0.0/0"}, "ospf-area": {"0.0.0.7"},
		"vlan": {"30"}, "native-vlan": {"30"}, "trunk-vlans": {"20,30"}, "service-trunk-vlans": {"400,410-412"},
	}[s.Name]
	if candidates == nil {
		switch s.Value.Type {
		case setting.Text:
			candidates = []string{"Something <else> & more"}
		case setting.Secret:
			candidates = []string{"secret:" + hex.EncodeToString([]byte("lamp-oil-9 <"))} // twelve octets, as references have
		case setting.VLAN:
			candidates = []string{"30", "40"}
		case setting.Rate:
			candidates = []string{"1500k", "20M"}
		case setting.Number:
			candidates = []string{strconv.Itoa(s.Value.Min), strconv.Itoa(s.Value.Max - s.Value.Max%4096), strconv.Itoa(s.Value.Max)}
		default:
			candidates = s.Value.Choices
		}
	}
	for _, c := range candidates {
		if v, err := s.Value.Normal(c); err == nil && v != now && v != s.Default {
			return v
		}
	}
	return s.Default
}

// cutting are settings of which any other value cuts the way to the device: see TestWhereADeviceIsManagedIsWritten.
var cutting = []string{"device management-vlan", "device management-port", "device management-address"}

func TestWhereADeviceIsManagedIsWritten(t *testing.T) {
	before := readConfig(parse(t, documents), []network.Feature{setting.OwnPort})
	for _, want := range []struct{ name, value, document string }{
		{"management-vlan", "20", `<interface xmlns="http://openconfig.net/yang/interfaces"><name>vlan10</name><routed-vlan xmlns="http://openconfig.net/yang/vlan"><config><vlan>20</vlan></config></routed-vlan></interface>`},
		{"management-address", "10.0.0.9/25", `<addresses><address xmlns:ans="urn:ietf:params:xml:ns:netconf:base:1.0" ans:operation="remove"><ip>10.0.0.2</ip></address><address><ip>10.0.0.9</ip><config><ip>10.0.0.9</ip><prefix-length>25</prefix-length></config></address></addresses>`},
		{"management-port", "2", `<own-port xmlns:ans="urn:ietf:params:xml:ns:netconf:base:1.0" ans:operation="replace"><port>2</port></own-port>`},
	} {
		s, err := setting.Lookup(setting.OnDevice, want.name)
		require.NoError(t, err)
		after := before.Clone()
		require.NoError(t, s.Set(&after, "", want.value))
		written := writeConfig(before, after)
		require.Len(t, written, 1)
		assert.Contains(t, string(written[0].Bytes()), strings.NewReplacer(` xmlns="http://openconfig.net/yang/interfaces"`, "").Replace(want.document))
	}
}

// Every setting, set by the driver on a switch that has it, is read back as it was set, alone and with all others; and taken
// back to what it was, it leaves the switch as it was.
func TestEverySettingIsReadBackAsItWasSet(t *testing.T) {
	objects := map[string][]string{ // by switch; ports that are there, and what is made
		"gs-sw-02": {"", "1/1/7", "1/1/1", "lag1", "vlan/123", "mst-instance/2", "schedule/office", "mirror/tap", "acl/guests", "class/5", "user/night", "community/watch",
			"snmp-user/watch", "receiver/watch"},
		"hh-core-02": {"", "mgmt0", "lag1", "pair/hh-core"},
		"hh-sw-01":   {"member/2"},
		"hh-st-01":   {"fabric/side-1", "fabric/other", "zone/backup"},
		"kb-sw-03":   {"", "ring/dock", "input/1"},
		"ng-fw-01":   {"security-zone/trial", "address/trial", "service/trial", "policy/main", "inspection/trial", "web-category/trial"},
		"ng-edge-01": {"gateway/20", "route/trial", "tunnel/trial", "steering/main", "segment/cranes", "bgp-peer/trial"},
		"th-rl-01":   {"radio0"},
		"gs-ap-01":   {"", "radio1", "wlan/trial", "passphrase/trial", "portal/trial", "blocked/02-4c-53-20-00-07", "limited/02-4c-53-20-00-07"},
	}
	sessions, _ := someSwitches(t, slices.Collect(maps.Keys(objects))...)
	seen := map[string]bool{}
	for _, name := range slices.Sorted(maps.Keys(objects)) { // in an order: each tries what none before it has
		readBack(t, name, sessions[name], objects[name], seen)
	}
	for _, s := range setting.All() {
		for _, k := range s.On {
			name := string(k) + " " + s.Name
			if s.Name != setting.Present && k != setting.OnTemplate && !slices.Contains(slices.Concat(cutting, []string{"port bundle", "bundle vlan"}), name) {
				assert.True(t, seen[name], "%s was not tried", name)
			}
		}
	}
}

func readBack(t *testing.T, device string, s driver.Session, objects []string, seen map[string]bool) {
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	writer := s.(driver.Writer)
	read := func() network.Config {
		c, err := s.(driver.ConfigReader).ReadConfig(ctx)
		require.NoError(t, err)
		return c.Config
	}
	run := func(before, after network.Config, what string) {
		p, err := writer.Propose(ctx, before, after)
		require.NoError(t, err, what)
		require.NoError(t, p.Trial(ctx, "test", time.Minute), what)
		require.NoError(t, writer.Keep(ctx, "test"), what)
	}
	first := read()
	edit := func(object, name, value string) intent.Edit {
		e, err := intent.New(network.PortRef{Device: device, Port: object}, name, value)
		require.NoError(t, err)
		return e
	}
	var making []intent.Edit
	for _, object := range objects {
		if _, has := first.Ports[object]; object != "" && !has && first.Objects[object] == nil {
			making = append(making, edit(object, setting.Present, "on"))
		}
	}
	made, err := intent.Apply(device, first, making)
	require.NoError(t, err)
	run(first, made, "making objects")
	require.Empty(t, intent.Compare(device, made, read()))

	var all []intent.Edit
	for _, object := range objects {
		kind := setting.KindOf(object)
		for _, s := range setting.Of(kind) {
			was, err := s.Get(made, object)
			if slices.Contains(cutting, string(kind)+" "+s.Name) || s.Name == setting.Present || s.Name == "bundle" || err != nil || (object != "1/1/7" && seen[string(kind)+" "+s.Name]) {
				continue
			}
			value := somethingElse(s, was)
			require.NotEqual(t, was, value, "no other value for %s of %s", s.Name, object)
			e := edit(object, s.Name, value)
			after, err := intent.Apply(device, made, []intent.Edit{e})
			require.NoError(t, err, e)
			run(made, after, e.String())
			assert.Empty(t, intent.Compare(device, after, read()), e)
			run(after, made, "back from "+e.String())
			assert.Empty(t, intent.Compare(device, made, read()), "back from %s", e)
			seen[string(kind)+" "+s.Name] = true
			if !slices.Contains([]string{"mode", "stp", "enabled"}, s.Name) {
				all = append(all, e)
			}
		}
	}
	together, err := intent.Apply(device, made, all)
	require.NoError(t, err)
	run(made, together, "all together")
	assert.Empty(t, intent.Compare(device, together, read()))
	if slices.Contains(objects, "1/1/7") {
		bundled, err := intent.Apply(device, together, []intent.Edit{edit("1/1/10", "bundle", "lag1")})
		require.NoError(t, err)
		run(together, bundled, "a member of the bundle")
		assert.Empty(t, intent.Compare(device, bundled, read()))
		together = bundled
	}
	run(together, first, "back to the first")
	assert.Empty(t, intent.Compare(device, first, read()))
}
