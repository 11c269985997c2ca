package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/overlays"
	"example.net/everypost/internal/store"
)

// tunnelRoutes are about the tunnels that join sites.
func (s *server) tunnelRoutes(api huma.API) {
	see, change := may(rights.See, rights.Devices), may(rights.Change, rights.Ports)
	register(s, api, see, http.MethodGet, "/tunnels", "list-tunnels", "The tunnels between sites, each once with both its ends, and why those are down that are",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: at which edges"`
		}) (*body[v1.List[v1.JoinedTunnel]], error) {
			picked, err := s.edgesPicked(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			list, err := s.Overlays.Tunnels(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.JoinedTunnel{}
			for _, j := range list {
				if j.B != nil && !picked[j.A.Device] { // seen from the end that was asked for
					j = turned(j)
				}
				if picked[j.A.Device] {
					out = append(out, s.tunnelOut(ctx, j))
				}
			}
			slices.SortFunc(out, func(a, b v1.JoinedTunnel) int {
				return cmp.Or(strings.Compare(a.Near.Device, b.Near.Device), strings.Compare(a.Name, b.Name))
			})
			return listOf(out, func(t v1.JoinedTunnel) v1.JoinedTunnel { return t }), nil
		})
	register(s, api, change, http.MethodPost, "/tunnels", "plan-tunnels", "Put into a draft that edges are joined: two of them, hubs and spokes, or each with each other. Both ends are set, with a new key",
		func(ctx context.Context, in *body[v1.TunnelPlanRequest]) (*body[v1.TunnelPlan], error) {
			return s.planTunnels(ctx, in.Body)
		})
	register(s, api, change, http.MethodPost, "/tunnels/removed", "remove-tunnel", "Put into a draft that both ends of a tunnel are taken away",
		func(ctx context.Context, in *body[v1.TunnelRemoval]) (*body[v1.BulkAnswer], error) {
			j, err := s.tunnelAt(ctx, in.Body.Device, in.Body.Name)
			if err != nil {
				return nil, err
			}
			rows := []v1.BulkRow{absent(j.A)}
			if j.B != nil {
				rows = append(rows, absent(*j.B))
			}
			list, err := s.rows(ctx, rows)
			if err != nil {
				return nil, err
			}
			return s.bulk(ctx, in.Body.Change, cmp.Or(in.Body.Why, "Take tunnel "+in.Body.Name+" away"), list)
		})
	register(s, api, see, http.MethodGet, "/tunnels/sheet", "get-tunnel-sheet", "What who sets up the other end of a tunnel has to know; without the key",
		func(ctx context.Context, in *struct {
			Device string `query:"device" required:"true" minLength:"1" maxLength:"63"`
			Name   string `query:"name" required:"true" minLength:"1" maxLength:"63"`
		}) (*body[v1.TunnelSheet], error) {
			j, err := s.tunnelAt(ctx, in.Device, in.Name)
			if err != nil {
				return nil, err
			}
			return &body[v1.TunnelSheet]{s.sheetOf(ctx, j)}, nil
		})
}

func turned(j overlay.Joined) overlay.Joined {
	return overlay.Joined{A: *j.B, B: &j.A, Far: j.A.Device, FarPort: j.A.Told.Port}
}

func absent(e overlay.Side) v1.BulkRow {
	return v1.BulkRow{On: []string{e.Device + ":" + setting.TunnelObject(e.Told.Name)}, Set: map[string]string{setting.Present: "off"}}
}

// edgesPicked are the devices that a selector picks, as far as who asks may see them.
func (s *server) edgesPicked(ctx context.Context, where string) (map[string]bool, error) {
	q, err := s.asked(ctx, selector.Device, where)
	if err != nil {
		return nil, err
	}
	out := map[string]bool{}
	for _, d := range s.Inventory.Devices(q).Rows {
		out[d.Name] = true
	}
	return out, nil
}

// tunnelAt is a tunnel of a device, if who asks may see that.
func (s *server) tunnelAt(ctx context.Context, device, name string) (overlay.Joined, error) {
	if err := s.onDevice(ctx, may(rights.See, rights.Devices), device); err != nil {
		return overlay.Joined{}, missing(err, device)
	}
	j, err := s.Overlays.Tunnel(ctx, device, name)
	if errors.Is(err, overlays.ErrNotFound) {
		err = fmt.Errorf("tunnel %s of %s: %w", name, device, store.ErrNotFound)
	}
	return j, err
}

func (s *server) addressOf(device, port string) string {
	_, ports, err := s.Inventory.Device(device)
	if err != nil {
		return ""
	}
	for _, p := range ports {
		if p.Ref.Port == port && len(p.State.Addresses) > 0 {
			address, _, _ := strings.Cut(p.State.Addresses[0], "/")
			return address
		}
	}
	return ""
}

func (s *server) tunnelOut(ctx context.Context, j overlay.Joined) v1.JoinedTunnel {
	end := func(e overlay.Side) v1.TunnelEnd {
		out := v1.TunnelEnd{Device: e.Device, Port: e.Told.Port, Address: s.addressOf(e.Device, e.Told.Port), Local: prefixTexts(e.Told.Local), Remote: prefixTexts(e.Told.Remote), Fault: e.Seen.Fault, Underlay: e.Seen.Underlay}
		if e.Seen.Up {
			out.DelayMs = e.Seen.DelayMs
		}
		return out
	}
	out := v1.JoinedTunnel{Name: j.A.Told.Name, Purpose: j.A.Told.Purpose, Near: end(j.A), Peer: j.A.Told.Peer, Foreign: j.Far == "", Up: j.Up(), Since: momentOf(j.A.Seen.Changed), Encryption: j.A.Told.Encryption, Group: j.A.Told.Group, Why: []string{}}
	out.RekeyMin, _ = strconv.Atoi(j.A.Told.RekeyMinute)
	if j.A.Told.To.IsValid() {
		out.To = j.A.Told.To.String()
	}
	if !s.seesFar(ctx, j) {
		out.To, out.Peer = "", ""
		if !out.Up {
			out.Why = append(out.Why, words.English.Tunnel(overlay.Why{Code: overlay.WhyUnseen, Args: map[string]any{"name": out.Name, "device": j.A.Device}}))
		}
		return out
	}
	if j.B != nil {
		far := end(*j.B)
		out.Far = &far
	}
	for _, w := range j.Why() {
		out.Why = append(out.Why, words.English.Tunnel(w))
	}
	return out
}

// seesFar tells whether who asks may know where a tunnel ends: at an edge that he may see, or at another house.
func (s *server) seesFar(ctx context.Context, j overlay.Joined) bool {
	return j.Far == "" || s.Inventory.HoldsDevice(j.Far, within(ctx, rights.See, rights.Devices))
}

func prefixTexts(list []netip.Prefix) []string {
	out := make([]string, len(list))
	for i, p := range list {
		out[i] = p.String()
	}
	return out
}

func (s *server) planTunnels(ctx context.Context, r v1.TunnelPlanRequest) (*body[v1.TunnelPlan], error) {
	wish := overlays.Wish{Name: r.Name, With: overlay.Terms{Encryption: r.Encryption, Group: r.Group, Purpose: r.Purpose}, Over: map[string]bool{}}
	for _, p := range r.Over {
		wish.Over[p] = true
	}
	two, star, mesh := r.A+r.B != "", r.Hubs+r.Spokes != "", r.Mesh != ""
	pick := func(where string) ([]string, error) { return s.edgesAmong(ctx, where) }
	var err error
	switch {
	case two && !star && !mesh && r.A != "" && r.B != "":
		if wish.A, err = s.endNamed(ctx, r.A); err != nil {
			return nil, err
		}
		wish.B, err = s.endNamed(ctx, r.B)
	case star && !two && !mesh && r.Hubs != "" && r.Spokes != "":
		if wish.Hubs, err = pick(r.Hubs); err != nil {
			return nil, err
		}
		wish.Ends, err = pick(r.Spokes)
	case mesh && !two && !star:
		wish.Ends, err = pick(r.Mesh)
	default:
		err = fmt.Errorf("%w: say either a and b, or hubs and spokes, or mesh", errInvalid)
	}
	if err == nil && r.Name != "" && !two {
		err = fmt.Errorf("%w: name: several tunnels cannot have one name", errInvalid)
	}
	if err == nil && r.Name != "" {
		if bad := network.CheckName(r.Name); bad != nil {
			err = fmt.Errorf("%w: name: %w", errInvalid, bad)
		}
	}
	if err != nil {
		return nil, err
	}
	pairs, there, err := s.Overlays.Plan(ctx, wish)
	if err != nil {
		return nil, err
	}
	out := v1.TunnelPlan{Tunnels: []v1.PlannedTunnel{}, There: there}
	rows := make([]v1.BulkRow, 0, 2*len(pairs))
	for _, p := range pairs {
		out.Tunnels = append(out.Tunnels, v1.PlannedTunnel{Name: p.Name, A: p.A.Port.String(), B: p.B.Port.String()})
		a, b := p.Sets(wish.With, overlays.NewKey())
		object := setting.TunnelObject(p.Name)
		rows = append(rows, v1.BulkRow{On: []string{p.A.Port.Device + ":" + object}, Set: a}, v1.BulkRow{On: []string{p.B.Port.Device + ":" + object}, Set: b})
	}
	if r.Try || len(pairs) == 0 {
		return &body[v1.TunnelPlan]{out}, nil
	}
	list, err := s.rows(ctx, rows)
	if err != nil {
		return nil, err
	}
	why := fmt.Sprintf("Join %s and %s", pairs[0].A.Port.Device, pairs[0].B.Port.Device)
	if len(pairs) > 1 {
		why = fmt.Sprintf("Join sites by %d tunnels", len(pairs))
	}
	answer, err := s.bulk(ctx, r.Change, cmp.Or(r.Why, why), list)
	if err != nil {
		return nil, err
	}
	out.Answer = &answer.Body
	return &body[v1.TunnelPlan]{out}, nil
}

// edgesAmong are the edges that a selector picks: other devices have no tunnels.
func (s *server) edgesAmong(ctx context.Context, where string) ([]string, error) {
	q, err := s.asked(ctx, selector.Device, where)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, d := range s.Inventory.Devices(q).Rows {
		if d.Config.Has(setting.Tunnels) {
			out = append(out, d.Name)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%w: %q picks no edge", errInvalid, where)
	}
	return out, nil
}

// endNamed reads device:port or device, of a device that who asks may see.
func (s *server) endNamed(ctx context.Context, text string) (network.PortRef, error) {
	ref := network.PortRef{Device: text}
	if strings.Contains(text, ":") {
		var err error
		if ref, err = network.ParsePortRef(text); err != nil {
			return ref, fmt.Errorf("%w: %w", errInvalid, err)
		}
	}
	return ref, missing(s.onDevice(ctx, may(rights.See, rights.Devices), ref.Device), ref.Device)
}

// sheetOf turns what the near end is told into what the other one is to be told.
func (s *server) sheetOf(ctx context.Context, j overlay.Joined) v1.TunnelSheet {
	t := j.A.Told
	or := func(list []string) string { return cmp.Or(strings.Join(list, ", "), setting.AnyNetwork) }
	to := ""
	if t.To.IsValid() {
		to = t.To.String()
	}
	if !s.seesFar(ctx, j) {
		to, t.Peer = "", ""
	}
	return v1.TunnelSheet{Name: t.Name, Device: j.A.Device, Caution: "The pre-shared key is not on this sheet: tell it on another way, to a person whom you know.",
		Lines: []v1.TunnelSheetRow{
			{What: "Protocol", Value: "IPsec tunnel mode (RFC 4301), kept by IKEv2 (RFC 7296)"}, {What: "Your address", Value: to}, {What: "Our address", Value: s.addressOf(j.A.Device, t.Port)},
			{What: "Your identity", Value: t.Peer}, {What: "Our identity", Value: j.A.Host}, {What: "Authentication", Value: "pre-shared key"},
			{What: "Encryption", Value: encryptions[t.Encryption]}, {What: "Key exchange group", Value: t.Group}, {What: "New keys every", Value: t.RekeyMinute + " min"},
			{What: "Your networks", Value: or(prefixTexts(t.Remote))}, {What: "Our networks", Value: or(prefixTexts(t.Local))},
		}}
}

// encryptions are the names of the registry of IANA of what is said shorter here.
var encryptions = map[string]string{
	"aes-gcm-256": "ENCR_AES_GCM_16, 256 bits, PRF_HMAC_SHA2_256", "aes-gcm-128": "ENCR_AES_GCM_16, 128 bits, PRF_HMAC_SHA2_256",
	"aes-cbc-256": "ENCR_AES_CBC, 256 bits, AUTH_HMAC_SHA2_256_128, PRF_HMAC_SHA2_256", "chacha20-poly1305": "ENCR_CHACHA20_POLY1305, PRF_HMAC_SHA2_256",
}
