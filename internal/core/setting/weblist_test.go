package setting

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A list is read line by line; what is wrong is told with its line, ten at most, and nothing of such a list counts.
func TestListsOfCategoriesAreRead(t *testing.T) {
	out, err := ReadWebList("# the house's own\n\nTides.Example.net  sport   # not news\nfish.example.net sport\ntides.example.net sport\nads.example.net Advertising\r\n")
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"sport": "fish.example.net,tides.example.net", "advertising": "ads.example.net"}, out)
	many := strings.Builder{}
	for i := range maxNames + 1 {
		fmt.Fprintf(&many, "n%d.example.net sport\n", i)
	}
	for says, text := range map[string]string{
		"nothing is in it": "# only words\n\n",
		"line 2: a line is a domain and a category; line 3: \"nowhere\" is no domain: write it like lottery.example; line 4: \"two_words\" is not a valid name": "a.example.net sport\njust-one\nnowhere sport\na.example.net two_words\n",
		"and 5 more": strings.Repeat("wrong\n", 15),
		"1001 names are in sport, and a device takes 1000": many.String(),
		"more than 20000 lines":                            strings.Repeat("#\n", 20_001),
		"line 1: \"<script>.example.net\" is no domain":    "<script>.example.net sport",
		"line 1: a line is a domain and a category":        "a.example.net sport and more",
	} {
		_, err := ReadWebList(text)
		require.ErrorIs(t, err, ErrWebList, says)
		assert.ErrorContains(t, err, says)
	}
}
