package change_test

import (
	"net"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

// A device that is given another address is found there, and is there for good once the change is kept.
func TestADeviceIsGivenAnotherAddress(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "mp-edge-01", "marram-point")
	const sw = "mp-sw-01"
	was, port, err := net.SplitHostPort(r.World.Address(sw))
	require.NoError(t, err)
	address := func() string {
		d, err := r.Device(t.Context(), sw)
		require.NoError(t, err)
		return d.Address
	}
	give := func(to string, accept bool) v1.Change {
		c := r.Draft(t, [3]string{sw, "management-address", to})
		in := v1.PushRequest{TrialSeconds: 60}
		if accept {
			in.Accept, in.TrialSeconds = rig.Findings(c), 15
		} else {
			require.Equal(t, []string{"out-of-sight:" + sw}, rig.Findings(c))
			assert.Contains(t, c.Findings[0].What, "it is looked for at")
		}
		_, err := r.Push(t.Context(), c.Number, 0, in)
		require.NoError(t, err)
		return c
	}

	c := give("127.20.5.77/24", false)
	r.Until(t, c.Number, "on-trial")
	assert.Equal(t, "127.20.5.77:"+port, r.World.Address(sw), "it is there")
	assert.Equal(t, was+":"+port, address(), "on trial only")
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "undone")
	assert.Equal(t, was+":"+port, r.World.Address(sw))

	c = give("127.20.5.77/24", false)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	assert.Equal(t, "127.20.5.77:"+port, address())
	r.Restart(t)
	r.AwaitAll(t)
	assert.Contains(t, r.Asked(t, sw, `<interfaces xmlns="http://openconfig.net/yang/interfaces"/>`), "<ip>127.20.5.77</ip><prefix-length>24</prefix-length>")

	// Where nobody finds it, it goes back by itself.
	c = give("10.5.10.9/24", true)
	c = r.Until(t, c.Number, "undone")
	assert.Contains(t, c.Outcome, "mp-sw-01")
	assert.Equal(t, "127.20.5.77:"+port, r.World.Address(sw))
	r.AwaitAll(t)

	taken := r.Draft(t, [3]string{sw, "management-address", was[:len(was)-1] + "1/24"})
	assert.Contains(t, rig.Findings(taken), "management-address:"+sw, "the edge has it")
}
