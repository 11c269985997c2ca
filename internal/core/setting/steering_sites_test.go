package setting

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

// Rows that speak of a site speak of its networks; what people note stays as they wrote it.
func TestRowsSpeakOfSites(t *testing.T) {
	networks := func(site string) (out []netip.Prefix) {
		if site == "oyster-landing" {
			return []netip.Prefix{netip.MustParsePrefix("10.3.20.0/24"), netip.MustParsePrefix("10.3.30.0/24")}
		}
		return nil
	}
	for text, want := range map[string]string{
		"application voice to site:oyster-landing over fibre":                 "application voice to 10.3.20.0/24,10.3.30.0/24 over fibre",
		"to 10.9.0.0/16,site:Oyster-Landing over fibre":                       "to 10.9.0.0/16,10.3.20.0/24,10.3.30.0/24 over fibre",
		`to site:oyster-landing over fibre note "all of site:oyster-landing"`: `to 10.3.20.0/24,10.3.30.0/24 over fibre note "all of site:oyster-landing"`,
		"10 to site:oyster-landing over fibre\n20 over any":                   "10 to 10.3.20.0/24,10.3.30.0/24 over fibre\n20 over any",
		"over any": "over any",
	} {
		out, err := ToSites(text, networks)
		require.NoError(t, err, text)
		assert.Equal(t, want, out)
	}
	_, err := ToSites("to site:nowhere,site:elsewhere over fibre", networks)
	assert.EqualError(t, err, "no device of site nowhere, elsewhere tells of a network there: write its prefixes")
	assert.True(t, NamesWays("ways") && NamesWays("ways/10") && !NamesWays("waysides") && !NamesWays("rules"))
	c := network.Config{Objects: map[string]network.Settings{"gateway/30": {"gateway-address": "10.3.30.1/24"}, "gateway/20": {"gateway-address": "10.3.20.1/24"}, "gateway/40": {"gateway-address": "dhcp"}}}
	assert.Equal(t, networks("oyster-landing"), Networks(c))
}
