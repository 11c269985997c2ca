package sztp

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"errors"
	"math/big"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type fake struct {
	mu       sync.Mutex
	asked    []Device
	progress []Progress
	err      error
	replace  bool
}

func (f *fake) Bootstrap(serial string, d Device) (Configuration, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.asked = append(f.asked, d)
	return Configuration{[]byte("<config>" + serial + "</config>"), f.replace}, f.err
}

func (f *fake) Progressed(_ string, p Progress) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.progress = append(f.progress, p)
	return f.err
}

// issue makes a certificate; parent nil makes an authority.
func issue(t *testing.T, serial string, parent *tls.Certificate) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(7), Subject: pkix.Name{CommonName: "x", SerialNumber: serial}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IsCA: parent == nil, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}}
	by, byKey := template, any(key)
	if parent != nil {
		by, byKey = parent.Leaf, parent.PrivateKey
	}
	der, err := x509.CreateCertificate(rand.Reader, template, by, key.Public(), byKey)
	require.NoError(t, err)
	leaf, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key, Leaf: leaf}
}

// both starts a server behind TLS that asks for certificates, and returns a client that shows one of a serial number.
func both(t *testing.T, f *fake, serial string) Client {
	t.Helper()
	ca := issue(t, "", nil)
	pool := x509.NewCertPool()
	pool.AddCert(ca.Leaf)
	s := httptest.NewUnstartedServer(Server(f))
	s.TLS = &tls.Config{ClientCAs: pool, ClientAuth: tls.VerifyClientCertIfGiven, MinVersion: tls.VersionTLS12}
	s.StartTLS()
	t.Cleanup(s.Close)
	h := s.Client()
	if serial != "-" {
		h.Transport.(*http.Transport).TLSClientConfig.Certificates = []tls.Certificate{issue(t, serial, &ca)}
	}
	return Client{HTTP: h, Base: s.URL}
}

func TestDeviceIsToldWhatItIsToBe(t *testing.T) {
	f := &fake{}
	c := both(t, f, "HY24-1")
	config, err := c.Fetch(t.Context(), Device{HardwareModel: "H24P", OSName: "Halyard", OSVersion: "4.1.6"})
	require.NoError(t, err)
	assert.Equal(t, Configuration{Document: []byte("<config>HY24-1</config>")}, config)
	f.replace = true
	config, err = c.Fetch(t.Context(), Device{HardwareModel: "H24P"})
	require.NoError(t, err)
	assert.True(t, config.Replace)
	assert.Equal(t, []Device{{"H24P", "Halyard", "4.1.6"}, {HardwareModel: "H24P"}}, f.asked)
	p := Progress{Type: Complete, HostKeys: []HostKey{{"ssh-ed25519", []byte{1, 2, 3}}}}
	require.NoError(t, c.Report(t.Context(), p))
	require.NoError(t, c.Report(t.Context(), Progress{Type: ConfigError, Message: "no such port"}))
	assert.Equal(t, []Progress{p, {Type: ConfigError, Message: "no such port"}}, f.progress)
}

func TestDeviceThatIsNotKnownAsksAgain(t *testing.T) {
	f := &fake{err: ErrUnknown}
	c := both(t, f, "HY24-1")
	_, err := c.Fetch(t.Context(), Device{})
	require.ErrorIs(t, err, ErrUnknown)
	f.err = errors.New("the disk of the service is on fire")
	_, err = c.Fetch(t.Context(), Device{})
	require.Error(t, err)
	assert.NotErrorIs(t, err, ErrUnknown)
	assert.NotContains(t, err.Error(), "on fire", "what is wrong inside is not told to devices")
}

func TestOnlyDevicesAreAnswered(t *testing.T) {
	for name, serial := range map[string]string{"without a certificate": "-", "with one that names no device": ""} {
		f := &fake{}
		_, err := both(t, f, serial).Fetch(t.Context(), Device{})
		require.ErrorContains(t, err, "401", name)
		assert.Empty(t, f.asked)
	}
}

func TestNonsenseIsRefused(t *testing.T) {
	c := both(t, &fake{}, "HY24-1")
	for _, body := range []string{"", "{", `{"ietf-sztp-bootstrap-server:input": 7}`, strings.Repeat("x", 2<<20)} {
		resp, err := c.HTTP.Post(c.Base+fetchPath, MediaType, strings.NewReader(body))
		require.NoError(t, err)
		_ = resp.Body.Close()
		assert.Equal(t, http.StatusBadRequest, resp.StatusCode)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := c.Fetch(ctx, Device{})
	assert.ErrorIs(t, err, context.Canceled)
}

// What a server conveys may be anything: it is read without a crash, and only what is onboarding information is taken.
func FuzzUnwrap(f *testing.F) {
	for _, replace := range []bool{false, true} {
		good, err := wrap(Configuration{[]byte("<config/>"), replace})
		require.NoError(f, err)
		f.Add(good)
	}
	f.Add([]byte{0x30, 0x80})
	f.Fuzz(func(t *testing.T, der []byte) {
		config, err := unwrap(der)
		if err != nil {
			return
		}
		again, err := wrap(config)
		require.NoError(t, err)
		back, err := unwrap(again)
		require.NoError(t, err)
		require.Equal(t, config.Replace, back.Replace)
		require.Equal(t, string(config.Document), string(back.Document))
	})
}
