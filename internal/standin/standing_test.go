package standin

import (
	"fmt"
	"testing"
	"time"

	"github.com/GehirnInc/crypt/sha512_crypt"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// dock makes the ring of the dry dock, with the first switch as its manager.
func dock(t *testing.T, w *World) {
	t.Helper()
	for n := 1; n <= 5; n++ {
		role := "client"
		if n == 1 {
			role = "manager"
		}
		ring := "ep-sw:switching/ring[dock]/"
		configure(t, w, fmt.Sprintf("kb-sw-%02d", n), ring+"role "+role, ring+"ports/port 1/1/9", ring+"ports/port 1/1/10")
	}
}

func TestARingIsClosedByItsManagerAndHeals(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	dock(t, w)
	require.Equal(t, "closed", w.tree.rings["dock"].state)
	assert.Equal(t, endpoint{"kb-sw-01", "1/1/10"}, w.tree.rings["dock"].blocked, "its second port")
	blocked := 0
	for e := range w.tree.blocked {
		if w.devices[e.device].spec.Site == "kelp-bay" {
			blocked++
		}
	}
	assert.Equal(t, 1, blocked, "spanning tree blocks nothing besides")

	changes := w.devices["kb-sw-05"].ringChanges["dock"]
	require.NoError(t, w.Throw(Cut, "kb-sw-03:1/1/9"))
	assert.Equal(t, "open", w.tree.rings["dock"].state)
	for n := 1; n <= 5; n++ {
		assert.True(t, w.reached[fmt.Sprintf("kb-sw-%02d", n)], "kb-sw-%02d", n)
	}
	assert.Equal(t, changes+1, w.devices["kb-sw-05"].ringChanges["dock"])
	require.NoError(t, w.Throw(Mend, "kb-sw-03:1/1/9"))
	assert.Equal(t, "closed", w.tree.rings["dock"].state)

	configure(t, w, "kb-sw-02", "ep-sw:switching/ring[dock]/role manager")
	assert.Equal(t, "undefined", w.tree.rings["dock"].state, "two cannot manage it")
	for n := 1; n <= 2; n++ {
		configure(t, w, fmt.Sprintf("kb-sw-%02d", n), "ep-sw:switching/ring[dock]/role candidate")
	}
	assert.Equal(t, "kb-sw-01", w.tree.rings["dock"].manager, "of candidates the lowest address")
}

func TestAPairIsOneBridgeWhileItsBundleWorks(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	assert.Equal(t, []string{"hh-core-01", "hh-core-02"}, w.nodes["hh-core"])
	roles := func() string {
		d := w.devices["hh-core-01"]
		m := d.members(Cluster{Kind: "mlag"})
		return m[0].Name + " " + m[0].Role
	}
	assert.Equal(t, "hh-core-01 primary", roles())
	configure(t, w, "hh-core-02", "ep-sw:switching/pair[hh-core]/priority 100")
	assert.Equal(t, "hh-core-02 primary", roles())
	for _, port := range []string{"1/1/31", "1/1/32"} {
		require.NoError(t, w.Throw(Cut, "hh-core-01:"+port))
	}
	assert.Empty(t, w.pairs, "nothing joins them")
	require.NoError(t, w.Throw(Mend, "hh-core-01:1/1/31"))
	assert.Len(t, w.pairs, 2, "one of two cables does")
}

func TestTheHighestPriorityLeadsAStack(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["hh-sw-01"]
	roles := func() (out []string) {
		for _, m := range d.members(*d.spec.Cluster) {
			out = append(out, m.Name+" "+m.Role)
		}
		return out
	}
	assert.Equal(t, []string{"1 leader", "2 deputy", "3 member"}, roles())
	configure(t, w, "hh-sw-01", "ep-sw:switching/stack/member[3]/priority 250", "ep-sw:switching/stack/member[4]/serial HY48-99999")
	assert.Equal(t, []string{"1 deputy", "2 member", "3 leader", "4 missing"}, roles())
}

func TestWhatIsStrictGoesFirstWhereThereIsLittleRoom(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	uplink, far := endpoint{"th-sw-02", "1/1/25"}, endpoint{"th-sw-01", "1/1/49"}
	phone := w.devices["th-sw-02"]
	arrived := func() (dropped, lostVoice float64) {
		before, voice := w.at(uplink).counters.outDiscards, phone.classes[5].dropped
		w.Step(time.Minute)
		return w.at(uplink).counters.outDiscards - before, phone.classes[5].dropped - voice
	}
	configure(t, w, "th-sw-02", "ep-sw:switching/port[1/1/25]/rate-limits/out 4000")
	require.Contains(t, w.limited, w.at(uplink))
	dropped, lostVoice := arrived()
	assert.Positive(t, dropped, "four cameras send 4 Mbit/s each")
	assert.Zero(t, lostVoice, "its share is more than it needs")
	configure(t, w, "th-sw-02", "ep-sw:switching/class[4]/share 100")
	_, lostVoice = arrived()
	assert.Positive(t, lostVoice, "a hundredth of the room is less")
	configure(t, w, "th-sw-02", "ep-sw:switching/class[5]/scheduling strict")
	dropped, lostVoice = arrived()
	assert.Positive(t, dropped)
	assert.Zero(t, lostVoice)
	phones := portOfA(t, w, "th-sw-02", "phone")
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+phones+"]/dscp ignore")
	assert.Equal(t, 0, w.dscpOf(w.station("th-sw-02:"+phones)), "its marks are not trusted")
	assert.NotNil(t, w.at(far))
}

func TestScheduling(t *testing.T) {
	t.Parallel()
	weighted := func(share float64) classConfig { return classConfig{share: share, most: 1} }
	for _, tc := range []struct {
		name              string
		want              [8]float64
		room              float64
		each, given       [8]float64
		strict            int
		strictMost, total float64
	}{
		{name: "room for all", want: [8]float64{10, 20}, room: 100, given: [8]float64{10, 20}},
		{name: "equal shares", want: [8]float64{90, 90}, room: 100, given: [8]float64{50, 50}},
		{name: "by share", want: [8]float64{90, 90}, room: 100, each: [8]float64{1, 3}, given: [8]float64{25, 75}},
		{name: "what one leaves, others get", want: [8]float64{90, 10}, room: 60, given: [8]float64{50, 10}},
		{name: "strict first", want: [8]float64{90, 0, 0, 0, 0, 40}, room: 60, strict: 5, strictMost: 1, given: [8]float64{20, 0, 0, 0, 0, 40}},
		{name: "strict within bounds", want: [8]float64{90, 0, 0, 0, 0, 40}, room: 60, strict: 5, strictMost: 0.5, given: [8]float64{30, 0, 0, 0, 0, 30}},
	} {
		var each [8]classConfig
		for i := range each {
			if each[i] = weighted(1); tc.each[i] > 0 {
				each[i] = weighted(tc.each[i])
			}
		}
		if tc.strict > 0 {
			each[tc.strict] = classConfig{strict: true, share: 1, most: tc.strictMost}
		}
		given := schedule(tc.want, tc.room, each)
		for i := range given {
			assert.InDelta(t, tc.given[i], given[i], 0.001, "%s, class %d", tc.name, i)
		}
	}
}

func TestZonesSayWhoSeesWhom(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["hh-st-01"]
	sees := func(a, b string) bool { return d.cfg.storage.seesPort(a, b) }
	assert.True(t, sees("1/1/1", "1/1/13"))
	assert.False(t, sees("1/1/4", "1/1/13"), "no zone names it")
	zone := "ep-st:storage/zone[cameras]/"
	configure(t, w, "hh-st-01", zone+"fabric side-1", zone+"ports/port 1/1/4", zone+"ports/port 1/1/13")
	assert.True(t, sees("1/1/4", "1/1/13"))
	configure(t, w, "hh-st-01", zone+"active false")
	assert.False(t, sees("1/1/4", "1/1/13"))
	n := xmlnode.New("", "storage")
	d.storageState(n, time.Time{})
	require.Len(t, n.All("login"), 6)
	assert.Equal(t, "1/1/13", n.All("login")[0].TextAt("sees"))
}

func TestContactsAreToldAndTheControllerIsHeard(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["kb-sw-01"]
	assert.Equal(t, "closed", d.contact("1"))
	require.NoError(t, w.Throw(Contact, "kb-sw-01:1"))
	assert.Equal(t, "open", d.contact("1"))
	require.NoError(t, w.Throw(Contact, "kb-sw-01:1"))
	assert.Equal(t, "closed", d.contact("1"))
	require.Error(t, w.Throw(Contact, "th-sw-01:1"), "it has none")

	crane := portOfA(t, w, "kb-sw-02", "crane")
	configure(t, w, "kb-sw-01", "ep-sw:switching/controller/address "+w.station("kb-sw-02:"+crane).IP)
	connected := func() string {
		sw := d.running.Child("switching").Clone()
		d.controllerState(sw)
		return sw.TextAt("controller/state")
	}
	assert.Equal(t, "connected", connected())
	require.NoError(t, w.Throw(Cut, "kb-sw-02:"+crane))
	assert.Equal(t, "lost", connected())
}

func TestADeviceIsManagedWhereItIsTold(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	configure(t, w, "th-sw-02", "ep-mg:management-plane/allowed/vlan 20..30")
	assert.False(t, w.devices["th-sw-02"].letsManage(), "its own VLAN is not among them")
	configure(t, w, "th-sw-02", "ep-mg:management-plane/allowed/vlan 10")
	assert.True(t, w.devices["th-sw-02"].letsManage())

	require.True(t, w.reached["hh-core-02"])
	configure(t, w, "hh-core-02", "ep-mg:management-plane/own-port/port mgmt0")
	assert.False(t, w.reached["hh-core-02"], "nothing is plugged into it")
	w.locked(func() {
		c := &cable{a: endpoint{"hh-core-02", "mgmt0"}, b: endpoint{"hh-sw-01", "2/1/48"}}
		w.cables = append(w.cables, c)
		w.cablesAt["hh-core-02"], w.cablesAt["hh-sw-01"] = append(w.cablesAt["hh-core-02"], c), append(w.cablesAt["hh-sw-01"], c)
	})
	at := "oc-if:interfaces/interface[2/1/48]/"
	configure(t, w, "hh-sw-01", at+"config/enabled true", at+"oc-eth:ethernet/oc-vlan:switched-vlan/config/access-vlan 10")
	assert.True(t, w.reached["hh-core-02"], "by a port in the VLAN of the management")
}

func TestUsersOfADeviceDoWhatTheirRolesSay(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["th-sw-02"]
	hash, err := sha512_crypt.New().Generate([]byte("tide tables"), nil)
	require.NoError(t, err)
	user := "oc-sys:system/aaa/authentication/users/user[night]/config/"
	configure(t, w, "th-sw-02", user+"username night", user+"password-hashed "+hash, user+"role viewer")
	assert.True(t, d.knownPassword("night", "tide tables"))
	assert.False(t, d.knownPassword("night", "tide table"))
	assert.False(t, d.knownPassword("day", ""))
	assert.True(t, netconf.IsTag(d.mayDo("night", "edit-config"), netconf.TagAccessDenied))
	assert.NoError(t, d.mayDo("night", "get"))
	configure(t, w, "th-sw-02", user+"role SYSTEM_ROLE_ADMIN")
	assert.NoError(t, d.mayDo("night", "edit-config"))
}

func TestWhoGivesOutWrongAddressesIsNotHeardWhereDHCPIsSnooped(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	desk, printer := portOfA(t, w, "th-sw-02", "desk"), portOfA(t, w, "th-sw-02", "printer")
	require.NoError(t, w.Throw(RogueDHCP, "th-sw-02:"+printer))
	h, intruder := w.station("th-sw-02:"+desk), w.station("th-sw-02:"+printer)
	told := func() []string {
		var out []string
		for _, n := range w.devices["th-sw-02"].stateTree(w.clock.now(), nil).Child("switching").All("dhcp-intruder") {
			out = append(out, n.TextAt("port")+" "+n.TextAt("vlan")+" "+n.TextAt("mac")+" "+n.TextAt("blocked"))
		}
		return out
	}
	assert.True(t, w.misled(h))
	assert.Equal(t, []string{printer + " 20 " + intruder.MAC + " false"}, told())
	configure(t, w, "th-sw-02", "ep-sw:switching/vlan[20]/dhcp-snooping true")
	assert.False(t, w.misled(h))
	assert.Equal(t, []string{printer + " 20 " + intruder.MAC + " true"}, told())
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+printer+"]/dhcp-trust true")
	assert.True(t, w.misled(h), "it is trusted")
	assert.Empty(t, told())
	require.NoError(t, w.Throw(Mend, "th-sw-02:"+printer))
	assert.False(t, w.misled(h))
}

func TestAnAccessListOfAVLANHoldsForAllItsPorts(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d, camera, desk := w.devices["th-sw-02"], portOfA(t, w, "th-sw-02", "camera"), portOfA(t, w, "th-sw-02", "desk")
	list := "oc-acl:acl/acl-sets/acl-set[quiet,ACL_IPV4]/acl-entries/"
	configure(t, w, "th-sw-02", list+"acl-entry[10]/actions/config/forwarding-action DROP", "ep-sw:switching/vlan[50]/access-list quiet")
	before := map[string]float64{camera: d.ports[camera].counters.inOctets, desk: d.ports[desk].counters.inOctets}
	w.Step(time.Minute)
	assert.Equal(t, before[camera], d.ports[camera].counters.inOctets)
	assert.Greater(t, d.ports[desk].counters.inOctets, before[desk])
	assert.Positive(t, d.hits[listEntry{"quiet", 10}])
}

func TestSleepingPortsTakeLess(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d, desk := w.devices["th-sw-02"], portOfA(t, w, "th-sw-02", "desk")
	before := d.watts()
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+desk+"]/energy-saving true")
	assert.InDelta(t, before-savedWatts, d.watts(), 0.001)
}
