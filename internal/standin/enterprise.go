package standin

import (
	"cmp"
	"context"
	"crypto/tls"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/eap"
	"example.net/everypost/internal/wire/radius"
)

// A station joins an enterprise network as a RADIUS server says. Servers on this machine are really asked, by EAP over RADIUS (RFC 3579); the made-up one of the house is
// answered for here.

// said is what servers said of a station that wants to join a network.
type said struct {
	of       string // of whom, and who was asked
	answered bool
	accepted bool
	vlan     int // into which it is to be put, 0 for that of the network
	until    time.Time
	asking   bool
}

// A station that was let in is asked for again after a while; one that was not tries again.
const (
	letInFor   = time.Hour
	triesAgain = 20 * time.Second
	patience   = 2 * time.Second // with a server that does not answer
)

// reallyAsked are the servers of a network that are really asked.
func (n networkConfig) reallyAsked() []string {
	return slices.DeleteFunc(slices.Clone(n.servers), func(s string) bool { ip := net.ParseIP(s); return ip == nil || !ip.IsLoopback() })
}

func (n networkConfig) enterprise() bool { return strings.HasSuffix(n.security, "-enterprise") }

// asks is what is asked of a station: another answer holds for another question only.
func (n networkConfig) asks(h *host) string {
	return strings.Join(append([]string{n.ssid, n.secret, h.account(), h.Credential}, n.servers...), "\x00")
}

// account is as whom a station is known to who is asked.
func (h *host) account() string { return strings.ReplaceAll(h.Name, " ", "-") }

// letsIn tells whether an enterprise network takes a station, as far as that is known.
func (n networkConfig) letsIn(h *host) (vlan int, no refusal) {
	really := len(n.reallyAsked()) > 0
	known := really && h.said.of == n.asks(h) && !h.said.until.IsZero()
	switch {
	case really && !known:
		return 0, refusal{step: "authentication"} // it waits for the answer
	case known && h.said.answered && h.said.accepted:
		return cmp.Or(h.said.vlan, n.vlan), refusal{}
	case known && h.said.answered:
		return 0, refusal{"authentication", "refused"}
	case known, !slices.Contains(n.servers, houseRADIUS):
		return 0, refusal{"authentication", "no-answer"}
	case h.Credential != Staff:
		return 0, refusal{"authentication", "refused"}
	}
	return n.vlan, refusal{}
}

// askForStations asks for stations that want to join, and of which nobody said anything yet, or not lately.
func (w *World) askForStations(now time.Time) {
	for _, h := range w.hosts {
		d := w.devices[h.at.device]
		if h.SSID == "" || h.away || h.said.asking || w.running == nil || !w.at(h.at).up {
			continue
		}
		n := d.cfg.inAir(h).network
		if n == nil || !n.enterprise() || len(n.reallyAsked()) == 0 || d.cfg.blocks(h) || h.said.of == n.asks(h) && now.Before(h.said.until) {
			continue
		}
		h.said.asking = true
		q := *n
		point := strings.ToUpper(strings.ReplaceAll(d.chassisMAC(), ":", "-"))
		w.wg.Go(func() { w.askFor(w.running, h, d.spec.Name, point, q) })
	}
}

// askFor asks the servers of a network for a station, one after the other until one answers.
func (w *World) askFor(ctx context.Context, h *host, device, point string, n networkConfig) {
	got := said{of: n.asks(h)}
	c := radius.Client{Secret: []byte(n.secret), Timeout: patience, Name: device}
	for _, server := range n.reallyAsked() {
		peer := &eap.Peer{Outside: h.account(), Name: h.account(), Password: h.Credential, TLS: &tls.Config{RootCAs: w.opts.Trusts, ServerName: radiusName}}
		address := net.JoinHostPort(server, strconv.Itoa(cmp.Or(w.opts.RADIUSPort, 1812)))
		joins, err := c.Join(ctx, address, radius.Station{Name: h.account(), MAC: strings.ReplaceAll(h.MAC, ":", "-"), Network: point + ":" + n.ssid}, peer)
		peer.Close()
		if err == nil {
			got.answered, got.accepted, got.vlan = true, joins.Accepted, joins.VLAN
			break
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	wait := triesAgain
	if got.accepted {
		wait = letInFor
	}
	got.until = w.clock.now().Add(wait)
	same := got
	same.until, same.asking = h.said.until, h.said.asking
	news := same != h.said
	if h.said = got; news {
		h.air = inAir{}
		w.settle()
	}
}

// radiusName is the name that the certificate of a server has.
const radiusName = "radius.example.net"
