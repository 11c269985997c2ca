package standin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Who is held at a portal sends nothing but to it; who is admitted is as fast as the slower of the network and his admission lets him, until his time is
// over.
func TestGuestsAreHeldAndSlowedDown(t *testing.T) {
	t.Parallel()
	plant := TernHaven()
	plant.Hosts = append(plant.Hosts, HostSpec{Name: "guest 3", MAC: "02:a1:60:00:00:03", At: "th-ap-01:radio0", RateBps: 40_000_000, SSID: "Lantern Passengers", IP: "10.20.80.63", Stays: true})
	w, err := New(plant, Options{Stepped: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)})
	require.NoError(t, err)
	t.Cleanup(w.Close)
	w.settle()
	w.tellTime(w.clock.now())
	d := w.devices["th-ap-01"]
	h := w.hostsAt["th-ap-01"][0]
	network := func() *networkConfig { return d.cfg.inAir(h).network }
	passed := func() float64 {
		h.out = 0
		w.Step(time.Second)
		return h.out * 8 / 1000 // kbit
	}
	require.NotNil(t, network())
	free := passed()
	assert.Greater(t, free, 10_000.0)

	network().portal = "landing"
	d.cfg.wireless.portals["landing"] = portalConfig{"http://127.0.0.1:1/landing", "key"}
	assert.Zero(t, passed())
	d.admitted = map[string]admission{h.MAC: {w.clock.now().Add(time.Minute), 0}}
	assert.Greater(t, passed(), 10_000.0)
	d.admitted[h.MAC] = admission{w.clock.now().Add(time.Minute), 4000}
	assert.InDelta(t, 4000, passed(), 1)
	network().kbps = 1000
	assert.InDelta(t, 1000, passed(), 1, "the network's own rate is less")
	w.Step(time.Minute)
	assert.Zero(t, passed(), "the time is over")
}
