package netconf

import (
	"context"
	"errors"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

func parse(t testing.TB, s string) *xmlnode.Node {
	t.Helper()
	n, err := xmlnode.Parse(context.Background(), []byte("<data>"+s+"</data>"))
	require.NoError(t, err)
	return n
}

const documents = `
<system xmlns="http://openconfig.net/yang/system"><config><hostname>sw</hostname></config><state><hostname>sw-now</hostname><boot-time>1772366400000000000</boot-time></state></system>
<interfaces xmlns="http://openconfig.net/yang/interfaces">
 <interface><name>1</name><config><name>1</name><type>ianaift:ethernetCsmacd</type><description>desk &amp; chair</description></config>
  <state><oper-status>UP</oper-status><last-change>1772366400000000000</last-change><counters><in-octets>18446744073709551615</in-octets><out-errors>3</out-errors></counters></state>
  <ethernet xmlns="http://openconfig.net/yang/interfaces/ethernet"><state><mac-address>02:00:00:00:00:01</mac-address><negotiated-port-speed>oc-eth:SPEED_2500MB</negotiated-port-speed><counters><in-fragment-frames>7</in-fragment-frames></counters></state>
   <switched-vlan xmlns="http://openconfig.net/yang/vlan"><config><interface-mode>ACCESS</interface-mode><access-vlan>20</access-vlan></config></switched-vlan>
   <poe xmlns="http://openconfig.net/yang/poe"><state><power-used>11.805</power-used><power-class>4</power-class></state></poe></ethernet></interface>
 <interface><name>2</name><config><name>2</name><type>ethernetCsmacd</type><enabled>false</enabled></config>
  <ethernet xmlns="http://openconfig.net/yang/interfaces/ethernet"><switched-vlan xmlns="http://openconfig.net/yang/vlan"><config><interface-mode>TRUNK</interface-mode><native-vlan>10</native-vlan><trunk-vlans>20..22</trunk-vlans><trunk-vlans>40</trunk-vlans></config></switched-vlan></ethernet>
  <state><oper-status>LOWER_LAYER_DOWN</oper-status></state></interface>
 <interface><name>vlan10</name><config><name>vlan10</name><type>ianaift:l3ipvlan</type></config><routed-vlan xmlns="http://openconfig.net/yang/vlan"><config><vlan>10</vlan></config><ipv4 xmlns="http://openconfig.net/yang/interfaces/ip"><addresses><address><ip>10.0.0.2</ip><config><ip>10.0.0.2</ip><prefix-length>24</prefix-length></config></address></addresses></ipv4></routed-vlan></interface>
 <interface><name>lo0</name><config><name>lo0</name><type>ianaift:softwareLoopback</type></config></interface>
</interfaces>
<network-instances xmlns="http://openconfig.net/yang/network-instance"><network-instance><name>default</name><vlans><vlan><vlan-id>20</vlan-id><config><name>office</name></config></vlan><vlan><vlan-id>bad</vlan-id></vlan></vlans></network-instance></network-instances>
<lldp xmlns="http://openconfig.net/yang/lldp"><interfaces><interface><name>1</name><neighbors><neighbor><id>1</id><state><system-name>other</system-name><port-id>9</port-id></state></neighbor></neighbors></interface><interface><name>none</name></interface></interfaces></lldp>
<components xmlns="http://openconfig.net/yang/platform"><component><name>psu</name><state><type>POWER_SUPPLY</type><serial-no>wrong</serial-no></state></component><component><name>c</name><state><type>x:CHASSIS</type><mfg-name>Halyard</mfg-name><model-name>H8</model-name><serial-no>S1</serial-no><software-version>4.1</software-version></state></component></components>
<switching xmlns="urn:everypost:yang:ep-switching"><port><name>1</name><collisions>5</collisions><power><voltage>52500</voltage><current>225</current></power></port><port><name>none</name></port></switching>
<device xmlns="urn:everypost:yang:ep-device"><role>switch</role><power-sourcing><budget>370000</budget><used>11805</used></power-sourcing></device>`

func TestReadConfig(t *testing.T) {
	c := readConfig(parse(t, documents), nil)
	assert.Equal(t, network.Config{
		Hostname: "sw", ManagementVLAN: 10, ManagementInterface: "vlan10", ManagementAddress: "10.0.0.2/24", VLANs: map[network.VLANID]network.VLAN{20: {ID: 20, Name: "office"}},
		Ports: map[string]network.PortConfig{
			"1": {Description: "desk & chair", Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true},
			"2": {Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20, 21, 22, 40}},
		},
	}, c)
}

func TestReadState(t *testing.T) {
	now := time.Date(2026, 3, 2, 0, 0, 0, 0, time.UTC)
	st := readState(parse(t, documents), now)
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	assert.Equal(t, map[string]network.PortState{
		"1": {Oper: network.Up, Changed: at, SpeedMbps: 2500, MAC: "02:00:00:00:00:01", PoEMilliW: 11805, PoEMilliV: 52_500, PoEMilliA: 225, PoEClass: 4, ObservedAt: now,
			Counters: network.Counters{RxOctets: 1<<64 - 1, TxErrors: 3, RxFragments: 7, Collisions: 5}, Neighbour: &network.Neighbour{SystemName: "other", PortID: "9"}},
		"2": {Oper: network.Down, ObservedAt: now},
	}, st.Ports)
	assert.Equal(t, &network.Power{BudgetMilliW: 370000, UsedMilliW: 11805}, st.Power)
}

func TestReadIdentity(t *testing.T) {
	id := readIdentity(parse(t, documents))
	assert.Equal(t, network.Identity{Hostname: "sw-now", Kind: network.Switch, Maker: "Halyard", Model: "H8", Serial: "S1", Firmware: "4.1",
		BootedAt: time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)}, id)
	assert.Equal(t, network.OtherKind, readIdentity(parse(t, `<device xmlns="x"><role>toaster</role></device>`)).Kind)
}

func TestNothingOfADeviceIsNothingAndNoCrash(t *testing.T) {
	empty := parse(t, "")
	assert.Empty(t, readConfig(empty, nil).Ports)
	assert.Empty(t, readState(empty, time.Time{}).Ports)
	assert.Nil(t, readState(empty, time.Time{}).Power)
	assert.Equal(t, network.OtherKind, readIdentity(empty).Kind)
}

func TestNonsenseNumbersAreNotTaken(t *testing.T) {
	st := readState(parse(t, `<interfaces><interface><name>1</name><config><type>ethernetCsmacd</type></config><state><oper-status>SIDEWAYS</oper-status><last-change>soon</last-change><counters><in-octets>-1</in-octets></counters></state>
		<ethernet><poe><state><power-used>1e99</power-used><power-class>many</power-class></state></poe></ethernet></interface></interfaces>`), time.Time{})
	assert.Equal(t, network.PortState{Oper: network.Unknown}, st.Ports["1"])
}

func TestWritePortsNamesOnlyWhatDiffers(t *testing.T) {
	c := readConfig(parse(t, documents), nil)
	assert.Nil(t, writeConfig(c, c))
	after := c.Clone()
	p := after.Ports["1"]
	p.Description, p.PoE = "", false
	after.Ports["1"] = p
	got := writeConfig(c, after)
	require.Len(t, got, 1)
	require.Len(t, got[0].Children, 1)
	i := got[0].Children[0]
	assert.Equal(t, netconf.EditRemove, i.Find("config/description").Attr(netconf.BaseNS, "operation"))
	assert.Equal(t, "false", i.TextAt("ethernet/poe/config/enabled"))
	assert.Nil(t, i.Find("ethernet/switched-vlan"))
	assert.Nil(t, i.Find("config/enabled"))
}

// What is written for a port's VLANs is read again as what was meant.
func TestVLANsAreReadAsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		vlan := rapid.Custom(func(t *rapid.T) network.VLANID { return network.VLANID(rapid.IntRange(1, 4094).Draw(t, "vlan")) })
		p := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: vlan.Draw(t, "access")}
		if rapid.Bool().Draw(t, "trunk") {
			p = network.PortConfig{Enabled: true, Mode: network.Trunk, NativeVLAN: rapid.SampledFrom([]network.VLANID{0, 10}).Draw(t, "native"),
				TrunkVLANs: network.NewVLANSet(rapid.SliceOfN(vlan, 0, 6).Draw(t, "tagged")...)}
		}
		i := xmlnode.New(nsInterfaces, "interface", xmlnode.New(nsEthernet, "ethernet", xmlnode.New(nsVLAN, "switched-vlan", writeVLANs(p))))
		assert.True(t, p.Equal(readPort(i)), "%+v %+v", p, readPort(i))
	})
}

func TestRefusals(t *testing.T) {
	words := func(tag string) *netconf.RPCError {
		return &netconf.RPCError{Tag: tag, Severity: "error", Message: "its own words"}
	}
	require.NoError(t, refusal(nil))
	for _, tag := range []string{netconf.TagLockDenied, netconf.TagInUse} {
		require.ErrorIs(t, refusal(words(tag)), driver.ErrBusy)
		assert.EqualError(t, refusal(words(tag)), "its own words")
	}
	var r *driver.Refusal
	require.ErrorAs(t, refusal(words(netconf.TagAccessDenied)), &r)
	assert.NotErrorIs(t, r, driver.ErrBusy)
	assert.False(t, errors.As(refusal(context.DeadlineExceeded), &r), "a device that does not answer has not refused")

	require.NoError(t, trialError(nil))
	require.ErrorIs(t, trialError(words(netconf.TagInvalidValue)), driver.ErrNoTrial)
	require.ErrorIs(t, trialError(words(netconf.TagInUse)), driver.ErrNoTrial)
	assert.NotErrorIs(t, trialError(words(netconf.TagOperationFailed)), driver.ErrNoTrial)
}

func TestReadEvent(t *testing.T) {
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	for name, tc := range map[string]struct {
		content string
		want    driver.Event
		ok      bool
	}{
		"a port":            {`<port-state-changed><name>1/1/7</name><oper-status>DOWN</oper-status><last-change>1772366400000000000</last-change></port-state-changed>`, driver.Event{At: at, Port: &driver.PortEvent{Port: "1/1/7", Oper: network.Down, Changed: at}}, true},
		"a configuration":   {`<netconf-config-change><changed-by><username>bram</username></changed-by></netconf-config-change>`, driver.Event{At: at, Config: &driver.ConfigEvent{By: "bram"}}, true},
		"by the device":     {`<netconf-config-change><changed-by><server/></changed-by></netconf-config-change>`, driver.Event{At: at, Config: &driver.ConfigEvent{}}, true},
		"a timeout":         {`<netconf-confirmed-commit><confirm-event>timeout</confirm-event></netconf-confirmed-commit>`, driver.Event{At: at, Trial: &driver.TrialEvent{Step: driver.TrialTimedOut}}, true},
		"an unknown step":   {`<netconf-confirmed-commit><confirm-event>dance</confirm-event></netconf-confirmed-commit>`, driver.Event{At: at}, false},
		"something else":    {`<fan-failed/>`, driver.Event{At: at}, false},
		"the replay's end":  {`<replayComplete/>`, driver.Event{At: at}, false},
		"a kept trial":      {`<netconf-confirmed-commit><confirm-event>complete</confirm-event></netconf-confirmed-commit>`, driver.Event{At: at, Trial: &driver.TrialEvent{Step: driver.TrialKept}}, true},
		"an extended trial": {`<netconf-confirmed-commit><confirm-event>extend</confirm-event></netconf-confirmed-commit>`, driver.Event{At: at, Trial: &driver.TrialEvent{Step: driver.TrialExtended}}, true},
	} {
		got, ok := readEvent(netconf.Notification{Time: at, Content: parse(t, tc.content).Children[0]})
		assert.Equal(t, tc.ok, ok, name)
		assert.Equal(t, tc.want, got, name)
	}
}

// Any document is read without a crash.
func FuzzRead(f *testing.F) {
	f.Add([]byte("<data>" + documents + "</data>"))
	f.Fuzz(func(_ *testing.T, b []byte) {
		if n, err := xmlnode.Parse(context.Background(), b); err == nil {
			_ = readConfig(n, setting.Features())
			_ = readState(n, time.Time{})
			_ = readIdentity(n)
		}
	})
}

func TestADeviceThatTellsOfTooMuchIsNotRead(t *testing.T) {
	ports := map[string]network.PortConfig{}
	states := map[string]network.PortState{}
	for i := range maxPorts + 1 {
		ports[strconv.Itoa(i)], states[strconv.Itoa(i)] = network.PortConfig{}, network.PortState{}
	}
	require.ErrorContains(t, believableConfig(network.Config{Ports: ports}), "8193 ports")
	require.ErrorContains(t, believableState(network.State{Ports: states}), "8193 ports")
	require.ErrorContains(t, believableInside(network.Inside{VRFs: []network.VRF{{Routes: make([]network.Route, maxLearned+1)}}}), "routes")
	require.ErrorContains(t, believableInside(network.Inside{Stations: make([]network.Station, maxStations+1)}), "wireless clients")
	delete(ports, "0")
	require.NoError(t, believableConfig(network.Config{Ports: ports}))
}

func TestATimeThatCannotBeIsNotKnown(t *testing.T) {
	now := time.Now()
	assert.True(t, epoch(strconv.FormatInt(now.AddDate(10, 0, 0).UnixNano(), 10)).IsZero())
	assert.True(t, epoch("-5").IsZero())
	hour := now.Add(time.Hour).UTC().Round(0)
	assert.True(t, hour.Equal(epoch(strconv.FormatInt(hour.UnixNano(), 10))), "a clock that is an hour ahead is one that goes wrong")
}

func TestWhatADeviceAnnouncesIsRead(t *testing.T) {
	stranger := netconf.Hello{Capabilities: []string{netconf.CapBase11, "urn:petrel:boats?module=petrel-boats&revision=2020-01-01", "urn:petrel:oars?revision=2020-01-01&module=petrel-oars", "urn:x?module=%zz"}}
	assert.False(t, announces(stranger))
	assert.Equal(t, []string{"petrel-boats", "petrel-oars"}, modulesOf(stranger))
	assert.True(t, announces(netconf.Hello{Capabilities: []string{nsInterfaces + "?module=openconfig-interfaces"}}))
}
