package find_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

func TestListsArePickedSortedCountedAndPaged(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	devices := func(q client.Query) v1.List[v1.Device] {
		t.Helper()
		list, err := r.Devices(t.Context(), q)
		require.NoError(t, err)
		return list
	}
	assert.Equal(t, []string{"th-sw-01", "th-sw-02"}, rig.Names(devices(client.Query{Where: "kind = switch"})))
	assert.Equal(t, []string{"th-sw-02", "th-sw-01"}, rig.Names(devices(client.Query{Where: "kind = switch", Sort: "-name"})))
	assert.Equal(t, []string{"th-sw-02"}, rig.Names(devices(client.Query{Where: "h24p"})), "bare words")
	assert.Equal(t, []string{"th-sw-02"}, rig.Names(devices(client.Query{Where: `port.description ~ "th-ap-*"`})), "a device with such a port")
	assert.Equal(t, []string{"th-ap-01", "th-fw-01", "th-sw-01", "th-sw-02"}, rig.Names(devices(client.Query{Where: "address in 127.20.0.0/16 and not kind = edge"})))
	counted := devices(client.Query{Count: "kind", Limit: 1})
	assert.Equal(t, 5, counted.Total)
	assert.Equal(t, []v1.Count{{Value: "switch", Count: 2}, {Value: "access-point", Count: 1}, {Value: "edge", Count: 1}, {Value: "firewall", Count: 1}}, counted.Counts["kind"])
	assert.Len(t, counted.Items, 1)

	page, err := r.Ports(t.Context(), client.Query{Where: "kind = switch", Sort: "-port.poe.watts", Limit: 10})
	require.NoError(t, err)
	assert.NotEmpty(t, page.Next)
	assert.Less(t, page.Total, page.All)
	for i := 1; i < len(page.Items); i++ {
		assert.GreaterOrEqual(t, page.Items[i-1].PoEMilliW, page.Items[i].PoEMilliW)
	}
	whole, err := r.Ports(t.Context(), client.Query{})
	require.NoError(t, err)
	seen := map[string]bool{}
	for cursor := ""; ; {
		status, out := r.GetJSON(t, "/ports", map[string]string{"limit": "17", "cursor": cursor, "fields": "ref,health"})
		require.Equal(t, 200, status)
		for _, item := range out["items"].([]any) {
			port := item.(map[string]any)
			assert.Len(t, port, 2, "only the fields that were asked for")
			assert.False(t, seen[port["ref"].(string)], "no port comes twice")
			seen[port["ref"].(string)] = true
		}
		if cursor, _ = out["next"].(string); cursor == "" {
			break
		}
	}
	assert.Len(t, seen, whole.All)
}

func TestListsThatCannotBeAsked(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	for name, tc := range map[string]struct {
		path   string
		query  map[string]string
		kind   string
		detail string
	}{
		"unknown field":           {"/devices", map[string]string{"where": "prot = 3"}, v1.ProblemSelector, "did you mean `port`?"},
		"half an expression":      {"/ports", map[string]string{"where": "kind ="}, v1.ProblemSelector, "unexpected the end at 7"},
		"event field of a device": {"/devices", map[string]string{"where": "event.kind = port"}, v1.ProblemSelector, "unknown field `event.kind`"},
		"unknown order":           {"/devices", map[string]string{"sort": "colour"}, v1.ProblemInvalid, "no field `colour`"},
		"order by a part":         {"/devices", map[string]string{"sort": "port.up"}, v1.ProblemInvalid, "it has no one value for a device"},
		"unknown count":           {"/sites", map[string]string{"count": "kind"}, v1.ProblemInvalid, "`kind` is a property of a device"},
		"unknown member":          {"/devices", map[string]string{"fields": "secret"}, v1.ProblemInvalid, `no member of "secret"`},
		"made-up cursor":          {"/devices", map[string]string{"cursor": "xyz"}, v1.ProblemInvalid, "the cursor is not valid"},
		"past by what is now":     {"/event-log", map[string]string{"where": "health = down"}, v1.ProblemSelector, "known only of this moment"},
	} {
		status, out := r.GetJSON(t, tc.path, tc.query)
		assert.Equal(t, 422, status, name)
		assert.Equal(t, tc.kind, out["type"], name)
		assert.Contains(t, out["detail"], tc.detail, name)
	}
	_, out := r.GetJSON(t, "/devices", map[string]string{"where": "kind = switch and knd = x"})
	fault := out["errors"].([]any)[0].(map[string]any)
	assert.Equal(t, "where:18-21", fault["location"], "so that it can be marked in what was typed")
}

func TestSelectorsAreExplainedAndCompleted(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	_, read := r.GetJSON(t, "/selectors/reading", map[string]string{"text": "kind=switch   PORT.UP=true"})
	assert.Equal(t, "kind = switch and port.up = true", read["expression"])
	assert.EqualValues(t, 2, read["devices"])
	assert.Greater(t, read["ports"], float64(10))
	_, wrong := r.GetJSON(t, "/selectors/reading", map[string]string{"text": "knd = switch"})
	assert.Equal(t, map[string]any{"at": 0., "end": 3., "problem": "unknown field `knd`", "hint": "did you mean `kind`?"}, wrong["fault"])

	c, err := r.Complete(t.Context(), "model = ", 8)
	require.NoError(t, err)
	var texts []string
	for _, x := range c.Candidates {
		texts = append(texts, x.Text)
	}
	assert.Equal(t, []string{"A2", "E50", "H24P", "H48P", "S200"}, texts, "the values that there are")
	fields, err := r.Fields(t.Context(), "network")
	require.NoError(t, err)
	for _, f := range fields.Items {
		assert.NotEmpty(t, f.Help, f.Name)
		assert.NotEmpty(t, f.Operators, f.Name)
		_, err := r.Devices(t.Context(), client.Query{Where: f.Name + " != 1h", Limit: 1})
		var p *client.Problem
		if err != nil {
			require.ErrorAs(t, err, &p)
			assert.Contains(t, p.Detail, "`"+f.Name+"`", "a refusal names the field")
		}
	}
}

func TestWhatHappenedIsPicked(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.Eventually(t, func() bool { // a port that was never used is free when its cable is cut, not down
		list, err := r.Ports(t.Context(), client.Query{Where: "port.rx.octets > 0 and name = th-sw-02 and port = 1/1/7"})
		return err == nil && list.Total == 1
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Cut, rig.Printer))
	log := func(query map[string]string) (texts []string) {
		status, out := r.GetJSON(t, "/event-log", query)
		require.Equal(t, 200, status, out["detail"])
		for _, e := range out["items"].([]any) {
			texts = append(texts, e.(map[string]any)["text"].(string))
		}
		return texts
	}
	lost := rig.Printer + " lost its link."
	require.Eventually(t, func() bool {
		list := log(map[string]string{"where": "event.kind = port and name = th-sw-02 and event.age < 10m"})
		return len(list) > 0 && list[0] == lost
	}, rig.WaitLong, rig.WaitStep)
	require.Eventually(t, func() bool { return slices.Contains(log(map[string]string{"scope": "port.health = down"}), lost) }, rig.WaitLong, rig.WaitStep,
		"what happened to devices that are picked by how they are now")
	assert.NotContains(t, log(map[string]string{"scope": "kind = firewall"}), lost)
	assert.Empty(t, log(map[string]string{"where": "event.text ~ *volcano*"}))
}

func TestSitesAreMadeMergedAndRemoved(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	annex := v1.SiteRequest{Title: "Quay annex", Code: "QA", Address: "North Quay", TimeZone: "Europe/London", Contact: "Bram Oar", Notes: "two rooms", Position: &v1.Position{Latitude: 56.4, Longitude: -5.6}}
	require.NoError(t, r.PutSite(t.Context(), "annex", annex))
	r.Restart(t)
	var p *client.Problem
	list, err := r.Sites(t.Context(), client.Query{Where: "site.code = qa"})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, annex, list.Items[0].SiteRequest)

	for name, bad := range map[string]v1.SiteRequest{
		"no title":      {Title: " "},
		"no time zone":  {Title: "x", TimeZone: "Mars/Olympus"},
		"two lines":     {Title: "x\ny"},
		"off the globe": {Title: "x", Position: &v1.Position{Latitude: 91}},
	} {
		require.ErrorAs(t, r.PutSite(t.Context(), "annex", bad), &p, name)
		assert.Equal(t, 422, p.Status, name)
	}
	require.ErrorAs(t, r.RemoveSite(t.Context(), "tern-haven"), &p)
	assert.Equal(t, v1.ProblemInUse, p.Type)
	assert.Contains(t, p.Detail, "holds 5 devices")
	require.ErrorAs(t, r.RemoveSite(t.Context(), "atlantis"), &p)
	assert.Equal(t, 404, p.Status)
	require.ErrorAs(t, r.MergeSite(t.Context(), "tern-haven", "atlantis"), &p)
	assert.Equal(t, 422, p.Status)

	require.NoError(t, r.MergeSite(t.Context(), "tern-haven", "annex"))
	devices, err := r.Devices(t.Context(), client.Query{Where: "site = annex"})
	require.NoError(t, err)
	assert.Equal(t, 5, devices.Total)
	require.ErrorAs(t, r.RemoveSite(t.Context(), "tern-haven"), &p)
	assert.Equal(t, 404, p.Status, "it went with the merge")
}

func TestDevicesAreDescribedRetiredAndForgotten(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	about := v1.DeviceDescription{Site: "tern-haven", Particulars: v1.Particulars{Contact: "Bram Oar", Building: "Terminal", Floor: "1", Rack: "R2", RackUnit: 12, Tags: []string{"spare", "Critical", "spare"}, Notes: "behind the door"}}
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", about))
	r.Restart(t)
	r.AwaitAll(t)
	list, err := r.Devices(t.Context(), client.Query{Where: "tag = critical and rack = r2 behind"})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, []string{"critical", "spare"}, list.Items[0].Tags)
	var p *client.Problem
	for name, bad := range map[string]v1.DeviceDescription{
		"no such site": {Site: "atlantis"}, "bad tag": {Site: "tern-haven", Particulars: v1.Particulars{Tags: []string{"a b"}}}, "unit": {Site: "tern-haven", Particulars: v1.Particulars{RackUnit: 61}},
	} {
		require.ErrorAs(t, r.Describe(t.Context(), "th-sw-02", bad), &p, name)
		assert.Equal(t, 422, p.Status, name)
	}
	require.ErrorAs(t, r.Describe(t.Context(), "nobody", about), &p)
	assert.Equal(t, 404, p.Status)

	require.ErrorAs(t, r.Forget(t.Context(), "th-fw-01"), &p)
	assert.Contains(t, p.Detail, "retire it first")
	require.NoError(t, r.Retire(t.Context(), "th-fw-01"))
	r.Restart(t)
	d, err := r.Device(t.Context(), "th-fw-01")
	require.NoError(t, err)
	assert.Equal(t, "retired", d.Reach)
	assert.Equal(t, "off", d.Health)
	ports, err := r.Ports(t.Context(), client.Query{Where: "name = th-fw-01"})
	require.NoError(t, err)
	assert.Zero(t, ports.Total, "its ports leave the lists")
	require.NoError(t, r.Reinstate(t.Context(), "th-fw-01"))
	r.AwaitAll(t)
	require.NoError(t, r.Retire(t.Context(), "th-fw-01"))
	require.NoError(t, r.Forget(t.Context(), "th-fw-01"))
	_, err = r.Device(t.Context(), "th-fw-01")
	require.ErrorAs(t, err, &p)
	assert.Equal(t, 404, p.Status)
	r.EnrolOne(t, "th-fw-01") // and can come again

	clients := func() int {
		list, err := r.Clients(t.Context(), client.Query{Where: "name = th-sw-02"})
		require.NoError(t, err)
		return list.Total
	}
	before := clients()
	require.NotZero(t, before)
	require.NoError(t, r.Retire(t.Context(), "th-sw-02"))
	require.NoError(t, r.Forget(t.Context(), "th-sw-02"))
	assert.Zero(t, clients())
	r.EnrolOne(t, "th-sw-02")
	require.Eventually(t, func() bool {
		kept, err := r.Service.Store.Clients(t.Context(), time.Time{})
		n := 0
		for _, c := range kept {
			if c.DeviceID == "th-sw-02" {
				n++
			}
		}
		return err == nil && n == before && clients() == before
	}, rig.WaitLong, rig.WaitStep, "its clients are kept anew")
}

func TestClientsAreFoundAndNamed(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	find := func(where string) []v1.NetworkClient {
		t.Helper()
		list, err := r.Clients(t.Context(), client.Query{Where: where})
		require.NoError(t, err)
		return list.Items
	}
	at := find("name = th-sw-02 and port = 1/1/7")
	require.Len(t, at, 1, "the printer is where it is plugged in")
	mac := at[0].MAC
	assert.Equal(t, rig.Printer, r.World.Stations()[mac])
	assert.Equal(t, 20, at[0].VLAN)
	assert.True(t, at[0].Here)
	require.NoError(t, r.NameClient(t.Context(), strings.ToUpper(mac), " Ticket printer "))
	assert.Equal(t, mac, find("ticket printer")[0].MAC)
	r.Restart(t)
	r.AwaitAll(t)
	assert.Equal(t, mac, find(`client = "Ticket Printer" and client.wireless = false`)[0].MAC, "the name outlives a restart")
	var p *client.Problem
	require.ErrorAs(t, r.NameClient(t.Context(), "02:00:00:00:00:01", "x"), &p)
	assert.Equal(t, 404, p.Status)
	require.ErrorAs(t, r.NameClient(t.Context(), "nonsense", "x"), &p)
	assert.Equal(t, 422, p.Status)

	require.NoError(t, r.World.Throw(standin.Cut, rig.Printer))
	require.Eventually(t, func() bool { return len(find("client.mac = "+mac+" and client.here = false")) == 1 }, rig.WaitLong, rig.WaitStep, "it is gone, and where it was is still known")
}

func TestPreferencesAreOnesOwn(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	put := func(token, value string) int {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPut, r.Base+"/api/v1/preferences/table.ports", strings.NewReader(`{"value":`+value+`}`))
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		return resp.StatusCode
	}
	isla := r.As(t, "isla", "viewer")
	assert.Equal(t, 204, put(r.Token, `"[1]"`))
	assert.Equal(t, 204, put(isla.Token, `"[2]"`))
	assert.Equal(t, 422, put(r.Token, `"`+strings.Repeat("x", 9000)+`"`))
	_, mine := r.GetJSON(t, "/preferences", nil)
	assert.Equal(t, "[1]", mine["table.ports"])
	assert.Equal(t, 204, put(r.Token, `""`))
	_, mine = r.GetJSON(t, "/preferences", nil)
	assert.NotContains(t, mine, "table.ports")
}

func TestMapDrawsWhatThereIs(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	var m v1.Map
	require.Eventually(t, func() bool {
		var err error
		m, err = r.Map(t.Context(), "", 50)
		return err == nil && len(m.Lines) == len(r.World.Cables())
	}, rig.WaitLong, rig.WaitStep, "every cable of the world is a line")
	drawn := map[[2]string]v1.Line{}
	for _, l := range m.Lines {
		drawn[[2]string{l.A.Device + ":" + l.A.Name, l.B.Device + ":" + l.B.Name}] = l
	}
	for _, c := range r.World.Cables() {
		l, there := drawn[c]
		if !there {
			l, there = drawn[[2]string{c[1], c[0]}]
		}
		assert.True(t, there, "%v", c)
		assert.Equal(t, "well", l.Health, "%v", c)
	}
	uplink := drawn[[2]string{"th-sw-01:1/1/49", "th-sw-02:1/1/25"}]
	assert.Equal(t, "carried", uplink.VLAN)
	assert.Equal(t, 10_000, uplink.SpeedMbps)
	assert.Equal(t, "absent", drawn[[2]string{"th-ap-01:eth0", "th-sw-02:1/1/1"}].VLAN)

	part, err := r.Map(t.Context(), "kind = access-point", 0)
	require.NoError(t, err)
	require.Len(t, part.Lines, 1)
	require.Len(t, part.Devices, 2)
	assert.False(t, part.Devices[0].Beyond)
	assert.True(t, part.Devices[1].Beyond, "the switch is there because the line leads to it")

	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/1"))
	require.Eventually(t, func() bool {
		m, err := r.Map(t.Context(), "kind = access-point", 0)
		return err == nil && len(m.Lines) == 1 && m.Lines[0].Up == 0
	}, rig.WaitLong, rig.WaitStep, "where a cut cable led is remembered")
	coral := r.Confine(t, "coral", "viewer", "kind = switch")
	m, err = coral.Map(t.Context(), "", 0)
	require.NoError(t, err)
	assert.Len(t, m.Devices, 2, "nothing leads beyond what one may see")
}
