package cli

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOutputIsNarrowed(t *testing.T) {
	const config = "system\n  hostname th-sw-02\ninterface 1/1/7\n  vlan 40\n  poe on\ninterface 1/1/8\n  vlan 50\nntp\n  server 10.1.10.5\n"
	const table = "device    site\n─────────────────\nth-sw-01  tern-haven\nkb-sw-01  kelp-bay\nth-sw-02  tern-haven\n"
	for name, c := range map[string]struct {
		n    lineChoice
		in   string
		want string
	}{
		"with":                        {lineChoice{with: "VLAN"}, config, "  vlan 40\n  vlan 50\n"},
		"with what is around":         {lineChoice{with: "vlan", around: 1}, config, "interface 1/1/7\n  vlan 40\n  poe on\ninterface 1/1/8\n  vlan 50\nntp\n"},
		"a gap":                       {lineChoice{with: "server", around: 1}, config + "\n\n\nserver\n", "ntp\n  server 10.1.10.5\n\n…\n\nserver\n"},
		"without":                     {lineChoice{without: "  "}, config, "system\ninterface 1/1/7\ninterface 1/1/8\nntp\n"},
		"from a line":                 {lineChoice{from: "1/1/8"}, config, "interface 1/1/8\n  vlan 50\nntp\n  server 10.1.10.5\n"},
		"from a line, with, without":  {lineChoice{from: "1/1/7", with: "1", without: "50"}, config, "interface 1/1/7\ninterface 1/1/8\n  server 10.1.10.5\n"},
		"counted":                     {lineChoice{with: "vlan", around: 2, count: true}, config, "2\n"},
		"the head of a table stays":   {lineChoice{with: "kelp"}, table, "device    site\n─────────────────\nkb-sw-01  kelp-bay\n"},
		"and is not counted":          {lineChoice{count: true}, table, "3\n"},
		"nothing":                     {lineChoice{with: "x9"}, config, ""},
		"one line that does not end":  {lineChoice{with: "one"}, "one", "one\n"},
		"nothing at all":              {lineChoice{count: true}, "", "0\n"},
		"the first line matches":      {lineChoice{with: "system"}, config, "system\n"},
		"a line twice near the other": {lineChoice{with: "interface", around: 1}, "a\ninterface 1\ninterface 2\nb\nc\n", "a\ninterface 1\ninterface 2\nb\n"},
	} {
		var whole, pieces bytes.Buffer
		n := sieve(&whole, c.n)
		_, err := n.Write([]byte(c.in))
		require.NoError(t, err)
		require.NoError(t, n.Close())
		assert.Equal(t, c.want, whole.String(), name)
		n = sieve(&pieces, c.n)
		for _, b := range strings.SplitAfter(c.in, "") {
			_, err := n.Write([]byte(b))
			require.NoError(t, err)
		}
		require.NoError(t, n.Close())
		assert.Equal(t, c.want, pieces.String(), name+", octet by octet")
	}
}
