package history_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// known counts the steps of which something is known.
func known(l v1.HistoryLine) (n int) {
	for _, v := range l.Mean {
		if v != nil {
			n++
		}
	}
	return n
}

// line finds a series.
func line(t testing.TB, h v1.History, name, metric string) v1.HistoryLine {
	t.Helper()
	for _, s := range h.Series {
		if s.Name == name && s.Metric == metric {
			return s
		}
	}
	require.Fail(t, "no series", "%s %s among %d", name, metric, len(h.Series))
	return v1.HistoryLine{}
}

// aWeekOf is a week of hours before now in which a port received so many bit/s in the mean, with an hour that is not known.
func aWeekOf(bps float64) v1.PastPoints {
	p := v1.PastPoints{Part: "port", Name: "1/1/7", Metric: "rx", From: time.Now().Truncate(time.Hour).Add(-7 * 24 * time.Hour), StepS: 3600}
	for i := range 7 * 24 {
		v := bps
		p.Mean = append(p.Mean, &v)
		if i == 100 {
			p.Mean[i] = nil
		}
	}
	return p
}

func TestWhatIsReadIsToldOverTime(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	ctx := t.Context()
	require.NoError(t, r.ImportHistory(ctx, "th-sw-02", v1.PastRequest{Points: []v1.PastPoints{aWeekOf(5000)},
		Events: []v1.PastEvent{{At: time.Now().Add(-50 * time.Hour), Port: "1/1/7", Text: "th-sw-02:1/1/7 lost its link."}}}))

	h, err := r.History(ctx, "th-sw-02", "port", []string{"1/1/7"}, []string{"rx", "up"}, client.Past{Period: "7d", Step: time.Hour})
	require.NoError(t, err)
	require.Len(t, h.Series, 2)
	rx := line(t, h, "1/1/7", "rx")
	assert.Equal(t, "bit/s", rx.Unit)
	assert.GreaterOrEqual(t, known(rx), 7*24-2)
	assert.InDelta(t, 5000, *rx.Mean[20], 5)

	require.Eventually(t, func() bool {
		h, err := r.History(ctx, "th-sw-02", "port", []string{"1/1/7"}, []string{"rx", "up"}, client.Past{Period: "5m"})
		require.NoError(t, err)
		up := line(t, h, "1/1/7", "up")
		return known(up) > 0 && known(line(t, h, "1/1/7", "rx")) > 0
	}, rig.WaitLong, rig.WaitStep, "its own readings follow")

	for part, want := range map[string][2]string{"device": {"", "cpu"}, "tunnel": {}, "radio": {}, "module": {}} {
		require.Eventually(t, func() bool {
			h, err := r.History(ctx, "th-sw-02", part, nil, nil, client.Past{Period: "5m"})
			require.NoError(t, err)
			return want[1] == "" || known(line(t, h, want[0], want[1])) > 0
		}, rig.WaitLong, rig.WaitStep, part)
	}
	require.Eventually(t, func() bool {
		total, err := r.TotalHistory(ctx, "kind in (switch, access-point)", "clients", client.Past{Period: "5m"})
		require.NoError(t, err)
		require.Len(t, total.Series, 1)
		return known(total.Series[0]) > 0
	}, rig.WaitLong, rig.WaitStep)
	require.Eventually(t, func() bool {
		use, err := r.LinkUse(ctx, "name = th-sw-02", 10, client.Past{Period: "5m"})
		require.NoError(t, err)
		for _, l := range use.Items {
			assert.True(t, l.A.Device == "th-sw-02" || l.B.Device == "th-sw-02")
		}
		return len(use.Items) > 0 && use.Items[0].MeanAB+use.Items[0].MeanBA > 0
	}, rig.WaitLong, rig.WaitStep)

	log, err := r.Log(ctx, "event.text ~ \"*1/1/7 lost*\"", 10)
	require.NoError(t, err)
	require.Len(t, log.Items, 1)
	assert.WithinDuration(t, time.Now().Add(-50*time.Hour), log.Items[0].At, time.Minute)
	all, err := r.Log(ctx, "", 1000)
	require.NoError(t, err)
	for i := 1; i < len(all.Items); i++ {
		assert.False(t, all.Items[i].At.After(all.Items[i-1].At), "the newest first, whenever it was told")
	}

	r.Restart(t)
	h, err = r.History(ctx, "th-sw-02", "port", []string{"1/1/7"}, []string{"up"}, client.Past{Period: "5m"})
	require.NoError(t, err)
	assert.Positive(t, known(line(t, h, "1/1/7", "up")), "it is there after a restart")
}

func TestWhatCannotBeToldOverTimeIsExplained(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	late := aWeekOf(1)
	late.From = time.Now().Truncate(time.Hour)
	wrong := aWeekOf(1)
	wrong.Metric = "wear"
	for name, c := range map[string]struct {
		err  error
		want string
	}{
		"a metric":         {rig.Second(r.History(t.Context(), "th-sw-02", "port", nil, []string{"wear"}, client.Past{})), `no metric "wear"`},
		"a period":         {rig.Second(r.History(t.Context(), "th-sw-02", "port", nil, nil, client.Past{Period: "soon"})), "write a number and m, h or d"},
		"backwards":        {rig.Second(r.History(t.Context(), "th-sw-02", "port", nil, nil, client.Past{From: time.Now(), To: time.Now().Add(-time.Hour)})), "it must end after it begins"},
		"too many points":  {rig.Second(r.History(t.Context(), "th-sw-02", "port", nil, nil, client.Past{Period: "6d", Step: time.Minute})), "make it longer"},
		"a device":         {rig.Second(r.History(t.Context(), "th-sw-99", "port", nil, nil, client.Past{})), "not found"},
		"a client":         {rig.Second(r.ClientHistory(t.Context(), "02:00:00:00:00:01", client.Past{})), "not found"},
		"a total":          {rig.Second(r.TotalHistory(t.Context(), "", "wear", client.Past{})), `no metric "wear"`},
		"after enrolment":  {r.ImportHistory(t.Context(), "th-sw-02", v1.PastRequest{Points: []v1.PastPoints{late}}), "after the device was enrolled"},
		"a wrong metric":   {r.ImportHistory(t.Context(), "th-sw-02", v1.PastRequest{Points: []v1.PastPoints{wrong}}), "there is no such metric"},
		"an event of late": {r.ImportHistory(t.Context(), "th-sw-02", v1.PastRequest{Events: []v1.PastEvent{{At: time.Now().Add(time.Hour), Text: "x"}}}), "after the device was enrolled"},
	} {
		assert.ErrorContains(t, c.err, c.want, name)
	}
	h, err := r.History(t.Context(), "th-sw-02", "port", []string{"1/1/7"}, []string{"rx"}, client.Past{Period: "7d", Step: time.Hour})
	require.NoError(t, err)
	assert.LessOrEqual(t, known(line(t, h, "1/1/7", "rx")), 1, "what is refused leaves nothing behind")
}

func TestHistoryIsOfWhatOneMaySee(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: "wren", UserRequest: v1.UserRequest{FullName: "Wren", Role: "viewer", Only: "name = th-sw-01"}, Password: rig.Password}))
	wren := &client.Client{Base: r.Base, Token: r.TokenOf(t, "wren")}
	_, err := wren.History(t.Context(), "th-sw-02", "device", nil, nil, client.Past{})
	assert.ErrorContains(t, err, "not found")
	assert.ErrorContains(t, wren.ImportHistory(t.Context(), "th-sw-01", v1.PastRequest{}), "right")
	use, err := wren.LinkUse(t.Context(), "", 100, client.Past{Period: "5m"})
	require.NoError(t, err)
	for _, l := range use.Items {
		assert.Equal(t, []string{"th-sw-01", "th-sw-01"}, []string{l.A.Device, l.B.Device})
	}
}

func TestHistoryByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	file := filepath.Join(t.TempDir(), "past.json")
	b, err := json.Marshal(v1.PastRequest{Points: []v1.PastPoints{aWeekOf(5_000_000)}})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, b, 0o600))
	assert.Contains(t, c.Good("history", "import", "th-sw-02", file).Err, "Took over 1 series")
	shown := c.Good("history", "th-sw-02:1/1/7", "rx", "--period", "7d").Out
	assert.Contains(t, shown, "5 Mbit/s")
	assert.Contains(t, shown, "█")
	points := c.Good("history", "th-sw-02:1/1/7", "rx", "--from", time.Now().Add(-3*24*time.Hour).Format("2006-01-02T15:04"), "--step", "1h", "-o", "csv").Out
	assert.Contains(t, points, "time,1/1/7 rx bit/s")
	assert.Contains(t, points, ",5000000")
	assert.Contains(t, c.Good("history", "metrics").Out, "dot3StatsFCSErrors")
	for _, bad := range [][]string{
		{"history", "th-sw-02:1/1/7", "--part", "tunnel"}, {"history", "th-sw-02", "--from", "yesterday"}, {"history", "import", "th-sw-02", file + "x"}, {"history"},
	} {
		assert.Equal(t, 2, c.Run("", bad...).Code, "%v", bad)
	}
	assert.Equal(t, 2, c.Run("{}", "history", "import", "th-sw-02", "-").Code, "nothing to import")
	assert.Equal(t, 2, c.Run(`{"point": []}`, "history", "import", "th-sw-02", "-").Code)
	assert.Equal(t, 3, c.Run("", "history", "th-sw-02", "wear").Code)
}

func TestHistoryInTheConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.ImportHistory(t.Context(), "th-sw-02", v1.PastRequest{Points: []v1.PastPoints{aWeekOf(5_000_000)}}))
	b := rig.OpenConsole(t, r)
	var address string
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1/1/7"), browser.Press("Over time"),
		browser.Shows("Ports of th-sw-02 over time"),
		browser.Press("7 d"),
		browser.Shows("5 Mbit/s"),
		browser.Until(`document.querySelectorAll("figure canvas").length >= 2`),
		chromedp.Location(&address),
	))
	assert.Contains(t, address, "period=7d")
	assert.NoError(t, b.Run(
		browser.Drag("figure .u-over", 0.2, 0.6),
		browser.Until(`location.search.includes("span=")`),
		chromedp.Reload(),
		browser.Until(`document.querySelector('[title="Back to the period up to now"]')`),
		browser.Shows("5 Mbit/s"),
	), "a span that is dragged is in the address")
	assert.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/watch?period=7d"), browser.Shows("Links that were used most"),
		browser.Until(`document.querySelector("figure canvas")`),
		browser.Press("1 h"),
		browser.Shows("in the last 1h"),
	))
}

// A wireless client has a history of its own, by its hardware address.
func TestAWirelessClientIsToldOverTime(t *testing.T) {
	t.Parallel()
	plant := standin.TernHaven()
	const mac = "02:a1:60:00:00:07"
	plant.Hosts = append(plant.Hosts, standin.HostSpec{Name: "handheld 7", MAC: mac, At: "th-ap-01:radio1", RateBps: 8_000_000, SSID: "Lantern Crew", Credential: "tide and timber", IP: "10.20.70.7"})
	w, err := standin.New(plant, standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r := rig.Start(t, w)
	require.Eventually(t, func() bool {
		h, err := r.ClientHistory(t.Context(), mac, client.Past{Period: "5m"})
		if err != nil {
			return false // it was not seen yet
		}
		return len(h.Series) == 3 && known(h.Series[0]) > 0 && known(h.Series[2]) > 0
	}, rig.WaitLong, rig.WaitStep)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("history", mac, "signal").Out, "dBm")
	assert.Contains(t, c.Good("history", mac).Out, "bit/s")
}
