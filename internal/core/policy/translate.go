package policy

import (
	"net/netip"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Translation is a translation of addresses, with the sets that it speaks of.
type Translation struct {
	setting.Translation
	from, to                     []int // nil: all
	source, destination, service set
}

// translationsOf looks up the names of the translations of a firewall.
func (p *Policy) translationsOf(c network.Config) (out []Translation) {
	for _, t := range setting.Translations(c) {
		one := Translation{Translation: t, from: p.zonesOf(t.From), to: p.zonesOf(t.To)}
		one.source, one.destination, one.service = p.sets(c, t.Source, t.Destination, t.Service)
		out = append(out, one)
	}
	return out
}

// sets are those of names, nil standing for all.
func (p *Policy) sets(c network.Config, source, destination, service []string) (s, d, v set) {
	s, d, v = allAddresses, allAddresses, allServices
	if source != nil {
		s = p.addresses(c, source)
	}
	if destination != nil {
		d = p.addresses(c, destination)
	}
	if service != nil {
		v = p.services(c, service)
	}
	return s, d, v
}

// Translate returns a session with one of its addresses translated, and by which translation: nil where none fits. Zones are those of the session
// as it is given; of destinations only From counts, for where it goes is not known yet.
func (p *Policy) Translate(kind string, s Session) (Session, *Translation) {
	from, to := slices.Index(p.zones, s.From)+1, slices.Index(p.zones, s.To)+1
	src, dst, svc := p.point(s.Source), p.point(s.Destination), pointOfService(s)
	for i := range p.Translations {
		t := &p.Translations[i]
		if t.Kind != kind || t.from != nil && !slices.Contains(t.from, from) || t.to != nil && !slices.Contains(t.to, to) ||
			!t.source.has(src) || !t.destination.has(dst) || !t.service.has(svc) {
			continue
		}
		switch {
		case !t.Into.IsValid(): // it keeps its own
		case kind == setting.TranslatesSource:
			s.Source = t.Into
		default:
			s.Destination = t.Into
			if t.Port != 0 {
				s.Port = t.Port
			}
		}
		return s, t
	}
	return s, nil
}

// Hides tells whether it translates sources at all: then what none of its translations fits is not answered from where its own address is not known.
func (p *Policy) Hides() bool {
	return slices.ContainsFunc(p.Translations, func(t Translation) bool { return t.Kind == setting.TranslatesSource && t.Into.IsValid() })
}

// Known tells whether an address is answered from everywhere: it is neither private (RFC 1918, RFC 4193) nor shared (RFC 6598) nor of one link.
func Known(a netip.Addr) bool {
	return a.IsGlobalUnicast() && !a.IsPrivate() && !shared.Contains(a)
}

var shared = netip.MustParsePrefix("100.64.0.0/10")
