package netconf

import (
	"context"
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

const (
	maxCertificates = 64
	maxPEM          = 64 << 10
)

// Certifies implements driver.Certifier.
func (s *session) Certifies() bool {
	return announcedFeatures(s.rpc.Peer(), "ep-device")["certificates"]
}

// RequestCertificate implements driver.Certifier.
func (s *session) RequestCertificate(ctx context.Context, name, commonName string, names []string) ([]byte, error) {
	ask := xmlnode.New(nsDevice, "make-request", xmlnode.Leaf(nsDevice, "name", name), xmlnode.Leaf(nsDevice, "common-name", commonName))
	for _, n := range names {
		ask.Add(xmlnode.Leaf(nsDevice, "alternative-name", n))
	}
	reply, err := s.rpc.Do(ctx, ask)
	if err != nil {
		return nil, refusal(err)
	}
	text := reply.TextAt("request")
	return []byte(text[:min(len(text), maxPEM)]), nil
}

// InstallCertificate implements driver.Certifier.
func (s *session) InstallCertificate(ctx context.Context, name string, chain, key []byte) error {
	give := xmlnode.New(nsDevice, "install-certificate", xmlnode.Leaf(nsDevice, "name", name), xmlnode.Leaf(nsDevice, "chain", string(chain)))
	if key != nil {
		give.Add(xmlnode.Leaf(nsDevice, "private-key", string(key)))
	}
	_, err := s.rpc.Do(ctx, give)
	if err != nil {
		return refusal(err)
	}
	return nil
}

func readCertificates(data *xmlnode.Node) (out []network.Certificate) {
	for _, n := range data.Child("device").All("certificate") {
		c := network.Certificate{Name: short(n.TextAt("name")), Subject: short(n.TextAt("subject")), Issuer: short(n.TextAt("issuer")), Serial: short(n.TextAt("serial")), Fingerprint: short(n.TextAt("fingerprint"))}
		var err1, err2 error
		c.NotBefore, err1 = time.Parse(time.RFC3339, n.TextAt("not-before"))
		c.NotAfter, err2 = time.Parse(time.RFC3339, n.TextAt("not-after"))
		if c.Name == "" || err1 != nil || err2 != nil || len(out) == maxCertificates {
			continue
		}
		for _, a := range n.All("alternative-name") {
			c.Names = append(c.Names, short(a.Text))
		}
		for _, u := range n.All("used-by") {
			c.UsedBy = append(c.UsedBy, short(u.Text))
		}
		slices.Sort(c.Names)
		c.NotBefore, c.NotAfter = c.NotBefore.UTC(), c.NotAfter.UTC()
		out = append(out, c)
	}
	return out
}
