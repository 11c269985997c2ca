package radius_test

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/wire/eap"
	"example.net/everypost/internal/wire/radius"
)

// Stations join by EAP-TTLS as an independent server says, and not without.
func TestStationsJoin(t *testing.T) {
	t.Parallel()
	server, authority := peers.FreeRADIUSForStations(t, "between the lanterns", `wren Cleartext-Password := "gulls at the rail"
	Tunnel-Type = VLAN, Tunnel-Medium-Type = IEEE-802, Tunnel-Private-Group-Id = "70"
night Cleartext-Password := "slack water"
`)
	trusts := x509.NewCertPool()
	trusts.AddCert(authority)
	c := radius.Client{Secret: []byte("between the lanterns"), Timeout: 5 * time.Second, Name: "th-ap-01"}
	for name, tc := range map[string]struct {
		user, password string
		trusts         *x509.CertPool
		server         string
		want           radius.Joins
		err            string
	}{
		"with a VLAN of her own": {user: "wren", password: "gulls at the rail", want: radius.Joins{Accepted: true, VLAN: 70}},
		"in that of the network": {user: "night", password: "slack water", want: radius.Joins{Accepted: true}},
		"another password":       {user: "night", password: "slack"},
		"none":                   {user: "night"},
		"nobody it knows":        {user: "gull", password: "slack water"},
		"a server it trusts not": {user: "night", password: "slack water", trusts: x509.NewCertPool(), err: "goes on no further"},
		"a server of other name": {user: "night", password: "slack water", server: "radius.elsewhere.example", err: "not radius.elsewhere.example"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			conf := &tls.Config{RootCAs: trusts, ServerName: "radius.example.net"}
			if tc.trusts != nil {
				conf.RootCAs = tc.trusts
			}
			if tc.server != "" {
				conf.ServerName = tc.server
			}
			peer := &eap.Peer{Outside: "anonymous", Name: tc.user, Password: tc.password, TLS: conf}
			defer peer.Close()
			got, err := c.Join(t.Context(), server, radius.Station{Name: "anonymous", MAC: "02-4c-53-20-00-07", Network: "02-4C-53-00-00-01:Lantern Office"}, peer)
			if tc.err != "" {
				require.ErrorContains(t, err, tc.err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, tc.want, got)
		})
	}
	other := c
	other.Secret = []byte("between the shoals")
	other.Timeout = time.Second
	_, err := other.Join(t.Context(), server, radius.Station{Name: "night"}, &eap.Peer{Outside: "night"})
	require.Error(t, err, "a server of another secret is not believed, nor does it believe")
}

func TestNobodyAnswersAStation(t *testing.T) {
	t.Parallel()
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = silent.Close() }()
	c := radius.Client{Secret: []byte("between the lanterns"), Timeout: 100 * time.Millisecond}
	_, err = c.Join(t.Context(), silent.LocalAddr().String(), radius.Station{Name: "night"}, &eap.Peer{Outside: "night"})
	require.ErrorIs(t, err, context.DeadlineExceeded)
}
