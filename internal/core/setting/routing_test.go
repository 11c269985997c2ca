package setting

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

func TestGatewaysAreRead(t *testing.T) {
	c := network.Config{Objects: map[string]network.Settings{
		"gateway/30": {"gateway-address": "dhcp"},
		"gateway/20": {"gateway-address": "10.2.20.1/24", "dhcp-server": "on", "dhcp-ranges": "10.2.20.20-10.2.20.99,10.2.20.200-10.2.20.200",
			"reservations/20": "02:4c:53:20:00:08 gets 10.2.20.8", "reservations/10": `02:4c:53:20:00:07 gets 10.2.20.7 note "the lamp"`, "reservations/30": "nobody gets anything"},
		"route/annex": {"route-prefix": "10.9.0.0/16", "route-via": "10.2.20.77"},
		"route/half":  {"route-prefix": "10.8.0.0/16"},
	}}
	list := Gateways(c)
	require.Len(t, list, 2)
	assert.Equal(t, Gateway{VLAN: 20, Address: netip.MustParsePrefix("10.2.20.1/24"), DHCP: true,
		Ranges:       []Range{{netip.MustParseAddr("10.2.20.20"), netip.MustParseAddr("10.2.20.99")}, {netip.MustParseAddr("10.2.20.200"), netip.MustParseAddr("10.2.20.200")}},
		Reservations: []Reservation{{10, "02:4c:53:20:00:07", netip.MustParseAddr("10.2.20.7")}, {20, "02:4c:53:20:00:08", netip.MustParseAddr("10.2.20.8")}}}, list[0])
	assert.Equal(t, network.VLANID(30), list[1].VLAN)
	assert.False(t, list[1].Address.IsValid(), "it asks for one")
	routes := StaticRoutes(c)
	require.Len(t, routes, 2)
	assert.Equal(t, StaticRoute{"annex", netip.MustParsePrefix("10.9.0.0/16"), netip.MustParseAddr("10.2.20.77")}, routes[0])
	assert.False(t, routes[1].Via.IsValid())
}

func TestRoutingIsTypedRight(t *testing.T) {
	for _, c := range []struct {
		kind             Kind
		name, text, want string // want "": it is refused
	}{
		{OnGateway, "dhcp-ranges", "10.2.20.20 - 10.2.20.99", ""}, {OnGateway, "dhcp-ranges", "10.2.20.20-10.2.20.99,10.2.20.7", "10.2.20.20-10.2.20.99,10.2.20.7-10.2.20.7"},
		{OnGateway, "dhcp-ranges", "10.2.20.99-10.2.20.20", ""}, {OnGateway, "dhcp-ranges", "10.2.20.20-fd00::1", ""}, {OnGateway, "gateway-address", "10.2.20.0/24", ""},
		{OnGateway, "gateway-address", "DHCP", "dhcp"}, {OnGateway, "gateway-address", "10.2.20.1", ""}, {OnGateway, "dhcp-lease", "4", ""},
		{OnRoute, "route-prefix", "10.9.1.7/16", "10.9.0.0/16"}, {OnRoute, "route-prefix", "10.9.0.0", ""}, {OnRoute, "route-via", "fe80::1%lan1", ""}, {OnRoute, "distance", "0", ""},
	} {
		s, err := Lookup(c.kind, c.name)
		require.NoError(t, err)
		v, err := s.Value.Normal(c.text)
		assert.Equal(t, c.want == "", err != nil, "%s %s", c.name, c.text)
		assert.Equal(t, c.want, v, "%s %s", c.name, c.text)
	}
	for name, good := range map[string]bool{"20": true, "4094": true, "0": false, "4095": false, "020": false, "office": false} {
		assert.Equal(t, good, AboutKind(OnGateway).checkName(name) == nil, name)
	}
}
