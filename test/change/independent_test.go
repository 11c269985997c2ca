package change_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

func TestIndependentClientSeesWhatWasKeptAndWhatWasUndone(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	assert.Equal(t, "20 true", r.Independently(t, rig.Printer))

	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{rig.Printer, "poe", "off"})
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	assert.Equal(t, "40 false", r.Independently(t, rig.Printer))
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "undone")
	assert.Equal(t, "20 true", r.Independently(t, rig.Printer))

	c = r.Draft(t, [3]string{rig.Printer, "vlan", "40"}, [3]string{rig.Printer, "poe", "off"})
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	assert.Equal(t, "40 false", r.Independently(t, rig.Printer))
}
