package authority_test

import (
	"bytes"
	"crypto"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/service/authority"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/testing/testhouse"
)

var at = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

func house(t *testing.T) (*authority.Service, *testhouse.House) {
	t.Helper()
	h := testhouse.New(t)
	return &authority.Service{Store: h.Store, Sealer: h.Sealer, Now: func() time.Time { return at }}, h
}

func request(t *testing.T, key crypto.Signer, names ...string) []byte {
	t.Helper()
	der, err := x509.CreateCertificateRequest(rand.Reader, &x509.CertificateRequest{Subject: pkix.Name{CommonName: "somebody-else"}, DNSNames: names}, key)
	require.NoError(t, err)
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE REQUEST", Bytes: der})
}

func newKey(t *testing.T) *ecdsa.PrivateKey {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	return key
}

// Of what a device asks for only its key counts: the names are those that were ordered.
func TestOnlyOrderedNamesAreSigned(t *testing.T) {
	t.Parallel()
	a, h := house(t)
	key := newKey(t)
	chain, c, err := a.Sign(t.Context(), request(t, key, "everything.example.net"), authority.Order{Device: "th-fw-01", Name: "web", Names: []string{"th-fw-01", "10.2.10.2"}, For: 48 * time.Hour, By: "ada"})
	require.NoError(t, err)
	assert.Equal(t, "CN=th-fw-01", c.Subject.String())
	assert.Equal(t, []string{"th-fw-01"}, c.DNSNames)
	require.Len(t, c.IPAddresses, 1)
	assert.True(t, key.PublicKey.Equal(c.PublicKey))
	assert.Equal(t, at.Add(48*time.Hour), c.NotAfter)
	assert.False(t, c.IsCA)

	root, err := a.Root(t.Context())
	require.NoError(t, err)
	assert.True(t, bytes.HasSuffix(chain, authority.PEM(root)))
	pool := x509.NewCertPool()
	pool.AddCert(root)
	_, err = c.Verify(x509.VerifyOptions{Roots: pool, DNSName: "th-fw-01", CurrentTime: at})
	require.NoError(t, err)
	_, err = c.Verify(x509.VerifyOptions{Roots: pool, DNSName: "everything.example.net", CurrentTime: at})
	require.Error(t, err)
	list, err := h.Store.IssuedCertificates(t.Context(), 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, [3]string{"th-fw-01", "web", "ada"}, [3]string{list[0].Device, list[0].Name, list[0].By})
	signed, err := a.Signed(t.Context())
	require.NoError(t, err)
	assert.Len(t, signed, 1)
}

func TestWhatIsNoRequest(t *testing.T) {
	t.Parallel()
	a, _ := house(t)
	weak, err := rsa.GenerateKey(rand.Reader, 1024)
	require.NoError(t, err)
	good := request(t, newKey(t))
	block, _ := pem.Decode(good)
	block.Bytes[len(block.Bytes)-5] ^= 1 // its signature is not that of the key any more
	for name, bad := range map[string][]byte{
		"nothing": nil, "text": []byte("please"), "a certificate": pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: []byte{1}}), "rubbish": pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE REQUEST", Bytes: []byte{1}}),
		"not its key": pem.EncodeToMemory(block), "weak": request(t, weak),
	} {
		_, _, err := a.Sign(t.Context(), bad, authority.Order{Device: "th-fw-01", Name: "web", For: time.Hour})
		require.ErrorIs(t, err, authority.ErrRequest, name)
	}
	signed, err := a.Signed(t.Context())
	require.NoError(t, err)
	assert.Empty(t, signed)
}

// There is one authority, whoever asks first, and it is the same after a restart; nothing that it signs outlives it.
func TestThereIsOneAuthority(t *testing.T) {
	t.Parallel()
	a, h := house(t)
	b := &authority.Service{Store: h.Store, Sealer: h.Sealer, Now: a.Now}
	var wg sync.WaitGroup
	roots := make([]*x509.Certificate, 8)
	for i := range roots {
		wg.Go(func() { roots[i], _ = []*authority.Service{a, b}[i%2].Root(t.Context()) })
	}
	wg.Wait()
	for _, r := range roots {
		require.NotNil(t, r)
		assert.Equal(t, roots[0].Raw, r.Raw)
	}
	_, c, err := b.Sign(t.Context(), request(t, newKey(t)), authority.Order{Device: "th-fw-01", Name: "web", For: 100 * 365 * 24 * time.Hour})
	require.NoError(t, err)
	assert.Equal(t, roots[0].NotAfter, c.NotAfter)

	other, err := secrets.Open(filepath.Join(t.TempDir(), "secrets.key"), false)
	require.NoError(t, err)
	anew := &authority.Service{Store: h.Store, Sealer: other, Now: a.Now}
	root, err := anew.Root(t.Context())
	require.NoError(t, err)
	assert.NotEqual(t, roots[0].Raw, root.Raw, "who begins anew with another key of the secrets has another authority")
}
