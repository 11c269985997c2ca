package setup_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// inside waits until what is read inside a device is as asked.
func inside(t *testing.T, r *rig.Rig, device, what string, as func(v1.DeviceDetail) bool) v1.DeviceDetail {
	t.Helper()
	var d v1.DeviceDetail
	require.Eventually(t, func() bool {
		var err error
		d, err = r.Device(t.Context(), device)
		return err == nil && d.Inside != nil && as(d)
	}, rig.WaitLong, rig.WaitStep, "%s: %s", device, what)
	return d
}

func TestTheRingOfTheDockHeals(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	var rings []string
	for n := range 5 {
		rings = append(rings, fmt.Sprintf("kb-sw-%02d:ring/dock", n+1))
	}
	r.KeepRows(t, v1.BulkRow{On: rings, Set: map[string]string{"present": "on", "ring-ports": "1/1/9,1/1/10", "recovery": "30"}},
		v1.BulkRow{On: rings[:1], Set: map[string]string{"ring-role": "manager"}})
	switching := r.Asked(t, "kb-sw-01", `<switching xmlns="urn:everypost:yang:ep-switching"/>`)
	assert.Contains(t, switching, "<ports><port>1/1/9</port><port>1/1/10</port></ports>")
	assert.Contains(t, switching, "<role>manager</role>")
	state := func(want string) func(v1.DeviceDetail) bool {
		return func(d v1.DeviceDetail) bool { return len(d.Inside.Rings) == 1 && d.Inside.Rings[0].State == want }
	}
	d := inside(t, r, "kb-sw-01", "the ring is closed", state("closed"))
	assert.Equal(t, "1/1/10", d.Inside.Rings[0].Blocked)
	require.NoError(t, r.World.Throw(standin.Cut, "kb-sw-03:1/1/9"))
	inside(t, r, "kb-sw-02", "the ring is open", state("open"))
	inside(t, r, "kb-sw-02", "which is a trouble", func(d v1.DeviceDetail) bool {
		return slices.ContainsFunc(d.Troubles, func(s string) bool { return strings.Contains(s, "would not survive another break") })
	})
	assert.Len(t, r.World.Reached(), len(r.World.Devices()), "all are reached")

	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"kb-fw-01:ring/dock"}, Set: map[string]string{"present": "on"}}}})
	require.NoError(t, err)
	assert.Contains(t, answer.Results[0].Why, "the device has no ring redundancy")
	inside(t, r, "kb-sw-01", "the manager knows it", state("open"))
	shown := rig.SignedIn(t, r).Good("device", "show", "kb-sw-01").Out
	assert.Contains(t, shown, "Ring dock: ◆ open; this switch is manager")
}

func TestContactsAndTheControllerOfADock(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	var clients v1.List[v1.NetworkClient]
	require.Eventually(t, func() bool {
		var err error
		clients, err = r.Clients(t.Context(), client.Query{Where: `port.description ~ "Crane*" and name = kb-sw-02`})
		return err == nil && len(clients.Items) > 0 && clients.Items[0].Address != ""
	}, rig.WaitLong, rig.WaitStep, "a controller is found, with its address")
	r.KeepRows(t, v1.BulkRow{On: []string{"kb-sw-01:input/2"}, Set: map[string]string{"present": "on", "text": "Smoke in the crane's cabin", "severity": "critical"}},
		v1.BulkRow{On: []string{"kb-sw-01"}, Set: map[string]string{"controller": clients.Items[0].Address}})
	inside(t, r, "kb-sw-01", "it is heard", func(d v1.DeviceDetail) bool { return d.Inside.Controller != nil && d.Inside.Controller.Connected })
	require.NoError(t, r.World.Throw(standin.Contact, "kb-sw-01:2"))
	require.NoError(t, r.World.Throw(standin.Cut, clients.Items[0].Device+":"+clients.Items[0].Port))
	inside(t, r, "kb-sw-01", "both are told", func(d v1.DeviceDetail) bool {
		all := strings.Join(d.Troubles, " ")
		return strings.Contains(all, "Smoke in the crane's cabin (contact input 2, critical).") && strings.Contains(all, "is not connected")
	})
}

func TestZonesByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "hh-core-01", "harbour-house")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/hh-st-01?tab=zones"), browser.Shows("Who sees whom"), browser.Shows("host-cameras"),
		browser.Until(`document.querySelector('[aria-label="1/1/4 and 1/1/14: do not see each other"]')`),
		chromedp.Evaluate(`document.querySelector('[aria-label="1/1/4 and 1/1/14: do not see each other"]').click()`, nil),
		browser.Shows("2 ports"), browser.TypeInto("Name", "cameras"), browser.TypeInto("Purpose", "what the cameras saw"),
		browser.Press("Put into a new draft"), browser.Shows("Change 1"),
		browser.Until(`document.querySelector('[aria-label="1/1/4 and 1/1/14: see each other by cameras"]')`),
		browser.Press("Check"), browser.Shows("guards found nothing"), browser.Press("Push to "), rig.InDialog("Push"), browser.Shows("Every device was read back"), browser.Press("Keep it"), browser.Shows("It runs for good"),
	))
	inside(t, r, "hh-st-01", "the host sees its storage", func(d v1.DeviceDetail) bool {
		return slices.ContainsFunc(d.Inside.Logins, func(l network.StorageLogin) bool { return l.Port == "1/1/4" && slices.Contains(l.Sees, "1/1/14") })
	})
	assert.Contains(t, r.Asked(t, "hh-st-01", `<storage xmlns="urn:everypost:yang:ep-storage"><zone><name>cameras</name></zone></storage>`),
		"<ports><port>1/1/4</port><port>1/1/14</port></ports>")
	// Who uses it would lose sight of it.
	c := r.Draft(t, [3]string{"hh-st-01:zone/cameras", "present", "off"})
	require.Len(t, c.Findings, 1)
	assert.Contains(t, c.Findings[0].What, "host-cameras-st-01-4 (hh-st-01:1/1/4) would no longer see array-st-01-2 (1/1/14), which it uses.")
}

func TestAPairAndAStackByDraft(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "hh-core-01", "harbour-house")
	r.KeepRows(t, v1.BulkRow{On: []string{"hh-sw-01:member/3"}, Set: map[string]string{"present": "on", "priority": "200"}},
		v1.BulkRow{On: []string{"hh-core-02:pair/hh-core"}, Set: map[string]string{"priority": "100"}})
	inside(t, r, "hh-sw-01", "the third unit leads", func(d v1.DeviceDetail) bool {
		return d.Inside.Cluster != nil && len(d.Inside.Cluster.Members) == 3 && d.Inside.Cluster.Members[2].Role == "leader"
	})
	inside(t, r, "hh-core-01", "the other core leads", func(d v1.DeviceDetail) bool {
		return d.Inside.Cluster != nil && d.Inside.Cluster.Members[0].Name == "hh-core-02" && d.Inside.Pair != nil && d.Inside.Pair.Joined
	})
	c := r.Draft(t, [3]string{"hh-core-02:pair/hh-core", "present", "off"})
	assert.Contains(t, c.Findings[0].What, "hh-core-01 would be alone in the pair hh-core.")
}

func TestTrafficClassesAndHitsAreTold(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	term := rig.SignedIn(t, r)
	assert.Contains(t, term.Good("device", "ready").Out, "voice-first")
	assert.Contains(t, term.Good("device", "ready", "voice-first", "th-sw-02", "--why", "phones first").Err, "8 set")
	assert.Equal(t, 2, term.Run("", "device", "ready", "voice-last", "th-sw-02").Code)
	term.Good("port", "set", "th-sw-02:1/1/25", "rate-out=5M", "--change", "1")
	term.Good("port", "set", "th-sw-02:acl/cameras", "present=on", "rules=permit tcp from any to any", "--change", "1")
	term.Good("port", "set", "th-sw-02:vlan/50", "acl-in=cameras", "--change", "1")
	c, err := r.Check(t.Context(), 1)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), 1, 0, v1.PushRequest{TrialSeconds: 60, KeepSeconds: 1, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, 1, "kept")
	inside(t, r, "th-sw-02", "what is sent and decided is counted", func(d v1.DeviceDetail) bool {
		sent := slices.ContainsFunc(d.Inside.Classes, func(c network.ClassCount) bool { return c.Class == 4 && c.Sent > 0 && c.Dropped > 0 })
		return sent && len(d.Inside.Lists) == 1
	})
	out := term.Good("device", "show", "th-sw-02").Out
	assert.Contains(t, out, "Traffic classes")
	assert.Regexp(t, `10 +permit tcp from any to any +\d+ frames`, out)
}

// A secret is typed once and is nowhere but, sealed, in the store, and on the device.
func TestSecretsAreNowhereButOnTheDevice(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	const user, community = "tide tables at night", "herring-gull-7"
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{
		{On: []string{"th-sw-02:user/night"}, Set: map[string]string{"present": "on", "role": "viewer", "password": user}},
		{On: []string{"th-sw-02:community/watch", "th-sw-01:community/watch"}, Set: map[string]string{"present": "on", "secret": community}},
		{On: []string{"th-sw-02"}, Set: map[string]string{"snmp": "v2c"}},
	}})
	require.NoError(t, err)
	var references []string
	for _, d := range answer.Change.Differences {
		if d.Field == "secret" {
			references = append(references, d.After)
		}
	}
	require.Len(t, references, 2)
	assert.Regexp(t, `^secret:[0-9a-f]{24}$`, references[0])
	assert.Equal(t, references[0], references[1], "the same secret has the same reference")
	c, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, c)

	system := r.Asked(t, "th-sw-02", `<system xmlns="http://openconfig.net/yang/system"/>`)
	assert.Contains(t, system, "<password-hashed>$6$")
	assert.NotContains(t, system, strings.ReplaceAll(user, " ", ""))
	assert.Contains(t, r.Asked(t, "th-sw-02", `<management-plane xmlns="urn:everypost:yang:ep-management"/>`), "<secret>"+community+"</secret>")
	signsIn := func(as string) error {
		conn, err := ssh.Dial("tcp", r.World.Address("th-sw-02"), &ssh.ClientConfig{User: "night", Auth: []ssh.AuthMethod{ssh.Password(as)}, HostKeyCallback: ssh.FixedHostKey(r.World.HostKey("th-sw-02"))})
		if err == nil {
			_ = conn.Close()
		}
		return err
	}
	assert.NoError(t, signsIn(user), "the device takes the password")
	assert.Error(t, signsIn("tide tables"))

	told := []string{}
	document, err := r.Configuration(t.Context(), "th-sw-02", false)
	require.NoError(t, err)
	file, err := r.ExportSettings(t.Context(), v1.ExportRequest{Where: "name = th-sw-02"})
	require.NoError(t, err)
	told = append(told, document, file.Text)
	assert.Contains(t, file.Text, references[0])
	r.Halt(t)
	for _, name := range []string{"everypost.db", "everypost.db-wal"} {
		if b, err := os.ReadFile(filepath.Join(r.Dir, name)); err == nil {
			told = append(told, string(b))
		}
	}
	for _, text := range told {
		assert.NotContains(t, text, community)
		assert.NotContains(t, text, user)
		assert.NotContains(t, text, "$6$")
	}
	r.Open(t)
	r.AwaitAll(t)

	// The file goes back as it came; a secret that is none is not quoted; a reference of somewhere else is not taken.
	from, err := r.DraftFromFile(t.Context(), v1.FileRequest{Text: file.Text, DryRun: true})
	require.NoError(t, err)
	assert.Empty(t, from.Differences)
	for value, says := range map[string]string{"seven77": "at least 8 characters", "secret:00112233445566778899aabb": "not kept here"} {
		_, err = r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"th-sw-02:community/watch"}, Set: map[string]string{"secret": value}}}})
		rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, says)
		assert.NotContains(t, fmt.Sprintf("%+v", err), "seven77")
	}
	asked := rig.SignedIn(t, r).Run("another-gull-8\n", "port", "set", "th-sw-01:community/watch", "secret=-")
	require.Zero(t, asked.Code, asked.Err)
	assert.NotContains(t, asked.Out+asked.Err, "another-gull-8")
}
