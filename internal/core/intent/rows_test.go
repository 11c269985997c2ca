package intent

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

var list = network.PortRef{Device: "sw", Port: "acl/a"}

func withRules(rows ...setting.Row) network.Config {
	c := network.Config{Features: []network.Feature{setting.AccessLists}, Objects: map[string]network.Settings{"acl/a": {}}}
	for _, r := range rows {
		c.Objects["acl/a"][setting.RowName("rules", r.Number)] = r.Text
	}
	return c
}

func rulesOf(c network.Config) []setting.Row { return setting.RowsOf(c.Objects["acl/a"], "rules") }

func someRules(t *rapid.T, label string) []setting.Row {
	numbers := rapid.SliceOfNDistinct(rapid.IntRange(1, 12), 0, 8, rapid.ID).Draw(t, label)
	slices.Sort(numbers)
	out := make([]setting.Row, len(numbers))
	for i, n := range numbers {
		out[i] = setting.Row{Number: n, Text: fmt.Sprintf("deny ip from 10.%d.0.0/16 to any", rapid.IntRange(0, 3).Draw(t, label+" row"))}
	}
	return out
}

// A whole table that is set row by row makes the same of a device as one that is set at once, and names no row that stays.
func TestAWholeTableByItsRows(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		had, want := someRules(t, "had"), someRules(t, "want")
		edits := ByRow([]Edit{{Port: list, Field: "rules", Value: setting.Lines(want)}}, func(network.PortRef, string) []setting.Row { return had })
		after, err := Apply("sw", withRules(had...), edits)
		require.NoError(t, err)
		assert.Equal(t, len(want), len(rulesOf(after)))
		for i, r := range rulesOf(after) {
			assert.Equal(t, want[i], r)
		}
		assert.Len(t, Compare("sw", withRules(had...), after), len(edits), "every edit makes a difference, and each is a row's")
	})
}

// Two people's drafts of one table that change different rows come to the same, whoever is first; and where they change the same
// row, the second one is told unless they say the same.
func TestDraftsOfOneTableMergeOrCollide(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		had := someRules(t, "had")
		now := func(c network.Config) func(Edit) string {
			return func(e Edit) string { return c.Objects["acl/a"][e.Field] }
		}
		draft := func(label string) []Edit {
			edits := ByRow([]Edit{{Port: list, Field: "rules", Value: setting.Lines(someRules(t, label))}}, func(network.PortRef, string) []setting.Row { return had })
			for i := range edits {
				edits[i].Was = now(withRules(had...))(edits[i])
			}
			return edits
		}
		a, b := draft("a"), draft("b")
		afterA, err := Apply("sw", withRules(had...), a)
		require.NoError(t, err)
		afterB, err := Apply("sw", withRules(had...), b)
		require.NoError(t, err)
		both, err := Apply("sw", afterA, b)
		require.NoError(t, err)
		var met []string
		for _, e := range b {
			if i := slices.IndexFunc(a, func(o Edit) bool { return o.Field == e.Field }); i >= 0 && a[i].Value != e.Value {
				met = append(met, e.Field)
			}
		}
		var told []string
		for _, c := range Collisions(b, now(afterA)) {
			told = append(told, c.Edit.Field)
			assert.Equal(t, afterA.Objects["acl/a"][c.Edit.Field], c.Now)
		}
		assert.Equal(t, met, told)
		if len(met) == 0 {
			other, err := Apply("sw", afterB, a)
			require.NoError(t, err)
			assert.Equal(t, rulesOf(both), rulesOf(other))
		}
	})
}

func TestStepsOnRows(t *testing.T) {
	rows := []setting.Row{{Number: 10, Text: "deny ip from any to 10.1.0.0/16"}, {Number: 20, Text: "permit ip from any to any"}}
	for name, c := range map[string]struct {
		step TableStep
		want []string
		says string
	}{
		"added at the end": {TableStep{Table: "rules", Act: "add", Text: "deny ip from any to any"}, []string{"sw:acl/a rules/30=deny ip from any to any"}, ""},
		"added before":     {TableStep{Table: "rules", Act: "add", Text: "deny ip from any to any", At: "before-20"}, []string{"sw:acl/a rules/15=deny ip from any to any"}, ""},
		"taken out":        {TableStep{Table: "rules", Act: "remove", Row: 10}, []string{"sw:acl/a rules/10="}, ""},
		"moved":            {TableStep{Table: "rules", Act: "move", Row: 20, At: "first"}, []string{"sw:acl/a rules/20=", "sw:acl/a rules/5=permit ip from any to any"}, ""},
		"moved nowhere":    {TableStep{Table: "rules", Act: "move", Row: 20, At: "after-20"}, nil, ""},
		"numbered anew":    {TableStep{Table: "rules", Act: "renumber"}, nil, ""},
		"no row":           {TableStep{Table: "rules", Act: "move", Row: 15, At: "first"}, nil, "there is no row 15"},
		"no place":         {TableStep{Table: "rules", Act: "add", Text: "deny ip from any to any", At: "middle"}, nil, "is no place"},
		"nothing":          {TableStep{Table: "rules", Act: "add", Text: " "}, nil, "the row is empty"},
		"no rule":          {TableStep{Table: "rules", Act: "add", Text: "deny all"}, nil, "is not one of ip"},
		"no table":         {TableStep{Table: "present", Act: "add", Text: "x"}, nil, "has no rows"},
		"no act":           {TableStep{Table: "rules", Act: "turn"}, nil, "cannot be done"},
	} {
		edits, next, err := c.step.Edits(list, rows)
		if c.says != "" {
			assert.ErrorContains(t, err, c.says, name)
			continue
		}
		require.NoError(t, err, name)
		var got []string
		for _, e := range edits {
			got = append(got, e.String())
		}
		assert.Equal(t, c.want, got, name)
		after, err := Apply("sw", withRules(rows...), edits)
		require.NoError(t, err)
		assert.Equal(t, next, rulesOf(after), name)
	}
}

// A template says some rows, a device others: they stand among each other by number, and each follows its own layer.
func TestRowsComeFromLayers(t *testing.T) {
	permit, deny, quiet := "permit ip from any to any", "deny ip from any to 10.1.0.0/16", "deny udp from any to any"
	l := Layers{
		Templates: map[string]Words{"office": {"acl/a": {"present": {Value: "on"}, "rules/10": {Value: deny}, "rules/90": {Value: permit}}}},
		Devices:   map[string]Words{"sw": {"acl/a": {"rules/50": {Value: quiet}, "rules/10": {Value: ""}}}},
	}
	spot := Spot{Device: "sw", Templates: []string{"office"}}
	is := l.Intended(spot, network.Config{Features: []network.Feature{setting.AccessLists}})
	assert.Equal(t, []setting.Row{{Number: 50, Text: quiet}, {Number: 90, Text: permit}}, rulesOf(is), "the device takes row 10 out, and adds its own")

	stage := Stage{Layers: l, Spots: map[string]Spot{"sw": spot}}
	edits := []Edit{{Port: network.PortRef{Device: "template/office", Port: "acl/a"}, Field: "rules/90", Value: deny}, {Port: list, Field: "rules/10", Act: Inherit}}
	after := Stage{Layers: l.With(edits, 7), Spots: stage.Spots}
	come, err := Apply("sw", is, Expand(stage, after, edits))
	require.NoError(t, err)
	assert.Equal(t, []setting.Row{{Number: 10, Text: deny}, {Number: 50, Text: quiet}, {Number: 90, Text: deny}}, rulesOf(come))
	settled := Settle(stage, after, edits, 7, map[string]network.Config{"sw": is}, map[string]network.Config{"sw": come})
	assert.True(t, settled.Intended(spot, come).Equal(come), "nothing differs from what is intended")

	// What a device runs and nobody says is found, and said by the device when it is filled in; what the template says and it does not run too.
	runs := withRules(setting.Row{Number: 90, Text: permit}, setting.Row{Number: 70, Text: quiet})
	said := Layers{Templates: l.Templates}.Fill(spot, runs)
	assert.Equal(t, map[string]Word{"rules/10": {Value: ""}, "rules/70": {Value: quiet}}, said["acl/a"])
}
