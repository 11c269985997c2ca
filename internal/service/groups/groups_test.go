package groups_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

func TestAGroupIsAWordOfTheLanguage(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	require.NoError(t, h.Groups.Put(t.Context(), store.Group{Name: "quay", Members: []string{"th-sw-02"}}))
	require.NoError(t, h.Groups.Put(t.Context(), store.Group{Name: "ships", Pick: " site = fulmar "}))
	for text, want := range map[string][]string{
		"group = quay":                     {"th-sw-02"},
		"group = ships":                    {"fm-sw-01"},
		"group in (quay, ships)":           {"fm-sw-01", "th-sw-02"},
		"not group = quay":                 {"fm-sw-01", "th-sw-01"},
		"group = quay and group = ships":   nil,
		"group = nobody":                   nil,
		"kind = switch and not group = no": {"fm-sw-01", "th-sw-01", "th-sw-02"},
	} {
		assert.Equal(t, want, h.Pick(text), text)
	}
	require.NoError(t, h.Groups.Members(t.Context(), "quay", []string{"th-sw-01", "th-sw-01"}, []string{"th-sw-02"}))
	assert.Equal(t, []string{"th-sw-01"}, h.Pick("group = quay"))
	require.NoError(t, h.Inventory.Rename(t.Context(), "th-sw-01", "th-core", "ada"))
	g, err := h.Groups.Get(t.Context(), "quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"th-core"}, g.Members, "a member that is renamed stays one")
	require.NoError(t, h.Groups.Drop(t.Context(), "quay"))
	assert.Empty(t, h.Pick("group = quay"))
}

func TestAGroupThatCannotBeIsRefusedAndChangesNothing(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	was := store.Group{Name: "quay", Title: "At the quay", Members: []string{"th-sw-02"}}
	require.NoError(t, h.Groups.Put(t.Context(), was))
	for says, bad := range map[string]store.Group{
		"not a valid name":             {Name: "The Quay"},
		"at most 200 characters":       {Name: "quay", Title: strings.Repeat("ä", 201)},
		"not both":                     {Name: "quay", Pick: "kind = switch", Members: []string{"th-sw-01"}},
		"unknown field":                {Name: "quay", Pick: "colour = red"},
		"cannot ask for groups":        {Name: "quay", Pick: "group = ships"},
		`there is no device "th-sw-9"`: {Name: "quay", Members: []string{"th-sw-9"}},
		"at most 5000 members":         {Name: "quay", Members: make([]string, 5001)},
	} {
		assert.ErrorContains(t, h.Groups.Put(t.Context(), bad), says)
	}
	require.NoError(t, h.Groups.Put(t.Context(), store.Group{Name: "ships", Pick: "site = fulmar"}))
	require.ErrorIs(t, h.Groups.Members(t.Context(), "ships", []string{"th-sw-01"}, nil), inventory.ErrInvalid)
	require.ErrorIs(t, h.Groups.Members(t.Context(), "nobody", nil, nil), store.ErrNotFound)
	require.ErrorIs(t, h.Groups.Drop(t.Context(), "nobody"), store.ErrNotFound)
	got, err := h.Groups.Get(t.Context(), "quay")
	require.NoError(t, err)
	assert.Equal(t, was, got)
}

func TestThereAreOnlySoManyGroups(t *testing.T) {
	t.Parallel()
	h := testhouse.New(t)
	for i := range 500 {
		require.NoError(t, h.Store.PutGroup(t.Context(), store.Group{Name: fmt.Sprintf("g%d", i)}))
	}
	require.ErrorIs(t, h.Groups.Put(t.Context(), store.Group{Name: "one-more"}), store.ErrFull)
	assert.NoError(t, h.Groups.Put(t.Context(), store.Group{Name: "g7", Title: "seven"}), "one that is there may be edited")
}
