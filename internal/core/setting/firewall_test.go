package setting

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

// An address may speak of VLANs: at each site its networks stand in their place, and nothing where it has none.
func TestAddressesOfASite(t *testing.T) {
	s, err := Lookup(OnAddress, "addresses")
	require.NoError(t, err)
	for in, want := range map[string]string{"VLAN/50": "vlan/50", "10.1.0.0/16, vlan/50": "10.1.0.0/16,vlan/50", "vlan/0": "", "vlan/4095": "", "vlan/": "", "vlan/5-9": ""} {
		v, err := s.Value.Normal(in)
		if assert.Equal(t, want, v, in); want == "" {
			assert.Error(t, err, in)
		}
	}
	at := map[network.VLANID][]netip.Prefix{50: {netip.MustParsePrefix("10.6.50.0/24"), netip.MustParsePrefix("10.6.51.0/24")}}
	for value, want := range map[string]string{
		"vlan/50": "10.6.50.0/24,10.6.51.0/24", "tides.example.net,vlan/50": "tides.example.net,10.6.50.0/24,10.6.51.0/24", "vlan/60": "none", "vlan/60,10.1.0.0/16": "10.1.0.0/16", "none": "none",
	} {
		assert.Equal(t, want, AtSite(value, at), value)
	}
	assert.True(t, BySite("address/cameras", "addresses", "vlan/50"))
	assert.False(t, BySite("address/cameras", "purpose", "vlan/50") || BySite("service/web", "addresses", "vlan/50") || BySite("address/cameras", "addresses", "10.6.50.0/24"))
}
