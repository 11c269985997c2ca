package between_test

import (
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// radioLinkOf waits until the radio link of a device is as it is wanted.
func radioLinkOf(t *testing.T, r *rig.Rig, device string, is func(v1.RadioLink) bool) (out v1.RadioLink) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.RadioLinks(t.Context(), "name = "+device)
		require.NoError(t, err)
		if len(list.Items) == 1 {
			out = list.Items[0]
			return is(out)
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "it is %+v", &out)
	return out
}

func airUp(l v1.RadioLink) bool   { return l.Up && l.Far != nil && l.Near.ReceivedDbm != nil }
func airDown(l v1.RadioLink) bool { return !l.Up }

// leafOf is what an end of a radio link really runs.
func leafOf(r *rig.Rig, device, name string) string {
	return r.World.Running(device).TextAt("radio-link/carrier-termination/" + name)
}

// Both ends of a radio link are set as one change over the very link that carries their management; one end alone is warned of and undone by what it loses; rain
// is told in plain words, and counted. By all doors.
func TestRadioLinksAreSet(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "th-sw-01", "th-sw-01", "th-rl-01", "gs-rl-01", "gs-sw-01")
	c := rig.SignedIn(t, r)
	l := radioLinkOf(t, r, "gs-rl-01", airUp)
	assert.Equal(t, "th-rl-01", l.Far.Device)
	assert.InDelta(t, -41, *l.Near.ExpectedDbm, 0.2)
	assert.InDelta(t, *l.Near.ExpectedDbm, *l.Near.ReceivedDbm, 1.5)
	assert.Regexp(t, `gs-rl-01:radio0 +th-rl-01:radio0 +up +19315 +18305 +110 +-4\d\.\d +-41\.0 +1024-QAM +803`, c.Good("radio-links").Out)

	for text, says := range map[string]string{
		"tx-frequency=fast":       `"fast" is not a number from 1000 to 90000 MHz`,
		"tx-frequency=18305.1234": "with at most three digits",
		"transmitter=off":         "is not set at both ends",
		"tx-frequency":            "is no setting: write it like",
		"modulation-lowest=8-psk": `"8-psk" is not one of`,
	} {
		bad := c.Run("", "radio-link", "set", "gs-rl-01", text)
		assert.NotZero(t, bad.Code, text)
		assert.Contains(t, bad.Err, says)
	}
	assert.NotZero(t, c.Run("", "radio-link", "set", "th-sw-01", "tx-frequency=19370").Code, "it has none")
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "bad input changes nothing")

	// A frequency of another band is refused before it is pushed.
	c.Good("radio-link", "set", "gs-rl-01", "tx-frequency=23000")
	assert.Contains(t, c.Good("change", "check", "1").Out, "made for 17700 to 19700 MHz")
	// One end alone is warned of, with what would mend it.
	c.Good("port", "set", "gs-rl-01:radio0", "tx-frequency=19370")
	assert.Contains(t, c.Good("change", "check", "2").Out, "gs-rl-01:radio0 would send on 19370 MHz, and th-rl-01:radio0 hear on 19315 MHz.")
	// A modulation that is too high for the level is told.
	c.Good("radio-link", "set", "gs-rl-01", "modulation-lowest=1024-qam", "nominal-power=2")
	assert.Contains(t, c.Good("change", "check", "3").Out, "The radio link would be down in clear air.")

	answer, err := r.SetRadioLink(t.Context(), "gs-rl-01", v1.RadioLinkRequest{Set: map[string]string{"tx-frequency": "19370.125", "rx-frequency": "18360.125", "channel-separation": "55", "power-mode": "automatic", "level-most": "-45.5"}})
	require.NoError(t, err)
	require.NotNil(t, answer.Change)
	assert.Len(t, answer.Change.Edits, 10)
	checked, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	require.NotEmpty(t, checked.Findings)
	for _, f := range checked.Findings {
		assert.Contains(t, f.What, "will be out of sight for a moment", "it is on the way to itself that it is changed")
	}
	kept(t, r, answer.Change.Number)
	for device, want := range map[string][2]string{"gs-rl-01": {"19370125", "18360125"}, "th-rl-01": {"18360125", "19370125"}} {
		assert.Equal(t, want, [2]string{leafOf(r, device, "tx-frequency"), leafOf(r, device, "rx-frequency")}, device)
		assert.Equal(t, "55000 atpc -45.5", leafOf(r, device, "channel-separation")+" "+leafOf(r, device, "power-mode")+" "+leafOf(r, device, "atpc-upper-threshold"), device)
	}
	l = radioLinkOf(t, r, "gs-rl-01", func(l v1.RadioLink) bool {
		return airUp(l) && l.Near.CapacityMbps == 401 && l.Far.SentDbm != nil && *l.Far.SentDbm < 17
	})
	assert.InDelta(t, -45.5, *l.Near.ExpectedDbm, 0.1)

	// What cuts the link is undone by the end that is cut off: the far one is left alone by whoever tries.
	muted := r.Draft(t, [3]string{"th-rl-01:radio0", "transmitter", "off"})
	_, err = r.Push(t.Context(), muted.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: rig.Findings(muted)})
	require.NoError(t, err)
	r.Until(t, muted.Number, "undone")
	radioLinkOf(t, r, "gs-rl-01", airUp)

	require.NoError(t, r.World.Throw(standin.Rain, "th-rl-01"))
	radioLinkOf(t, r, "th-rl-01", func(l v1.RadioLink) bool { return airUp(l) && *l.Near.ReceivedDbm < -55 })
	require.NoError(t, r.World.Throw(standin.Downpour, "th-rl-01"))
	radioLinkOf(t, r, "th-rl-01", func(l v1.RadioLink) bool {
		return airDown(l) && strings.Contains(strings.Join(l.Why, " "), "th-rl-01:radio0 receives")
	})
	assert.Contains(t, c.Good("radio-links").Out, "look at the antennas")
	require.NoError(t, r.World.Throw(standin.Recover, "th-rl-01"))
	radioLinkOf(t, r, "th-rl-01", airUp)

	var page v1.RadioLinkPage
	require.Eventually(t, func() bool {
		page, err = r.RadioLink(t.Context(), "gs-rl-01", "1h")
		require.NoError(t, err)
		return page.Fared[0].LowestDbm != nil && page.Fared[0].KnownS > 0 && page.Left != nil
	}, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, "th-rl-01", page.Fared[1].Device)
	show := c.Good("radio-link", "show", "gs-rl-01", "--period", "1h").Out
	assert.Regexp(t, `channel +55 MHz, vertical`, show)
	assert.Contains(t, show, "How it fared, the last 1h")
	use := c.Good("radio-link", "use", "gs-rl-01", "--period", "1h").Out
	assert.Contains(t, use, "Radio link between")
	assert.NotContains(t, use, "gs-rl-01", "a customer is told no names")
	for _, bad := range []string{"1m", "91d", "long"} {
		_, err = r.RadioLink(t.Context(), "gs-rl-01", bad)
		assert.ErrorContains(t, err, "write one from 10m to 90d")
	}

	// By what right it sends is kept here: a change beyond that is stopped, and an end of it is told in time.
	for text, says := range map[string]string{"--ends soon --number SH-1": `"soon" is no day`, "--ends 2027-06-30": "say by which number", "--number SH-1 --width 0": "width_mhz", "--number SH-1 --polarization slanted": "polarization",
		"--number SH-1 --most-power loud": "--most-power loud is no power", "--number SH-1 --most-power NaN": "is no power", "--number SH-1 --most-power 61": "from -60 to 60"} {
		bad := c.Run("", append([]string{"radio-link", "licence", "gs-rl-01"}, strings.Fields(text)...)...)
		assert.NotZero(t, bad.Code, text)
		assert.Contains(t, bad.Err+bad.Out, says)
	}
	c.Good("radio-link", "licence", "gs-rl-01", "--number", "SH-4471", "--authority", "Sound Harbour Board", "--ends", time.Now().AddDate(0, 0, 20).Format(time.DateOnly))
	assert.Regexp(t, `licence +SH-4471 +none is known`, c.Good("radio-link", "show", "gs-rl-01", "--period", "1h").Out)
	most := func() *float64 {
		page, err := r.RadioLink(t.Context(), "gs-rl-01", "1h")
		require.NoError(t, err)
		return page.Link.Near.Licence.MostDbm
	}
	c.Good("radio-link", "licence", "gs-rl-01", "--most-power", "21.5")
	require.NotNil(t, most())
	assert.InDelta(t, 21.5, *most(), 0.01)
	c.Good("radio-link", "licence", "gs-rl-01", "--most-power", "none")
	assert.Nil(t, most(), "a limit is taken off again")
	require.Eventually(t, func() bool {
		return strings.Contains(c.Good("alarms").Out, "Licence SH-4471 of gs-rl-01:radio0 ends on")
	}, rig.WaitLong, rig.WaitStep)
	beyond, err := r.SetRadioLink(t.Context(), "gs-rl-01", v1.RadioLinkRequest{Set: map[string]string{"tx-frequency": "19420"}})
	require.NoError(t, err)
	assert.Contains(t, c.Good("change", "check", strconv.FormatInt(beyond.Change.Number, 10)).Out, "its licence is for 19370.125 MHz, 55 MHz wide.")
	require.NoError(t, r.Discard(t.Context(), beyond.Change.Number))
	_, err = r.As(t, "vera", "viewer").PutRadioLicence(t.Context(), "gs-rl-01", v1.RadioLicence{Number: "X", TxMHz: 1, WidthMHz: 1})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate")
	far := r.Confine(t, "coral", "administrator", "name = th-rl-01")
	_, err = far.PutRadioLicence(t.Context(), "gs-rl-01", v1.RadioLicence{Number: "X", TxMHz: 1, WidthMHz: 1})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "gs-rl-01")
	own, err := far.RadioLink(t.Context(), "th-rl-01", "1h")
	require.NoError(t, err)
	assert.Nil(t, own.Link.Far, "nor by what right the other end sends")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=radio&link=gs-rl-01"), browser.Shows("SH-4471"), browser.Press("Licence of gs-rl-01…"), browser.TypeInto("Notes", "asked for more width"), rig.InDialog("Keep it"), rig.NoDialog,
		browser.Press("Licence of gs-rl-01…"), browser.On(`[...document.querySelectorAll("[role=dialog] input")].find(i => i.value === "asked for more width")`, "true"), rig.InDialog("Forget it"), rig.NoDialog,
	))
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=radio"), browser.Shows("19370.125"), browser.Press("gs-rl-01"), browser.Shows("Errored seconds"), browser.Shows("In clear air"),
		browser.Press("For its customer…"), browser.Shows("Radio link between"), rig.InDialog("Close"), rig.NoDialog,
		browser.Press("Set both ends…"), browser.On(`[...document.querySelectorAll("[role=dialog] label")].find(l => l.innerText === "Sends on, MHz")`, "document.getElementById(e.htmlFor).select()"),
		browser.TypeInto("Sends on, MHz", "19400"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("19400"),
	))
	drafts, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Contains(t, changeTexts(drafts.Items), "th-rl-01:radio0 rx-frequency=19400")
}

func changeTexts(list []v1.Change) (out []string) {
	for _, c := range list {
		for _, e := range c.Edits {
			out = append(out, e.Port+" "+e.Field+"="+e.Value)
		}
	}
	return out
}

// Who may see one end only is told of that one, and changes nothing at the other.
func TestWhoSeesOneEndOfARadioLink(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "th-sw-01", "th-sw-01", "th-rl-01", "gs-rl-01", "gs-sw-01")
	radioLinkOf(t, r, "gs-rl-01", airUp)
	token := r.Confine(t, "eva", "administrator", "name = gs-rl-01").Token
	status, body := r.Asks(t, token, http.MethodGet, "/api/v1/radio-links", "")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "gs-rl-01")
	assert.NotContains(t, body, "th-rl-01")
	status, _ = r.Asks(t, token, http.MethodGet, "/api/v1/devices/th-rl-01/radio-link", "")
	assert.Equal(t, http.StatusNotFound, status)
	status, body = r.Asks(t, token, http.MethodGet, "/api/v1/devices/gs-rl-01/radio-link", "")
	assert.Equal(t, http.StatusOK, status)
	assert.NotContains(t, body, "th-rl-01")
	status, body = r.Asks(t, token, http.MethodPost, "/api/v1/devices/gs-rl-01/radio-link", `{"set":{"tx-frequency":"19370"}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status, body)
	assert.NotContains(t, body, "th-rl-01")
}

// The service is killed in the middle of a trial that moves both ends of a radio link to another channel, over the very link that carries their management: both
// ends agree afterwards.
func TestBothEndsOfARadioLinkAgreeAfterTheServiceEnded(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "th-sw-01", "th-sw-01", "th-rl-01", "gs-rl-01", "gs-sw-01")
	radioLinkOf(t, r, "gs-rl-01", airUp)
	answer, err := r.SetRadioLink(t.Context(), "th-rl-01", v1.RadioLinkRequest{Set: map[string]string{"tx-frequency": "18415"}})
	require.NoError(t, err)
	c, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 15, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, c.Number, "pushing", "on-trial")
	r.Restart(t)
	r.Until(t, c.Number, "kept", "undone", "failed")
	radioLinkOf(t, r, "th-rl-01", airUp)
	assert.Equal(t, leafOf(r, "th-rl-01", "tx-frequency"), leafOf(r, "gs-rl-01", "rx-frequency"))
	assert.False(t, r.World.TrialOpen("th-rl-01"))
	assert.False(t, r.World.TrialOpen("gs-rl-01"))
}
