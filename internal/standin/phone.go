package standin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// Phone is a station in the air as somebody uses it: it surfs, and its access point sends it to a portal where it is held.
type Phone struct {
	w    *World
	mac  string
	HTTP *http.Client
}

// Phone returns the station of a hardware address.
func (w *World) Phone(mac string) *Phone {
	p := &Phone{w: w, mac: mac}
	jar, _ := cookiejar.New(nil)
	p.HTTP = &http.Client{Transport: p, Timeout: 20 * time.Second, Jar: jar}
	return p
}

// ErrNoNetwork tells that a station has none: it did not join, or nobody answers.
var ErrNoNetwork = errors.New("the station has no network")

// stands is where a phone stands: the portal at which it is held, if it is, and what its access point says of it.
func (p *Phone) stands() (portal portalConfig, pass url.Values, held bool, err error) {
	w := p.w
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, h := range w.hosts {
		if h.MAC != p.mac {
			continue
		}
		d := w.devices[h.at.device]
		if h.away || h.SSID == "" || h.joined(d.cfg) == 0 || !d.ports[h.at.port].up {
			return portal, nil, false, ErrNoNetwork
		}
		now, n := w.clock.now(), d.cfg.inAir(h).network
		portal = d.cfg.wireless.portals[n.portal]
		return portal, d.pass(h, n.name, portal, now), d.holds(h, now), nil
	}
	return portal, nil, false, fmt.Errorf("there is no station %s", p.mac)
}

// CaptiveAPI is what DHCP told of a portal (RFC 8910); "" where it told of none.
func (p *Phone) CaptiveAPI() (string, error) {
	portal, pass, _, err := p.stands()
	if err != nil || portal.address == "" {
		return "", err
	}
	return portal.address + "/api?" + pass.Encode(), nil
}

// Held tells whether it is held at a portal.
func (p *Phone) Held() bool {
	_, _, held, err := p.stands()
	return err == nil && held
}

// RoundTrip implements http.RoundTripper: what a phone asks of the portal goes there; all else is redirected while it is held, and answered by the
// world outside when it is not.
func (p *Phone) RoundTrip(r *http.Request) (*http.Response, error) {
	portal, pass, held, err := p.stands()
	if err != nil {
		return nil, err
	}
	if base, err := url.Parse(portal.address); err == nil && base.Host == r.URL.Host && base.Host != "" {
		return http.DefaultTransport.RoundTrip(r)
	}
	answer := func(status int, header http.Header, text string) (*http.Response, error) {
		return &http.Response{StatusCode: status, Status: http.StatusText(status), Proto: "HTTP/1.1", ProtoMajor: 1, ProtoMinor: 1, Header: header, Body: io.NopCloser(strings.NewReader(text)), ContentLength: int64(len(text)), Request: r}, nil
	}
	switch {
	case !held:
		return answer(http.StatusOK, http.Header{"Content-Type": {"text/plain"}}, "The world outside.")
	case r.URL.Scheme != "http", portal.address == "":
		return nil, errors.New("nobody answers: the station is held at a portal")
	}
	return answer(http.StatusFound, http.Header{"Location": {portal.address + "?" + pass.Encode()}, "Cache-Control": {"no-store"}}, "")
}

// Page is what a phone shows.
type Page struct {
	Status int
	At     *url.URL
	Text   string     // what is to be read
	Form   url.Values // the fields of its form, filled in as they come; nil for none
	Send   *url.URL   // where the form goes
}

// Get shows an address of the web.
func (p *Phone) Get(ctx context.Context, address string) (Page, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return Page{}, err
	}
	return p.show(r)
}

// Submit sends the form of a page.
func (p *Phone) Submit(ctx context.Context, page Page, fill map[string]string) (Page, error) {
	if page.Form == nil {
		return page, errors.New("the page has no form")
	}
	for name, value := range fill {
		page.Form.Set(name, value)
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, page.Send.String(), strings.NewReader(page.Form.Encode()))
	if err != nil {
		return Page{}, err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return p.show(r)
}

const mostPage = 1 << 20

func (p *Phone) show(r *http.Request) (Page, error) {
	resp, err := p.HTTP.Do(r)
	if err != nil {
		return Page{}, err
	}
	defer func() { _ = resp.Body.Close() }()
	root, err := html.Parse(io.LimitReader(resp.Body, mostPage))
	if err != nil {
		return Page{}, err
	}
	out := Page{Status: resp.StatusCode, At: resp.Request.URL}
	var text strings.Builder
	for n := range root.Descendants() {
		switch {
		case n.Type == html.TextNode && n.Parent.DataAtom != atom.Style && n.Parent.DataAtom != atom.Title:
			if s := strings.TrimSpace(n.Data); s != "" {
				text.WriteString(s + "\n")
			}
		case n.DataAtom == atom.Form:
			out.Form, out.Send = url.Values{}, resp.Request.URL
			if to := attribute(n, "action"); to != "" {
				out.Send, _ = resp.Request.URL.Parse(to)
			}
		case n.DataAtom == atom.Input && out.Form != nil:
			if name := attribute(n, "name"); name != "" && attribute(n, "type") != "checkbox" {
				out.Form.Set(name, attribute(n, "value"))
			} else if name != "" {
				out.Form.Set(name, "") // not ticked
			}
		}
	}
	out.Text = text.String()
	return out, nil
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// Captive asks the portal whether it is let through (RFC 8908).
func (p *Phone) Captive(ctx context.Context) (out struct {
	Captive   bool   `json:"captive"`
	Page      string `json:"user-portal-url"`
	Remaining int    `json:"seconds-remaining"`
}, kind string, err error) {
	address, err := p.CaptiveAPI()
	if err != nil || address == "" {
		return out, "", err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return out, "", err
	}
	resp, err := p.HTTP.Do(r)
	if err != nil {
		return out, "", err
	}
	defer func() { _ = resp.Body.Close() }()
	return out, resp.Header.Get("Content-Type"), json.NewDecoder(io.LimitReader(resp.Body, mostPage)).Decode(&out)
}

// guestNames are those of people who wait for ferries.
var guestNames = []string{"Alma Teal", "Bo Marsh", "Cora Wren", "Dirk Sand", "Elin Foss", "Finn Gale", "Gull Ashby", "Hanne Reef", "Ivo Tarn", "Juno Pike", "Kit Shoal", "Lene Brook"}

// oftenest is how long a guest waits before he tries again.
const oftenest = 30 * time.Second

// receive has guests who are held at a portal do what it asks for, as far as they can.
func (w *World) receive(ctx context.Context) {
	var busy sync.Map
	room := make(chan struct{}, 4)
	last := map[string]time.Time{}
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		w.mu.Lock()
		now := w.clock.now()
		var held []*host
		for _, h := range w.hosts {
			if h.SSID != "" && !h.away && now.Sub(last[h.MAC]) > oftenest && w.devices[h.at.device].holds(h, now) {
				held = append(held, h)
			}
		}
		w.mu.Unlock()
		for _, h := range held {
			if _, is := busy.LoadOrStore(h.MAC, true); is {
				continue
			}
			last[h.MAC] = now
			w.wg.Go(func() {
				defer busy.Delete(h.MAC)
				select {
				case room <- struct{}{}:
				case <-ctx.Done():
					return
				}
				defer func() { <-room }()
				p, name := w.Phone(h.MAC), guestNames[hashOf(h.MAC)%uint32(len(guestNames))]
				if page, err := p.Get(ctx, "http://weather.example/"); err == nil && page.Form != nil {
					_, _ = p.Submit(ctx, page, map[string]string{"name": name, "host": "the desk", "agreed": "yes"})
				}
			})
		}
	}
}
