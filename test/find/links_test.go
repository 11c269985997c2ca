package find_test

import (
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// ends lists links as from and to.
func ends(list v1.List[v1.Link]) (out []string) {
	for _, l := range list.Items {
		out = append(out, l.A.Device+":"+l.A.Name+" "+l.B.Device+":"+l.B.Name)
	}
	return out
}

func TestLinksArePickedSortedAndCounted(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	links := func(q client.Query) v1.List[v1.Link] {
		t.Helper()
		list, err := r.Links(t.Context(), q)
		require.NoError(t, err)
		return list
	}
	var all v1.List[v1.Link]
	require.Eventually(t, func() bool { // they are drawn at most once a second
		all = links(client.Query{})
		return len(all.Items) == len(r.World.Cables()) && !slices.ContainsFunc(all.Items, func(l v1.Link) bool { return l.Health != "well" })
	}, rig.WaitLong, rig.WaitStep, "each cable once")
	assert.Equal(t, all.Total, all.All)
	for _, l := range all.Items {
		assert.Equal(t, "cable", l.Kind)
		assert.Equal(t, "well", l.Health)
	}
	own := links(client.Query{Where: "name = th-ap-01"})
	assert.Equal(t, []string{"th-ap-01:eth0 th-sw-02:1/1/1"}, ends(own), "by either end")
	assert.Equal(t, ends(own), ends(links(client.Query{Where: `link.to = "th-ap-01:eth0"`})))
	assert.Equal(t, ends(own), ends(links(client.Query{Where: `port.poe.watts > 0`})), "by the port at an end")
	fast := links(client.Query{Sort: "-link.mbps,link"})
	for i := 1; i < len(fast.Items); i++ {
		assert.GreaterOrEqual(t, fast.Items[i-1].SpeedMbps, fast.Items[i].SpeedMbps)
	}
	counted := links(client.Query{Count: "link.kind,link.health", Limit: 1})
	assert.Equal(t, []v1.Count{{Value: "cable", Count: all.Total}}, counted.Counts["link.kind"])
	require.Eventually(t, func() bool {
		l := links(client.Query{Where: "link.mbps >= 10000"}).Items[0]
		return l.ABps+l.BBps > 0 && l.Use > 0
	}, rig.WaitLong, rig.WaitStep, "what goes over it")

	devices, err := r.Devices(t.Context(), client.Query{Where: "link.mbps >= 10000"})
	require.NoError(t, err)
	assert.Equal(t, []string{"th-sw-01", "th-sw-02"}, rig.Names(devices), "devices that have such a link")
	ports, err := r.Ports(t.Context(), client.Query{Where: `link.to ~ "th-sw-01:*" and name = th-sw-02`})
	require.NoError(t, err)
	require.Len(t, ports.Items, 1)
	assert.Equal(t, "th-sw-02:1/1/25", ports.Items[0].Ref, "the port of such a link, and no other of the device")

	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/1"))
	require.Eventually(t, func() bool { return links(client.Query{Where: "link.health = down"}).Total == 1 }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, 1, links(client.Query{Where: "link.missing > 0"}).Total)
	status, _ := r.GetJSON(t, "/links", map[string]string{"where": "link.kind = string"})
	assert.Equal(t, 422, status)
	status, out := r.GetJSON(t, "/ports", map[string]string{"sort": "link.use"})
	assert.Equal(t, 422, status, "a port has no one link: %v", out)
	err = rig.Second(r.Log(t.Context(), "link.health = down", 10))
	assert.ErrorContains(t, err, "known only of this moment")
	err = r.AddUser(t.Context(), v1.NewUser{Name: "wren", UserRequest: v1.UserRequest{FullName: "Wren", Role: "viewer", Only: "link.kind = tunnel"}, Password: rig.Password})
	assert.ErrorContains(t, err, "asks for links")
}

func TestLinksOfWhatOneMaySee(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: "wren", UserRequest: v1.UserRequest{FullName: "Wren", Role: "viewer", Only: "kind = switch"}, Password: rig.Password}))
	wren := &client.Client{Base: r.Base, Token: r.TokenOf(t, "wren")}
	r.AwaitLinks(t)
	list, err := wren.Links(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Equal(t, []string{"th-sw-01:1/1/49 th-sw-02:1/1/25"}, ends(list), "links of which both ends are hers to see")
	assert.Equal(t, 1, list.All)
}

func TestLinksByCommandLineAndConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.AwaitLinks(t)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("links", "name = th-ap-01").Out, "th-sw-02:1/1/1")
	assert.Contains(t, c.Good("links", "--count", "link.kind").Out, "cable")
	assert.Contains(t, c.Good("links", "--vlan", "50", "name = th-sw-02").Out, "carried")
	require.Eventually(t, func() bool { return c.Run("", "links", "--period", "5m", "-o", "csv").Out != "" }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, 2, c.Run("", "links", "--period", "5m", "--vlan", "50").Code)
	assert.Contains(t, c.Good("fields").Out, "link.underlay")
	b := rig.OpenConsole(t, r)
	assert.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/map?view=links"), rig.Rows("4"),
		browser.Type(rig.ScopeLine, "link.mbps >= 10000"), rig.Rows("1"),
		browser.Shows("1 of 4 links"),
	))
}
