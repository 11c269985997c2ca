// Package bootstrap is the door for devices that nobody set up yet: it answers them over TLS what they are to be (RFC 8572).
// Who comes must show the certificate that its maker put into it; who vouches for makers, the operator says.
package bootstrap

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"os"
	"time"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/service/arrivals"
	"example.net/everypost/internal/wire/sztp"
)

// backend puts the questions of devices to the service.
type backend struct {
	arrivals *arrivals.Service
	log      *slog.Logger
}

const patience = 20 * time.Second // for the service to answer

// Bootstrap implements sztp.Backend.
func (b backend) Bootstrap(serial string, d sztp.Device) (sztp.Configuration, error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	document, whole, err := b.arrivals.Bootstrap(ctx, serial, d.HardwareModel)
	return sztp.Configuration{Document: document, Replace: whole}, b.said(serial, err)
}

// Progressed implements sztp.Backend.
func (b backend) Progressed(serial string, p sztp.Progress) error {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	switch p.Type {
	case sztp.Complete:
		for _, k := range p.HostKeys {
			if key, err := ssh.ParsePublicKey(k.Data); err == nil {
				return b.said(serial, b.arrivals.Told(ctx, serial, ssh.FingerprintSHA256(key)))
			}
		}
		return b.said(serial, b.arrivals.Failed(ctx, serial, "it told no SSH host key that can be read"))
	case sztp.ConfigError:
		return b.said(serial, b.arrivals.Failed(ctx, serial, p.Message))
	}
	return nil
}

func (b backend) said(serial string, err error) error {
	if errors.Is(err, arrivals.ErrUnclaimed) {
		return fmt.Errorf("%w: %s is not claimed", sztp.ErrUnknown, serial)
	}
	if err != nil {
		b.log.Warn("a new device could not be answered", "serial", serial, "err", err)
	}
	return err
}

// Options of the door.
type Options struct {
	Authorities []byte   // PEM: who vouches for the certificates of devices
	Certificate string   // file with the certificate and key of the door; made where there is none
	Hosts       []string // names and addresses by which devices reach it, for a certificate that is made
	Log         *slog.Logger
}

// Serve answers devices on a listener until ctx ends.
func Serve(ctx context.Context, l net.Listener, a *arrivals.Service, o Options) error {
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(o.Authorities) {
		return errors.New("there is no certificate of an authority for devices")
	}
	own, err := certificate(o.Certificate, o.Hosts)
	if err != nil {
		return err
	}
	h := &http.Server{
		Handler: sztp.Server(backend{a, o.Log}), ReadTimeout: 30 * time.Second, ReadHeaderTimeout: 10 * time.Second, WriteTimeout: time.Minute,
		IdleTimeout: time.Minute, MaxHeaderBytes: 16 << 10, ErrorLog: slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug),
		TLSConfig: &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{own}, ClientCAs: pool, ClientAuth: tls.RequireAndVerifyClientCert},
	}
	stop := context.AfterFunc(ctx, func() {
		grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		_ = h.Shutdown(grace)
	})
	defer stop()
	if err := h.ServeTLS(l, "", ""); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// certificate reads the certificate of the door, or makes one that lasts as long as the devices are likely to.
func certificate(file string, hosts []string) (tls.Certificate, error) {
	b, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if b, err = selfSigned(hosts); err == nil {
			err = os.WriteFile(file, b, 0o600)
		}
	}
	if err != nil {
		return tls.Certificate{}, err
	}
	c, err := tls.X509KeyPair(b, b)
	if err != nil {
		return c, fmt.Errorf("%s: %w", file, err)
	}
	return c, nil
}

// TrustAnchor returns of such a file what devices must be given to trust the door: the certificate without its key.
func TrustAnchor(file string) ([]byte, error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	for block, rest := pem.Decode(b); block != nil; block, rest = pem.Decode(rest) {
		if block.Type == "CERTIFICATE" {
			return pem.EncodeToMemory(block), nil
		}
	}
	return nil, fmt.Errorf("%s holds no certificate", file)
}

func selfSigned(hosts []string) ([]byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127))
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{SerialNumber: serial, Subject: pkix.Name{CommonName: "Every Post, for new devices"}, NotBefore: time.Now().Add(-time.Hour),
		NotAfter: time.Now().AddDate(20, 0, 0), IsCA: true, BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			template.IPAddresses = append(template.IPAddresses, ip)
		} else {
			template.DNSNames = append(template.DNSNames, h)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	if err != nil {
		return nil, err
	}
	keyDER, err := x509.MarshalECPrivateKey(key)
	if err != nil {
		return nil, err
	}
	return append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: keyDER})...), nil
}
