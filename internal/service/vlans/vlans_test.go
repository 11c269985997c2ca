package vlans_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/service/vlans"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

func open(t *testing.T) (*vlans.Service, *testhouse.House) {
	t.Helper()
	h := testhouse.New(t)
	held := &leases.Leases{}
	l := layers.New(h.Store, h.Fleet, h.Inventory, h.Groups, held, h.Feed, h.Log)
	return vlans.New(h.Store, h.Inventory, changes.New(changes.Parts{Fleet: h.Fleet, Store: h.Store, Layers: l, Feed: h.Feed, Leases: held, Log: h.Log})), h
}

func TestTheVLANsOfTheNetwork(t *testing.T) {
	t.Parallel()
	s, h := open(t)
	h.Change("th-sw-02", "night", func(c *network.Config) { c.VLANs[20] = network.VLAN{ID: 20, Name: "desks"} })
	h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.Enabled = false })
	h.Runs("th-sw-02", func(c network.Config) bool { return !c.Ports["1"].Enabled })
	var v vlans.VLAN
	h.Until(func() bool { // the lists hear of it a moment after the fleet read it
		var err error
		v, err = s.Get(t.Context(), 20, vlans.View{Whole: true})
		require.NoError(t, err)
		return v.Access == 2
	}, "a port that is off is counted")
	assert.Equal(t, []string{"office", "desks"}, v.Names, "the most frequent name first")
	assert.Len(t, v.Devices, 3)
	assert.Equal(t, []int{2, 6}, []int{v.Access, v.Trunks}, "a port that is off is not counted")

	within, err := catalog.Network.Parse("site = fulmar")
	require.NoError(t, err)
	v, err = s.Get(t.Context(), 20, vlans.View{Devices: within, Clients: within})
	require.NoError(t, err)
	require.Len(t, v.Devices, 1, "of what one may not see nothing is told")
	assert.Equal(t, "fm-sw-01", v.Devices[0].Device)
	_, err = s.Get(t.Context(), 77, vlans.View{Whole: true})
	require.ErrorIs(t, err, store.ErrNotFound)
}

func TestWhereAVLANIsMissing(t *testing.T) {
	t.Parallel()
	s, h := open(t)
	require.NoError(t, s.Describe(t.Context(), store.VLANRecord{ID: 40, Purpose: " cameras ", Subnets: "10.2.40.7/24", Gateways: "10.2.40.1", Wanted: "site = tern-haven"}))
	missing := func() (out []string) {
		v, err := s.Get(t.Context(), 40, vlans.View{Whole: true})
		require.NoError(t, err)
		assert.Equal(t, "cameras 10.2.40.0/24", v.Purpose+" "+v.Subnets)
		for _, m := range v.Missing {
			out = append(out, m.Device+" "+m.Why)
		}
		return out
	}
	assert.Equal(t, []string{"th-sw-01 does not know it", "th-sw-02 does not know it"}, missing())
	for _, d := range []string{"th-sw-01", "th-sw-02"} {
		h.Change(d, "night", func(c *network.Config) { c.VLANs[40] = network.VLAN{ID: 40, Name: "cameras"} })
		h.Runs(d, func(c network.Config) bool { return c.VLANs[40].Name != "" })
	}
	assert.Equal(t, []string{"th-sw-02 not carried on th-sw-02:up"}, missing(), "it gets in at the first, and no further")

	carried, err := s.Carry(t.Context(), 40, "th-sw-02", "th-sw-01", nil)
	require.NoError(t, err)
	var edits []string
	for _, e := range carried.Edits {
		edits = append(edits, e.String())
	}
	assert.ElementsMatch(t, []string{"th-sw-01:down trunk-vlans=10,20,30,40", "th-sw-02:up trunk-vlans=10,20,30,40"}, edits, "every trunk on the way, and no other")
	_, err = s.Carry(t.Context(), 40, "th-sw-02", "fm-sw-01", nil)
	require.ErrorIs(t, err, inventory.ErrInvalid, "no way leads there")
	for d, port := range map[string]string{"th-sw-01": "down", "th-sw-02": "up"} {
		h.SetPort(d, port, "night", func(p *network.PortConfig) { p.TrunkVLANs = network.VLANSet{10, 20, 30, 40} })
		h.Runs(d, func(c network.Config) bool { return c.Ports[port].TrunkVLANs.Has(40) })
	}
	assert.Empty(t, missing())
}

func TestWhatIsSaidOfAVLANMustFit(t *testing.T) {
	t.Parallel()
	s, _ := open(t)
	require.NoError(t, s.Describe(t.Context(), store.VLANRecord{ID: 20, Subnets: "10.2.20.0/24, 10.3.20.0/24", Gateways: "10.3.20.1"}))
	for says, bad := range map[string]store.VLANRecord{
		"is not a subnet":                      {ID: 30, Subnets: "10.2.30.0"},
		"is not the address of a gateway":      {ID: 30, Subnets: "10.2.30.0/24", Gateways: "gate"},
		"is in none of the subnets":            {ID: 30, Subnets: "10.2.30.0/24", Gateways: "10.2.31.1"},
		"overlaps 10.3.20.0/24 of VLAN 20":     {ID: 30, Subnets: "10.3.0.0/16"},
		"unknown field":                        {ID: 30, Wanted: "colour = red"},
		"a purpose has at most 200 characters": {ID: 30, Purpose: string(make([]byte, 201))},
	} {
		assert.ErrorContains(t, s.Describe(t.Context(), bad), says)
	}
	require.NoError(t, s.Describe(t.Context(), store.VLANRecord{ID: 20, Subnets: "10.2.20.0/24"}), "its own subnet is no hindrance")
	require.NoError(t, s.Describe(t.Context(), store.VLANRecord{ID: 20}), "and with nothing to say it is forgotten")
	v, err := s.Get(t.Context(), 20, vlans.View{Whole: true})
	require.NoError(t, err)
	assert.Empty(t, v.Subnets)
}
