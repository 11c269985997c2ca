package server

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"example.net/everypost/internal/api/portal"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/guests"
	"example.net/everypost/internal/store"
)

var (
	seeGuests        = may(rights.See, rights.Guests)
	operateGuests    = may(rights.Operate, rights.Guests)
	administerGuests = may(rights.Administer, rights.Guests)
)

// guestRoutes are about guests of wireless networks: on which pages they are received, who came, and vouchers.
func (s *server) guestRoutes(api huma.API) {
	s.portalRoutes(api)
	s.voucherRoutes(api)
	type stayQuery struct {
		Portal  string `query:"portal" maxLength:"63" doc:"Of one portal"`
		Station string `query:"station" maxLength:"17" doc:"Of one station, by its hardware address"`
		State   string `query:"state" enum:"waiting,in,over,turned-away" doc:"Those that stand so"`
		Days    int    `query:"days" minimum:"1" maximum:"90" default:"7" doc:"That came within so many days"`
	}
	register(s, api, seeGuests, http.MethodGet, "/guests", "list-guests", "Guests who came, or ask to be let in, the last one first",
		func(ctx context.Context, in *stayQuery) (*body[v1.List[v1.GuestStay]], error) {
			now := time.Now()
			list, err := s.Guests.Stays(ctx, store.GuestStayQuery{Portal: in.Portal, Station: in.Station, Since: now.AddDate(0, 0, -in.Days), Limit: 5000})
			if err != nil {
				return nil, err
			}
			out := []v1.GuestStay{}
			for _, g := range list {
				if one := s.stayOut(g, now); s.seesGuest(ctx, seeGuests, g) && (in.State == "" || in.State == one.State) {
					out = append(out, one)
				}
			}
			return listOf(out, func(g v1.GuestStay) v1.GuestStay { return g }), nil
		})
	type verdictInput struct {
		NumberPath
		Body v1.GuestVerdict
	}
	register(s, api, operateGuests, http.MethodPost, "/guests/{number}", "decide-guest", "Let a guest in who waits, turn him away, or end his time",
		func(ctx context.Context, in *verdictInput) (*body[v1.GuestStay], error) {
			g, err := s.Guests.Stay(ctx, in.Number)
			if err == nil && !s.seesGuest(ctx, seeGuests, g) {
				err = store.ErrNotFound
			}
			if err = missing(err, "guest "+strconv.FormatInt(in.Number, 10)); err != nil {
				return nil, err
			}
			var refused error
			if !s.seesGuest(ctx, operateGuests, g) {
				refused = with(http.StatusForbidden, v1.ProblemForbidden, fmt.Errorf("you have not the right to %s at %s", operateGuests, cmp.Or(g.Device, "places of the past")))
			}
			err = s.act(ctx, "decide-guest", fmt.Sprintf("%s of %s: %s", g.Station, g.Portal, in.Body.Act), refused, func(by string) (err error) {
				switch in.Body.Act {
				case "let-in":
					g, err = s.Guests.LetIn(ctx, in.Number, in.Body.Minutes, by)
				case "turn-away":
					g, err = s.Guests.TurnAway(ctx, in.Number, in.Body.Why, by)
				default:
					g, err = s.Guests.End(ctx, in.Number, by)
				}
				return err
			})
			return &body[v1.GuestStay]{s.stayOut(g, time.Now())}, err
		})
}

// seesGuest tells whether who makes the request has a right about a guest: at the access point by which he came.
func (s *server) seesGuest(ctx context.Context, n need, g guest.Stay) bool {
	if g.Device == "" {
		return everywhere(ctx, n.Verb, n.Feature)
	}
	return s.Inventory.HoldsDevice(g.Device, within(ctx, n.Verb, n.Feature))
}

func (s *server) stayOut(g guest.Stay, now time.Time) v1.GuestStay {
	out := v1.GuestStay{Number: g.Number, Portal: g.Portal, Station: g.Station, Name: g.Name, Visits: g.Host, Network: g.Network, Device: g.Device, State: string(g.StateAt(now)), AskedAt: g.AskedAt,
		InSince: momentOf(g.Begun), LetInBy: g.By, EndedBy: g.EndedBy, Why: g.Why, RateKbps: g.Kbps}
	if d, _, err := s.Inventory.Device(g.Device); err == nil {
		out.Site = d.Site.Name
	}
	switch {
	case !g.Ended.IsZero():
		out.Until = momentOf(g.Ended)
	default:
		out.Until = momentOf(g.Ends)
	}
	return out
}

func (s *server) portalRoutes(api huma.API) {
	register(s, api, seeGuests, http.MethodGet, "/guest-portals", "list-guest-portals", "The pages on which guests are received",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.GuestPortal]], error) {
			list, err := s.Guests.Portals(ctx)
			if err != nil {
				return nil, err
			}
			out := make([]v1.GuestPortal, len(list))
			for i, p := range list {
				if out[i], err = s.portalOut(ctx, p); err != nil {
					return nil, err
				}
			}
			return listOf(out, func(p v1.GuestPortal) v1.GuestPortal { return p }), nil
		})
	type portalInput struct {
		NamePath
		Body v1.GuestPortalRequest
	}
	register(s, api, administerGuests, http.MethodPut, "/guest-portals/{name}", "put-guest-portal", "Make a page for guests, or change it",
		func(ctx context.Context, in *portalInput) (*body[v1.GuestPortal], error) {
			if err := s.act(ctx, "put-guest-portal", in.Name, s.wholeNetwork(ctx, administerGuests), func(string) error {
				_, err := s.Guests.Put(ctx, portalIn(in.Name, in.Body))
				return err
			}); err != nil {
				return nil, err
			}
			return s.guestPortal(ctx, in.Name)
		})
	register(s, api, administerGuests, http.MethodDelete, "/guest-portals/{name}", "remove-guest-portal", "Remove a page for guests, with its vouchers; not while access points send stations to it",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-guest-portal", in.Name, s.wholeNetwork(ctx, administerGuests), func(string) error {
				if carry := s.carriers(in.Name); len(carry.devices) > 0 {
					return fmt.Errorf("%w: %d access points send stations to it, such as %s: take it off its networks first", errInvalid, len(carry.devices), carry.devices[0])
				}
				return missing(s.Guests.Drop(ctx, in.Name), "portal "+in.Name)
			})
		})
	type pictureInput struct {
		NamePath
		Body v1.PortalPicture
	}
	registerLarge(s, api, 400_000, administerGuests, http.MethodPut, "/guest-portals/{name}/picture", "put-portal-picture", "Put a picture onto a page for guests, or take it off",
		func(ctx context.Context, in *pictureInput) (*struct{}, error) {
			return nil, s.act(ctx, "put-portal-picture", in.Name, s.wholeNetwork(ctx, administerGuests), func(string) error {
				return missing(s.Guests.PutLogo(ctx, in.Name, in.Body.Picture), "portal "+in.Name)
			})
		})
	type carryInput struct {
		NamePath
		Body v1.PortalCarryRequest
	}
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/guest-portals/{name}/networks", "carry-guest-portal", "Put into a draft that stations of a wireless network are received on a page for guests",
		func(ctx context.Context, in *carryInput) (*body[v1.BulkAnswer], error) {
			return s.carry(ctx, in.Name, in.Body)
		})
	type previewQuery struct {
		NamePath
		Look string `query:"look" maxLength:"100000" doc:"What the page is to be, as JSON of what put-guest-portal takes; as it is when left out"`
	}
	register(s, api, seeGuests, http.MethodGet, "/guest-portals/{name}/preview", "preview-guest-portal", "The page as guests would see it; its form does nothing",
		func(ctx context.Context, in *previewQuery) (*framedPage, error) {
			p, err := s.previewed(ctx, in.Name, in.Look)
			if err != nil {
				return nil, err
			}
			colours, err := json.Marshal(v1.GuestPortalRequest{Look: v1.PortalLook{Accent: p.Look.Accent, Ground: p.Look.Ground}})
			if err != nil {
				return nil, err
			}
			v := portal.View{Portal: p.Portal, Look: p.Shown(), Style: "preview.css?look=" + url.QueryEscape(string(colours)), Preview: true}
			if p.Logo {
				v.Logo = "picture"
			}
			var b bytes.Buffer
			err = portal.Write(&b, v)
			return framed("text/html; charset=utf-8", b.Bytes()), err
		})
	register(s, api, seeGuests, http.MethodGet, "/guest-portals/{name}/preview.css", "preview-guest-portal-style", "The style sheet of that page",
		func(ctx context.Context, in *previewQuery) (*framedPage, error) {
			p, err := s.previewed(ctx, in.Name, in.Look)
			if err != nil {
				return nil, err
			}
			var b bytes.Buffer
			err = portal.WriteStyle(&b, p.Shown())
			return framed("text/css; charset=utf-8", b.Bytes()), err
		})
	register(s, api, seeGuests, http.MethodGet, "/guest-portals/{name}/picture", "get-portal-picture", "The picture on a page for guests (PNG)",
		func(ctx context.Context, in *NamePath) (*framedPage, error) {
			b, err := s.Guests.Logo(ctx, in.Name)
			return framed("image/png", b), missing(err, "picture of portal "+in.Name)
		})
}

// framedPage is something that a browser shows within the console.
type framedPage struct {
	Type    string `header:"Content-Type"`
	Policy  string `header:"Content-Security-Policy"`
	Framing string `header:"X-Frame-Options"`
	Cache   string `header:"Cache-Control"`
	Body    []byte
}

func framed(kind string, content []byte) *framedPage {
	h := http.Header{}
	portal.Protect(h, "'self'")
	return &framedPage{Type: kind, Policy: h.Get("Content-Security-Policy"), Framing: "SAMEORIGIN", Cache: h.Get("Cache-Control"), Body: content}
}

// previewed is a portal as it would be.
func (s *server) previewed(ctx context.Context, name, look string) (store.GuestPortal, error) {
	p, err := s.Guests.Portal(ctx, name)
	if look == "" {
		return p, missing(err, "portal "+name)
	}
	var r v1.GuestPortalRequest
	if err := json.Unmarshal([]byte(look), &r); err != nil {
		return p, fmt.Errorf("%w: look: %w", errInvalid, err)
	}
	would := portalIn(name, r)
	bare := would.Look.Terms == "" // which is looked at before the terms are written
	if bare {
		would.Look.Terms = "-"
	}
	if err := would.Check(); err != nil {
		return p, err
	}
	if bare {
		would.Look.Terms = ""
	}
	p.Portal = would
	return p, nil
}

func portalIn(name string, r v1.GuestPortalRequest) guest.Portal {
	return guest.Portal{Name: name, Title: r.Title, Way: guest.Way(r.Way), Minutes: r.Minutes, Kbps: r.RateKbps, Named: r.AsksForName, Look: guest.Look(r.Look)}
}

func (s *server) guestPortal(ctx context.Context, name string) (*body[v1.GuestPortal], error) {
	p, err := s.Guests.Portal(ctx, name)
	if err != nil {
		return nil, missing(err, "portal "+name)
	}
	out, err := s.portalOut(ctx, p)
	return &body[v1.GuestPortal]{out}, err
}

func (s *server) portalOut(ctx context.Context, p store.GuestPortal) (v1.GuestPortal, error) {
	out := v1.GuestPortal{Name: p.Name, GuestPortalRequest: v1.GuestPortalRequest{Title: p.Title, Way: string(p.Way), Minutes: p.Minutes, RateKbps: p.Kbps, AsksForName: p.Named, Look: v1.PortalLook(p.Look)},
		HasPicture: p.Logo, Address: s.Guests.Address(p.Name), Networks: []string{}, Devices: []string{}}
	carry := s.carriers(p.Name)
	for _, device := range carry.devices {
		if s.Inventory.HoldsDevice(device, within(ctx, rights.See, rights.Devices)) {
			out.Devices = append(out.Devices, device)
			for _, n := range carry.networks[device] {
				if !slices.Contains(out.Networks, n) {
					out.Networks = append(out.Networks, n)
				}
			}
		}
	}
	now := time.Now()
	open, err := s.Guests.Stays(ctx, store.GuestStayQuery{Portal: p.Name, Open: now, Limit: 20_000})
	for _, g := range open {
		if !s.seesGuest(ctx, seeGuests, g) {
			continue
		}
		switch g.StateAt(now) {
		case guest.In:
			out.Inside++
		case guest.Waiting:
			out.Waiting++
		}
	}
	return out, err
}

// carriage is which access points send stations to a portal, and of which networks.
type carriage struct {
	devices  []string
	networks map[string][]string
}

func (s *server) carriers(name string) carriage {
	out := carriage{networks: map[string][]string{}}
	for _, d := range s.Inventory.Devices(catalog.Query{Limit: math.MaxInt, Now: time.Now()}).Rows {
		for _, w := range setting.WLANs(d.Config) {
			if w.Portal == name {
				out.networks[d.Name] = append(out.networks[d.Name], w.Name)
			}
		}
		if len(out.networks[d.Name]) > 0 {
			out.devices = append(out.devices, d.Name)
		}
	}
	slices.Sort(out.devices)
	return out
}

// carry puts a portal before a network, or takes it off, in a draft: in the templates that say what the network is, and on the access points that say so
// themselves.
func (s *server) carry(ctx context.Context, name string, r v1.PortalCarryRequest) (*body[v1.BulkAnswer], error) {
	key, err := s.Guests.Key(ctx, name)
	if err != nil {
		return nil, missing(err, "portal "+name)
	}
	address := s.Guests.Address(name)
	if address == "" && !r.Off {
		return nil, guests.ErrClosed
	}
	q, err := s.asked(ctx, selector.Device, r.Where)
	if err != nil {
		return nil, err
	}
	wlan, object := setting.WLANObject(r.Network), setting.PortalObject(name)
	var on []string // layers and devices that say what the network is
	spoken := map[string]bool{}
	if r.Where == "" {
		draft, err := s.seenDraft(ctx, r.Change)
		if err != nil {
			return nil, err
		}
		templates, err := s.Layers.Templates(ctx, draft)
		if err != nil {
			return nil, err
		}
		for _, t := range templates {
			if _, says := t.Words[wlan]; says {
				on = append(on, intent.TemplateLayer(t.Name))
				for _, p := range t.Picks {
					spoken[p.Device] = true
				}
			}
		}
	}
	for _, d := range s.Inventory.Devices(q).Rows {
		if _, offers := d.Config.Objects[wlan]; offers && !spoken[d.Name] {
			on = append(on, d.Name)
		}
	}
	if len(on) == 0 {
		return nil, fmt.Errorf("%w: network: no access point offers %q", errInvalid, r.Network)
	}
	slices.Sort(on)
	portals, networks := v1.BulkRow{Set: map[string]string{setting.Present: "on", "portal-address": address, "portal-key": key}}, v1.BulkRow{Set: map[string]string{"portal": name}}
	if r.Off {
		networks.Set["portal"] = "none"
	}
	for _, at := range on {
		portals.On, networks.On = append(portals.On, at+":"+object), append(networks.On, at+":"+wlan)
	}
	rows := []v1.BulkRow{portals, networks}
	if r.Off {
		rows = rows[1:]
	}
	list, err := s.rows(ctx, rows)
	if err != nil {
		return nil, err
	}
	return s.bulk(ctx, r.Change, cmp.Or(r.Why, map[bool]string{true: "Receive stations of " + r.Network + " no more", false: "Receive stations of " + r.Network + " on " + name}[r.Off]), list)
}

// onPortal tells whether who makes the request has a right wherever a portal receives guests.
func (s *server) onPortal(ctx context.Context, n need, name string) error {
	if _, err := s.Guests.Portal(ctx, name); err != nil {
		return missing(err, "portal "+name)
	}
	if everywhere(ctx, n.Verb, n.Feature) {
		return nil
	}
	carry := s.carriers(name)
	for _, device := range carry.devices {
		if !s.Inventory.HoldsDevice(device, within(ctx, n.Verb, n.Feature)) {
			return with(http.StatusForbidden, v1.ProblemForbidden, fmt.Errorf("portal %s receives guests at places where you have not the right to %s", name, n))
		}
	}
	if len(carry.devices) == 0 {
		return s.wholeNetwork(ctx, n)
	}
	return nil
}

func (s *server) voucherRoutes(api huma.API) {
	register(s, api, seeGuests, http.MethodGet, "/guest-portals/{name}/vouchers", "list-vouchers", "The vouchers of a page for guests, the newest first; their codes are not kept",
		func(ctx context.Context, in *NamePath) (*body[v1.List[v1.GuestVoucher]], error) {
			if err := s.onPortal(ctx, seeGuests, in.Name); err != nil {
				return nil, err
			}
			list, err := s.Guests.Vouchers(ctx, in.Name)
			now := time.Now()
			return listOf(list, func(v store.GuestVoucher) v1.GuestVoucher { return voucherOut(v, now) }), err
		})
	type orderInput struct {
		NamePath
		Body v1.VoucherOrder
	}
	register(s, api, operateGuests, http.MethodPost, "/guest-portals/{name}/vouchers", "make-vouchers", "Make vouchers, each of which lets one guest in; their codes are answered this once",
		func(ctx context.Context, in *orderInput) (*body[v1.VoucherCodes], error) {
			out := v1.VoucherCodes{}
			err := s.act(ctx, "make-vouchers", fmt.Sprintf("%d for %s", in.Body.Count, in.Name), s.onPortal(ctx, operateGuests, in.Name), func(by string) (err error) {
				out.Codes, err = s.Guests.MakeVouchers(ctx, guests.Order{Portal: in.Name, Count: in.Body.Count, Minutes: in.Body.Minutes, Days: in.Body.Days, Label: in.Body.Label}, by)
				return err
			})
			return &body[v1.VoucherCodes]{out}, err
		})
	type voucherPath struct {
		NamePath
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
	}
	register(s, api, operateGuests, http.MethodDelete, "/guest-portals/{name}/vouchers/{number}", "take-voucher", "Take a voucher back that nobody used",
		func(ctx context.Context, in *voucherPath) (*struct{}, error) {
			return nil, s.act(ctx, "take-voucher", fmt.Sprintf("%d of %s", in.Number, in.Name), s.onPortal(ctx, operateGuests, in.Name), func(string) error {
				return missing(s.Guests.TakeVoucher(ctx, in.Name, in.Number), fmt.Sprintf("unused voucher %d of %s", in.Number, in.Name))
			})
		})
}

func voucherOut(v store.GuestVoucher, now time.Time) v1.GuestVoucher {
	out := v1.GuestVoucher{Number: v.Number, Portal: v.Portal, Ends: v.Hint, Label: v.Label, Minutes: v.Minutes, MadeBy: v.MadeBy, MadeAt: v.MadeAt, GoodTo: v.GoodTo, State: "unused", UsedAt: momentOf(v.UsedAt)}
	switch {
	case !v.UsedAt.IsZero():
		out.State = "used"
	case !v.Taken.IsZero():
		out.State = "taken-back"
	case !now.Before(v.GoodTo):
		out.State = "too-old"
	}
	return out
}
