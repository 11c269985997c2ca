package find_test

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

func TestGroupIsAWordOfSelectors(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutGroup(t.Context(), "switches", v1.GroupRequest{Title: "All switches", Pick: "kind = switch"}))
	require.NoError(t, r.PutGroup(t.Context(), "camera-ports", v1.GroupRequest{Pick: "port.vlan = 50 and port.mode = access"}))
	require.NoError(t, r.PutGroup(t.Context(), "by-hand", v1.GroupRequest{Members: []string{"th-fw-01", "th-sw-01"}}))
	names := func(where string) []string {
		list, err := r.Devices(t.Context(), client.Query{Where: where})
		require.NoError(t, err, where)
		var out []string
		for _, d := range list.Items {
			out = append(out, d.Name)
		}
		return out
	}
	assert.Equal(t, []string{"th-sw-01", "th-sw-02"}, names("group = switches"))
	assert.Equal(t, []string{"th-fw-01", "th-sw-01"}, names("group = by-hand"))
	assert.Equal(t, []string{"th-sw-01"}, names("group = switches and group = by-hand"))
	assert.Equal(t, []string{"th-fw-01", "th-sw-01", "th-sw-02"}, names("group in (switches, by-hand)"))
	assert.Equal(t, []string{"th-ap-01", "th-edge-01"}, names("not group in (switches, by-hand)"))
	assert.Equal(t, []string{"th-ap-01", "th-edge-01"}, names("group not in (switches, by-hand)"))
	assert.Equal(t, []string{"th-sw-01", "th-sw-02"}, names("group ~ sw*"))
	assert.Empty(t, names("group = nobody"))
	ports, err := r.Ports(t.Context(), client.Query{Where: "group = camera-ports and name = th-sw-02"})
	require.NoError(t, err)
	assert.Len(t, ports.Items, 4, "of the ports, those that the group's selector asks for")

	groups, err := r.Groups(t.Context())
	require.NoError(t, err)
	require.Len(t, groups.Items, 3)
	assert.Equal(t, 2, groups.Items[0].Devices.Total)
	assert.Equal(t, 8, groups.Items[1].Ports)
	c, err := r.Complete(t.Context(), "group = ", 8)
	require.NoError(t, err)
	assert.Len(t, c.Candidates, 3)
	reading, err := r.Log(t.Context(), "group = switches", 5)
	require.NoError(t, err)
	assert.NotEmpty(t, reading.Items)

	// Who is renamed stays in; who is forgotten goes; deleting the group deletes nobody.
	require.NoError(t, r.Rename(t.Context(), "th-fw-01", "th-fw-09"))
	assert.Equal(t, []string{"th-fw-09", "th-sw-01"}, names("group = by-hand"))
	require.NoError(t, r.ChangeMembers(t.Context(), "by-hand", v1.MembersRequest{Add: []string{"th-ap-01"}, Remove: []string{"th-sw-01"}}))
	assert.Equal(t, []string{"th-ap-01", "th-fw-09"}, names("group = by-hand"))
	require.NoError(t, r.Retire(t.Context(), "th-ap-01"))
	require.NoError(t, r.Forget(t.Context(), "th-ap-01"))
	assert.Equal(t, []string{"th-fw-09"}, names("group = by-hand"))
	r.Restart(t)
	assert.Equal(t, []string{"th-fw-09"}, names("group = by-hand"))
	require.NoError(t, r.DropGroup(t.Context(), "by-hand"))
	assert.Len(t, names(""), 4)
	rig.Problem(t, r.DropGroup(t.Context(), "by-hand"), http.StatusNotFound, v1.ProblemNotFound, "by-hand")
}

func TestGroupsThatAreRefused(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.PutGroup(t.Context(), "one", v1.GroupRequest{Pick: "kind = switch"}))
	for want, in := range map[string]v1.GroupRequest{
		"cannot ask for groups":    {Pick: "group = one"},
		"unknown field":            {Pick: "kinds = switch"},
		"there is no device \"x\"": {Members: []string{"x"}},
		"not both":                 {Pick: "kind = switch", Members: []string{"th-sw-01"}},
	} {
		assert.ErrorContains(t, r.PutGroup(t.Context(), "two", in), want)
	}
	assert.ErrorContains(t, r.ChangeMembers(t.Context(), "one", v1.MembersRequest{Add: []string{"th-sw-01"}}), "its selector picks")
	_, err := r.Devices(t.Context(), client.Query{Sort: "group"})
	require.ErrorContains(t, err, "not sorted or counted by")
	require.ErrorContains(t, r.PutRole(t.Context(), "x", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on devices where group = one"}}}), "who may edit groups")

	// Of a group, everybody sees what he may see.
	require.NoError(t, r.PutGroup(t.Context(), "both", v1.GroupRequest{Members: []string{"th-sw-01", "th-sw-02"}}))
	coral := r.Confine(t, "coral", "technician", "name = th-sw-02")
	groups, err := coral.Groups(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"th-sw-02"}, groups.Items[0].Members)
	assert.Equal(t, 1, groups.Items[0].Devices.Total)
	rig.Problem(t, coral.DropGroup(t.Context(), "both"), http.StatusForbidden, v1.ProblemForbidden, "")
}
