package store

import (
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/testing/race"
)

// world is the same small network in the store and in memory, made of chance.
type world struct {
	store   *Store
	net     catalog.Net
	events  []Event
	clients map[string][]*catalog.Client
	now     time.Time
}

func newWorld(t *testing.T, r *rand.Rand) *world {
	s, err := Open(t.Context(), filepath.Join(t.TempDir(), "everypost.db"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	w := &world{store: s, clients: map[string][]*catalog.Client{}, now: time.Date(2026, 3, 1, 12, 0, 0, 500_000_000, time.UTC)}
	pick := func(words ...string) string { return words[r.IntN(len(words))] }
	ago := func() time.Time {
		if r.IntN(5) == 0 {
			return time.Time{}
		}
		return w.now.Add(-time.Duration(r.IntN(200)) * time.Hour).Truncate(time.Second)
	}
	sites := []network.Site{
		{Name: "tern-haven", Title: "Tern Haven Términal", Code: "TH", Contact: "Ada Quill"},
		{Name: "kelp-bay", Title: "Kelp Bay dry dock", Address: "1 Slip Road"},
		{Name: "empty", Title: "Nobody is here"},
	}
	for _, site := range sites {
		require.NoError(t, s.PutSite(t.Context(), site))
	}
	w.net.SetSites(sites)
	for i := range 12 {
		d := Device{Name: fmt.Sprintf("%s-%02d", pick("th-sw", "kb-ap"), i), Site: sites[r.IntN(2)].Name, Address: pick("10.20.1.", "10.40.2.") + fmt.Sprint(i) + ":830",
			User: "fleet", Secret: []byte{1}, HostKey: "k", EnrolledAt: ago(), SeenAt: ago(),
			Identity: network.Identity{Kind: network.Kind(pick(network.Kinds()...)), Maker: pick("Halyard", "Foghorn"), Model: pick("H24P", "h48p", "A2"), Serial: fmt.Sprint("S-", i),
				Firmware: pick("4.1.6", "4.10", "4.2rc1", ""), BootedAt: ago()},
			Particulars: network.Particulars{Contact: pick("", "Bram Oar"), Building: pick("", "Quay House"), Floor: pick("", "1"), Rack: pick("", "R1"), Notes: pick("", "Über dem Tor")},
		}
		for _, tag := range []string{"camera", "Spare", "critical"} {
			if r.IntN(3) == 0 {
				d.Tags = append(d.Tags, tag)
			}
		}
		if i == 3 {
			d.Address = "[fd00::3]:2830"
		}
		require.NoError(t, s.AddDevice(t.Context(), d))
		config := network.Config{Ports: map[string]network.PortConfig{}}
		state := network.State{Ports: map[string]network.PortState{}}
		for p := range r.IntN(4) {
			name := fmt.Sprint("1/1/", p+9)
			c := network.PortConfig{Description: pick("", "Gate camera 3", "uplink"), Enabled: r.IntN(2) == 0, HasPoE: r.IntN(2) == 0, PoE: r.IntN(2) == 0}
			switch c.Mode = network.PortMode(pick("", "access", "trunk")); c.Mode {
			case network.Access:
				c.AccessVLAN = network.VLANID(r.IntN(3) * 10)
			case network.Trunk:
				c.NativeVLAN = network.VLANID(r.IntN(2) * 10)
				if r.IntN(2) == 0 {
					c.TrunkVLANs = network.NewVLANSet(20, 30, 40)
				}
			}
			st := network.PortState{Oper: network.Up, Changed: ago(), SpeedMbps: r.IntN(2) * 1000, MAC: pick("", "02:45:50:00:00:01"), PoEMilliW: r.IntN(3) * 2500, PoEClass: r.IntN(5),
				Counters: network.Counters{RxOctets: uint64(r.IntN(3)), RxErrors: uint64(r.IntN(2)), TxErrors: uint64(r.IntN(2)), TxDiscards: uint64(r.IntN(2))}}
			if r.IntN(3) == 0 {
				st.Neighbour = &network.Neighbour{SystemName: "th-sw-09", PortID: "1/1/1"}
			}
			config.Ports[name], state.Ports[name] = c, st
		}
		require.NoError(t, s.Observe(t.Context(), Observation{Device: d.Name, At: d.SeenAt, Config: &config, State: state}))
		row, ports := catalog.NewDevice(catalog.Record{Name: d.Name, Address: d.Address, EnrolledAt: d.EnrolledAt, Particulars: d.Particulars},
			catalog.Sight{Identity: d.Identity, Reach: network.ReachConnected, SeenAt: d.SeenAt, Config: config, State: state},
			w.net.Site(d.Site), func(string) string { return "" })
		w.net.Put(row, ports)
		for n := range r.IntN(4) {
			c := Client{Sighting: catalog.Sighting{MAC: fmt.Sprintf("02:a1:00:00:%02x:%02x", i, n), DeviceID: d.Name, VLAN: network.VLANID(r.IntN(3) * 10), Address: pick("", "10.20.1.5", "10.40.2.9"),
				OwnName: pick("", "Gate-3", "über"), System: pick("", "Petrel 12")}, FirstSeen: ago(), LastSeen: ago()}
			var at *catalog.Port
			if c.SSID = pick("", "Lantern Crew"); c.SSID == "" {
				if c.Port = "1/1/9"; len(ports) > 0 && r.IntN(4) > 0 {
					at = ports[0]
					c.Port = at.Ref.Port
				} else {
					c.Port = "9/9/9" // the port is not there any more
				}
			} else {
				c.Band = "5 GHz"
			}
			require.NoError(t, s.PutClients(t.Context(), []Client{c}))
			if r.IntN(3) == 0 {
				c.GivenName = "Printer"
				require.NoError(t, s.NameClient(t.Context(), c.MAC, c.GivenName))
			}
			w.clients[d.Name] = append(w.clients[d.Name], catalog.NewClient(c.Sighting, c.GivenName, "", c.FirstSeen, c.LastSeen, true, row, at))
		}
		w.net.SetClients(d.Name, w.clients[d.Name])
		for range r.IntN(4) {
			e := Event{Fact: fact.Fact{At: ago().Add(time.Microsecond)}, Kind: pick("port", "device", "config"), Device: d.Name, Text: pick("It lost its link.", "It is GONE.")}
			for p := range config.Ports {
				if e.Kind == "port" {
					e.Port = p
				}
			}
			e.Number = -int64(len(w.events) + 1)
			require.NoError(t, s.ImportEvents(t.Context(), []Event{e}))
			w.events = append(w.events, e)
		}
	}
	return w
}

// expression draws one of the fields that are kept.
func expression(r *rand.Rand, l *selector.Language, depth int) string {
	if depth > 0 {
		switch r.IntN(6) {
		case 0:
			return "(" + expression(r, l, depth-1) + " and " + expression(r, l, depth-1) + ")"
		case 1:
			return "(" + expression(r, l, depth-1) + " or " + expression(r, l, depth-1) + ")"
		case 2:
			return "not (" + expression(r, l, depth-1) + ")"
		}
	}
	if r.IntN(8) == 0 {
		return selector.Quote([]string{"gate", "TH", "términal", "über", "s-1", "10.20", "bram", "spare", "lost", "kelp-bay\n", "02:a1", "crew"}[r.IntN(12)])
	}
	fields := slices.DeleteFunc(l.Fields(), func(f *selector.Field) bool { return columns[f.Name] == "" })
	f := fields[r.IntN(len(fields))]
	ops := f.Type.Operators()
	op := ops[r.IntN(len(ops))]
	value := func() string {
		var words []string
		switch f.Type {
		case selector.Choice:
			if op != selector.Like && op != selector.NotLike {
				words = append(f.Choices, "")
				break
			}
			fallthrough
		case selector.Text:
			words = []string{"tern-haven", "TH", "th-sw-0?", "*a*", "", "halyard", "H24P", "h*p", "camera", "SPARE", "Über*", "1/1/9", "uplink", "gate*", "02:45:50:00:00:01", "S-3", "Lantern*", "printer", "5 GHz", "02:a1:00:00:01:*", "*ö*", "Quay House", "1"}
		case selector.Number:
			words = []string{"0", "1", "10", "20", "40", "1000", "2.5", "5", "-1"}
		case selector.Flag:
			words = []string{"true", "false"}
		case selector.Version:
			words = []string{"4.1.6", "4.2", "4.10.0", "5", "4.2rc1", "4*", ""}
		case selector.Address:
			words = []string{"10.20.0.0/16", "10.20.1.5", "10.0.0.0/8", "fd00::/8", "fd00::3", "0.0.0.0/0", "nonsense", "10.20.1.*"}
		case selector.Age:
			words = []string{"1h", "2d", "90m", "4w", "0s"}
		}
		return selector.Quote(words[r.IntN(len(words))])
	}
	if op == selector.In || op == selector.NotIn {
		return fmt.Sprintf("%s %s (%s, %s)", f.Name, op, value(), value())
	}
	return fmt.Sprintf("%s %s %s", f.Name, op, value())
}

// sqlPicks asks the store many expressions at once: each becomes a column that is 1 where it picks the row.
func (w *world) sqlPicks(t *testing.T, subject selector.Noun, key string, exprs []selector.Expr) []map[string]bool {
	var cols []string
	var args []any
	for _, e := range exprs {
		condition, a, err := selector.Compile(e, subject, tables{}, w.now)
		require.NoError(t, err, e.String())
		cols, args = append(cols, condition), append(args, a...)
	}
	rows, err := w.store.read.QueryContext(t.Context(), "SELECT "+key+", "+strings.Join(cols, ", ")+" FROM "+froms[subject], args...)
	require.NoError(t, err)
	defer func() { _ = rows.Close() }()
	out := make([]map[string]bool, len(exprs))
	for i := range out {
		out[i] = map[string]bool{}
	}
	values := make([]any, len(exprs)+1)
	for i := range values {
		values[i] = new(any)
	}
	for rows.Next() {
		require.NoError(t, rows.Scan(values...))
		for i := range exprs {
			if *values[i+1].(*any) == int64(1) {
				out[i][fmt.Sprint(*values[0].(*any))] = true
			}
		}
	}
	require.NoError(t, rows.Err())
	return out
}

func (w *world) memoryPicks(subject selector.Noun, e selector.Expr) map[string]bool {
	out := map[string]bool{}
	q := catalog.Query{Where: e, Limit: 1 << 20, Now: w.now}
	switch subject {
	case selector.Site:
		for _, s := range w.net.Sites(q).Rows {
			out[s.Name] = true
		}
	case selector.Device:
		for _, d := range w.net.Devices(q).Rows {
			out[d.Name] = true
		}
	case selector.Port:
		for _, p := range w.net.Ports(q).Rows {
			out[p.Ref.String()] = true
		}
	case selector.Client:
		for _, c := range w.net.Clients(q).Rows {
			out[c.MAC] = true
		}
	case selector.Event:
		m := catalog.Log.Matcher(e, subject, w.now)
		open := m.Open(func(n selector.Noun) bool { return n <= selector.Device || n == selector.Event })
		for _, event := range w.events {
			d, ports := w.net.Device(event.Device)
			rows := selector.Rows{selector.Site: d.Site, selector.Device: d,
				selector.Event: &catalog.Event{At: event.At, Kind: event.Kind, Device: event.Device, Port: event.Port, Text: event.Text}}
			if m.Some(rows, open, func(rows *selector.Rows, n selector.Noun) (out []any) {
				if n == selector.Client {
					p, _ := rows[selector.Port].(*catalog.Port)
					for _, c := range w.clients[event.Device] {
						if p == nil || c.Port == "" || c.Port == p.Ref.Port {
							out = append(out, c)
						}
					}
					return out
				}
				for _, p := range ports {
					if event.Port == "" || p.Ref.Port == event.Port {
						out = append(out, p)
					}
				}
				return out
			}) {
				out[fmt.Sprint(event.Number)] = true
			}
		}
	}
	return out
}

// Whatever is asked, the store and the memory pick the same: 100,000 expressions (fewer with the race detector), over
// sites, devices, ports, clients and events.
func TestMemoryAndSQLPickTheSame(t *testing.T) {
	const worlds, batch = 10, 100
	for n := range worlds {
		t.Run(fmt.Sprint("seed ", n), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(uint64(n), 1))
			w := newWorld(t, r)
			picked := 0
			for range race.Fewer(100, 2) {
				kept := []selector.Noun{selector.Site, selector.Device, selector.Port, selector.Client, selector.Event} // links are drawn anew each time
				subject := kept[r.IntN(len(kept))]
				language, key := catalog.Network, map[selector.Noun]string{selector.Site: "s.name", selector.Device: "d.name", selector.Port: "p.device || ':' || p.port", selector.Client: "c.mac", selector.Event: "e.id"}[subject]
				if subject == selector.Event {
					language = catalog.Log
				}
				exprs := make([]selector.Expr, batch)
				for i := range exprs {
					text := expression(r, language, 3)
					e, err := language.Parse(text)
					require.NoError(t, err, text)
					exprs[i] = e
				}
				for i, fromSQL := range w.sqlPicks(t, subject, key, exprs) {
					picked += len(fromSQL)
					if !assert.Equal(t, w.memoryPicks(subject, exprs[i]), fromSQL, "%s: %s", subject, exprs[i]) {
						return
					}
				}
			}
			assert.NotZero(t, picked, "a test in which nothing is ever picked proves nothing")
		})
	}
}

// What is known only of the moment cannot be asked of what is kept, and that is said.
func TestWhatIsNotKeptIsRefused(t *testing.T) {
	e, err := catalog.Log.Parse("health = down and event.kind = port")
	require.NoError(t, err)
	_, _, err = selector.Compile(e, selector.Event, tables{}, time.Now())
	var kept *selector.KeptError
	require.ErrorAs(t, err, &kept)
	assert.EqualError(t, err, "`health` is known only of this moment: what happened before cannot be picked by it")
}
