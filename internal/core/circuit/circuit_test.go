package circuit

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestCircuitsAreBroughtIntoTheirForm(t *testing.T) {
	c := Circuit{Provider: " Sound Telecom ", Kind: "fibre", DownMbps: 1000}
	require.NoError(t, c.Check())
	assert.Equal(t, "Sound Telecom", c.Provider)
	for says, bad := range map[string]Circuit{
		"provider: say whose":   {Kind: "fibre"},
		`kind: "string"`:        {Provider: "p", Kind: "string"},
		"rate: it is up to":     {Provider: "p", Kind: "fibre", UpMbps: -1},
		"cap: it is up to":      {Provider: "p", Kind: "fibre", CapGB: math.NaN()},
		"notes: it has at most": {Provider: "p", Kind: "fibre", Notes: "a\nb"},
	} {
		err := bad.Check()
		require.ErrorIs(t, err, ErrInvalid)
		assert.ErrorContains(t, err, says)
	}
}

// A month is that of the zone, also where its hours are counted otherwise in the middle of it.
func TestUseOfAMonth(t *testing.T) {
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	begin, end := Month(time.Date(2026, 9, 30, 23, 30, 0, 0, time.UTC), zone)
	assert.Equal(t, "2026-10-01T00:00:00+01:00 2026-11-01T00:00:00Z", begin.Format(time.RFC3339)+" "+end.Format(time.RFC3339))
	c := Circuit{CapGB: 30}
	at := func(day int, octets float64) string {
		return c.Standing(UseOf(octets, true, begin.AddDate(0, 0, day), begin, end))
	}
	assert.Equal(t, Within, at(10, 9e9))
	assert.Equal(t, Likely, at(10, 11e9))
	assert.Equal(t, Over, at(10, 31e9))
	assert.Equal(t, Within, at(1, 11e9), "on the first day nothing is foretold")
	assert.Empty(t, c.Standing(UseOf(0, false, begin, begin, end)), "nothing was read")
	assert.Empty(t, Circuit{}.Standing(UseOf(1e12, true, end, begin, end)), "it has no cap")
}
