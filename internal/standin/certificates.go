package standin

import (
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"encoding/json"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"slices"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// keystore is the certificate of a device's page, and the key of the one that it asked for last.
type keystore struct {
	Certificate []byte // DER
	asked       crypto.Signer
}

// webCertificate is the name of the place of the certificate of the device's own page.
const webCertificate = "web"

func certificatesOf(device string) string { return device + ".certificates" }

// shown is the certificate that a device has: the one that was installed, or else the one that it made for itself when it was new.
func (d *device) shown() *x509.Certificate {
	if d.keys.Certificate == nil && d.world.opts.Load != nil {
		if saved := d.world.opts.Load(certificatesOf(d.spec.Name)); len(saved) > 0 {
			_ = json.Unmarshal(saved, &d.keys)
		}
	}
	if d.keys.Certificate == nil {
		seed := sha256.Sum256([]byte("stand-in page key " + d.spec.Serial))
		key := ed25519.NewKeyFromSeed(seed[:])
		from := d.licensedFrom.UTC().Truncate(24 * time.Hour)
		template := &x509.Certificate{SerialNumber: new(big.Int).SetBytes(seed[:8]), Subject: pkix.Name{CommonName: d.spec.Name}, NotBefore: from.AddDate(-1, 0, 0),
			NotAfter: from.AddDate(0, 0, d.certifiedDays()), DNSNames: []string{d.spec.Name}, KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
		der, err := x509.CreateCertificate(nil, template, template, key.Public(), key)
		if err != nil {
			return nil
		}
		d.keys.Certificate = der
	}
	c, err := x509.ParseCertificate(d.keys.Certificate)
	if err != nil {
		return nil
	}
	return c
}

// certifiedDays is for how long its first certificate is good: that of one firewall ends in a week.
func (d *device) certifiedDays() int {
	if d.spec.Name == "kb-fw-01" {
		return 8
	}
	return 120 + (d.index*71)%900
}

func (d *device) certificateState(own *xmlnode.Node) {
	c := d.shown()
	if c == nil {
		return
	}
	x := in("ep-dev")
	sum := sha256.Sum256(c.Raw)
	n := x.node("certificate", x.leaf("name", webCertificate), x.leaf("subject", c.Subject.String()), x.leaf("issuer", c.Issuer.String()), x.leaf("serial", fmt.Sprintf("%x", c.SerialNumber)),
		x.leaf("fingerprint", hex.EncodeToString(sum[:])), x.leaf("not-before", c.NotBefore.UTC().Format(time.RFC3339)), x.leaf("not-after", c.NotAfter.UTC().Format(time.RFC3339)), x.leaf("used-by", "web"))
	for _, name := range c.DNSNames {
		n.Add(x.leaf("alternative-name", name))
	}
	for _, ip := range c.IPAddresses {
		n.Add(x.leaf("alternative-name", ip.String()))
	}
	own.Add(n)
}

// certify answers make-request and install-certificate. It is called with the lock held.
func (a *agent) certify(s *netconf.ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	d := a.d
	if err := d.mayDo(s.User, "commit"); err != nil {
		return nil, err
	}
	if op.TextAt("name") != webCertificate {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no place for a certificate %s", op.TextAt("name"))
	}
	if op.Name == "install-certificate" {
		return nil, d.install(op.TextAt("chain"), op.TextAt("private-key"))
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, netconf.NewRPCError(netconf.TagOperationFailed, "", "no key could be made")
	}
	request := &x509.CertificateRequest{Subject: pkix.Name{CommonName: op.TextAt("common-name")}}
	for _, n := range texts(op.All("alternative-name")) {
		if ip := net.ParseIP(n); ip != nil {
			request.IPAddresses = append(request.IPAddresses, ip)
		} else {
			request.DNSNames = append(request.DNSNames, n)
		}
	}
	der, err := x509.CreateCertificateRequest(rand.Reader, request, key)
	if err != nil {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "no request could be made of that")
	}
	d.keys.asked = key
	return []*xmlnode.Node{in("ep-dev").leaf("request", string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE REQUEST", Bytes: der})))}, nil
}

// install takes a chain of which the first is of the key that is given, or else of the one that was asked for last.
func (d *device) install(chain, given string) error {
	block, _ := pem.Decode([]byte(chain))
	if block == nil || block.Type != "CERTIFICATE" {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "that is no certificate")
	}
	c, err := x509.ParseCertificate(block.Bytes)
	if err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "the certificate cannot be read")
	}
	type public interface{ Equal(crypto.PublicKey) bool }
	key, which := d.keys.asked, "that was asked for last"
	if given != "" {
		block, _ := pem.Decode([]byte(given))
		if block == nil {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "that is no private key")
		}
		parsed, err := x509.ParsePKCS8PrivateKey(block.Bytes)
		if err != nil {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "the private key cannot be read")
		}
		key, which = parsed.(crypto.Signer), "that came with it"
	}
	if key == nil || !key.Public().(public).Equal(c.PublicKey) {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "the certificate does not match the key %s", which)
	}
	if !d.world.clock.now().Before(c.NotAfter) {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "the certificate is over")
	}
	d.keys = keystore{Certificate: slices.Clone(block.Bytes)}
	if d.world.opts.Save != nil {
		if saved, err := json.Marshal(d.keys); err == nil {
			_ = d.world.opts.Save(certificatesOf(d.spec.Name), saved)
		}
	}
	return nil
}
