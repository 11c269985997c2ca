// Package foreign is a certificate authority of somebody else, for tests.
package foreign

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Authority signs what it is asked to.
type Authority struct {
	root *x509.Certificate
	key  *ecdsa.PrivateKey
	at   time.Time
}

// New makes one.
func New(t testing.TB, at time.Time) *Authority {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Isles Trust"}, NotBefore: at.AddDate(-1, 0, 0), NotAfter: at.AddDate(9, 0, 0), IsCA: true,
		BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	require.NoError(t, err)
	root, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	return &Authority{root, key, at}
}

// PEM is its own certificate.
func (a *Authority) PEM() []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.root.Raw})
}

// Sign signs a certificate of a key for some names and addresses.
func (a *Authority) Sign(t testing.TB, public any, until time.Time, names ...string) []byte {
	t.Helper()
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 100))
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: "page"}, NotBefore: a.at.Add(-2 * time.Hour), NotAfter: until, KeyUsage: x509.KeyUsageDigitalSignature}
	for _, n := range names {
		if ip := net.ParseIP(n); ip != nil {
			template.IPAddresses = append(template.IPAddresses, ip)
		} else {
			template.DNSNames = append(template.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, template, a.root, public, a.key)
	require.NoError(t, err)
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
}

// SignRequest signs what a request (PEM) asks for.
func (a *Authority) SignRequest(t testing.TB, request []byte, until time.Time) []byte {
	t.Helper()
	block, _ := pem.Decode(request)
	require.NotNil(t, block)
	asked, err := x509.ParseCertificateRequest(block.Bytes)
	require.NoError(t, err)
	require.NoError(t, asked.CheckSignature())
	names := asked.DNSNames
	for _, ip := range asked.IPAddresses {
		names = append(names, ip.String())
	}
	return a.Sign(t, asked.PublicKey, until, names...)
}

// NewKey makes a key.
func NewKey(t testing.TB) *ecdsa.PrivateKey {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	return key
}

// KeyPEM writes a key as PKCS #8.
func KeyPEM(t testing.TB, key *ecdsa.PrivateKey) []byte {
	t.Helper()
	der, err := x509.MarshalPKCS8PrivateKey(key)
	require.NoError(t, err)
	return pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der})
}
