package wireless_test

import (
	"fmt"
	"net/http"
	"strings"
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

// Passengers get addresses from the access point itself, and are seen beyond with its own: firewalls see it, nobody beyond reaches them, what they reach
// they still reach; and it is all as before when it is taken back.
func TestStationsAreHiddenBehindTheirAccessPoint(t *testing.T) {
	t.Parallel()
	plant := rig.Only("ng-edge-01", "ng-fw-01", "ng-sw-01", "ng-ap-01")
	for i := range 3 {
		plant.Hosts = append(plant.Hosts, standin.HostSpec{Name: fmt.Sprintf("guest %d", 700+i), MAC: fmt.Sprintf("02:a1:60:00:07:%02x", i), At: "ng-ap-01:radio0", RateBps: 400_000, SSID: "Lantern Passengers",
			IP: fmt.Sprintf("10.7.80.%d", 61+i), Stays: true})
	}
	w, err := standin.New(plant, standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r := rig.Start(t, w)
	r.AwaitAll(t)
	const ap, wlan = "ng-ap-01", "ng-ap-01:wlan/passengers"
	passengers := func(is func(v1.NetworkClient) bool) (out []v1.NetworkClient) {
		require.Eventually(t, func() bool {
			list, err := r.Clients(t.Context(), client.Query{Where: `client.mac in (02:a1:60:00:07:00, 02:a1:60:00:07:01, 02:a1:60:00:07:02)`, Limit: 200})
			require.NoError(t, err)
			out = nil
			for _, c := range list.Items {
				if is(c) {
					out = append(out, c)
				}
			}
			return len(out) == 3
		}, rig.WaitLong, rig.WaitStep, "%v", out)
		return out
	}
	before := passengers(func(c v1.NetworkClient) bool { return strings.HasPrefix(c.Address, "10.7.80.") })
	cli := rig.SignedIn(t, r)
	for says, value := range map[string]string{"not for private use": "203.0.113.1/24", "is 16 to 29": "192.168.80.1/30", "no network of its own": "192.168.80.0/24", "is no network": "my own"} {
		bad := cli.Run("", "port", "set", wlan, "station-network="+value)
		assert.NotZero(t, bad.Code, value)
		assert.Contains(t, bad.Err, says)
	}
	wrong := r.Draft(t, [3]string{wlan, "station-network", "10.7.20.129/29"})
	said := ""
	for _, f := range wrong.Findings {
		said += f.Level + ": " + f.What + "\n"
	}
	assert.Contains(t, said, "warn: 10.7.20.128/29 of network passengers on ng-ap-01 is also in use in VLAN 20 of ng-edge-01.")

	push(t, r, wlan, map[string]string{"station-network": "192.168.80.1/24", "station-lease": "60"})
	assert.Contains(t, r.Asked(t, ap, `<wireless xmlns="urn:everypost:yang:ep-wireless"><network/></wireless>`), "<station-network><address>192.168.80.1/24</address><lease>60</lease></station-network>")
	after := passengers(func(c v1.NetworkClient) bool { return strings.HasPrefix(c.Address, "192.168.80.") })
	assert.Len(t, after, len(before))
	addresses := map[string]bool{}
	for _, c := range after {
		addresses[c.Address] = true
	}
	assert.Len(t, addresses, len(after), "each has one of its own")
	leases := cli.Good("leases", ap)
	assert.Regexp(t, `80 +passengers +192\.168\.80\.\d+ +`+after[0].MAC, leases.Out)
	assert.Regexp(t, `of 253 for stations of passengers, who are seen beyond as 10\.7\.80\.2\d\d, are free`, leases.Err+leases.Out)
	sessions := func(q client.SessionQuery) int {
		list, err := r.FirewallSessions(t.Context(), "ng-fw-01", q)
		require.NoError(t, err)
		return list.Total
	}
	outside := ""
	d, err := r.Device(t.Context(), ap)
	require.NoError(t, err)
	for _, p := range d.Inside.Pools {
		outside = p.Outside
	}
	require.Eventually(t, func() bool { return sessions(client.SessionQuery{Source: outside}) > 0 }, rig.WaitLong, rig.WaitStep, "the firewall sees the access point")
	assert.Zero(t, sessions(client.SessionQuery{Source: "192.168.80.0/24"}))

	ask := func(from, to string, port int) v1.Reach {
		a, err := r.Reach(t.Context(), v1.ReachRequest{From: from, To: to, Protocol: "tcp", Port: port})
		require.NoError(t, err)
		return a
	}
	out := ask(after[0].MAC, "203.0.113.80", 443)
	assert.Equal(t, "passes", out.Verdict, "%+v", out.Hops)
	assert.Equal(t, r.World.Reaches(after[0].Address, "203.0.113.80", "tcp", 443), out.Verdict == "passes")
	assert.Contains(t, out.Hops[0].What+out.Hops[1].What, "with an address of its own, "+outside)
	desks, err := r.Clients(t.Context(), client.Query{Where: "client.vlan = 20 and name = ng-sw-01", Limit: 1})
	require.NoError(t, err)
	require.NotEmpty(t, desks.Items)
	in := ask(desks.Items[0].MAC, after[0].MAC, 445)
	assert.Equal(t, "stops", in.Verdict)
	assert.Contains(t, in.Why, "nobody there begins anything with it")
	assert.False(t, r.World.Reaches(desks.Items[0].Address, after[0].Address, "tcp", 445))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/devices/"+ap+"?tab=addresses"), browser.Shows("passengers, seen beyond as "+outside), browser.Shows(after[0].Address)))
	assert.Empty(t, b.Complaints)

	// What the access point gave out it gives again after it was away; who may not see it asks in vain; and back.
	require.NoError(t, r.World.Throw(standin.Reboot, ap))
	r.Restart(t)
	r.AwaitAll(t)
	again := passengers(func(c v1.NetworkClient) bool { return addresses[c.Address] })
	assert.Len(t, again, len(after))
	_, err = r.Confine(t, "bram", "viewer", "name = ng-sw-01").Device(t.Context(), ap)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	push(t, r, wlan, map[string]string{"station-network": "none"})
	passengers(func(c v1.NetworkClient) bool { return strings.HasPrefix(c.Address, "10.7.80.") })
}
