package authority

import (
	"bytes"
	"context"
	"crypto"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/service/fleet"
)

// ErrImport tells that a certificate of somebody else cannot be used.
var ErrImport = errors.New("the certificate cannot be used")

const (
	maxChain = 10
	longest  = 64 << 10 // octets of what is read
)

// Foreign is a certificate that another authority signed.
type Foreign struct {
	Own   *x509.Certificate
	Chain []byte // PEM, its own first
	Key   []byte // PEM (PKCS #8); nil: the key was made on the device
}

// ReadForeign reads a certificate with those of who signed it, and its key, as they come in files (PEM, RFC 7468).
func ReadForeign(chain, key []byte, now time.Time) (f Foreign, err error) {
	if len(chain) > longest || len(key) > longest {
		return f, fmt.Errorf("%w: the file is larger than %d KiB", ErrImport, longest>>10)
	}
	list, err := readChain(chain)
	if err != nil {
		return f, err
	}
	f.Own = list[0]
	switch {
	case f.Own.IsCA:
		return f, fmt.Errorf("%w: the first in the file is that of an authority: put the device's own first", ErrImport)
	case !now.Before(f.Own.NotAfter):
		return f, fmt.Errorf("%w: it ended on %s", ErrImport, f.Own.NotAfter.UTC().Format(time.DateOnly))
	}
	if strong(f.Own.PublicKey) != nil {
		return f, fmt.Errorf("%w: its key is weaker than RSA of %d bits", ErrImport, weakRSA)
	}
	for i, c := range list[1:] {
		if err := list[i].CheckSignatureFrom(c); err != nil {
			return f, fmt.Errorf("%w: certificate %d of the file did not sign certificate %d: leave it out, or put them in order", ErrImport, i+2, i+1)
		}
	}
	for _, c := range list {
		f.Chain = append(f.Chain, PEM(c)...)
	}
	if len(bytes.TrimSpace(key)) > 0 {
		f.Key, err = readKey(key, f.Own)
	}
	return f, err
}

func readChain(text []byte) (list []*x509.Certificate, err error) {
	for block, rest := pem.Decode(text); block != nil; block, rest = pem.Decode(rest) {
		if strings.HasSuffix(block.Type, "PRIVATE KEY") {
			return nil, fmt.Errorf("%w: a private key stands among the certificates: give it by itself", ErrImport)
		}
		if block.Type != "CERTIFICATE" {
			continue
		}
		c, err := x509.ParseCertificate(block.Bytes)
		if err != nil {
			return nil, fmt.Errorf("%w: certificate %d of the file cannot be read: %w", ErrImport, len(list)+1, err)
		}
		if list = append(list, c); len(list) > maxChain {
			return nil, fmt.Errorf("%w: there are more than %d in the file", ErrImport, maxChain)
		}
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("%w: no certificate is in the file: it begins with -----BEGIN CERTIFICATE-----", ErrImport)
	}
	return list, nil
}

// readKey reads a private key, which must be that of the certificate, and writes it as PKCS #8.
func readKey(text []byte, of *x509.Certificate) ([]byte, error) {
	block, _ := pem.Decode(text)
	switch {
	case block == nil || !strings.HasSuffix(block.Type, "PRIVATE KEY"):
		return nil, fmt.Errorf("%w: no private key is in the file of the key", ErrImport)
	case block.Type == "ENCRYPTED PRIVATE KEY" || block.Headers["DEK-Info"] != "":
		return nil, fmt.Errorf("%w: the key is under a passphrase: take that off first", ErrImport)
	}
	var key any
	var err error
	switch block.Type {
	case "EC PRIVATE KEY":
		key, err = x509.ParseECPrivateKey(block.Bytes)
	case "RSA PRIVATE KEY":
		key, err = x509.ParsePKCS1PrivateKey(block.Bytes)
	default:
		key, err = x509.ParsePKCS8PrivateKey(block.Bytes)
	}
	signer, ok := key.(crypto.Signer)
	if err != nil || !ok {
		return nil, fmt.Errorf("%w: the key cannot be read", ErrImport)
	}
	public, ok := signer.Public().(interface{ Equal(crypto.PublicKey) bool })
	if !ok || !public.Equal(of.PublicKey) {
		return nil, fmt.Errorf("%w: it does not match its key: the key is another one's", ErrImport)
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, fmt.Errorf("%w: the key cannot be written as PKCS #8", ErrImport)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}), nil
}

// Doubts are what speaks against the use of a certificate on a device, though it could be.
func (f Foreign) Doubts(v fleet.View, now time.Time) (out []string) {
	names := slices.Clone(f.Own.DNSNames)
	for _, ip := range f.Own.IPAddresses {
		names = append(names, ip.String())
	}
	own, _, err := net.ParseCIDR(v.Config.ManagementAddress)
	if !slices.ContainsFunc(names, func(n string) bool {
		host, _, _ := strings.Cut(n, ".")
		return n == v.Name || host == v.Name || host == v.Config.Hostname || err == nil && n == own.String()
	}) {
		out = append(out, fmt.Sprintf("It is good for %s, and not for %s: browsers would warn of it.", strings.Join(append(names, "no name")[:max(len(names), 1)], ", "), v.Name))
	}
	if now.Before(f.Own.NotBefore) {
		out = append(out, fmt.Sprintf("It is good from %s only.", f.Own.NotBefore.UTC().Format(time.DateOnly)))
	}
	if soon := now.AddDate(0, 0, 14); f.Own.NotAfter.Before(soon) {
		out = append(out, fmt.Sprintf("It ends on %s.", f.Own.NotAfter.UTC().Format(time.DateOnly)))
	}
	if f.Key == nil {
		out = append(out, "It must be of the key that the device was asked for last: the device refuses any other.")
	}
	return out
}

// Importer gives devices certificates of other authorities.
type Importer struct {
	Fleet Fleet
	Now   func() time.Time
}

// Request has a device make a new key for a place, and a request for a certificate (PEM) that another authority may sign.
func (i *Importer) Request(ctx context.Context, device, place string, names []string) ([]byte, error) {
	v, ok := i.Fleet.View(device)
	if !ok {
		return nil, fleet.ErrUnknown
	}
	if len(names) == 0 {
		names = namesOf(v)
	}
	for _, n := range names {
		if net.ParseIP(n) == nil && !hostLike(n) {
			return nil, fmt.Errorf("%w: %q is neither the name nor the address of a host", ErrImport, n)
		}
	}
	return i.Fleet.RequestCertificate(ctx, device, place, names)
}

func hostLike(s string) bool {
	return s != "" && len(s) < 254 && !strings.ContainsFunc(s, func(r rune) bool {
		return !strings.ContainsRune("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-.*", r)
	})
}

// Read reads a certificate for a device, and what speaks against it.
func (i *Importer) Read(device string, chain, key []byte) (f Foreign, doubts []string, err error) {
	v, ok := i.Fleet.View(device)
	if !ok {
		return f, nil, fleet.ErrUnknown
	}
	if f, err = ReadForeign(chain, key, i.Now()); err != nil {
		return f, nil, err
	}
	return f, f.Doubts(v, i.Now()), nil
}

// Import has a device use a certificate. Its key goes to the device and is kept nowhere else.
func (i *Importer) Import(ctx context.Context, device, place string, f Foreign) error {
	if err := i.Fleet.InstallCertificate(ctx, device, place, f.Chain, f.Key); err != nil {
		return err
	}
	if v, _ := i.Fleet.View(device); !holds(v, place, fmt.Sprintf("%x", f.Own.SerialNumber)) {
		return fmt.Errorf("%s took the certificate %s and does not show it", device, place)
	}
	return nil
}
