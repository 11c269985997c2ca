package layers_test

import (
	"context"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

type house struct {
	*testhouse.House
	*layers.Service
	t    *testing.T
	held leases.Leases
}

func open(t *testing.T) *house {
	t.Helper()
	h := &house{t: t}
	h.House = testhouse.New(t, func(in *testhouse.House) {
		h.Service = layers.New(in.Store, in.Fleet, in.Inventory, in.Groups, &h.held, in.Feed, in.Log)
	})
	h.Service.Start()
	t.Cleanup(h.Service.Close)
	_, err := h.Stage(t.Context(), nil) // what devices run when they are first seen is what they say themselves
	require.NoError(t, err)
	return h
}

// says has layers say something, as a change that is kept does.
func (h *house) says(lines ...[3]string) {
	h.t.Helper()
	var edits []intent.Edit
	for _, l := range lines {
		on, err := network.ParseTarget(l[0])
		require.NoError(h.t, err)
		e, err := intent.New(on, l[1], l[2])
		require.NoError(h.t, err)
		edits = append(edits, e)
	}
	before, err := h.Stage(h.t.Context(), nil)
	require.NoError(h.t, err)
	require.NoError(h.t, h.Check(before.Layers, h.After(h.t.Context(), before, edits, 7).Layers, edits))
	require.NoError(h.t, h.Settle(h.t.Context(), layers.Settlement{Edits: edits, Change: 7}, func(l intent.Layers, _ []intent.Edit) error { return h.Store.PutLayers(h.t.Context(), l) }))
}

// drift waits until so many settings of a device drift.
func (h *house) drift(device string, n int) layers.Drift {
	h.t.Helper()
	h.Until(func() bool { return len(h.DriftOf(device).Differences) == n }, "another number of settings should drift")
	return h.DriftOf(device)
}

func TestWhatSomebodyChangesOnTheSpotIsNoticed(t *testing.T) {
	t.Parallel()
	h := open(t)
	sub := h.Feed.Follow(feed.Everything)
	defer sub.Close()
	h.SetPort("th-sw-02", "1", "night-shift", func(p *network.PortConfig) { p.Description, p.AccessVLAN = "tried at night", 30 })
	d := h.drift("th-sw-02", 2)
	assert.Equal(t, layers.Difference{On: network.PortRef{Device: "th-sw-02", Port: "1"}, Field: "description", Runs: "tried at night", Layer: "default", Since: d.Differences[0].Since, By: "night-shift"}, d.Differences[0])
	assert.WithinDuration(t, time.Now(), d.Differences[0].Since, time.Minute)
	assert.Equal(t, [3]string{"vlan", "20", "30"}, [3]string{d.Differences[1].Field, d.Differences[1].Intended, d.Differences[1].Runs})
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	for told := ""; told != "th-sw-02 does not run what is intended since night-shift changed it: 1 description is tried at night, not nothing; 1 vlan is 30, not 20."; {
		item, err := sub.Next(ctx)
		require.NoError(t, err, "it is not told")
		if item.Fact != nil {
			told = words.English.Fact(*item.Fact)
		}
	}
	h.SetPort("th-sw-02", "1", "night-shift", func(p *network.PortConfig) { p.Description, p.AccessVLAN = "", 20 })
	h.drift("th-sw-02", 0)
	assert.Empty(t, h.Drifts())
}

func TestWhatAChangeTriesIsNoDrift(t *testing.T) {
	t.Parallel()
	h := open(t)
	giveBack := h.held.Take("th-sw-02")
	h.SetPort("th-sw-02", "1", "everypost", func(p *network.PortConfig) { p.AccessVLAN = 30 })
	h.Runs("th-sw-02", func(c network.Config) bool { return c.Ports["1"].AccessVLAN == 30 })
	_, err := h.Accept(t.Context(), "th-sw-02", nil)
	require.ErrorIs(t, err, store.ErrInUse)
	require.ErrorIs(t, h.SetControl(t.Context(), "th-sw-02", network.ControlWatched, "ada"), store.ErrInUse)
	assert.Empty(t, h.Drifts())
	giveBack()
	h.Look("th-sw-02")
	h.drift("th-sw-02", 1)
}

func TestWhatDevicesRunIsTakenAsIntended(t *testing.T) {
	t.Parallel()
	h := open(t)
	h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.AccessVLAN = 30 })
	h.SetPort("th-sw-02", "2", "night", func(p *network.PortConfig) { p.Enabled = false })
	h.drift("th-sw-02", 2)
	taken, err := h.Accept(t.Context(), "th-sw-02", []string{"2"})
	require.NoError(t, err)
	require.Len(t, taken, 1)
	assert.Equal(t, "enabled", taken[0].Field)
	assert.Equal(t, "vlan", h.drift("th-sw-02", 1).Differences[0].Field, "the rest drifts on")
	_, err = h.Accept(t.Context(), "th-sw-02", []string{"2"})
	require.ErrorIs(t, err, layers.ErrNoDrift)
	_, err = h.Accept(t.Context(), "th-sw-02", nil)
	require.NoError(t, err)
	assert.Empty(t, h.DriftOf("th-sw-02").Differences)
	_, err = h.Accept(t.Context(), "nobody", nil)
	require.ErrorIs(t, err, store.ErrNotFound)

	again := layers.New(h.Store, h.House.Fleet, h.Inventory, h.House.Groups, &h.held, h.Feed, h.Log)
	stage, err := again.Stage(t.Context(), []string{"th-sw-02"})
	require.NoError(t, err)
	word, said := stage.Layers.Words(network.PortRef{Device: "th-sw-02"}).Of("1", "vlan")
	assert.True(t, said)
	assert.Equal(t, "30", word.Value, "a later life knows")
}

func TestATemplateHoldsWhereItPicks(t *testing.T) {
	t.Parallel()
	h := open(t)
	h.says([3]string{"template/desk:self", "present", "on"}, [3]string{"template/desk:self", "pick", "port.mode = access and port.vlan = 20 and site = tern-haven"}, [3]string{"template/desk:port", "description", "a desk"})
	list, err := h.Templates(t.Context(), nil)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "desk", list[0].Name)
	assert.Equal(t, 2, list[0].Devices)
	var picks []string
	for _, p := range list[0].Picks {
		picks = append(picks, p.String())
	}
	assert.Equal(t, []string{"th-sw-01:1", "th-sw-02:1"}, picks, "by what ports are, and where")
	h.drift("th-sw-01", 1)
	d := h.drift("th-sw-02", 1)
	assert.Equal(t, [3]string{"description", "a desk", "template/desk"}, [3]string{d.Differences[0].Field, d.Differences[0].Intended, d.Differences[0].Layer})

	h.SetPort("th-sw-02", "1", "", func(p *network.PortConfig) { p.Description = "a desk" })
	h.drift("th-sw-02", 0)
	h.says([3]string{"th-sw-01:1", "description", "the harbour master"})
	list, err = h.Templates(t.Context(), nil)
	require.NoError(t, err)
	require.Len(t, list[0].Others, 1)
	assert.Equal(t, layers.Other{On: network.PortRef{Device: "th-sw-01", Port: "1"}, Field: "description", Value: "the harbour master", Layer: "device"}, list[0].Others[0], "a device has the last word")
}

func TestTemplatesThatCannotBeAreRefused(t *testing.T) {
	t.Parallel()
	h := open(t)
	h.says([3]string{"template/desk:self", "present", "on"})
	before, err := h.Stage(t.Context(), nil)
	require.NoError(t, err)
	for says, lines := range map[string][][3]string{
		"there is no template phone: make it first": {{"template/phone:port", "description", "x"}},
		"there is no site shoal":                    {{"site/shoal", "contact", "x"}},
		"unknown field":                             {{"template/desk:self", "pick", "colour = red"}},
		"is for ports, and speaks of":               {{"template/desk:vlan/40", "name", "x"}},
		"is for devices, and speaks of their ports": {{"template/desk:self", "for", "devices"}, {"template/desk:port", "description", "x"}},
		"cannot pick by links":                      {{"template/desk:self", "pick", "link.to = th-sw-01"}},
	} {
		var edits []intent.Edit
		for _, l := range lines {
			on, err := network.ParseTarget(l[0])
			require.NoError(t, err)
			e, err := intent.New(on, l[1], l[2])
			require.NoError(t, err, "%v", l)
			edits = append(edits, e)
		}
		assert.ErrorContains(t, h.Check(before.Layers, h.After(t.Context(), before, edits, 0).Layers, edits), says)
	}
}

func TestWhatIsFoundOutLastIsWhatIsKnown(t *testing.T) {
	t.Parallel()
	h := open(t)
	h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.AccessVLAN = 30 })
	h.drift("th-sw-02", 1)
	for range 100 {
		var both sync.WaitGroup
		for _, c := range []network.Control{network.ControlLocal, network.ControlHere} {
			both.Go(func() { assert.NoError(t, h.SetControl(t.Context(), "th-sw-02", c, "ada")) })
		}
		both.Wait()
		require.Equal(t, h.Control("th-sw-02"), h.drift("th-sw-02", 1).Control)
	}
}

func TestADeviceUnderLocalControlIsLeftInPeace(t *testing.T) {
	t.Parallel()
	h := open(t)
	assert.Equal(t, network.ControlHere, h.Control("th-sw-02"))
	require.NoError(t, h.SetControl(t.Context(), "th-sw-02", network.ControlLocal, "ada"))
	sub := h.Feed.Follow(feed.Everything)
	defer sub.Close()
	h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.AccessVLAN = 30 })
	assert.Equal(t, network.ControlLocal, h.drift("th-sw-02", 1).Control, "it is known")
	require.NoError(t, h.SetControl(t.Context(), "th-sw-02", network.ControlHere, "ada"))
	for {
		item, err := sub.Next(t.Context())
		require.NoError(t, err)
		if item.Fact == nil {
			continue
		}
		assert.NotEqual(t, fact.DriftBegan{}.Code(), item.Fact.Code(), "but nobody is told")
		if item.Fact.What == (fact.DeviceControl{Control: network.ControlHere, By: "ada"}) {
			break
		}
	}
}
