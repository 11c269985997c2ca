package setup_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// The ring of the dock has a tree for the cranes of its own: it is cut elsewhere than for all others, both ways are used, and each heals when a cable is
// cut. What would tear the region, or put a VLAN into two trees, is told before it is done.
func TestTheCranesHaveATreeOfTheirOwn(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "kb-edge-01", "kelp-bay")
	cli := rig.SignedIn(t, r)
	switches, instances := []string{}, []string{}
	for n := range 5 {
		switches = append(switches, fmt.Sprintf("kb-sw-%02d", n+1))
		instances = append(instances, fmt.Sprintf("kb-sw-%02d:mst-instance/1", n+1))
	}
	blocked := func(instance int) (out []string) {
		for _, name := range switches {
			d, err := r.Device(t.Context(), name)
			if err != nil || d.Inside == nil || d.Inside.Spanning == nil {
				return []string{"not read yet"}
			}
			if _, has := d.Inside.Spanning.Instances[instance]; instance > 0 && !has {
				return []string{"no such instance on " + name}
			}
			for port, p := range d.Inside.Spanning.In(instance).Ports {
				if p.Blocks() {
					out = append(out, name+":"+port)
				}
			}
		}
		return out
	}
	alone := inside(t, r, "kb-sw-01", "one tree, as it is", func(v1.DeviceDetail) bool { return len(blocked(0)) == 1 })
	require.Empty(t, alone.Inside.Spanning.Instances)

	for wrong, says := range map[string]string{"kb-sw-01:mst-instance/0 present=on": "1 to 4094", "kb-sw-01:mst-instance/1 present=on priority=77": "multiple of 4096", "kb-sw-01:mst-instance/1 present=on instance-vlans=5000": "5000"} {
		out := cli.Run("", append([]string{"port", "set"}, strings.Fields(wrong)...)...)
		assert.NotZero(t, out.Code, wrong)
		assert.Contains(t, out.Err+out.Out, says, wrong)
	}
	// What is told of a draft that puts instances on bridges that run no MSTP, and a VLAN into two of them.
	without := r.Draft(t, [3]string{"kb-sw-01:mst-instance/1", "present", "on"}, [3]string{"kb-sw-01:mst-instance/1", "instance-vlans", "90"},
		[3]string{"kb-sw-01:mst-instance/2", "present", "on"}, [3]string{"kb-sw-01:mst-instance/2", "instance-vlans", "50,90"})
	without, err := r.Check(t.Context(), without.Number)
	require.NoError(t, err)
	said := strings.Join(findingTexts(without), "\n")
	assert.Contains(t, said, "stop: VLAN 90 of kb-sw-01 would be in two instances, 1 and 2.")
	assert.Contains(t, said, "warn: The instances of spanning tree of kb-sw-01 would be of no effect: it does not run MSTP.")

	cli.Good(append(append([]string{"device", "set"}, switches...), "stp=multiple", "mst-region=dock", "--why", "cranes get a tree of their own")...)
	number := fmt.Sprint(newestChange(t, r).Number)
	cli.Good(append(append([]string{"port", "set"}, instances...), "present=on", "instance-vlans=90", "--change", number)...)
	cli.Good("port", "set", "kb-sw-03:mst-instance/1", "priority=0", "--change", number)
	made, err := r.Check(t.Context(), newestChange(t, r).Number)
	require.NoError(t, err)
	require.Empty(t, findingTexts(made))
	r.PushAndKeep(t, made)
	assert.Contains(t, r.Asked(t, "kb-sw-03", `<stp xmlns="http://openconfig.net/yang/spanning-tree"/>`),
		"<mst-instance><mst-id>1</mst-id><config><mst-id>1</mst-id><vlan>90</vlan><bridge-priority>0</bridge-priority></config></mst-instance>")
	inside(t, r, "kb-sw-03", "it is the root of the tree of cranes, which is cut elsewhere", func(d v1.DeviceDetail) bool {
		one, other := blocked(0), blocked(1)
		return len(one) == 1 && len(other) == 1 && one[0] != other[0] && d.Inside.Spanning.In(1).RootAddress == d.Inside.Spanning.Address
	})
	shown := cli.Good("device", "spanning-tree", "kb-sw-03").Out
	assert.Contains(t, shown, "instance 1")
	assert.Contains(t, shown, "itself")

	// Its VLAN goes the other way than the management, which is what it is for; and both heal.
	require.NoError(t, r.World.Throw(standin.Cut, "kb-sw-03:1/1/9"))
	inside(t, r, "kb-sw-03", "with a cable cut nothing is blocked any more", func(v1.DeviceDetail) bool { return len(blocked(0))+len(blocked(1)) == 0 })
	assert.Len(t, r.World.Reached(), len(r.World.Devices()), "all are reached")
	require.NoError(t, r.World.Throw(standin.Mend, "kb-sw-03:1/1/9"))
	inside(t, r, "kb-sw-03", "and mended, as before", func(v1.DeviceDetail) bool { return len(blocked(0)) == 1 && len(blocked(1)) == 1 })

	// One bridge that says another revision is a region of its own, and one that is to be the root moves it.
	torn := r.Draft(t, [3]string{"kb-sw-04", "mst-revision", "2"}, [3]string{"kb-sw-05:mst-instance/1", "priority", "0"}, [3]string{"kb-sw-03:mst-instance/1", "priority", "8192"})
	torn, err = r.Check(t.Context(), torn.Number)
	require.NoError(t, err)
	said = strings.Join(findingTexts(torn), "\n")
	assert.Contains(t, said, "both say region dock, and would be two: one has revision 0, the other 2.")
	assert.Contains(t, said, "warn: The root of the tree of instance 1 would move from kb-sw-03 to kb-sw-05.")
}

// newestChange is the draft that was made last.
func newestChange(t *testing.T, r *rig.Rig) v1.Change {
	t.Helper()
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, list.Items)
	c, err := r.Change(t.Context(), slices.MaxFunc(list.Items, func(a, b v1.Change) int { return int(a.Number - b.Number) }).Number)
	require.NoError(t, err)
	return c
}

func findingTexts(c v1.Change) (out []string) {
	for _, f := range c.Findings {
		out = append(out, f.Level+": "+f.What)
	}
	return out
}
