package setup_test

import (
	"context"
	"flag"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
	"example.net/everypost/internal/wire/xmlnode"
)

var update = flag.Bool("update", false, "write what is read into testdata, to be looked at")

// everything sets every setting somewhere: on a part of the company, on what, and what, as people type it.
var everything = map[string][]struct {
	on  string
	set []string
}{
	"grey-skerry": {
		{"gs-sw-02", []string{"hostname=quay-switch", "contact=the harbour office", "location=the old lamp house", "banner=Ferries only", "time-zone=europe/london",
			"ntp-servers=10.4.1.1,10.4.1.2", "dns-servers=10.4.1.3", "syslog-servers=10.4.1.4", "radius-servers=10.4.1.5", "radius-secret=between the lanterns",
			"stp=multiple", "mst-region=isles", "mst-revision=3", "stp-priority=61440", "stp-hello=3", "stp-max-age=25", "stp-forward-delay=20", "loop-interval=9", "loop-recovery=600", "snmp=v2c-and-v3",
			"management-from=10.0.0.0/8,127.0.0.0/8", "management-in=10,20-30", "sign-in=radius", "sign-in-servers=10.4.1.6", "sign-in-secret=slack water"}},
		{"gs-sw-01", []string{"stp=off"}},
		{"gs-sw-02:vlan/123", []string{"present=on", "name=lockers", "igmp-snooping=on", "igmp-querier=on", "dhcp-snooping=on", "acl-in=guests"}},
		{"gs-sw-02:mst-instance/2", []string{"present=on", "instance-vlans=30,40-42", "priority=8192"}},
		{"gs-sw-02:acl/guests", []string{"present=on", "rules=permit tcp from 10.4.50.0/24 to any port 443\npermit ip from any to any"}},
		{"gs-sw-02:schedule/office", []string{"present=on", "hours=mon-fri 06:00-19:00"}},
		{"gs-sw-02:class/4", []string{"present=on", "class-dscp=32,34", "share=7"}},
		{"gs-sw-02:class/5", []string{"present=on", "class-dscp=46", "scheduling=strict", "bandwidth=30", "purpose=voice"}},
		{"gs-sw-02:user/night", []string{"present=on", "role=operator", "password=tide tables"}},
		{"gs-sw-02:community/watch", []string{"present=on", "secret=herring-gull-7", "access=read-write", "from=10.4.10.0/24"}},
		{"gs-sw-02:snmp-user/ops", []string{"present=on", "access=read-write", "auth=sha-1", "auth-secret=kittiwake-22", "privacy-secret=razorbill-33"}},
		{"gs-sw-02:snmp-user/open", []string{"present=on", "auth=none", "privacy=none"}},
		{"gs-sw-02:receiver/log", []string{"present=on", "address=10.4.1.7", "severity=major", "community=watch", "snmp-user=ops", "purpose=the night watch"}},
		{"gs-sw-02:mirror/tap", []string{"present=on", "sources=1/1/1", "direction=in", "to=1/1/8"}},
		{"gs-sw-02:lag1", []string{"present=on", "protocol=lacp-passive", "lacp-rate=fast", "min-links=2", "description=to the annex", "mode=trunk", "native-vlan=20", "trunk-vlans=10,30", "mtu=9000",
			"isolation=3", "service-vlan=411", "service-trunk-vlans=430,440", "broadcast-limit=500", "multicast-limit=600", "unknown-limit=700", "rate-in=20M", "rate-out=30M", "dhcp-trust=on", "edge=off", "bpdu-guard=on", "root-guard=on", "loop-protection=on", "acl-in=guests"}},
		{"gs-sw-02:lag2", []string{"present=on", "enabled=off", "mode=access", "vlan=30"}},
		{"gs-sw-02:1/1/5", []string{"bundle=lag1"}},
		{"gs-sw-02:1/1/6", []string{"bundle=lag1"}},
		{"gs-sw-02:1/1/4", []string{"description=the annex", "mode=access", "vlan=20", "voice-vlan=30", "service-vlan=410", "service-trunk-vlans=420-425", "poe-class=4", "poe-priority=critical", "poe-through-reboot=on", "speed=100M", "duplex=full", "flow-control=on",
			"energy-saving=on", "schedule=office", "follow=1/1/9", "follow-delay=10", "flap-changes=5", "flap-window=20", "flap-hold=60", "isolation=3", "broadcast-limit=500", "multicast-limit=600", "unknown-limit=700",
			"rate-in=20M", "rate-out=1500k", "dhcp-trust=on", "edge=on", "bpdu-guard=on", "root-guard=on", "loop-protection=on", "access-control=mac", "guest-vlan=99", "acl-in=guests", "dscp=46", "mtu=2000"}},
		{"gs-sw-02:1/1/3", []string{"enabled=off"}},
		{"gs-rl-01:radio0", []string{"transmitter=off", "tx-frequency=19370.125", "rx-frequency=18360.125", "channel-separation=27.5", "polarization=horizontal", "power-mode=automatic", "nominal-power=12.5", "level-least=-50",
			"level-most=-45.5", "modulation-lowest=16-qam", "modulation-highest=256-qam"}},
		{"gs-sw-02:1/1/7", []string{"poe=off", "mode=trunk", "native-vlan=20", "trunk-vlans=10,30", "connector=fibre"}},
	},
	"kelp-bay": {
		{"kb-sw-03", []string{"controller=10.6.90.21"}},
		{"kb-sw-03:input/2", []string{"present=on", "text=door of the pump house", "severity=major", "alarm-when=closed"}},
		{"kb-sw-03:ring/test", []string{"present=on", "ring-role=manager", "ring-ports=1/1/7,1/1/8", "ring-vlan=77", "recovery=30", "purpose=a try"}},
	},
	"harbour-house": {
		{"hh-core-01:pair/hh-core", []string{"present=on", "peer-bundle=lag1", "keepalive=10.1.10.12", "priority=100"}},
		{"hh-core-02:pair/hh-core", []string{"present=on", "peer-bundle=lag1", "keepalive=10.1.10.11", "priority=200"}},
		{"hh-core-02:mgmt0", []string{"vrf=apart"}},
		{"hh-sw-01:member/4", []string{"present=on", "priority=50", "serial=HY48-9"}},
		{"hh-st-01:fabric/side-1", []string{"fabric-ports=1/1/1,1/1/2,1/1/3,1/1/4,1/1/5,1/1/6,1/1/7,1/1/8,1/1/9,1/1/10,1/1/11,1/1/12,1/1/13,1/1/14"}},
		{"hh-st-01:fabric/side-9", []string{"present=on", "fabric-ports=1/1/15,1/1/16", "purpose=a try"}},
		{"hh-fw-01:schedule/office", []string{"present=on", "hours=mon-fri 06:00-19:00"}},
		{"hh-fw-01:security-zone/annex", []string{"present=on", "zone-vlans=120-130", "interfaces=lan5,lan6", "flood-tcp=200", "flood-udp=500", "flood-icmp=20", "purpose=the new building"}},
		{"hh-fw-01:address/annex", []string{"present=on", "addresses=10.1.120.0/24,10.1.121.4-10.1.121.9,tides.example.net", "members=booking,desks", "purpose=the new building"}},
		{"hh-fw-01:service/intercom", []string{"present=on", "services=tcp/8443,udp/500-510,icmp", "members=web", "purpose=doors"}},
		{"hh-fw-01:inspection/annex", []string{"present=on", "web-block=gambling", "web-override=sport", "web-log=news,weather", "application-block=file-sharing", "application-limit=tide-tables=2M", "file-limit=100", "file-exceptions=booking,10.1.0.0/16",
			"intrusion=medium", "mail-senders=lottery.example,win@pills.example", "mail-lists=listed.example.net", "mail-words=medicine,casino", "purpose=the new building"}},
		{"hh-fw-01:web-category/annex", []string{"present=on", "category-names=tides.example.net,news.example.net", "purpose=the new building"}},
		{"hh-fw-01:policy/main", []string{"present=on", "rules=10 allow from annex,office to outside source annex,10.1.40.0/24 destination booking service intercom,udp/123 inspect annex during office until 2027-01-31 log on note \"at the door, for a while\"\n20 reject from any to annex\n30 deny from any to any",
			"translations=10 source from annex to outside source annex destination booking service intercom into nothing note \"as they are\"\n20 destination from outside source 203.0.113.0/24 destination 198.51.100.80 service tcp/443 into 10.1.20.30 port 8443"}},
		{"hh-edge-01:gateway/20", []string{"purpose=desks", "gateway-address=10.1.20.9/24", "dhcp-server=on", "dhcp-ranges=10.1.20.30-10.1.20.40,10.1.20.60", "dhcp-lease=60", "dhcp-dns=10.1.1.3",
			"reservations=02:4c:53:20:00:07 gets 10.1.20.7 note \"the lamp\"\n02:4c:53:20:00:08 gets 10.1.20.8"}},
		{"hh-edge-02:gateway/99", []string{"present=off"}},
		{"hh-edge-01:route/annex", []string{"present=on", "route-prefix=10.99.0.0/16", "route-via=10.1.20.77", "distance=20", "purpose=the new building"}},
		{"hh-edge-01:tunnel/annex", []string{"present=on", "tunnel-port=wan1", "tunnel-to=203.0.113.44", "tunnel-peer=annex-gateway", "tunnel-secret=lanterns along the northern quay", "tunnel-encryption=chacha20-poly1305", "tunnel-group=31", "tunnel-rekey=60",
			"tunnel-local=10.1.0.0/16", "tunnel-remote=10.99.0.0/16,10.98.0.0/16", "tunnel-start=on-demand", "purpose=the new building"}},
		{"hh-edge-01:steering/main", []string{"present=on", "ways=10 application voice service udp/5060-5061 dscp 46 to 10.2.0.0/16,10.3.0.0/16 over fibre,cellular delay 150 jitter 30 loss 0.5 within 3 back 90 send twice note \"calls, all of them\"\n20 application video over fibre,wifi else drop\n30 over any"}},
		{"hh-edge-01:segment/annex", []string{"present=on", "segment-number=77", "leaks=main,outside", "leak-prefixes=10.9.0.0/16", "purpose=the new building"}},
		{"hh-edge-01:gateway/60", []string{"segment=annex", "ospf-area=7", "ospf-cost=20", "ospf-secret=doors and lifts", "ospf-passive=on"}},
		{"hh-edge-01:bgp-peer/annex", []string{"present=on", "peer-address=10.1.20.77", "peer-as=64900", "peer-secret=keel on the blocks", "hold-time=30", "announces=any", "accepts=172.20.0.0/16", "purpose=the new building"}},
		{"hh-ap-01", []string{"country=no"}},
		{"hh-ap-01:radio1", []string{"channel=44", "channel-width=40", "radio-power=20"}},
		{"hh-ap-01:wlan/annex", []string{"present=on", "ssid=Lantern <Annex>", "offered=off", "hidden=on", "bands=5", "offered-hours=mon-fri 06:00-19:00", "security=wpa3-personal", "passphrase=the new building", "wlan-vlan=70", "portal=landing",
			"station-isolation=on", "station-network=192.168.80.1/24", "station-lease=60", "station-dns=10.1.1.3,10.1.1.4", "station-rate=5M", "purpose=the new building"}},
		{"hh-ap-01:wlan/builders", []string{"present=on", "ssid=Builders", "security=wpa3-enterprise", "wlan-radius=10.1.10.6,10.1.10.7", "wlan-radius-secret=mortar and lime", "wlan-vlan=70"}},
		{"hh-sw-01:blocked/02-4c-53-20-00-77", []string{"present=on", "until=2027-01-31", "purpose=lost on the quay"}},
		{"hh-ap-01:limited/02-4c-53-20-00-78", []string{"present=on", "limited-to=2M", "until=2027-01-31", "purpose=too much of it"}},
		{"hh-ap-01:portal/landing", []string{"present=on", "portal-address=https://guests.lantern.example/landing", "portal-key=by which we sign", "purpose=who waits"}},
		{"hh-ap-01:passphrase/crane", []string{"present=on", "wlan=annex", "passphrase=hook and chain", "wlan-vlan=20", "until=2027-06-30", "purpose=the crane"}},
		{"hh-st-01:zone/backup", []string{"present=on", "fabric=side-9", "zone-ports=1/1/15,1/1/16", "active=off", "purpose=at night"}},
	},
}

// elsewhere are settings that say where a device is managed: see TestADeviceIsGivenAnotherAddress and
// TestWhereADeviceIsManagedStandsOnIt.
var elsewhere = []string{"device management-vlan", "device management-port", "device management-address", "device management-vrf"}

// Every setting, typed on the command line and pushed, stands on the device as its models have it, as an independent client reads.
func TestEverySettingStandsOnTheDevice(t *testing.T) {
	t.Parallel()
	entries := map[string]string{"grey-skerry": "gs-sw-01", "kelp-bay": "kb-sw-01", "harbour-house": "hh-edge-01"}
	tried := map[string]bool{}
	for part, list := range everything {
		for _, one := range list {
			_, object, _ := strings.Cut(one.on, ":")
			for _, s := range one.set {
				name, _, _ := strings.Cut(s, "=")
				tried[string(setting.KindOf(object))+" "+name] = true
			}
		}
		t.Run(part, func(t *testing.T) {
			t.Parallel()
			r := rig.StartPart(t, entries[part], part)
			c := rig.SignedIn(t, r)
			before := map[string][]string{}
			var number string
			for _, one := range list {
				device, _, _ := strings.Cut(one.on, ":")
				if before[device] == nil {
					before[device] = leaves(t, r, device)
				}
				args := append([]string{"port", "set", one.on}, one.set...)
				if number != "" {
					args = append(args, "--change", number)
				}
				said := c.Good(args...)
				_, after, ok := strings.Cut(said.Err, "In draft ")
				require.True(t, ok, said.Err)
				number, _, _ = strings.Cut(after, ".")
			}
			changed, err := r.Changes(t.Context(), "")
			require.NoError(t, err)
			ch, err := r.Check(t.Context(), changed.Items[0].Number)
			require.NoError(t, err)
			for _, f := range ch.Findings {
				assert.NotEqual(t, "stop", f.Level, "%s %s", f.What, f.Remedy)
			}
			require.False(t, t.Failed())
			keepAccepting(t, r, ch)
			var out []string
			for _, device := range sortedKeys(before) {
				was := before[device]
				is := leaves(t, r, device)
				for _, l := range is {
					if !slices.Contains(was, l) {
						out = append(out, device+" + "+l)
					}
				}
				for _, l := range was {
					if !slices.Contains(is, l) {
						out = append(out, device+" - "+l)
					}
				}
			}
			file := filepath.Join("testdata", "settings-"+part+".txt")
			if *update {
				require.NoError(t, os.WriteFile(file, []byte(strings.Join(out, "\n")+"\n"), 0o644))
			}
			want, err := os.ReadFile(file)
			require.NoError(t, err)
			assert.Equal(t, strings.TrimSpace(string(want)), strings.Join(out, "\n"), "where a setting stands is by its model: look at it before testdata is written anew")
		})
	}
	for _, s := range setting.All() {
		for _, k := range s.On {
			if name := string(k) + " " + s.Name; k != setting.OnTemplate && !slices.Contains(elsewhere, name) {
				assert.True(t, tried[name], "%s is not tried", name)
			}
		}
	}
}

func sortedKeys[V any](m map[string]V) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// leaves are what a device runs, a line for each leaf, as an independent client reads it.
func leaves(t *testing.T, r *rig.Rig, device string) (out []string) {
	t.Helper()
	script := `
from lxml import etree
sys.stdout.write(etree.tostring(m.get_config("running").data_ele).decode())
m.close_session()
`
	text, err := peers.NETCONF(t, r.World.Address(device), rig.DevicePassword, script).CombinedOutput()
	require.NoError(t, err, string(text))
	tree, err := xmlnode.Parse(context.Background(), text)
	require.NoError(t, err)
	var walk func(n *xmlnode.Node, path string)
	walk = func(n *xmlnode.Node, path string) {
		path += "/" + n.Name
		if len(n.Children) == 0 {
			out = append(out, strings.TrimPrefix(path, "/data/")+" = "+hashed(n))
			return
		}
		if first := n.Children[0]; len(first.Children) == 0 && slices.Contains(keys, first.Name) {
			path += "[" + first.Text + "]"
		}
		for _, c := range n.Children {
			walk(c, path)
		}
	}
	walk(tree, "")
	slices.Sort(out)
	return slices.Compact(out)
}

// keys are leaves by which entries of lists are told apart.
var keys = []string{"name", "id", "vlan-id", "number", "sequence-id", "address", "username", "host", "interface", "index", "set-name", "set-id"}

// hashed is the text of a leaf, but for a hash that is another each time.
func hashed(n *xmlnode.Node) string {
	if strings.HasPrefix(n.Text, "$6$") {
		return "$6$..."
	}
	return n.Text
}

// keepAccepting pushes a change with all its warnings accepted, and keeps it.
func keepAccepting(t *testing.T, r *rig.Rig, c v1.Change) {
	t.Helper()
	var accept []string
	for _, f := range c.Findings {
		if f.Level == "warn" {
			accept = append(accept, f.ID)
		}
	}
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
}
