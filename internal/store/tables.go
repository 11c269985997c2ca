package store

import (
	"database/sql/driver"
	"fmt"
	"strings"

	"modernc.org/sqlite"

	"example.net/everypost/internal/core/selector"
)

// tables tells a selector where what it asks for is kept: sites s, devices d, ports p, events e. It implements
// selector.Tables.
type tables struct{}

// columns are the fields that are kept. The rest is known only of the moment.
var columns = map[string]string{
	"site":         "s.name",
	"site.title":   "s.title",
	"site.code":    "json_extract(s.particulars, '$.code')",
	"site.address": "json_extract(s.particulars, '$.address')",
	"site.contact": "json_extract(s.particulars, '$.contact')",

	"name":     "d.name",
	"kind":     "json_extract(d.identity, '$.kind')",
	"maker":    "json_extract(d.identity, '$.maker')",
	"model":    "json_extract(d.identity, '$.model')",
	"serial":   "json_extract(d.identity, '$.serial')",
	"firmware": "json_extract(d.identity, '$.firmware')",
	"address":  host,
	"tag":      "json_extract(d.particulars, '$.tags')",
	"contact":  "json_extract(d.particulars, '$.contact')",
	"building": "json_extract(d.particulars, '$.building')",
	"floor":    "json_extract(d.particulars, '$.floor')",
	"rack":     "json_extract(d.particulars, '$.rack')",
	"notes":    "json_extract(d.particulars, '$.notes')",
	"up":       "unixepoch(nullif(json_extract(d.identity, '$.booted_at'), '0001-01-01T00:00:00Z'), 'subsec')",
	"seen":     "nullif(d.seen_at, 0) / 1e6",
	"enrolled": "nullif(d.enrolled_at, 0) / 1e6",

	"port":             "p.port",
	"port.description": "json_extract(p.config, '$.description')",
	"port.enabled":     "json_extract(p.config, '$.enabled')",
	"port.mode":        "json_extract(p.config, '$.mode')",
	"port.vlan": `CASE json_extract(p.config, '$.mode')
		WHEN 'access' THEN json_array(json_extract(p.config, '$.access_vlan'))
		WHEN 'trunk' THEN (SELECT json_group_array(value) FROM (
			SELECT json_extract(p.config, '$.native_vlan') AS value UNION ALL SELECT value FROM json_each(p.config, '$.trunk_vlans')))
		END`,
	"port.untagged":  "CASE json_extract(p.config, '$.mode') WHEN 'access' THEN json_extract(p.config, '$.access_vlan') WHEN 'trunk' THEN json_extract(p.config, '$.native_vlan') END",
	"port.mbps":      "json_extract(p.state, '$.speed_mbps')",
	"port.mac":       "json_extract(p.state, '$.mac')",
	"port.poe":       "CASE WHEN p.port IS NOT NULL THEN coalesce(json_extract(p.config, '$.has_poe') AND json_extract(p.config, '$.poe'), 0) END",
	"port.poe.watts": "CASE WHEN json_extract(p.config, '$.has_poe') THEN coalesce(json_extract(p.state, '$.poe_mw'), 0) / 1e3 END",
	"port.poe.class": "json_extract(p.state, '$.poe_class')",
	"port.rx.octets": "json_extract(p.state, '$.counters.rx_octets')",
	"port.tx.octets": "json_extract(p.state, '$.counters.tx_octets')",
	"port.errors":    "json_extract(p.state, '$.counters.rx_errors') + json_extract(p.state, '$.counters.tx_errors')",
	"port.discards":  "json_extract(p.state, '$.counters.rx_discards') + json_extract(p.state, '$.counters.tx_discards')",
	"port.changed":   "unixepoch(nullif(json_extract(p.state, '$.changed'), '0001-01-01T00:00:00Z'), 'subsec')",

	"client":          "coalesce(nullif(c.given_name, ''), c.own_name)",
	"client.mac":      "c.mac",
	"client.address":  "c.address",
	"client.system":   "c.system",
	"client.ssid":     "c.ssid",
	"client.band":     "c.band",
	"client.vlan":     "nullif(c.vlan, 0)",
	"client.wireless": "c.ssid != ''",
	"client.first":    "nullif(c.first_seen, 0) / 1e6",
	"client.seen":     "nullif(c.last_seen, 0) / 1e6",

	"event.kind": "e.kind",
	"event.text": "e.text",
	"event.age":  "e.at / 1e6",
}

// host is an address without its port: "10.0.0.1:830", "[fd00::1]:830".
const host = "trim(rtrim(rtrim(d.address, '0123456789'), ':'), '[]')"

// Column implements selector.Tables.
func (tables) Column(f *selector.Field) string { return columns[f.Name] }

// Words implements selector.Tables.
func (tables) Words(n selector.Noun) string {
	all := map[selector.Noun][]string{
		selector.Site:   {"s.name", "s.title", columns["site.code"], columns["site.address"], columns["site.contact"], "json_extract(s.particulars, '$.notes')"},
		selector.Device: {"d.name", "s.name", "s.title", columns["kind"], columns["maker"], columns["model"], columns["serial"], columns["firmware"], host, columns["notes"], columns["contact"], "(SELECT group_concat(value, ' ') FROM json_each(d.particulars, '$.tags'))"},
		selector.Port:   {"p.device || ':' || p.port", columns["port.description"], "s.name", "s.title", columns["port.mac"], "json_extract(p.state, '$.neighbour.system_name') || ' ' || json_extract(p.state, '$.neighbour.port_id')"},
		selector.Client: {"c.mac", "c.given_name", "c.own_name", "c.address", "c.ssid", "c.device", "c.port", "s.name", "s.title"},
		selector.Event:  {"e.device", "e.port", "e.text"},
	}[n]
	for i, c := range all {
		all[i] = "coalesce(" + c + ", '')"
	}
	return selector.FoldFunction + "(" + strings.Join(all, " || char(10) || ") + ")"
}

// Bound implements selector.Tables: a part determines what it belongs to, an event its device, and that its site. Whether it
// determines a port or a client depends on the event.
func (tables) Bound(subject, n selector.Noun) bool {
	return n <= subject && (subject != selector.Event || n < selector.Port || n == selector.Event)
}

// Join implements selector.Tables.
func (tables) Join(subject, n selector.Noun) string {
	switch {
	case n == selector.Device:
		return "devices d ON d.site = s.name"
	case n == selector.Port && subject == selector.Event:
		return "ports p ON p.device = d.name AND (e.port = '' OR e.port = p.port)"
	case n == selector.Client:
		return "clients c ON c.device = d.name AND (p.port IS NULL OR c.port = '' OR c.port = p.port)"
	}
	return "ports p ON p.device = d.name"
}

// froms are the tables of a query of each noun.
var froms = map[selector.Noun]string{
	selector.Site:   "sites s",
	selector.Device: "devices d JOIN sites s ON s.name = d.site",
	selector.Port:   "ports p JOIN devices d ON d.name = p.device JOIN sites s ON s.name = d.site",
	selector.Client: "clients c JOIN devices d ON d.name = c.device JOIN sites s ON s.name = d.site LEFT JOIN ports p ON p.device = c.device AND p.port = c.port",
	selector.Event:  "events e LEFT JOIN devices d ON d.name = e.device LEFT JOIN sites s ON s.name = d.site",
}

func init() {
	for name, f := range map[string]func([]driver.Value) driver.Value{
		selector.FoldFunction:    func(a []driver.Value) driver.Value { return selector.Fold(word(a[0])) },
		selector.GlobFunction:    func(a []driver.Value) driver.Value { return truth(selector.Glob(word(a[0]), word(a[1]))) },
		selector.VersionFunction: func(a []driver.Value) driver.Value { return int64(selector.CompareVersions(word(a[0]), word(a[1]))) },
		selector.AddressFunction: func(a []driver.Value) driver.Value {
			return truth(selector.AddressIs(word(a[0]), selector.ParsePrefix(word(a[1])), selector.Fold(word(a[1]))))
		},
	} {
		n := int32(2)
		if name == selector.FoldFunction {
			n = 1
		}
		sqlite.MustRegisterDeterministicScalarFunction(name, n, func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			return f(args), nil
		})
	}
}

func word(v driver.Value) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	case []byte:
		return string(v)
	}
	return fmt.Sprint(v)
}

func truth(b bool) driver.Value {
	if b {
		return int64(1)
	}
	return int64(0)
}
