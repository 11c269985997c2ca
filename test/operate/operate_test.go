package operate_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// ended waits until an operation is over.
func ended(t *testing.T, r *rig.Rig, number int64) v1.Operation {
	t.Helper()
	var o v1.Operation
	require.Eventually(t, func() bool {
		var err error
		o, err = r.Operation(t.Context(), number)
		return err == nil && o.State != "running"
	}, rig.WaitLong, rig.WaitStep)
	return o
}

func start(t *testing.T, r *rig.Rig, device, kind string, args map[string]string) v1.Operation {
	t.Helper()
	o, err := r.StartOperation(t.Context(), device, v1.OperationRequest{Kind: kind, Args: args})
	require.NoError(t, err)
	return o
}

// A ping goes the way that there is: it answers, and does not once the cable is cut in the middle of it.
func TestAPingTellsOfACutCable(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	o := start(t, r, "th-sw-01", "ping", map[string]string{"to": "th-sw-02", "count": "30"})
	require.Eventually(t, func() bool {
		now, err := r.Operation(t.Context(), o.Number)
		return err == nil && len(now.Lines) > 0 && now.Lines[0].Cells["time"] != ""
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	require.Eventually(t, func() bool {
		now, err := r.Operation(t.Context(), o.Number)
		return err == nil && len(now.Lines) > 0 && now.Lines[len(now.Lines)-1].Cells["fault"] != ""
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.CancelOperation(t.Context(), o.Number))
	o = ended(t, r, o.Number)
	assert.Equal(t, "cancelled", o.State)
	assert.Less(t, len(o.Lines), 30)
	assert.Equal(t, "Sent", o.Summary[0].Title)
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "cancel-operation")
}

// A device that goes in the middle of a test ends it, and says why; and one that is gone is not asked.
func TestADeviceThatGoesEndsItsTest(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	o := start(t, r, "th-ap-01", "ping", map[string]string{"to": "th-sw-02", "count": "60"})
	require.NoError(t, r.World.Throw(standin.PowerLoss, "th-ap-01"))
	o = ended(t, r, o.Number)
	assert.Equal(t, "failed", o.State)
	assert.NotEmpty(t, o.Why)
	require.Eventually(t, func() bool {
		_, err := r.StartOperation(t.Context(), "th-ap-01", v1.OperationRequest{Kind: "ping", Args: map[string]string{"to": "th-sw-02"}})
		return err != nil && strings.Contains(err.Error(), "cannot be reached")
	}, rig.WaitLong, rig.WaitStep)
}

func TestADeviceIsRestarted(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	before, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	o := start(t, r, "th-sw-02", "reboot", nil)
	o = ended(t, r, o.Number)
	require.Equal(t, "done", o.State, o.Why)
	require.Len(t, o.Lines, 3)
	assert.Contains(t, o.Lines[2].Cells["step"], "it is back")
	after, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.True(t, after.BootedAt.After(before.BootedAt))
	log, err := r.Log(t.Context(), "name = th-sw-02", 50)
	require.NoError(t, err)
	var said []string
	for _, e := range log.Items {
		said = append(said, e.Text)
	}
	assert.Contains(t, strings.Join(said, "\n"), "ada asked th-sw-02 for reboot.")
}

// Cables are measured by what is wrong with them; ports go down and come up; and power is taken and given.
func TestFirstAidAtPorts(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/7"))
	o := ended(t, r, start(t, r, "th-sw-02", "cable-test", map[string]string{"ports": "1/1/7,1/1/17"}).Number)
	require.Equal(t, "done", o.State, o.Why)
	require.Len(t, o.Lines, 8, "four pairs each")
	assert.Equal(t, "open", o.Lines[0].Cells["state"])
	assert.NotEmpty(t, o.Lines[0].Cells["fault-at"])
	assert.Equal(t, "ok", o.Lines[4].Cells["state"])
	assert.Equal(t, []v1.OperationFact{{Title: "Ports", Value: "2"}, {Title: "With a fault", Value: "1"}}, o.Summary)

	o = start(t, r, "th-sw-02", "bounce", map[string]string{"ports": "1/1/17", "for": "2"})
	require.Eventually(t, func() bool { return !r.World.PortUp("th-sw-02:1/1/17") }, rig.WaitLong, rig.WaitStep)
	o = ended(t, r, o.Number)
	require.Equal(t, "done", o.State, o.Why)
	assert.True(t, r.World.PortUp("th-sw-02:1/1/17"))
	require.Len(t, o.Lines, 2)

	// What a port feeds goes down with its power: the access point.
	o = start(t, r, "th-sw-02", "power-cycle", map[string]string{"ports": "1/1/1", "for": "1"})
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-ap-01")
		return err == nil && d.Reach != "connected"
	}, rig.WaitLong, rig.WaitStep)
	o = ended(t, r, o.Number)
	require.Equal(t, "done", o.State, o.Why)
	assert.Contains(t, o.Lines[1].Cells["step"], "feeds again")
	r.Connected(t, "th-ap-01")

	for says, in := range map[string]v1.OperationRequest{
		"has no port 9/9/9":     {Kind: "bounce", Args: map[string]string{"ports": "9/9/9"}},
		"cannot feed power":     {Kind: "power-cycle", Args: map[string]string{"ports": "1/1/25"}},
		"from 1 to 60":          {Kind: "bounce", Args: map[string]string{"ports": "1/1/7", "for": "999"}},
		`takes no "force"`:      {Kind: "reboot", Args: map[string]string{"force": "yes"}},
		`there is no "explode"`: {Kind: "explode"},
	} {
		o, err := r.StartOperation(t.Context(), "th-sw-02", in)
		if err == nil { // the device itself says so
			o = ended(t, r, o.Number)
			assert.Contains(t, o.Why, says)
			assert.Equal(t, "failed", o.State)
			continue
		}
		rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, says)
	}
	_, err := r.StartOperation(t.Context(), "th-fw-01", v1.OperationRequest{Kind: "cable-test", Args: map[string]string{"ports": "lan1"}})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemCannot, "offers no cable-test")
}

// Who may ask for what, about what, and who sees what came back.
func TestWhoMayAskDevices(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	viewer, technician := r.As(t, "coral", "viewer"), r.As(t, "tilda", "technician")
	afar := r.Confine(t, "esker", "operator", "site = harbour-house")
	ping := v1.OperationRequest{Kind: "ping", Args: map[string]string{"to": "th-sw-02", "count": "1"}}
	done := ended(t, r, start(t, r, "th-ap-01", "ping", ping.Args).Number)

	_, err := viewer.StartOperation(t.Context(), "th-sw-01", ping)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate tests")
	seen, err := viewer.Operation(t.Context(), done.Number)
	require.NoError(t, err)
	assert.Len(t, seen.Lines, 1)
	rig.Problem(t, viewer.CancelOperation(t.Context(), done.Number), http.StatusForbidden, v1.ProblemForbidden, "operate tests")
	_, err = viewer.StartOperation(t.Context(), "th-sw-02", v1.OperationRequest{Kind: "bounce", Args: map[string]string{"ports": "1/1/7"}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate ports")
	_, err = technician.StartOperation(t.Context(), "th-sw-02", v1.OperationRequest{Kind: "bounce", Args: map[string]string{"ports": "1/1/7", "for": "1"}})
	require.NoError(t, err)

	_, err = afar.StartOperation(t.Context(), "th-sw-01", ping)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = afar.StartOperation(t.Context(), "th-sw-02", v1.OperationRequest{Kind: "bounce", Args: map[string]string{"ports": "1/1/7"}})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = afar.Operation(t.Context(), done.Number)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	rig.Problem(t, afar.CancelOperation(t.Context(), done.Number), http.StatusNotFound, v1.ProblemNotFound, "")
	for _, device := range []string{"", "th-ap-01"} {
		list, err := afar.Operations(t.Context(), device, 50)
		require.NoError(t, err)
		assert.Empty(t, list.Items)
	}
	seeing, err := r.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: rig.Password}, TokenRequest: v1.TokenRequest{Label: "see", ReadOnly: true}})
	require.NoError(t, err)
	assert.Equal(t, http.StatusForbidden, r.Call(t, seeing.Secret, http.MethodPost, "/api/v1/devices/th-sw-01/operations", `{"kind":"ping","args":{"to":"th-sw-02"}}`))
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "refused: ")
}

// An independent NETCONF client asks a device for a ping by ep-operations.
func TestAnIndependentClientAsksForAPing(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	out, err := peers.NETCONF(t, r.World.Address("th-sw-02"), rig.DevicePassword, `
import time
from ncclient.xml_ import to_ele
def ask(body):
    return m.dispatch(to_ele(body)).xml
ns = 'xmlns="urn:everypost:yang:ep-operations"'
reply = ask('<begin %s><ping><to>th-sw-01</to><count>1</count></ping></begin>' % ns)
id = reply.split("<id")[1].split(">")[1].split("<")[0]
for _ in range(100):
    reply = ask('<read-output %s><id>%s</id></read-output>' % (ns, id))
    if ">done<" in reply:
        break
    time.sleep(0.05)
assert "<time" in reply and ">64<" in reply, reply
try:
    ask('<read-output %s><id>4000</id></read-output>' % ns)
    raise SystemExit("an operation that is none was read")
except Exception as e:
    assert getattr(e, "tag", "") == "invalid-value", e
m.close_session()
print("good")
`).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "good")
}

func TestTestsByCommand(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	out := c.Good("ping", "th-sw-01", "th-sw-02", "--count", "2")
	assert.Regexp(t, `(?m)^2 +\S+ +64 +6\d +\d+\.\d+$`, out.Out)
	assert.Contains(t, out.Err, "sent 2, lost 0 (0 %)")
	assert.Contains(t, c.Good("traceroute", "th-sw-01", "th-sw-02").Out, "th-sw-02")
	assert.Contains(t, c.Good("cable-test", "th-sw-02:1/1/17", "--yes").Out, "ok")
	lost := c.Run("", "ping", "th-sw-01", "10.99.9.9", "--count", "1")
	assert.Equal(t, 1, lost.Code)
	assert.Contains(t, lost.Err, "nobody answered")
	none := c.Run("", "ping", "th-sw-01", "nobody.test")
	assert.Equal(t, 1, none.Code)
	assert.Contains(t, none.Err, `the name "nobody.test" cannot be resolved`)
	no := c.Run("no\n", "reboot", "th-sw-02")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "nothing was done")
	assert.Equal(t, 2, c.Run("", "bounce", "th-sw-02").Code, "no port")
	assert.Equal(t, 2, c.Run("", "bounce", "th-sw-02:1/1/7", "--where", "name = th-sw-02").Code, "named and picked")
	assert.Equal(t, 2, c.Run("", "operation", "x").Code)
	assert.Contains(t, c.Good("operations", "th-sw-01").Out, "ping to th-sw-02, count 2")
	assert.Contains(t, c.Good("operation", "1").Out, "ping to th-sw-02, count 2 on th-sw-01, by ada")
	assert.Contains(t, c.Good("operation", "1", "-o", "json").Out, `"state": "done"`)
	assert.Equal(t, 3, c.Run("", "operation", "cancel", "1").Code, "it is over")
}

func TestFirstAidOnASelection(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	no := c.Run("no\n", "bounce", "--where", "port = 1/1/17 and kind = switch")
	assert.Equal(t, 3, no.Code)
	assert.Regexp(t, `It is done at 2 ports of 2 devices\. There now: .*Camera|There now: 02:`, no.Err)
	done := c.Good("clear-counters", "--where", "port = 1/1/17 and kind = switch", "--yes")
	assert.Regexp(t, `th-sw-01 +1/1/17 +counts from nought`, done.Out)
	assert.Regexp(t, `th-sw-02 +1/1/17 +counts from nought`, done.Out)
	part := c.Run("", "power-cycle", "th-sw-02:1/1/17", "th-sw-01:9/9/9", "--yes", "--for", "1")
	assert.Equal(t, 1, part.Code)
	assert.Contains(t, part.Err, "th-sw-01: it was not done: ")
	assert.Contains(t, part.Err, "1 of 2 devices did not do it")
	assert.Contains(t, part.Out, "th-sw-02")
	assert.Equal(t, 3, c.Run("", "bounce", "--where", "name = nobody", "--yes").Code)
	assert.Equal(t, 3, c.Run("", "bounce", "--where", "nme = nobody", "--yes").Code)

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/ports?sel=th-sw-01:1%2F1%2F17,th-sw-02:1%2F1%2F17"), browser.Press("First aid"), browser.Shows("2 ports of 2 devices"),
		browser.Choose("Do", "clear-counters"), browser.Press("Clear counters"),
		browser.Until(`document.querySelector("[role=dialog]")?.innerText.match(/done/g)?.length === 2`), browser.Press("Close")))
}

func TestTestsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	press := func(word string) chromedp.Action {
		return browser.On(`[...document.querySelectorAll("form button[type=submit]")].findLast(b => b.innerText.startsWith("`+word+`") && !b.disabled)`, `e.click()`)
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-01?tab=tests"), browser.Shows("It was asked nothing yet"),
		browser.TypeInto("To", "th-sw-02"), browser.TypeInto("Count", "60"), press("Ping"),
		browser.Until(`document.querySelectorAll("section[aria-label=Lines] tbody tr").length > 1`),
		browser.Shows("goes on"), browser.Press("Cancel"), browser.Shows("it was cancelled"),
		chromedp.Reload(), browser.Shows("it was cancelled"), // what came back is kept
		// First aid from picked ports: who loses what is told before.
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F17"), browser.Press("Bounce"), browser.Shows("takes the link of ports down"),
		press("Bounce ports"), browser.Shows("Leave it"), browser.Until(`document.querySelector("[role=dialog]").innerText.includes("1/1/17")`), press("Bounce ports"),
		browser.Until(`document.querySelector("section[aria-label=Lines]")?.innerText.includes("up again")`), browser.Until(`!document.body.innerText.includes("goes on")`),
		// A restart wants the name of the device.
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=tests&ask=reboot"), browser.Shows("starts again"), press("Restart"), browser.Shows("Type"),
		browser.Until(`document.querySelector("[role=dialog] button[type=submit]").disabled`),
		browser.Type("[role=dialog] input", "th-sw-02\r"), browser.Shows("it is back, after"),
	))
	assert.Empty(t, b.Complaints)
}

// A device that was reset forgets all, does not come back by itself, and is itself again once its serial number is claimed in its own place.
func TestADeviceIsResetAndSetUpAnew(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	c := rig.SignedIn(t, r)
	serial := r.World.Serials()["th-sw-02"]
	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-02:1/1/7", "vlan", "40"}))
	no := c.Run("th-sw-01\n", "factory-reset", "th-sw-02")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "with 1 behind it (th-ap-01)")
	assert.Contains(t, no.Err, "nothing was done")

	c.Good("factory-reset", "th-sw-02", "--yes")
	require.Eventually(t, func() bool { vlan, _ := r.Runs("th-sw-02:1/1/7"); return vlan != "40" }, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, r.ClaimOne(t, v1.Claim{Serial: serial, Replaces: "th-sw-01"}), "in service already", "not in the place of another")
	assert.Empty(t, r.ClaimOne(t, v1.Claim{Serial: serial, Replaces: "th-sw-02"}))
	require.Eventually(t, func() bool { vlan, _ := r.Runs("th-sw-02:1/1/7"); return vlan == "40" }, rig.WaitLong, rig.WaitStep, "it is told what it was")
	assert.Equal(t, serial, r.Connected(t, "th-sw-02").Serial)
}

func TestADeviceIsShutDown(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	o := ended(t, r, start(t, r, "th-sw-02", "shut-down", nil).Number)
	require.Equal(t, "done", o.State, o.Why)
	assert.Contains(t, o.Lines[len(o.Lines)-1].Cells["step"], "it is gone")
	require.NoError(t, r.World.Throw(standin.Recover, "th-sw-02"))
	r.Connected(t, "th-sw-02")
}

// What was counted is counted anew, what a guard shut is open again, a light blinks until it is cancelled, and a station wakes up.
func TestMoreFirstAid(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	r.KeepRows(t, v1.BulkRow{On: []string{"th-sw-02:1/1/9"}, Set: map[string]string{"loop-protection": "on"}})
	require.NoError(t, r.World.Throw(standin.Loop, "th-sw-02:1/1/9"))
	shut := func(by string) func() bool {
		return func() bool {
			d, err := r.Device(t.Context(), "th-sw-02")
			i := slices.IndexFunc(d.PortList, func(p v1.Port) bool { return p.Port == "1/1/9" })
			return err == nil && i >= 0 && d.PortList[i].ShutBy == by
		}
	}
	require.Eventually(t, shut("loop-protection"), rig.WaitLong, rig.WaitStep)
	assert.Contains(t, c.Good("reopen", "th-sw-02:1/1/9", "--yes").Out, "shut it again at once")
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/9"))
	assert.Contains(t, c.Good("reopen", "th-sw-02:1/1/9", "th-sw-02:1/1/7", "--yes").Out, "no guard had shut it")
	require.Eventually(t, shut(""), rig.WaitLong, rig.WaitStep)
	assert.Contains(t, c.Good("clear-counters", "th-sw-02:1/1/17", "--yes").Out, "counts from nought")

	o := start(t, r, "th-sw-02", "locate", map[string]string{"for": "3000"})
	require.Eventually(t, func() bool { return r.World.Blinks("th-sw-02") }, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.CancelOperation(t.Context(), o.Number))
	require.Eventually(t, func() bool { return !r.World.Blinks("th-sw-02") }, rig.WaitLong, rig.WaitStep)

	require.NoError(t, r.World.Throw(standin.Sleep, "th-sw-02:1/1/2"))
	var mac string
	for m, at := range r.World.Stations() {
		if at == "th-sw-02:1/1/2" {
			mac = m
		}
	}
	here := func() bool {
		list, err := r.Clients(t.Context(), client.Query{Where: "client.mac = " + mac})
		return err == nil && len(list.Items) == 1 && list.Items[0].Here
	}
	require.Eventually(t, func() bool { return !here() }, rig.WaitLong, rig.WaitStep, "who sleeps is not seen")
	assert.Contains(t, c.Good("wake", mac).Out, "sent to all stations of VLAN 20")
	require.Eventually(t, here, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, c.Run("", "wake", "02:00:00:00:00:99").Err, "nobody of that address")

	out := c.Good("throughput", "th-sw-02", "th-sw-01", "--for", "2", "--yes", "--both-ways")
	assert.Contains(t, out.Err, "And back, from th-sw-01 to th-sw-02:")
	assert.Regexp(t, `(?m)^2 +[89]\d{3}\.\d +\d`, out.Out)
	assert.Contains(t, out.Err, "mean rate")
	back := c.Good("loopback", "th-sw-02:1/1/26", "--for", "1", "--yes")
	assert.Contains(t, back.Err, "lost 0 (0 %)")
}

// What is cancelled while the device is just told to begin does not go on there.
func TestWhatIsCancelledWhileItBegins(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.World.Throw(standin.Slow, "th-sw-02"))
	for range 5 {
		o := start(t, r, "th-sw-02", "locate", map[string]string{"for": "3000"})
		require.NoError(t, r.CancelOperation(t.Context(), o.Number))
		assert.Equal(t, "cancelled", ended(t, r, o.Number).State)
	}
	require.Equal(t, "done", ended(t, r, start(t, r, "th-sw-02", "ping", map[string]string{"to": "th-sw-01", "count": "1"}).Number).State) // it has heard all by now
	assert.False(t, r.World.Blinks("th-sw-02"))
}
