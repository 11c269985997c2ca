package alarm_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

var begin = time.Date(2026, 11, 29, 8, 0, 0, 0, time.UTC)

func sees(alarm.Alarm) bool { return false }

// book is a watch with its alarms, as a service keeps them.
type book struct {
	watch alarm.Watch
	known []alarm.Alarm
	last  int64
}

// look looks at a time and returns what changed, as number, and raised or cleared with the count.
func (b *book) look(at time.Duration, unseen func(alarm.Alarm) bool, standing ...alarm.Condition) (out []string) {
	for _, a := range b.watch.Look(b.known, standing, begin.Add(at), unseen) {
		if a.Number == 0 {
			b.last++
			a.Number = b.last
			b.known = append([]alarm.Alarm{a}, b.known...)
		}
		for i := range b.known {
			if b.known[i].Number == a.Number {
				b.known[i] = a
			}
		}
		state := "stands"
		if !a.ClearedAt.IsZero() {
			state = "cleared"
		}
		out = append(out, fmt.Sprintf("%d %s %s %d", a.Number, a.Severity, state, a.Count))
	}
	return out
}

func condition(kind, device string) alarm.Condition {
	c := alarm.Condition{Type: kind, Subject: fact.TheDevice(device), Severity: alarm.Minor}
	for _, t := range alarm.Types() {
		if t.ID == kind {
			c.Severity = t.Severity
		}
	}
	return c
}

func TestTheLifeOfAnAlarm(t *testing.T) {
	fan, gone := condition("fan", "a"), condition(alarm.DeviceGone, "a")
	var b book
	assert.Equal(t, []string{"1 minor stands 1"}, b.look(0, sees, fan))
	assert.Empty(t, b.look(time.Second, sees, fan), "it stands, and nothing is new")
	assert.Equal(t, []string{"1 minor cleared 1"}, b.look(2*time.Second, sees))
	assert.Empty(t, b.look(3*time.Second, sees))
	assert.Equal(t, []string{"1 minor stands 2"}, b.look(time.Minute, sees, fan), "what comes back soon is the same one")
	worse := fan
	worse.Severity = alarm.Major
	assert.Equal(t, []string{"1 major stands 2"}, b.look(2*time.Minute, sees, worse))
	assert.Empty(t, b.look(3*time.Minute, func(alarm.Alarm) bool { return true }), "where nobody can see it, it stays")
	assert.Equal(t, []string{"1 major cleared 2"}, b.look(4*time.Minute, sees))
	assert.Equal(t, []string{"2 minor stands 1"}, b.look(4*time.Minute+alarm.Again, sees, fan), "later it is another one")

	// What must stand for a time is none before.
	assert.Empty(t, b.look(time.Hour, sees, fan, gone))
	assert.Empty(t, b.look(time.Hour+3*time.Second, sees, fan))
	assert.Empty(t, b.look(time.Hour+4*time.Second, sees, fan, gone), "it came and went, and begins anew")
	assert.Equal(t, []string{"3 critical stands 1"}, b.look(time.Hour+10*time.Second, sees, fan, gone))
}

// Whatever comes and goes: of one thing no more than one alarm is open, and it is open exactly while the thing stands.
func TestAlarmsFollowWhatStands(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	var b book
	kinds := []string{"fan", "supply", "hot"} // which are alarms at once
	for step := range 2000 {
		var standing []alarm.Condition
		for _, k := range kinds {
			for _, d := range []string{"a", "b"} {
				if random.IntN(3) > 0 {
					standing = append(standing, condition(k, d))
				}
			}
		}
		b.look(time.Duration(step)*time.Duration(random.IntN(600)+1)*time.Millisecond+time.Duration(step)*time.Minute, sees, standing...)
		open := map[alarm.Key]int{}
		for _, a := range b.known {
			if a.ClearedAt.IsZero() {
				open[a.Key()]++
			}
		}
		assert.Len(t, open, len(standing))
		for _, c := range standing {
			assert.Equal(t, 1, open[c.Key()])
		}
	}
}

func device(name string, reach network.Reach) *catalog.Device {
	return &catalog.Device{Record: catalog.Record{Name: name}, Sight: catalog.Sight{Reach: reach, Why: "it does not answer"}, Site: &catalog.Site{}}
}

func cable(a, b string, health network.Health) *catalog.Link {
	up := 1
	if health == network.HealthDown {
		up = 0
	}
	return &catalog.Link{Line: topology.Line{Kind: topology.Cable, A: topology.End{Device: a, Name: b}, B: topology.End{Device: b, Name: a}, Up: up, Members: 1}, Health: health}
}

func TestWhatIsOutOfOrder(t *testing.T) {
	sick := device("sick", network.ReachConnected)
	sick.Troubles = []network.Trouble{{Key: "fan fan1", Code: "fan", Args: map[string]any{"name": "fan1"}}, {Key: "in 2", Code: "input", Args: map[string]any{"severity": "critical", "text": "the door", "number": "2", "contact": "open"}},
		{Key: "t", Code: "tunnel", Args: map[string]any{"name": "t1", "to": "x"}}}
	sick.State.Power = &network.Power{UsedMilliW: 96_000, BudgetMilliW: 100_000}
	sick.State.Ports = map[string]network.PortState{"1": {Rates: network.Rates{Span: time.Second, Errors: 7}}, "2": {}}
	mute := device("mute", network.ReachGone)
	mute.Troubles = sick.Troubles
	n := alarm.Network{Devices: []*catalog.Device{sick, mute, device("locked", network.ReachRefused), device("old", network.ReachRetired), device("new", network.ReachWaiting)},
		Drift: map[string]int{"sick": 2}, DiskUsed: 0.97, Promises: alarm.Promises{Broken: map[string]map[string]any{"cameras": {"title": "Cameras are recorded", "first": "door to recorder: th-fw-01: rule 5 stops it", "number": 1.0}}},
		Caps: alarm.Caps{List: []alarm.Cap{{At: network.PortRef{Device: "sick", Port: "wan1"}, Provider: "Skylark Mobile", GB: 100, Used: 120.53, Foreseen: 300, Over: true},
			{At: network.PortRef{Device: "sick", Port: "wan2"}, Provider: "Saltmarsh Fibre", GB: 500, Used: 120.53, Foreseen: 612.04}}},
		Links: []*catalog.Link{cable("sick", "mute", network.HealthDown), cable("sick", "new", network.HealthUnknown), cable("sick", "old", network.Well)}}
	var got []string
	for _, c := range alarm.Standing(n) {
		said := words.English.Alarm(c.Type, c.Subject.String(), c.Args)
		assert.NotEmpty(t, said.Effect, c.Type)
		assert.NotEmpty(t, said.Remedy, c.Type)
		got = append(got, string(c.Severity)+" "+said.What)
	}
	assert.Equal(t, []string{
		"critical mute cannot be reached: it does not answer.", "critical locked does not let the service in: it does not answer.", "critical The disk of this service is 97 % full.",
		"critical sick: the door (contact input 2, critical).", "major sick:mute has no link to mute:sick.", "major A promise is broken: Cameras are recorded. door to recorder: th-fw-01: rule 5 stops it.", "minor sick:wan1 carried 120.5 GB in this month: more than the 100 GB that Skylark Mobile lets through.", "minor sick:1 has 7.0 errors a second.", "minor sick: Fan fan1 does not turn.",
		"minor sick feeds 96.0 W of 100.0 W.", "warning sick:wan2 will carry 612.0 GB in this month, if it goes on so: more than the 500 GB that Saltmarsh Fibre lets through.", "warning sick runs 2 settings other than intended."}, got)
	assert.Empty(t, alarm.Standing(alarm.Network{Devices: []*catalog.Device{device("fine", network.ReachConnected)}, Links: []*catalog.Link{cable("fine", "fine2", network.Well)}, DiskUsed: 0.5}))
	for _, a := range alarm.Types() {
		said := words.English.Alarm(a.ID, "x", map[string]any{})
		assert.NotEmpty(t, said.Effect, a.ID)
		assert.NotEmpty(t, said.Remedy, a.ID)
	}
}

// An end of a radio link that sends otherwise than it may, or not for long any more.
func TestLicencesOfRadioLinks(t *testing.T) {
	most := 15.0
	end := device("rl", network.ReachConnected)
	end.Config = network.Config{Features: []network.Feature{setting.RadioCarriers}, Ports: map[string]network.PortConfig{"radio0": {Enabled: true, Carrier: true, Settings: network.Settings{"tx-frequency": "19315", "channel-separation": "110", "nominal-power": "18"}}}}
	licence := func(change func(l *radiolink.Licence)) (out []string) {
		l := radiolink.Licence{Device: "rl", Port: "radio0", Number: "SH-1", TxMHz: 19_315, WidthMHz: 110}
		change(&l)
		for _, c := range alarm.Standing(alarm.Network{Devices: []*catalog.Device{end}, Licences: []radiolink.Licence{l}, Now: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)}) {
			out = append(out, string(c.Severity)+" "+words.English.Alarm(c.Type, c.Subject.String(), c.Args).What)
		}
		return out
	}
	for want, change := range map[string]func(l *radiolink.Licence){
		"": func(*radiolink.Licence) {},
		"major rl:radio0 sends on 19315 MHz, outside the 55 MHz about 19370 MHz of licence SH-1.": func(l *radiolink.Licence) { l.TxMHz, l.WidthMHz = 19_370, 55 },
		"major rl:radio0 does not send horizontally, as licence SH-1 says.":                       func(l *radiolink.Licence) { l.Polarization = "horizontal" },
		"major rl:radio0 may send with more power than licence SH-1 lets it.":                     func(l *radiolink.Licence) { l.MostDbm = &most },
		"major rl:radio0 sends, and licence SH-1 ended on 2026-11-29.":                            func(l *radiolink.Licence) { l.Ends = "2026-11-29" },
		"warning Licence SH-1 of rl:radio0 ends on 2026-12-24.":                                   func(l *radiolink.Licence) { l.Ends = "2026-12-24" },
	} {
		assert.Equal(t, want, strings.Join(licence(change), "; "))
	}
	end.Reach = network.ReachGone
	assert.Len(t, licence(func(l *radiolink.Licence) { l.Ends = "2026-11-29" }), 1, "of what is away only that is told")
}

// A line of a customer that ends where a device does not take what another sends it.
func TestALineOfACustomerIsParted(t *testing.T) {
	port := func(name, value string) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Trunk, Settings: network.Settings{name: value}}
	}
	a, b := device("a", network.ReachConnected), device("b", network.ReachConnected)
	a.Config = network.Config{Ports: map[string]network.PortConfig{"1": port("service-vlan", "400"), "2": port("service-trunk-vlans", "400")}}
	b.Config = network.Config{Ports: map[string]network.PortConfig{"1": port("service-trunk-vlans", "400"), "2": port("service-vlan", "400")}}
	told := func() (out []string) {
		l := cable("a", "b", network.Well)
		l.A.Ports, l.B.Ports = []string{"2"}, []string{"1"}
		for _, c := range alarm.Standing(alarm.Network{Devices: []*catalog.Device{a, b}, Links: []*catalog.Link{l}}) {
			out = append(out, string(c.Severity)+" "+words.English.Alarm(c.Type, c.Subject.String(), c.Args).What)
		}
		return out
	}
	assert.Empty(t, told())
	b.Config.Ports["1"] = port("service-trunk-vlans", "401")
	assert.Equal(t, []string{"major b:1 does not carry service VLAN 400, which a:2 sends it: a:1 does not reach b:2."}, told())
	b.Config.Ports["2"] = port("service-vlan", "402")
	assert.Empty(t, told(), "one end is no line")
}

// What follows from what, in a tree: entry - core - {sw1 - {ap1, ap2}, sw2}, and a ring core - sw3 - sw4 - core.
func TestWhatFollowsFromWhat(t *testing.T) {
	wires := [][2]string{{"entry", "core"}, {"core", "sw1"}, {"sw1", "ap1"}, {"sw1", "ap2"}, {"core", "sw2"}, {"core", "sw3"}, {"sw3", "sw4"}, {"sw4", "core"}}
	for name, c := range map[string]struct {
		gone []string
		cut  [][2]string
		want map[string]string // by name of what is out of order: of what it follows from
	}{
		"one cable":                      {[]string{"sw1", "ap1", "ap2"}, [][2]string{{"core", "sw1"}}, map[string]string{"sw1": "core-sw1", "ap1": "core-sw1", "ap2": "core-sw1"}},
		"a device with one way up":       {[]string{"sw2"}, [][2]string{{"core", "sw2"}}, map[string]string{"sw2": "core-sw2"}},
		"a device of which no link told": {[]string{"sw1", "ap1"}, nil, map[string]string{"ap1": "sw1"}},
		"a device of a ring":             {[]string{"sw3"}, [][2]string{{"core", "sw3"}, {"sw3", "sw4"}}, map[string]string{"core-sw3": "sw3", "sw3-sw4": "sw3"}},
		"one cable of a ring":            {nil, [][2]string{{"core", "sw3"}}, nil},
		"two that are strangers":         {[]string{"sw2", "ap1"}, [][2]string{{"sw1", "ap1"}}, map[string]string{"ap1": "sw1-ap1"}},
		"all behind the core":            {[]string{"core", "sw1", "ap1", "ap2", "sw2", "sw3", "sw4"}, nil, map[string]string{"sw1": "core", "ap1": "core", "ap2": "core", "sw2": "core", "sw3": "core", "sw4": "core"}},
	} {
		var links []*catalog.Link
		var open []alarm.Alarm
		names := map[int64]string{}
		number := int64(0)
		add := func(name string, a alarm.Condition) {
			number++
			names[number] = name
			open = append(open, alarm.Alarm{Number: number, Condition: a})
		}
		for _, w := range wires {
			health := network.Well
			for _, cut := range c.cut {
				if cut == w {
					health = network.HealthDown
					add(w[0]+"-"+w[1], alarm.Condition{Type: alarm.LinkDown, Subject: fact.ThePort(w[0], w[1]), Name: w[1] + ":" + w[0]})
				}
			}
			links = append(links, cable(w[0], w[1], health))
		}
		for _, d := range c.gone {
			add(d, alarm.Condition{Type: alarm.DeviceGone, Subject: fact.TheDevice(d)})
		}
		got := map[string]string{}
		for a, cause := range alarm.Causes(open, links, []string{"entry"}) {
			got[names[a]] = names[cause]
		}
		if c.want == nil {
			c.want = map[string]string{}
		}
		assert.Equal(t, c.want, got, name)
	}
}

// What is bad in the air is one incident, at whichever end it was told first.
func TestBothEndsOfARadioLinkAreOneIncident(t *testing.T) {
	l := cable("gs-rl-01", "th-rl-01", network.Degraded)
	l.Radio = true
	open := []alarm.Alarm{{Number: 4, Condition: alarm.Condition{Type: "radio-link", Subject: fact.TheDevice("th-rl-01")}}, {Number: 3, Condition: alarm.Condition{Type: "radio-link", Subject: fact.TheDevice("gs-rl-01")}}}
	assert.Equal(t, map[int64]int64{4: 3}, alarm.Causes(open, []*catalog.Link{l}, nil))
	l.Radio = false
	assert.Empty(t, alarm.Causes(open, []*catalog.Link{l}, nil), "two devices on a cable have nothing to do with it")
}
