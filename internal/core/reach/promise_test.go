package reach

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

func TestWhatIsPromised(t *testing.T) {
	must := Promise{Name: "recording", From: "cameras", To: "10.1.50.10", Protocol: "tcp", Port: 554}
	never := Promise{Name: "desks", Never: true, From: "desks", To: "cameras", Protocol: "tcp", Port: 554}
	require.NoError(t, must.Check())
	assert.Equal(t, "recording", must.Title)
	n := sites()
	broken := func(p Promise, from, to End) []string {
		breaches, asked, _ := p.Held(n, []End{from}, []End{to, from}, Question{})
		assert.Equal(t, 1, asked, "nobody is asked whether he reaches himself")
		var out []string
		for _, b := range breaches {
			out = append(out, b.String())
		}
		return out
	}
	assert.Empty(t, broken(must, camera, recorder))
	assert.Empty(t, broken(never, desk, camera))
	assert.Empty(t, broken(must, camera, nobodySaw), "nobody saw whether it is there, and all passes up to it")
	assert.NotEmpty(t, broken(Promise{Name: "x", Never: true, Protocol: "tcp", Port: 554}, camera, nobodySaw))
	assert.Empty(t, broken(Promise{Name: "x", Never: true, Protocol: "tcp", Port: 554}, unreadable, recorder), "what nobody knows breaks nothing")
	_, asked, unknown := must.Held(n, []End{unreadable, camera}, []End{recorder}, Question{})
	assert.Equal(t, [2]int{2, 1}, [2]int{asked, unknown})
	n.Configs["th-fw"].Objects["policy/main"]["rules/30"] = "allow from office to cameras"
	assert.Equal(t, []string{"10.2.20.7 to 10.2.50.7: it passes: th-fw, rule 30 lets it pass from office to cameras"}, broken(never, desk, camera))
	n.Configs["th-fw"].Objects["policy/main"]["rules/5"] = "deny from cameras to any"
	assert.Equal(t, []string{"10.2.50.7 to 10.1.50.10: th-fw: rule 5 stops it from cameras to outside (deny)"}, broken(must, camera, recorder))
	n.Gone["th-sw"] = true
	assert.Empty(t, broken(must, camera, recorder), "an outage breaks no promise")
	n = sites()
	n.States["th-sw"].Ports["24"] = network.PortState{Oper: network.Down}
	assert.Empty(t, broken(must, camera, recorder), "nor does a cut cable")
	carryOnly(&n, "th-sw", "24", 10, 20)
	n.States["th-sw"].Ports["24"] = network.PortState{Oper: network.Up}
	assert.NotEmpty(t, broken(must, camera, recorder), "a VLAN that is not carried does")
}

func TestWhatIsNoPromise(t *testing.T) {
	for says, p := range map[string]Promise{
		"is no protocol": {Name: "a", From: "x", To: "y", Protocol: "gre"},
		"have a port":    {Name: "a", From: "x", To: "y", Protocol: "tcp"},
		"icmp has none":  {Name: "a", From: "x", To: "y", Protocol: "icmp", Port: 7},
		"from whom":      {Name: "a", To: "y", Protocol: "icmp"},
		"name":           {Name: "A b", From: "x", To: "y", Protocol: "icmp"},
		"at most 120":    {Name: "a", Title: "two\nlines", From: "x", To: "y", Protocol: "icmp"},
	} {
		require.ErrorIs(t, p.Check(), ErrPromise)
		assert.ErrorContains(t, p.Check(), says)
	}
}

func TestOfManyAlikeSomeAreAsked(t *testing.T) {
	var all []End
	for i := range 40 {
		all = append(all, at("th-sw", fmt.Sprint(i), fmt.Sprintf("10.2.50.%d", i+1), network.VLANID(50+i/20)))
	}
	assert.Len(t, Ends(all), 6)
}
