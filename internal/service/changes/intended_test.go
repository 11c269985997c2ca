package changes

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/store"
)

func on(t *testing.T, target string) network.PortRef {
	t.Helper()
	ref, err := network.ParseTarget(target)
	require.NoError(t, err)
	return ref
}

func set(t *testing.T, target, field, value string) intent.Edit {
	t.Helper()
	e, err := intent.New(on(t, target), field, value)
	require.NoError(t, err)
	return e
}

func inherits(t *testing.T, target, field string) intent.Edit {
	t.Helper()
	e, err := intent.NewAct(on(t, target), field, intent.Inherit)
	require.NoError(t, err)
	return e
}

// kept has edits drafted, checked, pushed and kept.
func (b *bench) kept(edits ...intent.Edit) store.Change {
	b.t.Helper()
	c, err := b.Create(b.t.Context(), "ada", "", edits)
	require.NoError(b.t, err)
	_, err = b.Check(b.t.Context(), c.Number)
	require.NoError(b.t, err)
	b.push(c)
	if b.until(c.Number, OnTrial, Kept).State == OnTrial {
		_, err = b.Keep(b.t.Context(), c.Number, "ada")
		require.NoError(b.t, err)
	}
	return b.until(c.Number, Kept)
}

// says is what the device itself says of port 1's VLAN.
func (b *bench) says(device string) string {
	l, err := b.layers.Stage(b.t.Context(), nil)
	require.NoError(b.t, err)
	word, said := l.Layers.Devices[device].Of("1", "vlan")
	if !said {
		return "nothing"
	}
	return word.Value
}

func TestATemplateGoesToAllThatFollowIt(t *testing.T) {
	b := newBench(t)
	b.kept(set(t, "template/office:self", "present", "on"), set(t, "template/office:port", "vlan", "20"))
	assert.Equal(t, "nothing nothing", b.says("sw-a")+" "+b.says("sw-b"), "what was found, and the template says as well, is the template's from then on")
	assert.Equal(t, "20 20", b.vlans())

	c, err := b.Create(t.Context(), "ada", "", []intent.Edit{set(t, "template/office:port", "vlan", "40")})
	require.NoError(t, err)
	var got []string
	for _, d := range b.Differences(t.Context(), c) {
		got = append(got, d.Port.String()+" "+d.Field+" "+d.Before+" "+d.After+" by "+d.Layer)
	}
	assert.Equal(t, []string{"sw-a:1 vlan 20 40 by template/office", "sw-b:1 vlan 20 40 by template/office"}, got)
	require.NoError(t, b.Discard(t.Context(), c.Number))

	b.kept(set(t, "sw-b:1", "vlan", "20"), set(t, "template/office:port", "vlan", "40"))
	assert.Equal(t, "40 20", b.vlans(), "a device's own word is stronger")
	back := b.kept(inherits(t, "sw-b:1", "vlan"))
	assert.Equal(t, "40 40", b.vlans())

	taken, err := b.TakeBack(t.Context(), back.Number, "ada")
	require.NoError(t, err)
	assert.Equal(t, []intent.Edit{set(t, "sw-b:1", "vlan", "20")}, taken.Edits)
}

func TestTakingATemplateBackRestoresTheTemplate(t *testing.T) {
	b := newBench(t)
	b.kept(set(t, "template/office:self", "present", "on"), set(t, "template/office:port", "vlan", "20"))
	c := b.kept(set(t, "template/office:port", "vlan", "40"))
	require.Equal(t, "40 40", b.vlans())
	back, err := b.TakeBack(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	assert.Equal(t, []intent.Edit{set(t, "template/office:port", "vlan", "20")}, back.Edits, "and not each port")
}

func TestAChangeOfLayersAloneIsKeptWithoutATrial(t *testing.T) {
	b := newBench(t)
	c := b.kept(set(t, "template/office:self", "present", "on"), set(t, "template/office:self", "title", "Desks"))
	assert.Empty(t, c.Devices)
	assert.Empty(t, b.steps(), "no device was spoken to")
	same, err := b.Create(t.Context(), "ada", "", []intent.Edit{set(t, "template/office:self", "title", "Desks")})
	require.NoError(t, err)
	_, err = b.Check(t.Context(), same.Number)
	assert.ErrorIs(t, err, ErrState, "it makes no difference")
}

func TestWhatDriftedIsRestoredAsIntended(t *testing.T) {
	b := newBench(t)
	b.kept(set(t, "template/office:self", "present", "on"), set(t, "template/office:port", "vlan", "20"))
	b.fleet.mu.Lock()
	drifted := b.fleet.devices["sw-a"].running.Clone()
	port := drifted.Ports["1"]
	port.AccessVLAN, port.Description = 40, "somebody was here"
	drifted.Ports["1"] = port
	b.fleet.devices["sw-a"].running = drifted
	b.fleet.mu.Unlock()

	b.kept(set(t, "template/office:port", "description", "desk"))
	assert.Equal(t, "40", b.vlan("sw-a"), "a change leaves alone what it does not speak of")

	c, err := b.Restore(t.Context(), 0, "ada", "", []layers.Difference{{On: on(t, "sw-a:1"), Field: "vlan"}})
	require.NoError(t, err)
	_, err = b.Check(t.Context(), c.Number)
	require.NoError(t, err)
	b.push(c)
	b.until(c.Number, OnTrial)
	_, err = b.Keep(t.Context(), c.Number, "ada")
	require.NoError(t, err)
	b.until(c.Number, Kept)
	assert.Equal(t, "20", b.vlan("sw-a"))
	assert.Equal(t, "nothing", b.says("sw-a"), "it is still the template that says so")
}

func TestRowsMayHaveThingsSayNothing(t *testing.T) {
	b := newBench(t)
	edits, results, err := b.Plan(t.Context(), []Row{{On: []network.PortRef{on(t, "sw-a:1"), on(t, "template/office:port")}, Set: map[string]string{"description": "x"}, Inherit: []string{"vlan"}}}, nil)
	require.NoError(t, err)
	assert.Equal(t, []Result{{On: on(t, "sw-a:1"), Outcome: Set}, {On: on(t, "template/office:port"), Outcome: Set}}, results)
	assert.Len(t, edits, 4)
	_, results, err = b.Plan(t.Context(), []Row{{On: []network.PortRef{on(t, "template/office:port")}, Inherit: []string{"vlan"}}}, nil)
	require.NoError(t, err)
	assert.Equal(t, Unchanged, results[0].Outcome, "it says nothing already")
}
