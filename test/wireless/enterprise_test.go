package wireless_test

import (
	"crypto/x509"
	"net"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// An independent RADIUS server says who joins an enterprise network and in which VLAN; one that is away, or shares no secret, is told as that.
func TestAnEnterpriseNetworkAsksRADIUS(t *testing.T) {
	t.Parallel()
	listens, authority := peers.FreeRADIUSForStations(t, "between the lanterns", `laptop-1 Cleartext-Password := "`+standin.Staff+`"
	Tunnel-Type = VLAN, Tunnel-Medium-Type = IEEE-802, Tunnel-Private-Group-Id = "70"
`)
	_, text, err := net.SplitHostPort(listens)
	require.NoError(t, err)
	port, err := strconv.Atoi(text)
	require.NoError(t, err)
	trusts := x509.NewCertPool()
	trusts.AddCert(authority)
	r := startWith(t, standin.Options{RADIUSPort: port, Trusts: trusts})
	c := rig.SignedIn(t, r)
	office := ap + ":wlan/office"
	others := map[string]int{handheld: 70, guest: 80}

	push(t, r, office, map[string]string{"wlan-radius": "127.0.0.1"})
	at(t, r, map[string]int{laptop: 70, handheld: 70, guest: 80})
	stops := c.Run("", "joining", laptop)
	assert.Zero(t, stops.Code, stops.Out+stops.Err)

	// One that shares another secret is not believed, nor does it answer.
	push(t, r, office, map[string]string{"wlan-radius-secret": "between the shoals"})
	why(t, r, laptop, "no-answer")
	at(t, r, others)
	stops = c.Run("", "joining", laptop)
	assert.Equal(t, 7, stops.Code)
	assert.Contains(t, stops.Out, "RADIUS")
	// The first that answers has the word.
	push(t, r, office, map[string]string{"wlan-radius-secret": "between the lanterns", "wlan-radius": "127.0.0.9,127.0.0.1"})
	at(t, r, map[string]int{laptop: 70, handheld: 70, guest: 80})
	// Nobody listens there: a guard cannot know, and the refusal tells.
	push(t, r, office, map[string]string{"wlan-radius": "127.0.0.9"})
	why(t, r, laptop, "no-answer")

	// Whom the server does not know, it refuses: the crew's network is for the enterprise now.
	push(t, r, ap+":wlan/crew", map[string]string{"security": "wpa3-enterprise", "wlan-radius": "127.0.0.1", "wlan-radius-secret": "between the lanterns"})
	why(t, r, handheld, "refused")
	why(t, r, crane, "refused")
	at(t, r, map[string]int{guest: 80})
	assert.Regexp(t, handheld+` +\S*.*Lantern Crew`, c.Good("refused").Out)
}
