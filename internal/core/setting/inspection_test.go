package setting

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What mail is refused for is written as people write it, and kept in one form; what could never be met is refused.
func TestWhatMailIsRefusedFor(t *testing.T) {
	for _, tc := range []struct{ name, in, out, says string }{
		{"mail-senders", "Lottery.Example, win@Pills.example", "lottery.example,win@pills.example", ""},
		{"mail-senders", "lottery", "", "is no sender"},
		{"mail-senders", "@lottery.example", "", "is no sender"},
		{"mail-senders", "a b@lottery.example", "", "is no sender"},
		{"mail-senders", "win@pills@lottery.example", "", "is no sender"},
		{"mail-senders", "win@-lottery.example", "", "is no sender"},
		{"mail-lists", "listed.example.net.", "listed.example.net", ""},
		{"mail-lists", "10.0.0.1/8", "", "is no domain"},
		{"mail-words", "Medicine,großeltern", "medicine,großeltern", ""},
		{"mail-words", "two words", "two,words", ""},
		{"mail-words", "ab", "", "is no word"},
		{"mail-words", "<script>", "", "is no word"},
	} {
		s, err := Lookup(OnInspection, tc.name)
		require.NoError(t, err)
		out, err := s.Value.Normal(tc.in)
		if tc.says != "" {
			assert.ErrorContains(t, err, tc.says, tc.in)
			continue
		}
		require.NoError(t, err, tc.in)
		assert.Equal(t, tc.out, out)
	}
	s, err := Lookup(OnSecurityZone, "flood-tcp")
	require.NoError(t, err)
	for _, bad := range []string{"0", "1000001", "many", "-5"} {
		_, err := s.Value.Normal(bad)
		assert.Error(t, err, bad)
	}
}
