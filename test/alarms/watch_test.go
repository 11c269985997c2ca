package alarms_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// On the whole screen of a terminal: what goes wrong shows by itself, is acknowledged by a key, and goes when it is over.
func TestTheWatchOnATerminal(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Run("", "watch").Err, "needs a terminal")
	s := c.OnScreen("watch")
	s.Shows("nothing is out of order")
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	s.Shows("th-sw-01:1/1/49 has no link")
	s.Type("q")
	s.Ends()
	until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 && list[0].Followers == 2 })
	s = c.OnScreen("watch") // anew: what is under the cursor is one thing while alarms are folded, and another after it
	s.Shows("+2 more")      // the alarm, and not only the line of what happens
	s.Type("a")
	until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 && list[0].AckedBy == "ada" })
	s.Type("\r")
	s.Shows("Effect")
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/25"))
	s.Shows("Nothing. What goes wrong")
	s.Type("q")
	s.Ends()
}
