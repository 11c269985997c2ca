package standin

import (
	"maps"
	"net/netip"
	"slices"
	"strings"
)

// letter is mail that somebody delivers.
type letter struct {
	from   string
	text   string
	source netip.Addr // of who delivers it
}

// letterBag is what visitors write to the house: most of it about ferries, some of it not.
var letterBag = []struct{ from, text string }{
	{"purser@isles-hotel.example", "Two cabins for the evening boat"}, {"win@lottery.example", "You have won a large sum"}, {"friend@pills.example", "Cheap medicine, no questions asked"},
	{"orders@rope-works.example", "Your mooring lines are ready"}, {"clerk@harbour-board.example", "Berth four next week"}, {"news@offers.lottery.example", "Last chance to win"},
}

// listed are who stands in lists of the domain name system, by list (RFC 5782).
var listed = map[string]map[string]bool{"listed.example.net": {"203.0.113.100": true, "203.0.113.106": true}}

// letterOf is what a visitor delivers.
func letterOf(i int, source netip.Addr) *letter {
	l := letterBag[i%len(letterBag)]
	return &letter{l.from, l.text, source}
}

// refuses tells why an inspection lets no such mail in, "" where it does.
func (i *inspection) refuses(l *letter) string {
	if l == nil {
		return ""
	}
	_, domain, _ := strings.Cut(l.from, "@")
	for _, s := range slices.Sorted(maps.Keys(i.senders)) {
		if l.from == s || domain == s || strings.HasSuffix(domain, "."+s) {
			return "from " + s
		}
	}
	for _, name := range slices.Sorted(maps.Keys(i.lists)) {
		if listed[name][l.source.String()] {
			return "of who is in " + name
		}
	}
	text := strings.Fields(strings.ToLower(strings.NewReplacer(",", " ", ".", " ").Replace(l.text)))
	for _, w := range slices.Sorted(maps.Keys(i.words)) {
		if slices.Contains(text, w) {
			return "with " + w
		}
	}
	return ""
}

// delivered is what visitors bring to a port.
func delivered(i, port int, source netip.Addr) content {
	if port != 25 {
		return content{}
	}
	return content{application: "mail", category: "mail", letter: letterOf(i, source)}
}
