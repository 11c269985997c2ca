package inventory_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

// told waits for an event that says something.
func told(t *testing.T, sub *feed.Follower, text string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	for {
		item, err := sub.Next(ctx)
		require.NoError(t, err, "nobody says "+text)
		if item.Fact != nil && strings.Contains(words.English.Fact(*item.Fact), text) {
			return
		}
	}
}

func TestAConfigurationThatChangesIsKeptAndTold(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	sub := h.Feed.Follow(feed.Everything)
	defer sub.Close()
	for i := range 40 { // more than are kept together
		h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.Description = fmt.Sprint("try ", i) })
	}
	told(t, sub, "The configuration of th-sw-02 was changed by night.")
	h.Until(func() bool {
		last, err := h.Store.LastSnapshot(t.Context(), "th-sw-02")
		return err == nil && last.Config.Ports["1"].Description == "try 39" && last.By == "night"
	}, "what it runs is kept, with who set it")
	h.SetPort("th-sw-01", "1", "fleet", func(p *network.PortConfig) { p.Description = "ours" })
	told(t, sub, "The configuration of th-sw-01 was changed by this service.")
	assert.Equal(t, []string{"th-sw-01"}, h.Pick("port.description = ours"))
}

func TestADeviceIsRenamedWithAllThatIsKeptOfIt(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	h.SetPort("th-sw-02", "1", "night", func(p *network.PortConfig) { p.Description = "tried" })
	h.Runs("th-sw-02", func(c network.Config) bool { return c.Ports["1"].Description == "tried" })
	for says, err := range map[string]error{
		"not a valid name":           h.Inventory.Rename(t.Context(), "th-sw-02", "TH", "ada"),
		"there is a device th-sw-01": h.Inventory.Rename(t.Context(), "th-sw-02", "th-sw-01", "ada"),
		"not found":                  h.Inventory.Rename(t.Context(), "nobody", "somebody", "ada"),
	} {
		assert.ErrorContains(t, err, says)
	}
	n, err := h.Store.AddChange(t.Context(), store.Change{State: "waiting"})
	require.NoError(t, err)
	require.NoError(t, h.Store.PutChange(t.Context(), store.Change{Number: n, State: "waiting", Devices: []store.ChangeDevice{{Device: "th-sw-02"}}}))
	require.ErrorIs(t, h.Inventory.Rename(t.Context(), "th-sw-02", "th-quay", "ada"), store.ErrInUse, "a change waits for it")
	require.NoError(t, h.Store.DropChange(t.Context(), n))
	require.NoError(t, h.Inventory.Rename(t.Context(), "th-sw-02", "th-quay", "ada"))
	assert.Equal(t, []string{"fm-sw-01", "th-quay", "th-sw-01"}, h.Pick("kind = switch"))
	last, err := h.Store.LastSnapshot(t.Context(), "th-quay")
	require.NoError(t, err)
	assert.Equal(t, "tried", last.Config.Ports["1"].Description)
	require.NoError(t, h.Fleet.Await(t.Context(), "th-quay"))
	_, ok := h.Fleet.View("th-sw-02")
	assert.False(t, ok)
}

func TestADeviceIsRetiredTakenBackAndForgotten(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	require.ErrorIs(t, h.Inventory.Forget(t.Context(), "fm-sw-01", "ada"), inventory.ErrInService)
	require.NoError(t, h.Inventory.Retire(t.Context(), "fm-sw-01", "ada"))
	require.NoError(t, h.Inventory.Retire(t.Context(), "fm-sw-01", "ada"), "twice is as good as once")
	_, ok := h.Fleet.View("fm-sw-01")
	assert.False(t, ok, "nobody calls it any more")
	require.NoError(t, h.Inventory.Reinstate(t.Context(), "fm-sw-01", "ada"))
	require.NoError(t, h.Fleet.Await(t.Context(), "fm-sw-01"))
	require.NoError(t, h.Inventory.Retire(t.Context(), "fm-sw-01", "ada"))
	require.NoError(t, h.Inventory.Forget(t.Context(), "fm-sw-01", "ada"))
	assert.Equal(t, []string{"th-sw-01", "th-sw-02"}, h.Pick("kind = switch"))
	_, err := h.Store.LastSnapshot(t.Context(), "fm-sw-01")
	require.ErrorIs(t, err, store.ErrNotFound)
	require.ErrorIs(t, h.Inventory.Forget(t.Context(), "fm-sw-01", "ada"), store.ErrNotFound)

	n, err := h.Store.AddChange(t.Context(), store.Change{State: "on-trial"})
	require.NoError(t, err)
	require.NoError(t, h.Store.PutChange(t.Context(), store.Change{Number: n, State: "on-trial", Devices: []store.ChangeDevice{{Device: "th-sw-02"}}}))
	require.ErrorIs(t, h.Inventory.Retire(t.Context(), "th-sw-02", "ada"), store.ErrInUse, "a change is on trial on it")
}

func TestOnlyAnAcceptedKeyIsLoggedInTo(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	key, err := h.Inventory.HostKey(t.Context(), "fm-sw-01:830")
	require.NoError(t, err)
	assert.Equal(t, "SHA256:fm-sw-01", key)
	var wrong *driver.KeyError
	require.ErrorAs(t, h.Inventory.Pin(t.Context(), "fm-sw-01", "SHA256:another", "ada"), &wrong, "it shows another one")
	assert.Equal(t, "SHA256:fm-sw-01", wrong.Shown)
	require.NoError(t, h.Inventory.Pin(t.Context(), "fm-sw-01", key, "ada"))
	require.NoError(t, h.Fleet.Await(t.Context(), "fm-sw-01"))

	require.NoError(t, h.Inventory.Retire(t.Context(), "fm-sw-01", "ada"))
	require.NoError(t, h.Inventory.Forget(t.Context(), "fm-sw-01", "ada"))
	enrol := inventory.Enrolment{Address: "fm-sw-01:830", User: "fleet", Password: "word", HostKey: key, Site: "fulmar", By: "ada"}
	for says, bad := range map[string]func(a *inventory.Enrolment){
		"the host key was not accepted": func(a *inventory.Enrolment) { a.HostKey = "" },
		"the device shows host key":     func(a *inventory.Enrolment) { a.HostKey = "SHA256:another" },
		`there is no site "shoal"`:      func(a *inventory.Enrolment) { a.Site = "shoal" },
		"not a valid name":              func(a *inventory.Enrolment) { a.Name = "The Ship" },
		"password":                      func(a *inventory.Enrolment) { a.Password = "guess" },
		"is known already":              func(a *inventory.Enrolment) { a.Name = "th-sw-01" },
	} {
		one := enrol
		bad(&one)
		_, err := h.Inventory.Enrol(t.Context(), one)
		assert.ErrorContains(t, err, says)
	}
	d, err := h.Inventory.Enrol(t.Context(), enrol)
	require.NoError(t, err)
	assert.Equal(t, "fm-sw-01", d.Name, "by the name that it gives itself")
	assert.NotContains(t, string(d.Secret), "word")
	require.NoError(t, h.Fleet.Await(t.Context(), "fm-sw-01"))
}

func TestSitesAreMergedAndRemoved(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	require.ErrorContains(t, h.Inventory.RemoveSite(t.Context(), "tern-haven"), "holds 2 devices")
	require.ErrorIs(t, h.Inventory.MergeSites(t.Context(), "fulmar", "fulmar"), inventory.ErrInvalid)
	require.ErrorIs(t, h.Inventory.MergeSites(t.Context(), "fulmar", "shoal"), inventory.ErrInvalid)
	require.ErrorIs(t, h.Inventory.MergeSites(t.Context(), "shoal", "fulmar"), store.ErrNotFound)
	require.NoError(t, h.Inventory.MergeSites(t.Context(), "fulmar", "tern-haven"))
	assert.Equal(t, []string{"fm-sw-01", "th-sw-01", "th-sw-02"}, h.Pick("site = tern-haven"))
	for says, bad := range map[string]network.Site{
		"not a valid name": {Name: "Tern Haven", Title: "x"},
		"needs a title":    {Name: "pier", Title: "  "},
		"is no time zone":  {Name: "pier", Title: "Pier", TimeZone: "Mars"},
		"latitude":         {Name: "pier", Title: "Pier", Position: &network.Position{Latitude: 91}},
	} {
		assert.ErrorContains(t, h.Inventory.PutSite(t.Context(), bad), says)
	}
	require.NoError(t, h.Inventory.PutSite(t.Context(), network.Site{Name: "pier", Title: "Pier"}))
	require.NoError(t, h.Inventory.RemoveSite(t.Context(), "pier"))
}

func TestWhatIsSaidOfADeviceIsFoundByIt(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	require.NoError(t, h.Inventory.Describe(t.Context(), "th-sw-02", "fulmar", network.Particulars{Tags: []string{" Spare", "critical", "spare"}, Rack: "R2", RackUnit: 7}))
	assert.Equal(t, []string{"th-sw-02"}, h.Pick("tag = spare and site = fulmar"))
	d, _ := h.Inventory.Kept("th-sw-02")
	assert.Equal(t, []string{"critical", "spare"}, d.Particulars.Tags)
	for says, bad := range map[string]network.Particulars{
		"is no tag":   {Tags: []string{"two words"}},
		"50 tags":     {Tags: strings.Fields(manyTags())},
		"a rack unit": {RackUnit: 61},
	} {
		assert.ErrorContains(t, h.Inventory.Describe(t.Context(), "th-sw-02", "fulmar", bad), says)
	}
	require.ErrorIs(t, h.Inventory.Describe(t.Context(), "nobody", "fulmar", network.Particulars{}), store.ErrNotFound)
}

func manyTags() (out string) {
	for i := range 51 {
		out += fmt.Sprintf("t%d ", i)
	}
	return out
}
