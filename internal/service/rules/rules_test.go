package rules

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

// house starts the service beside two devices of Tern Haven and one of a ship.
func house(t *testing.T) *Service {
	t.Helper()
	h := testhouse.New(t)
	require.NoError(t, h.Groups.Put(t.Context(), store.Group{Name: "quay", Members: []string{"th-sw-02"}}))
	return New(h.Store, h.Inventory, h.Groups.Expand)
}

func TestWhichRulesHold(t *testing.T) {
	s := house(t)
	for _, r := range []store.ChangeRule{
		{Name: "quay", Pick: "group = quay", Approval: true},
		{Name: "ships", Pick: "site = fulmar", Hours: "mon-sun 01:00-04:30", Zone: "Europe/London", Approval: true},
		{Name: "week", Hours: "Mon-Fri 6:00-19:00"},
	} {
		_, err := s.Put(t.Context(), r)
		require.NoError(t, err)
	}
	utc := func(text string) time.Time {
		at, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return at
	}
	const week, ships = "mon-fri 06:00-19:00 UTC", "mon-sun 01:00-04:30 Europe/London"
	for name, c := range map[string]struct {
		devices  []string
		at       string
		windows  []guard.Window
		approval []string
	}{
		"what a group picks": {[]string{"th-sw-01", "th-sw-02"}, "2026-11-26T12:00:00Z",
			[]guard.Window{{Rule: "week", Devices: []string{"th-sw-01", "th-sw-02"}, Hours: week, Open: true, Next: utc("2026-11-26T12:00:00Z")}}, []string{"quay"}},
		"nothing but what holds for all": {[]string{"th-sw-01"}, "2026-11-28T12:00:00Z",
			[]guard.Window{{Rule: "week", Devices: []string{"th-sw-01"}, Hours: week, Next: utc("2026-11-30T06:00:00Z")}}, nil},
		"a ship in winter": {[]string{"fm-sw-01"}, "2026-11-28T04:00:00Z",
			[]guard.Window{{Rule: "ships", Devices: []string{"fm-sw-01"}, Hours: ships, Open: true, Next: utc("2026-11-28T04:00:00Z")},
				{Rule: "week", Devices: []string{"fm-sw-01"}, Hours: week, Next: utc("2026-11-30T06:00:00Z")}}, []string{"ships"}},
		"a ship in summer, where it is an hour later": {[]string{"fm-sw-01"}, "2026-07-04T04:00:00Z",
			[]guard.Window{{Rule: "ships", Devices: []string{"fm-sw-01"}, Hours: ships, Next: utc("2026-07-05T00:00:00Z")},
				{Rule: "week", Devices: []string{"fm-sw-01"}, Hours: week, Next: utc("2026-07-06T06:00:00Z")}}, []string{"ships"}},
	} {
		t.Run(name, func(t *testing.T) {
			windows, approval, err := s.For(t.Context(), c.devices, utc(c.at))
			require.NoError(t, err)
			assert.Equal(t, c.windows, windows)
			assert.Equal(t, c.approval, approval)
		})
	}
	require.NoError(t, s.Remove(t.Context(), "week"))
	windows, approval, err := s.For(t.Context(), []string{"th-sw-01"}, time.Now())
	require.NoError(t, err)
	assert.Empty(t, windows)
	assert.Empty(t, approval)
}

func TestRulesAreKeptAsTheyAreMeant(t *testing.T) {
	s := house(t)
	r, err := s.Put(t.Context(), store.ChangeRule{Name: "nights", Title: "  At night ", Hours: "Sat-Mon 1:00-5:00", Zone: " Europe/London "})
	require.NoError(t, err)
	want := store.ChangeRule{Name: "nights", Title: "At night", Hours: "sat-mon 01:00-05:00", Zone: "Europe/London"}
	assert.Equal(t, want, r)
	for says, bad := range map[string]store.ChangeRule{
		"not a valid name":       {Name: "Nights!", Approval: true},
		"at most 200 characters": {Name: "nights", Title: strings.Repeat("ä", 201), Approval: true},
		"in which hours":         {Name: "nights"},
		"hours":                  {Name: "nights", Hours: "mon 19:00-06:00"},
		`"Local" is not`:         {Name: "nights", Hours: "mon 06:00-19:00", Zone: "Local"},
		`"Sound/Lantern" is not`: {Name: "nights", Hours: "mon 06:00-19:00", Zone: "Sound/Lantern"},
		"unknown field `colour`": {Name: "nights", Pick: "colour = red", Approval: true},
	} {
		_, err := s.Put(t.Context(), bad)
		assert.ErrorContains(t, err, says)
	}
	list, err := s.List(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []store.ChangeRule{want}, list, "what is refused changes nothing")

	for i := 1; i < MaxRules; i++ {
		_, err := s.Put(t.Context(), store.ChangeRule{Name: fmt.Sprintf("rule-%d", i), Approval: true})
		require.NoError(t, err)
	}
	_, err = s.Put(t.Context(), store.ChangeRule{Name: "one-more", Approval: true})
	require.ErrorContains(t, err, "at most 100 rules")
	_, err = s.Put(t.Context(), store.ChangeRule{Name: "rule-7", Title: "Of those that there are", Approval: true})
	assert.NoError(t, err)
}
