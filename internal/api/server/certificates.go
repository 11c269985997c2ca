package server

import (
	"cmp"
	"context"
	"crypto/sha256"
	"crypto/x509"
	"encoding/hex"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/authority"
)

// certificateRoutes tell which certificates devices have. They are renewed by jobs.
func (s *server) certificateRoutes(api huma.API) {
	see := may(rights.See, rights.Devices)
	register(s, api, see, http.MethodGet, "/certificates", "list-certificates", "The certificates of devices, those that end first before the others",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which devices; of all when left out"`
		}) (*body[v1.List[v1.DeviceCertificate]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where, see)
			if err != nil {
				return nil, err
			}
			signed, err := s.Authority.Signed(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.DeviceCertificate{}
			for _, d := range s.Inventory.Devices(q).Rows {
				for _, c := range d.Inside.Certificates {
					out = append(out, certificateOut(d.Name, c, signed[[2]string{d.Name, c.Serial}]))
				}
			}
			slices.SortStableFunc(out, func(a, b v1.DeviceCertificate) int {
				return cmp.Or(a.NotAfter.Compare(b.NotAfter), cmp.Compare(a.Device, b.Device))
			})
			return listOf(out, func(c v1.DeviceCertificate) v1.DeviceCertificate { return c }), nil
		})
	renew := may(rights.Operate, rights.Devices)
	register(s, api, renew, http.MethodPost, "/devices/{name}/certificates/{place}/request", "request-certificate", "Have a device make a new key, and a request for a certificate of it that any authority may sign",
		func(ctx context.Context, in *struct {
			NamePath
			PlacePath
			Body v1.CertificateNames
		}) (*body[v1.CertificateRequest], error) {
			var text []byte
			err := s.act(ctx, "request-certificate", in.Name+" "+in.Place, s.onDevice(ctx, renew, in.Name), func(string) (err error) {
				text, err = s.Imports.Request(ctx, in.Name, in.Place, in.Body.Names)
				return err
			})
			return &body[v1.CertificateRequest]{v1.CertificateRequest{Device: in.Name, Request: string(text)}}, err
		})
	register(s, api, renew, http.MethodPut, "/devices/{name}/certificates/{place}", "import-certificate", "Give a device a certificate that another authority signed",
		func(ctx context.Context, in *struct {
			NamePath
			PlacePath
			Plan bool `query:"plan" doc:"Tell what it is and what speaks against it, and do nothing"`
			Body v1.CertificateFiles
		}) (*body[v1.CertificateImport], error) {
			if err := s.onDevice(ctx, renew, in.Name); err != nil {
				return nil, s.act(ctx, "import-certificate", in.Name+" "+in.Place, err, nil)
			}
			f, doubts, err := s.Imports.Read(in.Name, []byte(in.Body.Chain), []byte(in.Body.Key))
			if err != nil {
				return nil, err
			}
			out := v1.CertificateImport{Certificate: foreignOut(in.Name, in.Place, f.Own), Doubts: some(doubts)}
			if in.Plan {
				return &body[v1.CertificateImport]{out}, nil
			}
			err = s.act(ctx, "import-certificate", fmt.Sprintf("%s %s, SHA-256 %s", in.Name, in.Place, out.Certificate.Fingerprint[:16]), nil, func(string) error {
				return s.Imports.Import(ctx, in.Name, in.Place, f)
			})
			out.Used = err == nil
			return &body[v1.CertificateImport]{out}, err
		})
	register(s, api, see, http.MethodGet, "/authority", "get-authority", "The certificate authority of the house",
		func(ctx context.Context, _ *struct{}) (*body[v1.Authority], error) {
			root, err := s.Authority.Root(ctx)
			if err != nil {
				return nil, err
			}
			signed, err := s.Authority.Signed(ctx)
			if err != nil {
				return nil, err
			}
			sum := sha256.Sum256(root.Raw)
			return &body[v1.Authority]{v1.Authority{Subject: root.Subject.String(), Fingerprint: hex.EncodeToString(sum[:]), NotAfter: root.NotAfter.UTC(), Signed: len(signed),
				Certificate: string(authority.PEM(root))}}, nil
		})
}

// PlacePath is the place in a device that holds a certificate.
type PlacePath struct {
	Place string `path:"place" maxLength:"63" doc:"The place in the device that holds it: web"`
}

// foreignOut is a certificate as a device would tell of it.
func foreignOut(device, place string, c *x509.Certificate) v1.DeviceCertificate {
	sum := sha256.Sum256(c.Raw)
	names := slices.Clone(c.DNSNames)
	for _, ip := range c.IPAddresses {
		names = append(names, ip.String())
	}
	return certificateOut(device, network.Certificate{Name: place, Subject: c.Subject.String(), Issuer: c.Issuer.String(), Serial: fmt.Sprintf("%x", c.SerialNumber), Fingerprint: hex.EncodeToString(sum[:]),
		Names: names, NotBefore: c.NotBefore.UTC(), NotAfter: c.NotAfter.UTC()}, false)
}

func certificateOut(device string, c network.Certificate, house bool) v1.DeviceCertificate {
	out := v1.DeviceCertificate{Device: device, Name: c.Name, Subject: c.Subject, Issuer: c.Issuer, Serial: c.Serial, Fingerprint: c.Fingerprint, Names: some(c.Names), UsedBy: some(c.UsedBy),
		NotBefore: c.NotBefore, NotAfter: c.NotAfter, House: house}
	out.Standing = string(c.Standing(time.Now()))
	return out
}
