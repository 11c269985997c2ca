package inventory_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/testing/testhouse"
)

// A device that only tells who it is and what it observes is shown and watched like any other, and changed by nobody.
func TestADeviceThatOnlyObservesIsShownAndWatched(t *testing.T) {
	t.Parallel()
	const address = "10.20.30.40:830"
	h := testhouse.New(t)
	h.Bare("th-cam-sw", address)
	sub := h.Feed.Follow(feed.Everything)
	defer sub.Close()
	_, err := h.Inventory.Enrol(t.Context(), inventory.Enrolment{Address: address, User: "fleet", Password: "word", HostKey: "SHA256:th-cam-sw", Site: "tern-haven", By: "ada"})
	require.NoError(t, err)
	told(t, sub, "th-cam-sw is connected.")
	d, ports, err := h.Inventory.Device("th-cam-sw")
	require.NoError(t, err)
	assert.Equal(t, network.ReachConnected, d.Reach)
	assert.Equal(t, network.Well, d.Health)
	var names []string
	for _, p := range ports {
		names = append(names, p.Ref.Port)
	}
	assert.Equal(t, []string{"1", "2", "down", "up"}, names, "its ports are those that it observes")
	assert.Equal(t, network.Well, ports[0].Health)
	assert.Equal(t, []string{"th-cam-sw"}, h.Pick("name = th-cam-sw and port.up = true"))

	h.Observe(address, "1", network.Down)
	told(t, sub, "th-cam-sw:1 lost its link.")
	h.Observe(address, "1", network.Up)
	told(t, sub, "th-cam-sw:1 has its link back.")

	_, err = h.Fleet.ReadConfig(t.Context(), "th-cam-sw")
	require.ErrorIs(t, err, fleet.ErrCannot)
	require.ErrorContains(t, err, "th-cam-sw does not tell what it runs")
	_, err = h.Fleet.ReadWhole(t.Context(), "th-cam-sw")
	require.ErrorIs(t, err, fleet.ErrCannot)
	err = h.Fleet.Propose(t.Context(), "th-cam-sw", "x", network.Config{}, network.Config{})
	require.ErrorContains(t, err, "cannot run a change on trial")
}
