// Package authority is the small certificate authority of the house: it signs certificates of devices (X.509, RFC 5280), for names that the service
// says and no others, and renews them before they end. The keys of devices are made on devices; its own is sealed.
package authority

import (
	"context"
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"sync"
	"time"

	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// Service is the capability.
type Service struct {
	Store  *store.Store
	Sealer *secrets.Sealer
	Now    func() time.Time

	mu   sync.Mutex
	root *x509.Certificate
	key  crypto.Signer
}

// ErrRequest tells that a request of a device is none, or of a key that is too weak.
var ErrRequest = errors.New("that is no request for a certificate")

const (
	owner     = "key of the authority"
	rootYears = 10
	early     = time.Hour // before now certificates are good: clocks of devices are not exact
	weakRSA   = 2048
)

// Root is the certificate of the authority. The first time it is made.
func (s *Service) Root(ctx context.Context) (*x509.Certificate, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.root, s.open(ctx)
}

func (s *Service) open(ctx context.Context) error {
	if s.root != nil {
		return nil
	}
	der, sealed, err := s.Store.Authority(ctx)
	if errors.Is(err, store.ErrNotFound) {
		if err = s.make(ctx); err == nil {
			der, sealed, err = s.Store.Authority(ctx) // whoever made it first
		}
	}
	if err != nil {
		return err
	}
	plain, err := s.Sealer.Open(owner, sealed)
	if errors.Is(err, secrets.ErrSealed) { // somebody began anew with another key of the secrets: so does the authority
		if err = s.Store.DropAuthority(ctx); err == nil {
			err = s.open(ctx)
		}
		return err
	}
	if err != nil {
		return fmt.Errorf("the key of the authority: %w", err)
	}
	key, err := x509.ParsePKCS8PrivateKey([]byte(plain))
	if err != nil {
		return err
	}
	root, err := x509.ParseCertificate(der)
	if err != nil {
		return err
	}
	s.root, s.key = root, key.(crypto.Signer)
	return nil
}

func (s *Service) make(ctx context.Context) error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	now := s.Now().UTC()
	serial, err := newSerial()
	if err != nil {
		return err
	}
	template := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{Organization: []string{"Every Post"}, CommonName: "Authority of the house " + now.Format("2006")}, NotBefore: now.Add(-early), NotAfter: now.AddDate(rootYears, 0, 0),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign}
	der, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	if err != nil {
		return err
	}
	plain, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	return s.Store.PutAuthority(ctx, der, s.Sealer.Seal(owner, string(plain)))
}

// newSerial makes a serial number that nobody can guess (RFC 5280 section 4.1.2.2: at most 20 octets, positive).
func newSerial() (*big.Int, error) {
	return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127))
}

// Order is a certificate that is to be signed.
type Order struct {
	Device, Name string   // for which place of which device
	Names        []string // names and addresses for which it is good: nothing of what the device asks for counts but its key
	For          time.Duration
	By           string
}

// Sign signs a certificate of the key of a request (PEM), and returns it with that of the authority (PEM).
func (s *Service) Sign(ctx context.Context, request []byte, o Order) (chain []byte, c *x509.Certificate, err error) {
	block, _ := pem.Decode(request)
	if block == nil || block.Type != "CERTIFICATE REQUEST" {
		return nil, nil, ErrRequest
	}
	asked, err := x509.ParseCertificateRequest(block.Bytes)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", ErrRequest, err)
	}
	if err := asked.CheckSignature(); err != nil {
		return nil, nil, fmt.Errorf("%w: whoever made it does not have the key: %w", ErrRequest, err)
	}
	if err := strong(asked.PublicKey); err != nil {
		return nil, nil, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := s.open(ctx); err != nil {
		return nil, nil, err
	}
	serial, err := newSerial()
	if err != nil {
		return nil, nil, err
	}
	now := s.Now().UTC()
	template := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: o.Device}, NotBefore: now.Add(-early), NotAfter: now.Add(o.For), BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth, x509.ExtKeyUsageClientAuth}}
	if template.NotAfter.After(s.root.NotAfter) {
		template.NotAfter = s.root.NotAfter
	}
	for _, n := range o.Names {
		if ip := net.ParseIP(n); ip != nil {
			template.IPAddresses = append(template.IPAddresses, ip)
		} else {
			template.DNSNames = append(template.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, template, s.root, asked.PublicKey, s.key)
	if err != nil {
		return nil, nil, err
	}
	if c, err = x509.ParseCertificate(der); err != nil {
		return nil, nil, err
	}
	// It is kept before the device gets it: none is out there of which nobody here knows.
	err = s.Store.AddIssued(ctx, store.Issued{Serial: fmt.Sprintf("%x", serial), Device: o.Device, Name: o.Name, By: o.By, At: now, NotAfter: c.NotAfter, Certificate: der})
	if err != nil {
		return nil, nil, err
	}
	return append(PEM(c), PEM(s.root)...), c, nil
}

// strong tells why a key is too weak, or nil.
func strong(key any) error {
	switch k := key.(type) {
	case *ecdsa.PublicKey:
		if k.Curve.Params().BitSize >= 256 {
			return nil
		}
	case ed25519.PublicKey:
		return nil
	case *rsa.PublicKey:
		if k.N.BitLen() >= weakRSA {
			return nil
		}
	}
	return fmt.Errorf("%w: its key is weaker than RSA of %d bits", ErrRequest, weakRSA)
}

// PEM writes a certificate.
func PEM(c *x509.Certificate) []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: c.Raw})
}

// Signed are the certificates that the authority signed: the device of each with its serial number.
func (s *Service) Signed(ctx context.Context) (map[[2]string]bool, error) {
	list, err := s.Store.IssuedSerials(ctx)
	out := make(map[[2]string]bool, len(list))
	for _, i := range list {
		out[i] = true
	}
	return out, err
}
