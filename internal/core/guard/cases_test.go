package guard

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// guardCase is edits, and what guards say of them.
type guardCase struct {
	edits [][3]string
	want  []string // ids
	says  string   // of the first
	fix   string   // of the first, its first edit
}

// holds checks the edits on a network. What a fix is offered for must be gone with it. of are the only guards whose findings count;
// none: all of them.
func (tc guardCase) holds(t *testing.T, p Proposal, of ...string) {
	t.Helper()
	var edits []intent.Edit
	for _, e := range tc.edits {
		on, err := network.ParseTarget(e[0])
		require.NoError(t, err)
		edit, err := intent.New(on, e[1], e[2])
		require.NoError(t, err)
		edits = append(edits, edit)
	}
	p.After = after(t, p.Before, edits)
	got := slices.DeleteFunc(Check(p), func(f Finding) bool { return len(of) > 0 && !slices.Contains(of, f.Guard) })
	var ids []string
	for _, f := range got {
		ids = append(ids, f.ID)
		assert.NotEmpty(t, f.Why)
		assert.NotEmpty(t, f.Do)
		assert.NotEmpty(t, f.Ports)
	}
	require.Equal(t, tc.want, ids)
	if len(got) == 0 {
		return
	}
	assert.Contains(t, got[0].What, tc.says)
	if tc.fix == "" {
		return
	}
	require.NotEmpty(t, got[0].Fix)
	assert.Equal(t, tc.fix, got[0].Fix[0].String())
	p.After = after(t, p.After, got[0].Fix)
	for _, f := range Check(p) {
		assert.NotEqual(t, got[0].ID, f.ID, "the fix mends it")
	}
}
