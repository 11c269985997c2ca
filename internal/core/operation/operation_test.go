package operation_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/rights"
)

func TestRequestsAreChecked(t *testing.T) {
	for name, c := range map[string]struct {
		kind operation.Kind
		args map[string]string
		want map[string]string
		says string
	}{
		"all that is needed":      {"ping", map[string]string{"to": "10.20.40.7"}, map[string]string{"to": "10.20.40.7", "count": "5", "size": "56"}, ""},
		"a name":                  {"ping", map[string]string{"to": "TH-AP-01.lantern.test.", "count": " 9 "}, map[string]string{"to": "th-ap-01.lantern.test.", "count": "9", "size": "56"}, ""},
		"an address of version 6": {"traceroute", map[string]string{"to": "2001:DB8::1"}, map[string]string{"to": "2001:db8::1", "hops": "30"}, ""},
		"ports":                   {"cable-test", map[string]string{"ports": "1/1/3 1/1/4,1/1/3"}, map[string]string{"ports": "1/1/3,1/1/4"}, ""},
		"nothing to say":          {"reboot", nil, map[string]string{}, ""},
		"nobody":                  {"ping", map[string]string{"count": "3"}, nil, "to is missing: an IP address or a name"},
		"blank":                   {"ping", map[string]string{"to": " "}, nil, "to is missing"},
		"no host":                 {"ping", map[string]string{"to": "a b;reboot"}, nil, `to: "a b;reboot" is no address and no name`},
		"too many":                {"ping", map[string]string{"to": "a", "count": "101"}, nil, "from 1 to 100"},
		"no ports":                {"bounce", map[string]string{"ports": "none"}, nil, "ports: name at least one"},
		"what it does not take":   {"reboot", map[string]string{"to": "a"}, nil, `reboot takes no "to"`},
		"no operation":            {"explode", nil, nil, `there is no "explode": there are ping`},
	} {
		r, err := operation.New(c.kind, c.args)
		if c.says != "" {
			assert.ErrorIs(t, err, operation.ErrInvalid, name)
			assert.ErrorContains(t, err, c.says, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, c.want, r.Args, name)
		again, err := operation.New(r.Kind, r.Args)
		require.NoError(t, err, name)
		assert.Equal(t, r, again, "the normal form stays")
	}
}

// Every operation can be said, asked for by a right that there is, and given up some time.
func TestOperationsAreWhole(t *testing.T) {
	seen := map[operation.Kind]bool{}
	for _, a := range operation.Kinds() {
		assert.False(t, seen[a.Kind], a.Kind)
		seen[a.Kind] = true
		assert.NotEmpty(t, a.Title)
		assert.NotEmpty(t, a.Does)
		assert.NotEmpty(t, a.Columns, a.Kind)
		assert.True(t, func() bool {
			for _, m := range rights.Meanings() {
				if m.Verb == a.Verb && m.Feature == a.Feature {
					return true
				}
			}
			return false
		}(), "%s takes a right that is none", a.Kind)
		longest := operation.Request{Kind: a.Kind, Args: map[string]string{"count": "100", "for": "60", "ports": "1,2,3"}}.Longest()
		assert.Greater(t, longest, 10*time.Second, a.Kind)
		assert.LessOrEqual(t, longest, 15*time.Minute, a.Kind)
	}
}

func TestWhatCameBackIsSummedUp(t *testing.T) {
	line := func(cells ...string) operation.Line {
		l := operation.Line{Cells: map[string]string{}}
		for i := 0; i < len(cells); i += 2 {
			l.Cells[cells[i]] = cells[i+1]
		}
		return l
	}
	r := operation.Request{Kind: operation.Ping, Args: map[string]string{"to": "a", "count": "4", "size": "56"}}
	assert.Empty(t, r.Summary(nil), "of nothing nothing can be said")
	assert.Equal(t, []operation.Fact{{"Sent", "4"}, {"Lost", "2 (50 %)"}, {"Least", "1.0 ms"}, {"Mean", "2.5 ms"}, {"Most", "4.0 ms"}},
		r.Summary([]operation.Line{line("time", "1.0"), line("fault", "no answer"), line("time", "4.0"), line("time", "nonsense")}))
	assert.Equal(t, []operation.Fact{{"Sent", "1"}, {"Lost", "1 (100 %)"}}, r.Summary([]operation.Line{line("fault", "no route")}))
	assert.Equal(t, "ping to a, count 4", r.String())
	cables := operation.Request{Kind: operation.CableTest, Args: map[string]string{"ports": "1,2,3"}}
	assert.Equal(t, []string{"1", "2", "3"}, cables.Ports())
	assert.Equal(t, []operation.Fact{{"Ports", "3"}, {"With a fault", "1"}}, cables.Summary([]operation.Line{line("port", "1", "state", "ok"), line("port", "2", "state", "short"),
		line("port", "2", "state", "open"), line("port", "3", "state", "unknown")}))
}
