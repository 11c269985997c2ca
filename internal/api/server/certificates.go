package server

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
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

func certificateOut(device string, c network.Certificate, house bool) v1.DeviceCertificate {
	out := v1.DeviceCertificate{Device: device, Name: c.Name, Subject: c.Subject, Issuer: c.Issuer, Serial: c.Serial, Fingerprint: c.Fingerprint, Names: some(c.Names), UsedBy: some(c.UsedBy),
		NotBefore: c.NotBefore, NotAfter: c.NotAfter, House: house}
	out.Standing = string(c.Standing(time.Now()))
	return out
}
