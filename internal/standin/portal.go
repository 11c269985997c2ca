package standin

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// portalConfig is a page on which guests are received (ep-wireless).
type portalConfig struct{ address, key string }

// admission is that of a guest: until when, and how fast.
type admission struct {
	until time.Time
	kbps  int
}

// passFor is how long what an access point says of a station is good.
const passFor = 30 * time.Minute

func (c *compiled) compilePortals(wl *xmlnode.Node) {
	c.wireless.portals = map[string]portalConfig{}
	for _, n := range wl.All("portal") {
		c.wireless.portals[n.TextAt("name")] = portalConfig{n.TextAt("address"), n.TextAt("key")}
	}
}

func validatePortals(wl *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	known := map[string]bool{}
	for _, n := range wl.All("portal") {
		known[n.TextAt("name")] = true
	}
	for _, n := range wl.All("network") {
		if p := n.TextAt("portal"); p != "" && !known[p] {
			fault(netconf.TagDataMissing, "/wireless/network[name='"+n.TextAt("name")+"']/portal", "there is no portal %s on this device", p)
		}
	}
}

// holds tells whether a station is held at a portal: it has joined, and was not admitted.
func (d *device) holds(h *host, now time.Time) bool {
	if h.SSID == "" {
		return false
	}
	n := d.cfg.inAir(h).network
	return n != nil && n.portal != "" && !now.Before(d.admitted[h.MAC].until)
}

// kbpsOf is what a station in the air may send and receive at most; 0 for no limit.
func (d *device) kbpsOf(h *host, now time.Time) int {
	if h.SSID == "" {
		return 0
	}
	most := 0
	if n := d.cfg.inAir(h).network; n != nil {
		most = n.kbps
	}
	if a := d.admitted[h.MAC]; now.Before(a.until) && a.kbps > 0 && (most == 0 || a.kbps < most) {
		most = a.kbps
	}
	if l, is := d.cfg.limited[h.MAC]; is && l.kbps > 0 && (l.until.IsZero() || d.cfg.at.Before(l.until)) && (most == 0 || l.kbps < most) {
		most = l.kbps
	}
	return most
}

// stationLimit is what one station may send and receive, and until when that holds; zero: for good.
type stationLimit struct {
	kbps  int
	until time.Time
}

// atItsRate takes off what a station may not send and receive.
func (d *device) atItsRate(h *host, now time.Time, up, down float64, span time.Duration) (float64, float64) {
	if kbps := d.kbpsOf(h, now); kbps > 0 {
		most := float64(kbps) * 1000 / 8 * span.Seconds()
		up, down = min(up, most), min(down, most)
	}
	return up, down
}

// pass is what an access point says of a station that it sends to a portal.
func (d *device) pass(h *host, network string, p portalConfig, now time.Time) url.Values {
	until := strconv.FormatInt(now.Add(passFor).Unix(), 10)
	mac := hmac.New(sha256.New, []byte(p.key))
	mac.Write([]byte(strings.Join([]string{h.MAC, network, d.cfg.hostname, until}, "|")))
	return url.Values{"station": {h.MAC}, "network": {network}, "at": {d.cfg.hostname}, "until": {until}, "sign": {base64.RawURLEncoding.EncodeToString(mac.Sum(nil))}}
}

// here finds a station that is at an access point.
func (d *device) here(how *xmlnode.Node) (*host, error) {
	mac := how.TextAt("station")
	i := slices.IndexFunc(d.world.hostsAt[d.spec.Name], func(h *host) bool { return h.MAC == mac && h.joined(d.cfg) != 0 })
	if i < 0 {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "station %s is not here", mac)
	}
	return d.world.hostsAt[d.spec.Name][i], nil
}

// admit lets a guest through for a time, or no longer.
func (d *device) admit(t *task, how *xmlnode.Node) error {
	mac := how.TextAt("station")
	if t.kind == "dismiss" {
		d.once(t, func() {
			delete(d.admitted, mac)
			d.say(t, "step", mac+" is sent to the portal again")
		})
		return nil
	}
	seconds, err := strconv.Atoi(how.TextAt("for"))
	if err != nil || seconds < 1 || seconds > 31_622_400 {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "it can be admitted for 1 to 31622400 seconds")
	}
	if _, err := d.here(how); err != nil {
		return err
	}
	kbps, _ := strconv.Atoi(how.TextAt("rate"))
	d.once(t, func() {
		if d.admitted == nil {
			d.admitted = map[string]admission{}
		}
		until := d.world.clock.now().Add(time.Duration(seconds) * time.Second)
		d.admitted[mac] = admission{until, kbps}
		d.say(t, "step", fmt.Sprintf("%s is let through until %s", mac, until.UTC().Format("2 Jan 15:04:05 UTC")))
	})
	return nil
}

// backAfter is how long a station that was taken off the air takes to join again.
const backAfter = 3 * time.Second

// disconnect takes a station off the air.
func (d *device) disconnect(t *task, how *xmlnode.Node) error {
	h, err := d.here(how)
	if err != nil {
		return err
	}
	d.once(t, func() {
		w := d.world
		if h.at.device != d.spec.Name || h.away {
			d.say(t, "step", h.MAC+" has left by itself")
			return
		}
		h.away, h.routed, h.in, h.out = true, false, 0, 0
		w.hostsAt[d.spec.Name] = slices.DeleteFunc(w.hostsAt[d.spec.Name], func(o *host) bool { return o == h })
		d.say(t, "step", h.MAC+" is off the air")
		w.after(backAfter, func() {
			if h.away && h.at.device == d.spec.Name {
				h.away = false
				w.hostsAt[d.spec.Name] = append(w.hostsAt[d.spec.Name], h)
			}
		})
	})
	return nil
}
