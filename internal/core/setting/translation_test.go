package setting

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

func TestTranslations(t *testing.T) {
	table, err := Lookup(OnPolicy, "translations")
	require.NoError(t, err)
	c := network.Config{Objects: map[string]network.Settings{PolicyObject: {}}}
	for row, text := range map[string]string{
		"translations/20": "destination from outside destination 198.51.100.80/32 service web,tcp/8443 into 10.1.20.30 port 443 note \"from home\"",
		"translations/10": "source from office to outside source desks destination inside into nothing",
		"translations/9":  "source to",
	} {
		c.Objects[PolicyObject][row] = text
	}
	list := Translations(c)
	require.Len(t, list, 2, "what cannot be read is left out")
	assert.Equal(t, Translation{Number: 10, Kind: TranslatesSource, From: []string{"office"}, To: []string{"outside"}, Source: []string{"desks"}, Destination: []string{"inside"}}, list[0])
	assert.Equal(t, Translation{Number: 20, Kind: TranslatesDestination, From: []string{"outside"}, Destination: []string{"198.51.100.80/32"}, Service: []string{"web", "tcp/8443"},
		Into: netip.MustParseAddr("10.1.20.30"), Port: 443, Note: "from home"}, list[1])
	var named []string
	for _, n := range NamedIn(c) {
		named = append(named, n.String()+": "+Object(n.Kind, n.Name))
	}
	assert.Equal(t, []string{"translation 10: security-zone/office", "translation 10: security-zone/outside", "translation 10: address/desks", "translation 10: address/inside",
		"translation 20: security-zone/outside", "translation 20: service/web"}, named)
	assert.Equal(t, "translation 20", policyUserOf(c, OnService, "web"), "it is in use")

	for says, text := range map[string]string{
		"whose address":        "both from any into 10.1.1.1",
		"is missing":           "source from any",
		"is no address":        "source into 10.1.1.0/24",
		"leave \"to\" out":     "destination to office destination 198.51.100.80 into 10.1.20.30",
		"of a source":          "source into 198.51.100.2 port 80",
		"keeps its port":       "destination destination 198.51.100.80 into nothing port 80",
		"of which destination": "destination from outside into 10.1.20.30",
		"from 1 to 65535":      "destination service web into 10.1.20.30 port 70000",
	} {
		_, err := table.Value.Cells(text)
		if says == "whose address" {
			assert.Error(t, err)
			continue
		}
		assert.ErrorContains(t, err, says, text)
	}
}
