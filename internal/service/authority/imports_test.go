package authority_test

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/pem"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/authority"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/testing/foreign"
)

func TestWhatIsNoCertificateOfADevice(t *testing.T) {
	t.Parallel()
	other := foreign.New(t, at)
	key := newKey(t)
	own := other.Sign(t, &key.PublicKey, at.AddDate(0, 0, 90), "th-fw-01")
	root := other.PEM()
	pkcs8 := foreign.KeyPEM(t, key)
	sec1, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	weak, err := ecdsa.GenerateKey(elliptic.P224(), rand.Reader)
	require.NoError(t, err)
	for name, tc := range map[string]struct {
		chain, key []byte
		says       string
	}{
		"nothing":                     {nil, nil, "no certificate is in the file"},
		"only words":                  {[]byte("my certificate\n"), nil, "no certificate is in the file"},
		"the key among them":          {slicesOf(own, pkcs8), nil, "a private key stands among the certificates"},
		"an authority":                {root, nil, "that of an authority"},
		"of an authority that is not": {slicesOf(own, foreign.New(t, at).PEM()), nil, "certificate 2 of the file did not sign certificate 1"},
		"broken":                      {pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: []byte("not DER")}), nil, "certificate 1 of the file cannot be read"},
		"over":                        {other.Sign(t, &key.PublicKey, at.Add(-time.Hour), "th-fw-01"), nil, "it ended on 2026-11-30"},
		"weak":                        {other.Sign(t, &weak.PublicKey, at.AddDate(0, 0, 90), "th-fw-01"), nil, "weaker than RSA of 2048 bits"},
		"too many":                    {bytes.Repeat(own, 11), nil, "more than 10"},
		"too large":                   {bytes.Repeat([]byte("a"), 65<<10), nil, "larger than 64 KiB"},
		"another's key":               {own, foreign.KeyPEM(t, newKey(t)), "it does not match its key"},
		"no key":                      {own, []byte("secret"), "no private key is in the file"},
		"a key that cannot be read":   {own, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: []byte("not DER")}), "the key cannot be read"},
		"a key under a passphrase":    {own, pem.EncodeToMemory(&pem.Block{Type: "ENCRYPTED PRIVATE KEY", Bytes: []byte("x")}), "under a passphrase"},
		"an old key under one":        {own, pem.EncodeToMemory(&pem.Block{Type: "RSA PRIVATE KEY", Headers: map[string]string{"DEK-Info": "AES"}, Bytes: []byte("x")}), "under a passphrase"},
	} {
		_, err := authority.ReadForeign(tc.chain, tc.key, at)
		require.ErrorIs(t, err, authority.ErrImport, name)
		assert.ErrorContains(t, err, tc.says, name)
		assert.NotContains(t, err.Error(), "secret", "%s: no word of a key is in an error", name)
	}
	for name, k := range map[string][]byte{"none": nil, "PKCS #8": pkcs8, "SEC 1": pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: sec1})} {
		f, err := authority.ReadForeign(slicesOf([]byte("Bag attributes\n"), own, root), k, at)
		require.NoError(t, err, name)
		assert.Equal(t, string(slicesOf(own, root)), string(f.Chain))
		if k == nil {
			assert.Nil(t, f.Key)
			continue
		}
		assert.Equal(t, string(pkcs8), string(f.Key), "it is given as PKCS #8")
	}
	old, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	_, err = authority.ReadForeign(other.Sign(t, &old.PublicKey, at.AddDate(1, 0, 0), "th-fw-01"), pem.EncodeToMemory(&pem.Block{Type: "RSA PRIVATE KEY", Bytes: x509.MarshalPKCS1PrivateKey(old)}), at)
	require.NoError(t, err)
}

func slicesOf(parts ...[]byte) []byte { return bytes.Join(parts, nil) }

func TestWhatSpeaksAgainstACertificate(t *testing.T) {
	t.Parallel()
	other, key := foreign.New(t, at), newKey(t)
	v := fleet.View{Config: network.Config{Hostname: "gate", ManagementAddress: "10.2.10.2/24"}}
	v.Name = "th-fw-01"
	for names, says := range map[string]string{"th-fw-01": "", "gate.example.net": "", "10.2.10.2": "", "fw.example.net": "It is good for fw.example.net, and not for th-fw-01", "": "It is good for no name"} {
		f, err := authority.ReadForeign(other.Sign(t, &key.PublicKey, at.AddDate(0, 0, 90), strings.Fields(names)...), foreign.KeyPEM(t, key), at)
		require.NoError(t, err)
		said := strings.Join(f.Doubts(v, at), " ")
		if says == "" {
			assert.Empty(t, said, names)
			continue
		}
		assert.Contains(t, said, says)
	}
	f, err := authority.ReadForeign(other.Sign(t, &key.PublicKey, at.AddDate(0, 0, 9), "th-fw-01"), nil, at)
	require.NoError(t, err)
	said := strings.Join(f.Doubts(v, at.AddDate(0, -1, 0)), " ")
	assert.Contains(t, said, "It is good from 2026-11-30 only.")
	assert.Contains(t, said, "the key that the device was asked for last")
	assert.Contains(t, strings.Join(f.Doubts(v, at), " "), "It ends on 2026-12-09.")
}
