package settings_test

import (
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

func results(answer v1.BulkAnswer) map[string]string {
	out := map[string]string{}
	for _, r := range answer.Results {
		out[r.On] = r.Outcome
	}
	return out
}

func TestBulkEditTellsOfEachThing(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Why: "tickets", Rows: []v1.BulkRow{
		{On: []string{"th-sw-02:1/1/7", "th-sw-02:1/1/25", "th-sw-02:1/1/14", "th-sw-02:9/9/9"}, Set: map[string]string{"vlan": "40"}},
		{Where: "camera name = th-sw-02", Set: map[string]string{"poe-priority": "critical", "edge": "on"}},
		{Devices: "name in (th-sw-01, th-fw-01)", Set: map[string]string{"contact": "Bram Oar"}},
	}})
	require.NoError(t, err)
	got := results(answer)
	assert.Equal(t, "set", got["th-sw-02:1/1/7"])
	assert.Equal(t, "refused", got["th-sw-02:1/1/25"], "it is a trunk")
	assert.Equal(t, "unchanged", got["th-sw-02:1/1/14"])
	assert.Equal(t, "refused", got["th-sw-02:9/9/9"])
	assert.Equal(t, "set", got["th-sw-02:1/1/17"])
	assert.Equal(t, "set", got["th-sw-01"])
	require.NotNil(t, answer.Change)
	assert.Equal(t, "tickets", answer.Change.Why)
	assert.Equal(t, 1+4*2+2, answer.Change.DiffCount, "%v", answer.Change.Differences)

	st, err := r.Standing(t.Context(), v1.StandingRequest{On: []string{"th-sw-02:1/1/7", "th-sw-02:1/1/14", "th-sw-02:1/1/25"}})
	require.NoError(t, err)
	at := slices.IndexFunc(st.Items, func(s v1.Standing) bool { return s.Setting == "vlan" })
	assert.Equal(t, 2, st.Items[at].Applies)
	assert.ElementsMatch(t, []v1.Count{{Value: "20", Count: 1}, {Value: "40", Count: 1}}, st.Items[at].Values)
	assert.Contains(t, st.Items[at].Why, "not an access port")
	st, err = r.Standing(t.Context(), v1.StandingRequest{On: []string{"th-sw-02:1/1/7", "th-sw-02:1/1/14"}, Change: answer.Change.Number, Set: map[string]string{"mode": "trunk"}})
	require.NoError(t, err)
	at = slices.IndexFunc(st.Items, func(s v1.Standing) bool { return s.Setting == "native-vlan" })
	assert.Equal(t, []v1.Count{{Value: "40", Count: 2}}, st.Items[at].Values, "as the draft and the form have it")
	assert.Contains(t, st.Items[at].Offers, v1.Offer{Value: "30", Text: "voice"})

	for what, row := range map[string]v1.BulkRow{
		"row 1, th-sw-02:1/1/7: vlan": {On: []string{rig.Printer}, Set: map[string]string{"vlan": "5000"}},
		"did you mean description":    {On: []string{rig.Printer}, Set: map[string]string{"descripton": "x"}},
		"is not a port":               {On: []string{"th sw"}, Set: map[string]string{"vlan": "40"}},
		"unknown field":               {Where: "prot = 3", Set: map[string]string{"vlan": "40"}},
	} {
		_, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{row}})
		assert.ErrorContains(t, err, what)
	}
	none, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"th-fw-01:wan1"}, Set: map[string]string{"vlan": "40"}}}})
	require.NoError(t, err)
	assert.Nil(t, none.Change, "nothing could be set: there is no draft")

	coral := r.As(t, "coral", "viewer")
	_, err = coral.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{rig.Printer}, Set: map[string]string{"vlan": "20"}}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
}

func TestSettingsOfAllKindsReachTheDevice(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t,
		[3]string{"th-sw-02:vlan/77", "present", "on"}, [3]string{"th-sw-02:vlan/77", "name", "lockers"}, [3]string{"th-sw-02:vlan/77", "dhcp-snooping", "on"},
		[3]string{"th-sw-02:schedule/office", "present", "on"}, [3]string{"th-sw-02:schedule/office", "hours", "mon-sun 00:00-24:00"},
		[3]string{"th-sw-02:acl/desks", "present", "on"}, [3]string{"th-sw-02:acl/desks", "rules", "deny tcp from any to 10.20.50.0/24\npermit ip from 10.20.0.0/16 to any"},
		[3]string{"th-sw-02:1/1/2", "acl-in", "desks"}, [3]string{"th-sw-02:1/1/2", "schedule", "office"}, [3]string{"th-sw-02:1/1/2", "rate-in", "20M"}, [3]string{"th-sw-02:1/1/2", "voice-vlan", "30"},
		[3]string{"th-sw-02:1/1/17", "poe-priority", "critical"}, [3]string{"th-sw-02:1/1/17", "broadcast-limit", "500"},
	)
	r.PushAndKeep(t, c)
	ask := func(filter string) string { return r.Asked(t, "th-sw-02", filter) }
	switching := ask(`<switching xmlns="urn:everypost:yang:ep-switching"/>`)
	for _, want := range []string{"<voice-vlan>30</voice-vlan>", "<in>20000</in>", "<schedule>office</schedule>", "<broadcast>500</broadcast>", "<hours>mon-sun00:00-24:00</hours>", "<id>77</id><dhcp-snooping>true</dhcp-snooping>"} {
		assert.Contains(t, switching, want)
	}
	lists := ask(`<acl xmlns="http://openconfig.net/yang/acl"/>`)
	for _, want := range []string{"<destination-address>10.20.50.0/24</destination-address>", "<forwarding-action>DROP</forwarding-action>", "<set-name>desks</set-name>"} {
		assert.Contains(t, lists, want)
	}
	assert.Contains(t, ask(`<network-instances xmlns="http://openconfig.net/yang/network-instance"/>`), "<name>lockers</name>")

	back, err := r.TakeBack(t.Context(), c.Number)
	require.NoError(t, err)
	back, err = r.Check(t.Context(), back.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, back)
	assert.NotContains(t, ask(`<acl xmlns="http://openconfig.net/yang/acl"/>`), "desks")
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	for _, o := range d.Objects {
		assert.Equal(t, "vlan", o.Kind, "%s is left", o.Name)
		assert.NotEqual(t, "vlan/77", o.Name)
	}
}

// The two ends of a bundle are made by one draft, and the world forwards over it.
func TestABundleIsMadeWithBothItsEnds(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	p, err := r.ProposeBundle(t.Context(), v1.BundleRequest{Ports: []string{"th-sw-02:1/1/25"}})
	require.NoError(t, err)
	assert.Equal(t, []v1.BundleEnd{{Device: "th-sw-02", Bundle: "lag1", Ports: []string{"1/1/25"}}}, p.Near)
	assert.Equal(t, []v1.BundleEnd{{Device: "th-sw-01", Bundle: "lag1", Ports: []string{"1/1/49"}}}, p.Far)
	c, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: p.Edits})
	require.NoError(t, err)
	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	require.Len(t, c.Findings, 1)
	assert.Equal(t, "out-of-sight:th-sw-02", c.Findings[0].ID, "its only way is changed at both ends")
	r.PushAndKeep(t, c)
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	at := slices.IndexFunc(d.Objects, func(o v1.Object) bool { return o.Name == "lag1" })
	require.GreaterOrEqual(t, at, 0)
	assert.Equal(t, []string{"1/1/25"}, d.Objects[at].Members)
	assert.Equal(t, "connected", d.Reach)

	for what, ports := range map[string][]string{
		"is in lag1 already":         {"th-sw-02:1/1/25"},
		"ports of one device":        {"th-sw-02:1/1/26", "th-sw-01:1/1/50"},
		"has no link aggregation":    {"th-edge-01:lan1"},
		"has no port 9/9/9":          {"th-sw-02:9/9/9"},
		"device th-sw-99: not found": {"th-sw-99:1"},
	} {
		_, err := r.ProposeBundle(t.Context(), v1.BundleRequest{Ports: ports})
		assert.ErrorContains(t, err, what)
	}
	// One end alone would cut the link: the guard says so.
	lone := r.Draft(t, [3]string{"th-sw-01:lag1", "protocol", "static"})
	assert.NotEmpty(t, lone.Findings)
	assert.Equal(t, "management-path:th-sw-02", lone.Findings[0].ID)
}

func TestVLANsOfTheNetwork(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	list, err := r.VLANs(t.Context(), "")
	require.NoError(t, err)
	at := slices.IndexFunc(list.Items, func(v v1.NetworkVLAN) bool { return v.ID == 40 })
	assert.Equal(t, []string{"ticketing"}, list.Items[at].Names)
	assert.Equal(t, 6, list.Items[at].Access)
	record := v1.VLANRecord{Purpose: "ticket counters", Subnets: "10.20.40.9/24, 10.21.40.0/24", Gateways: "10.20.40.1", Wanted: "kind = switch"}
	require.NoError(t, r.DescribeVLAN(t.Context(), 40, record))
	v, err := r.VLAN(t.Context(), 40)
	require.NoError(t, err)
	assert.Equal(t, "10.20.40.0/24,10.21.40.0/24", v.Subnets)
	assert.Empty(t, v.Missing)
	for what, bad := range map[string]v1.VLANRecord{
		"is not a subnet":        {Subnets: "10.20.40.1"},
		"in none of the subnets": {Subnets: "10.22.0.0/24", Gateways: "10.23.0.1"},
		"overlaps":               {Subnets: "10.20.0.0/16"},
		"unknown field":          {Wanted: "knid = switch"},
	} {
		assert.ErrorContains(t, r.DescribeVLAN(t.Context(), 41, bad), what)
	}
	_, err = r.VLAN(t.Context(), 41)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")

	// A new one, carried from the edge to the second switch: every trunk on the way, and no other port.
	p, err := r.CarryVLAN(t.Context(), 77, v1.CarryRequest{From: "th-edge-01", To: "th-sw-02"})
	require.NoError(t, err)
	touched := map[string]bool{}
	for _, e := range p.Edits {
		touched[e.Port] = true
	}
	assert.Equal(t, map[string]bool{"th-edge-01:vlan/77": true, "th-sw-01:vlan/77": true, "th-sw-02:vlan/77": true,
		"th-edge-01:lan1": true, "th-sw-01:1/1/48": true, "th-sw-01:1/1/49": true, "th-sw-02:1/1/25": true}, touched)
	c, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: p.Edits})
	require.NoError(t, err)
	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, c)
	require.NoError(t, r.DescribeVLAN(t.Context(), 77, v1.VLANRecord{Wanted: "name in (th-sw-02, th-ap-01)"}))
	v, err = r.VLAN(t.Context(), 77)
	require.NoError(t, err)
	assert.Equal(t, []v1.VLANMissing{{Device: "th-ap-01", Why: "does not know it"}}, v.Missing)
	_, err = r.CarryVLAN(t.Context(), 77, v1.CarryRequest{From: "th-edge-01", To: "nowhere"})
	assert.Error(t, err)
}

func TestSettingsAsFilesByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	path := filepath.Join(t.TempDir(), "th.yaml")
	c.Good("export", "name", "=", "th-sw-02", "--into", path)
	same := c.Run("", "draft", "from", path, "--dry-run", "--whole")
	assert.Zero(t, same.Code, "the round trip is exact: %s%s", same.Out, same.Err)

	text, err := os.ReadFile(path)
	require.NoError(t, err)
	edited := strings.Replace(string(text), "description: Ticket office printer", "description: Ticket office printer # moves in spring", 1)
	edited = strings.Replace(edited, "mode: access\n        vlan: 20", "mode: access\n        vlan: 40", 1)
	require.NotEqual(t, string(text), edited)
	require.NoError(t, os.WriteFile(path, []byte(edited), 0o600))
	differs := c.Run("", "draft", "from", path, "--dry-run")
	assert.Equal(t, 7, differs.Code)
	assert.Contains(t, differs.Out, "vlan")
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items, "a dry run makes no draft")
	assert.Contains(t, c.Good("draft", "from", path, "--why", "as reviewed").Err, "In draft 1")
	c.Good("change", "check", "1")
	c.Good("change", "push", "1", "--keep-after", "1s")
	assert.Zero(t, c.Run("", "draft", "from", path, "--dry-run").Code)
	c.Good("export", "name", "=", "th-sw-02", "--into", path)
	again, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, edited, string(again), "comments stay, and the rest is the same")

	for what, bad := range map[string]string{
		`there is no "x" here`:                    "x: y",
		"did you mean vlan?":                      "everypost: settings/1\ndevices: {th-sw-02: {ports: {1/1/7: {vlna: 40}}}}",
		"th-sw-02:1/1/25: poe: cannot feed power": "everypost: settings/1\ndevices: {th-sw-02: {ports: {1/1/25: {poe: true}}}}",
		"device th-sw-77: not found":              "everypost: settings/1\ndevices: {th-sw-77: {}}",
	} {
		got := c.Run(bad, "draft", "from", "-")
		assert.Equal(t, 3, got.Code, what)
		assert.Contains(t, got.Err, what)
	}
	assert.Contains(t, c.Good("compare", "--period", "1h").Out, "20")
	assert.Contains(t, c.Good("change", "take-back", "1").Out, "vlan")
	assert.Contains(t, c.Good("port", "settings", rig.Printer).Out, "poe-priority")
	assert.Contains(t, c.Good("vlans").Out, "ticketing")
	made := c.Run("port,vlan,description\n"+rig.Printer+",40,Printer\nth-sw-02:1/1/25,40,\n", "port", "set", "--table", "-")
	assert.Equal(t, 3, made.Code)
	assert.Contains(t, made.Err, "th-sw-02:1/1/25  vlan: is not an access port")
	assert.Contains(t, made.Err, "1 set, 0 have it already, 1 left out.")
}

// A change made on the device itself is seen, told with who made it, and compared.
func TestWhatOthersChangedIsSeenInTheComparison(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	from := time.Now()
	c := r.Draft(t, [3]string{rig.Printer, "description", "moved"})
	r.PushAndKeep(t, c)
	require.Eventually(t, func() bool {
		cmp, err := r.Compare(t.Context(), from, time.Time{}, "kind = switch")
		return err == nil && len(cmp.Devices) == 1 && len(cmp.Devices[0].Steps) > 0 && cmp.Devices[0].Steps[0].Change == c.Number &&
			assert.ObjectsAreEqual([]v1.Difference{{Port: rig.Printer, Field: "description", Before: "Ticket office printer", After: "moved"}}, cmp.Differences)
	}, rig.WaitLong, rig.WaitStep)
	_, err := r.Compare(t.Context(), time.Now(), from, "")
	assert.ErrorContains(t, err, "before the earlier")
	list, err := r.Configurations(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(list.Items), 2)
	coral := r.As(t, "coral", "manager")
	_, err = coral.Compare(t.Context(), from, time.Time{}, "")
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
}

func TestAPortThatTheDeviceKeepsShutSaysWhy(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-02:1/1/17", "loop-protection", "on"}))
	require.NoError(t, r.World.Throw(standin.Loop, "th-sw-02:1/1/17"))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && slices.ContainsFunc(d.PortList, func(p v1.Port) bool { return p.Port == "1/1/17" && p.ShutBy == "loop-protection" && p.Oper == "down" })
	}, rig.WaitLong, rig.WaitStep)
}

func TestSettingsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		// Two ports with different VLANs, one of which cannot have it: the mix is told, and then what was left out.
		chromedp.Navigate(r.Base+"/ports?sel=th-sw-02:1%2F1%2F7,th-sw-02:1%2F1%2F14,th-sw-02:1%2F1%2F25"),
		browser.Shows("mixed: 20 (1), 40 (1), on 2 of 3"),
		browser.Choose("VLAN (access)", "30"), browser.Press("Put into a new draft"),
		browser.Shows("1 of 3 were left out"), browser.Shows("is not an access port"), browser.Shows("Change 1"),
		browser.Press("Power"), browser.Choose("Priority", "critical"), browser.Press("Add to draft 1"), browser.Shows("poe-priority"),
		// A bundle is made on the page of settings, and set up before it is there.
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=settings"),
		browser.Press("Make a bundle"), browser.TypeInto("New bundle", "7\r"), browser.Shows("in draft 1"),
		browser.Until(`[...document.querySelectorAll("nav button")].find(b => b.innerText.includes("lag7"))`),
		chromedp.Evaluate(`[...document.querySelectorAll("nav button")].find(b => b.innerText.includes("lag7")).click()`, nil),
		browser.Press("Bundle"), browser.Choose("Protocol", "static"), browser.Press("Add to draft 1"),
		browser.Until(`document.querySelector("aside[aria-label='Draft tray']").innerText.includes("protocol")`),
		// Compare and files.
		chromedp.Navigate(r.Base+"/changes?view=compare"), browser.Shows("Nothing differs"),
		browser.Press("Draft from a file…"), browser.TypeInto("Or its text", "everypost: settings/1\ndevices: {th-sw-01: {ports: {1/1/7: {poe: off}}}}"),
		browser.Press("Show what differs"), browser.Shows("1 setting would differ"), browser.Press("Add to draft 1"), browser.Shows("th-sw-01"),
		// A VLAN from here to there.
		chromedp.Navigate(r.Base+"/vlans?vlan=40"), browser.Shows("On 4 devices"),
		browser.Press("Carry it from here to there…"), browser.TypeInto("From", "th-sw-01"), browser.TypeInto("To", "th-sw-02"), browser.Press("Show what it takes"),
		browser.Shows("carried on all of them already"),
	))
	c, err := r.Change(t.Context(), 1)
	require.NoError(t, err)
	var said []string
	for _, e := range c.Edits {
		said = append(said, e.Port+" "+e.Field+"="+e.Value)
	}
	assert.ElementsMatch(t, []string{"th-sw-02:1/1/7 vlan=30", "th-sw-02:1/1/14 vlan=30", "th-sw-02:1/1/7 poe-priority=critical", "th-sw-02:1/1/14 poe-priority=critical",
		"th-sw-02:lag7 present=on", "th-sw-02:lag7 protocol=static", "th-sw-01:1/1/7 poe=off"}, said)
}

// Every setting that the interface lists is one that the core knows, and the other way round.
func TestTheInterfaceListsEverySetting(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	list, err := r.Settings(t.Context())
	require.NoError(t, err)
	assert.Len(t, list.Items, len(setting.All()))
}
