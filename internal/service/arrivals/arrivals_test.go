package arrivals_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/arrivals"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

// writer notes what it is to write.
type writer struct {
	last driver.Provision
	fail error
}

func (w *writer) Provision(_ context.Context, p driver.Provision) ([]byte, error) {
	w.last = p
	return []byte("<" + p.Hostname + "/>"), w.fail
}

func open(t *testing.T) (*arrivals.Service, *testhouse.House, *writer) {
	t.Helper()
	h, w := testhouse.New(t), &writer{}
	h.Until(func() bool {
		_, err := h.Store.LastSnapshot(t.Context(), "th-sw-02")
		return err == nil
	}, "what it runs is kept")
	s := arrivals.New(h.Fleet, h.Inventory, h.Store, h.Sealer, w, h.Feed, h.Log)
	s.SetHome("192.0.2.1:4334")
	return s, h, w
}

func edit(t *testing.T, on, field, value string) intent.Edit {
	t.Helper()
	ref, err := network.ParseTarget(on)
	require.NoError(t, err)
	e, err := intent.New(ref, field, value)
	require.NoError(t, err)
	return e
}

func TestAClaimedDeviceIsToldWhatItIsToBe(t *testing.T) {
	t.Parallel()
	s, _, w := open(t)
	_, _, err := s.Bootstrap(t.Context(), "HY24-1", "H24P")
	require.ErrorIs(t, err, arrivals.ErrUnclaimed)
	require.NoError(t, s.Claim(t.Context(), arrivals.Claim{Serial: " HY24-1 ", Name: "th-sw-03", Site: "tern-haven", Like: "th-sw-02", Edits: []intent.Edit{edit(t, "th-sw-03:1", "vlan", "30")}}, "ada"))
	document, whole, err := s.Bootstrap(t.Context(), "HY24-1", "H24P")
	require.NoError(t, err)
	assert.Equal(t, "<th-sw-03/>", string(document))
	assert.False(t, whole, "it is added to what the device runs")
	assert.Equal(t, [3]any{"192.0.2.1:4334", false, network.VLANID(20)}, [3]any{w.last.CallHome, w.last.Whole, w.last.Before.Ports["1"].AccessVLAN})
	assert.Equal(t, network.VLANID(30), w.last.After.Ports["1"].AccessVLAN, "like the other, but for what is said besides")
	require.NoError(t, s.Told(t.Context(), "HY24-1", "SHA256:new"))
	list, err := s.Claims(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, [4]any{"th-sw-03", "H24P", "SHA256:new", false}, [4]any{list[0].Name, list[0].Model, list[0].HostKey, list[0].ToldAt.IsZero()})
	require.NoError(t, s.Failed(t.Context(), "HY24-1", "the disk is full"))
	list, err = s.Claims(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "the disk is full", list[0].Said)
	require.NoError(t, s.Drop(t.Context(), "HY24-1", "ada"))
	require.ErrorIs(t, s.Told(t.Context(), "HY24-1", "SHA256:new"), arrivals.ErrUnclaimed)
	require.ErrorIs(t, s.Failed(t.Context(), "HY24-1", "x"), arrivals.ErrUnclaimed)
	require.ErrorIs(t, s.Drop(t.Context(), "HY24-1", "ada"), store.ErrNotFound)
}

func TestADeviceTakesThePlaceOfAnother(t *testing.T) {
	t.Parallel()
	s, _, w := open(t)
	require.NoError(t, s.Claim(t.Context(), arrivals.Claim{Serial: "HY24-2", Replaces: "th-sw-02"}, "ada"))
	list, err := s.Claims(t.Context())
	require.NoError(t, err)
	assert.Equal(t, [2]string{"th-sw-02", "tern-haven"}, [2]string{list[0].Name, list[0].Site})
	_, whole, err := s.Bootstrap(t.Context(), "HY24-2", "H24P")
	require.NoError(t, err)
	assert.True(t, w.last.Whole, "what its ports are for stays")
	assert.True(t, whole, "and nothing of its maker's does")

	w.fail = errors.New("such a device cannot be told")
	_, _, err = s.Bootstrap(t.Context(), "HY24-2", "H24P")
	require.ErrorIs(t, err, w.fail)
	list, err = s.Claims(t.Context())
	require.NoError(t, err)
	assert.Equal(t, w.fail.Error(), list[0].Said, "why stands beside the claim")
}

func TestClaimsThatCannotBe(t *testing.T) {
	t.Parallel()
	s, h, w := open(t)
	good := arrivals.Claim{Serial: "HY24-1", Name: "th-sw-03", Site: "tern-haven"}
	require.NoError(t, s.Claim(t.Context(), good, "ada"))
	for says, bad := range map[string]func(c *arrivals.Claim){
		"is no serial number":              func(c *arrivals.Claim) { c.Serial = "a b" },
		"is in service already":            func(c *arrivals.Claim) { c.Serial = "th-sw-02" },
		"is claimed already":               func(*arrivals.Claim) {},
		"not a valid name":                 func(c *arrivals.Claim) { c.Name = "The Switch" },
		"claim it as a replacement":        func(c *arrivals.Claim) { c.Name = "th-sw-02" },
		"to be like":                       func(c *arrivals.Claim) { c.Like = "nobody" },
		`there is no site "shoal"`:         func(c *arrivals.Claim) { c.Site = "shoal" },
		"gets that one's name":             func(c *arrivals.Claim) { c.Replaces = "th-sw-01" },
		"a claim holds at most 1000 edits": func(c *arrivals.Claim) { c.Edits = make([]intent.Edit, 1001) },
		"th-sw-04:9": func(c *arrivals.Claim) {
			c.Like, c.Edits = "th-sw-02", []intent.Edit{edit(t, "th-sw-04:9", "vlan", "20")}
		},
	} {
		c := good
		c.Serial, c.Name = "HY24-9", "th-sw-04"
		if says == "is claimed already" {
			c = good
		}
		bad(&c)
		assert.ErrorContains(t, s.Claim(t.Context(), c, "ada"), says)
	}
	list, err := s.Claims(t.Context())
	require.NoError(t, err)
	assert.Len(t, list, 1, "what is refused leaves nothing behind")

	deaf := arrivals.New(h.Fleet, h.Inventory, h.Store, h.Sealer, w, h.Feed, h.Log)
	require.ErrorIs(t, deaf.Claim(t.Context(), arrivals.Claim{Serial: "HY24-9", Name: "th-sw-04", Site: "tern-haven"}, "ada"), inventory.ErrInvalid, "it takes no calls")
}
