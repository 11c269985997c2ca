package server

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/permission"
)

// Every type of the contract that an answer can hold says here what of the network it shows. An operation with another one cannot
// be registered, so that nobody adds a route without saying so; and each answer to somebody who is bound to a place is held
// against it before it goes out. Handlers see to it that nothing is in an answer that must not be; this is the net below them.

// spot is where something lies that an answer shows, and the feature whose right to see it takes.
type spot struct {
	feature rights.Feature
	on      network.PortRef // a device, or a thing of it
	site    string          // else a site
	mac     string          // else a client
}

func onTarget(f rights.Feature, text string) []spot {
	ref, err := network.ParseTarget(text)
	if err != nil {
		return nil
	}
	return onRef(f, ref)
}

func onRef(f rights.Feature, ref network.PortRef) []spot {
	switch {
	case ref.Device == "":
		return nil
	case intent.OnLayer(ref):
		if site, ok := intent.SiteOf(ref); ok {
			return []spot{{feature: rights.Sites, site: site}}
		}
		return nil // templates are of the whole network
	}
	return []spot{{feature: f, on: ref}}
}

func onDevice(f rights.Feature, name string) []spot {
	return onRef(f, network.PortRef{Device: name})
}

func onDevices(f rights.Feature, names []string) (out []spot) {
	for _, name := range names {
		out = append(out, onDevice(f, name)...)
	}
	return out
}

// shows are the types that show something of the network; what they hold besides is looked at by itself.
var shows = map[reflect.Type]func(any) []spot{}

// whole are the types that are looked at as a whole, by the function that tells whether a person may be shown one.
var whole = map[reflect.Type]func(*server, access.Person, any) bool{}

// parts are the types that lie where what holds them lies, or that show nothing of the network.
var parts = map[reflect.Type]bool{}

func show[T any](f func(T) []spot) {
	shows[reflect.TypeFor[T]()] = func(v any) []spot { return f(v.(T)) }
}

func showWhole[T any](f func(*server, access.Person, T) bool) {
	whole[reflect.TypeFor[T]()] = func(s *server, p access.Person, v any) bool { return f(s, p, v.(T)) }
}

func part[T any]() { parts[reflect.TypeFor[T]()] = true }

func init() {
	show(func(d v1.Device) []spot { return onDevice(rights.Devices, d.Name) })
	show(func(p v1.Port) []spot { return onTarget(rights.Ports, p.Ref) })
	show(func(s v1.Site) []spot { return []spot{{feature: rights.Sites, site: s.Name}} })
	show(func(c v1.NetworkClient) []spot { return []spot{{feature: rights.Clients, mac: c.MAC}} })
	show(func(d v1.MapDevice) []spot { return onDevice(rights.Devices, d.Name) })
	show(func(e v1.LineEnd) []spot { return onDevice(rights.Devices, e.Device) })
	show(func(l v1.HistoryLine) []spot {
		if l.Part == "port" && l.Device != "" {
			return onRef(rights.Ports, network.PortRef{Device: l.Device, Port: l.Name})
		}
		return onDevice(rights.Devices, l.Device)
	})
	show(func(e v1.Event) []spot { return onDevice(rights.Events, e.Device) })
	show(func(d v1.Drift) []spot { return onDevice(rights.Devices, d.Device) })
	show(func(d v1.DriftDifference) []spot { return onTarget(rights.Devices, d.On) })
	show(func(p v1.VLANPlace) []spot { return onDevice(rights.Devices, p.Device) })
	show(func(m v1.VLANMissing) []spot { return onDevice(rights.Devices, m.Device) })
	show(func(g v1.Group) []spot { return onDevices(rights.Devices, g.Members) })
	show(func(d v1.ComparedDevice) []spot { return onDevice(rights.Configuration, d.Device) })
	show(func(d v1.Difference) []spot { return onTarget(rights.Devices, d.Port) })
	show(func(r v1.BulkResult) []spot { return onTarget(rights.Devices, r.On) })
	show(func(e v1.BundleEnd) []spot { return onDevice(rights.Devices, e.Device) })
	show(func(e v1.Edit) []spot { return onTarget(rights.Devices, e.Port) })
	show(func(p v1.Picked) []spot { return onTarget(rights.Devices, p.On) })
	show(func(a v1.SetupAnswer) []spot { return onDevices(rights.Devices, a.Devices) })
	show(func(t v1.TerminalSession) []spot { return onDevice(rights.Terminals, t.Device) })
	show(func(l v1.SiteLayer) []spot { return []spot{{feature: rights.Sites, site: l.Site}} })
	show(func(c v1.Carriage) (out []spot) {
		for _, link := range c.Links {
			for end := range strings.FieldsSeq(link) {
				out = append(out, onTarget(rights.Devices, end)...)
			}
		}
		return out
	})
	show(func(a v1.Alarm) []spot { return onDevice(rights.Alarms, a.Device) })
	show(func(t v1.AlarmRuleTime) []spot { return onDevice(rights.Devices, t.Device) })
	show(func(x v1.Strip) []spot {
		switch {
		case x.Site != "":
			return []spot{{feature: rights.Alarms, site: x.Site}}
		case x.Tunnel != "":
			return onDevice(rights.Devices, x.Device)
		case x.Port != "":
			return onRef(rights.Ports, network.PortRef{Device: x.Device, Port: x.Port})
		}
		return onDevice(rights.Alarms, x.Device)
	})
	show(func(h v1.WayHop) []spot { return onDevice(rights.Devices, h.Device) })
	show(func(t v1.TopRow) []spot { return onDevice(rights.Devices, t.Device) })
	show(func(v v1.Volumes) []spot { return onRef(rights.Ports, network.PortRef{Device: v.Device, Port: v.Port}) })
	show(func(c v1.DeviceCertificate) []spot { return onDevice(rights.Devices, c.Device) })
	show(func(c v1.CertificateRequest) []spot { return onDevice(rights.Devices, c.Device) })
	show(func(p v1.PolicySummary) []spot { return onDevice(rights.Configuration, p.Device) })
	show(func(h v1.ReachHop) []spot { return onDevice(rights.Configuration, h.Device) })
	show(func(d v1.PolicyDelta) []spot { return onDevice(rights.Configuration, d.Device) })
	show(func(n v1.WirelessNetwork) []spot { return onDevices(rights.Devices, n.Devices) })
	show(func(r v1.AirRadio) []spot { return onDevice(rights.Devices, r.Device) })
	show(func(r v1.Refusal) []spot { return onDevice(rights.Clients, r.Device) })
	show(func(g v1.GuestStay) []spot { return onDevice(rights.Guests, g.Device) })
	show(func(p v1.GuestPortal) []spot { return onDevices(rights.Devices, p.Devices) })
	show(func(l v1.LimitedStation) []spot { return onDevices(rights.Clients, l.Devices) })
	show(func(b v1.BlockedStation) []spot { return onDevices(rights.Clients, b.Devices) })
	show(func(m v1.ChannelMove) []spot { return onDevice(rights.Devices, m.Device) })
	show(func(b v1.Backup) []spot { return onDevice(rights.Backups, b.Device) })
	show(func(h v1.BackupHit) []spot { return onDevice(rights.Configuration, h.Device) })
	show(func(d v1.DeviceFirmware) []spot { return onDevice(rights.Firmware, d.Device) })
	show(func(step v1.JobStep) []spot { return onDevice(rights.Jobs, step.Device) })
	show(func(p v1.Path) []spot {
		return onDevices(rights.Devices, slices.DeleteFunc([]string{p.Device, p.Far}, func(d string) bool { return d == "" }))
	})
	show(func(f v1.SteeredFlow) []spot { return onDevice(rights.Devices, f.Device) })
	show(func(l v1.RadioLink) []spot {
		out := onDevice(rights.Devices, l.Near.Device)
		if l.Far != nil {
			out = append(out, onDevice(rights.Devices, l.Far.Device)...)
		}
		return out
	})
	show(func(e v1.SegmentEdge) []spot { return onDevice(rights.Configuration, e.Device) })
	show(func(c v1.CustomerApart) (out []spot) {
		for _, at := range append([]string{c.Port}, c.From...) {
			out = append(out, onTarget(rights.Devices, at)...)
		}
		return out
	})
	part[v1.ServiceVLAN]()
	show(func(p v1.ServicePort) []spot { return onTarget(rights.Configuration, p.Port) })
	show(func(r v1.Router) []spot { return onDevice(rights.Configuration, r.Device) })
	show(func(r v1.UsedRoute) []spot { return onDevice(rights.Devices, r.Device) })
	show(func(f v1.RadioLinkFared) []spot { return onDevice(rights.Devices, f.Device) })
	show(func(g v1.Steering) []spot { return onDevice(rights.Configuration, g.Device) })
	show(func(t v1.JoinedTunnel) []spot {
		out := onDevice(rights.Devices, t.Near.Device)
		if t.Far != nil {
			out = append(out, onDevice(rights.Devices, t.Far.Device)...)
		}
		return out
	})
	show(func(c v1.Circuit) []spot { return onDevice(rights.Devices, c.Device) })
	show(func(f v1.Failure) []spot {
		return onDevices(rights.Devices, append(slices.Clone(f.Devices), f.CutOff...))
	})
	show(func(b v1.Behind) []spot { return onDevices(rights.Devices, append(slices.Clone(b.Devices), b.Device)) })
	show(func(o v1.Operation) []spot { return onDevice(rights.Tests, o.Device) })
	showWhole(func(s *server, p access.Person, c v1.Change) bool {
		if c.Owner == p.Name && !p.Trying {
			return true
		}
		for _, d := range c.Devices {
			if !s.lies(p, spot{feature: rights.Changes, on: network.PortRef{Device: d.Device}}) {
				return false
			}
		}
		for _, e := range c.Edits {
			for _, at := range onTarget(rights.Changes, e.Port) {
				if !s.lies(p, spot{feature: at.feature, on: network.PortRef{Device: at.on.Device}, site: at.site}) {
					return false
				}
			}
		}
		return true
	})
	showWhole(func(s *server, p access.Person, c v1.ClaimedDevice) bool {
		return s.Permission.AtSite(p, may(rights.See, rights.Devices), c.Site) == nil
	})
	// what lies where the thing that holds it lies
	part[v1.AlarmDetail]()
	part[v1.AlarmNote]()
	part[v1.PastAlarms]()
	part[v1.PastAlarm]()
	part[v1.BackupHits]()
	part[v1.Policy]()
	part[v1.PolicyRule]()
	part[v1.PolicyName]()
	part[v1.PolicyTranslation]()
	part[v1.InspectionFound]()
	part[v1.PolicyFlood]()
	part[v1.PolicyOverride]()
	part[v1.FirewallSessions]() // names are asked for within the rights
	part[v1.FirewallSession]()
	part[v1.ApplicationUses]() // of firewalls and end stations that are asked for within the rights
	part[v1.ApplicationUse]()
	part[v1.UnreadFirewall]()
	part[v1.GuestPortalRequest]()
	part[v1.CircuitRequest]()
	part[v1.RadioLicence]()
	part[v1.TunnelEnd]()
	part[v1.TunnelPlan]() // of edges that who asks may see
	part[v1.PlannedTunnel]()
	part[v1.TunnelSheet]()
	part[v1.TunnelSheetRow]()
	part[v1.PortalLook]()
	part[v1.VoucherCodes]()
	part[v1.GuestVoucher]()
	part[v1.HeardAir]() // of those of the house only what who asks may see is named
	part[v1.AirChoice]()
	part[v1.ChannelPlan]()
	part[v1.JoinStep]() // from what who asks may see
	part[v1.JoinCode]() // of what he says himself
	part[v1.PathWay]()
	part[v1.CertificateImport]()
	part[v1.Authority]() // what everybody is to trust
	part[v1.BlockedSource]()
	part[v1.PolicyDeltas]()
	part[v1.Reach]()
	part[v1.Promise]() // of the whole network
	part[v1.PromiseBreach]()
	part[v1.PromiseRequest]()
	part[v1.JobRunDetail]()
	part[v1.JobPlan]()
	part[v1.AlarmCounts]()
	part[v1.SteeringWay]()
	part[v1.RadioLinkEnd]()
	part[v1.Segment]()
	part[v1.SegmentNetwork]()
	part[v1.UsedRoutes]()
	part[v1.RadioLinkPage]()
	part[v1.SteeringMove]()
	part[v1.SteeringReplay]()
	part[v1.SteeringCalls]()
	part[v1.Strips]()
	part[v1.ClientWay]()
	part[v1.Top]()
	part[v1.Volume]()
	part[v1.DeviceDetail]()
	part[v1.Power]()
	part[v1.Resolved]()
	part[v1.VLAN]()
	part[v1.FacePort]()
	part[v1.Counters]()
	part[v1.Rates]()
	part[v1.Peer]()
	part[v1.Use]()
	part[v1.Object]()
	part[v1.HealthCounts]()
	part[v1.Particulars]()
	part[v1.Position]()
	part[v1.SiteRequest]()
	part[v1.Map]()
	part[v1.Line]()
	part[v1.Link]()
	part[v1.LinkUse]()
	part[v1.History]()
	part[v1.NetworkVLAN]()
	part[v1.VLANRecord]()
	part[v1.GroupRequest]()
	part[v1.Configuration]()
	part[v1.Comparison]()
	part[v1.FileAnswer]()
	part[v1.SettingsFile]()
	part[v1.BulkAnswer]()
	part[v1.BundleProposal]()
	part[v1.Standings]()
	part[v1.Standing]()
	part[v1.Saying]()
	part[v1.Offer]()
	part[v1.Template]()
	part[v1.Word]()
	part[v1.Other]()
	// what is of the whole network, or of no network: searches, people, the house, the language
	for _, t := range []reflect.Type{
		reflect.TypeFor[v1.Discovery](), reflect.TypeFor[v1.FoundDevice](), reflect.TypeFor[v1.AcceptResult](), reflect.TypeFor[v1.ClaimResult](),
		reflect.TypeFor[v1.Doors](), reflect.TypeFor[v1.ProbeResult](), reflect.TypeFor[v1.ChangeRule](), reflect.TypeFor[v1.Person](), reflect.TypeFor[v1.Right](),
		reflect.TypeFor[v1.RightMeaning](), reflect.TypeFor[v1.Role](), reflect.TypeFor[v1.RoleRequest](), reflect.TypeFor[v1.Rule](), reflect.TypeFor[v1.User](),
		reflect.TypeFor[v1.UserRequest](), reflect.TypeFor[v1.Token](), reflect.TypeFor[v1.NewToken](), reflect.TypeFor[v1.Session](), reflect.TypeFor[v1.AuditEntry](),
		reflect.TypeFor[v1.AuditVerdict](), reflect.TypeFor[v1.Field](), reflect.TypeFor[v1.Completion](), reflect.TypeFor[v1.Candidate](), reflect.TypeFor[v1.Reading](),
		reflect.TypeFor[v1.Fault](), reflect.TypeFor[v1.Count](), reflect.TypeFor[v1.MetricInfo](), reflect.TypeFor[v1.Setting](), reflect.TypeFor[v1.Column](), reflect.TypeFor[v1.SettingKind](),
		reflect.TypeFor[v1.ReadySettings](), reflect.TypeFor[v1.ReadyRow](), reflect.TypeFor[v1.Notice](), reflect.TypeFor[v1.NoticeRequest](), reflect.TypeFor[v1.NoticeAnswer](), reflect.TypeFor[v1.Delivery](),
		reflect.TypeFor[v1.MailServer](), reflect.TypeFor[v1.AlarmRule](), reflect.TypeFor[v1.AlarmRuleRequest](), reflect.TypeFor[v1.AlarmRuleTrial](), reflect.TypeFor[v1.MailServerRequest](), reflect.TypeFor[v1.OperationKind](), reflect.TypeFor[v1.OperationParam](), reflect.TypeFor[v1.OperationColumn](), reflect.TypeFor[v1.OperationLine](), reflect.TypeFor[v1.Frame](), reflect.TypeFor[v1.Frames](), reflect.TypeFor[v1.DeviceFile](),
		reflect.TypeFor[v1.OperationFact](), reflect.TypeFor[v1.BackupRule](), reflect.TypeFor[v1.Image](), reflect.TypeFor[v1.BaselineEntry](), reflect.TypeFor[v1.JobKind](), reflect.TypeFor[v1.JobParam](), reflect.TypeFor[v1.JobWhen](), reflect.TypeFor[v1.Job](), reflect.TypeFor[v1.JobRun](), reflect.TypeFor[v1.Reset](), reflect.TypeFor[v1.Beat](), reflect.TypeFor[v1.ServiceState](), reflect.TypeFor[v1.ServiceLogLine](),
	} {
		parts[t] = true
	}
}

// ours tells whether a type is one of the contract. Those of other packages of ours lie where what holds them lies.
func ours(t reflect.Type) bool {
	return t.Kind() == reflect.Struct && t.PkgPath() == reflect.TypeFor[v1.Device]().PkgPath()
}

// foreign tells whether a type is neither of the contract nor put together by a route.
func foreign(t reflect.Type) bool {
	return !ours(t) && t.PkgPath() != "" && t.PkgPath() != reflect.TypeFor[server]().PkgPath()
}

// declared checks that all types of the contract that an answer of a type can hold say what they show.
func declared(operation string, t reflect.Type) {
	seen := map[reflect.Type]bool{}
	var missing []string
	var walk func(reflect.Type)
	walk = func(t reflect.Type) {
		for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice || t.Kind() == reflect.Map {
			t = t.Elem()
		}
		if seen[t] || t.Kind() != reflect.Struct {
			return
		}
		seen[t] = true
		list := strings.HasPrefix(t.Name(), "List[")
		if ours(t) && !list && shows[t] == nil && whole[t] == nil && !parts[t] {
			missing = append(missing, t.Name())
		}
		if whole[t] != nil || foreign(t) {
			return
		}
		for i := range t.NumField() {
			walk(t.Field(i).Type)
		}
	}
	walk(t)
	if len(missing) > 0 {
		slices.Sort(missing)
		panic(fmt.Sprintf("%s: say in shown.go what of the network these show: %s", operation, strings.Join(missing, ", ")))
	}
}

// mayBeShown tells why an answer must not go out to who makes the request, or nil.
func (s *server) mayBeShown(ctx context.Context, operation string, answer any) error {
	p := person(ctx)
	if p.Name == "" || boundless(p) {
		return nil
	}
	n := sieve{server: s, person: p, held: map[spot]bool{}}
	if at := n.first(reflect.ValueOf(answer)); at != nil {
		s.opts.Log.Error("an answer was held back, since it would have shown what the asker may not see", "operation", operation, "user", p.Name, "what", at)
		return fmt.Errorf("%s would show %v", operation, at)
	}
	return nil
}

// boundless tells whether a person is bound to no place, in nothing that he may see.
func boundless(p access.Person) bool {
	for _, f := range rights.Features() {
		if where, some := p.Of(rights.See, f); f.Placed() && some && where != selector.Expr(selector.All{}) {
			return false
		}
	}
	return true
}

// lies tells whether a person may see what lies at a spot.
func (s *server) lies(p access.Person, at spot) bool {
	where := permission.Within(p, may(rights.See, at.feature))
	switch {
	case where == selector.Expr(selector.All{}):
		return true
	case at.mac != "":
		return s.Inventory.HoldsClient(at.mac, where)
	case at.site != "":
		return s.Inventory.HoldsSite(at.site, where)
	case at.feature == rights.Ports && at.on.Port != "":
		return s.Permission.SeesSetUp(p, []network.PortRef{at.on}) == nil
	}
	return s.Inventory.HoldsDevice(at.on.Device, where)
}

type sieve struct {
	*server
	person access.Person
	held   map[spot]bool
}

// first finds the first thing in an answer that must not be shown.
func (n sieve) first(v reflect.Value) any {
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			return n.first(v.Elem())
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k != reflect.Struct && k != reflect.Pointer && k != reflect.Slice && k != reflect.Map && k != reflect.Interface {
			return nil
		}
		for i := range v.Len() {
			if at := n.first(v.Index(i)); at != nil {
				return at
			}
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			if at := n.first(v.MapIndex(key)); at != nil {
				return at
			}
		}
	case reflect.Struct:
		return n.firstOf(v)
	}
	return nil
}

func (n sieve) firstOf(v reflect.Value) any {
	t := v.Type()
	if foreign(t) {
		return nil
	}
	if f := whole[t]; f != nil {
		if !f(n.server, n.person, v.Interface()) {
			return t.Name()
		}
		return nil
	}
	if f := shows[t]; f != nil {
		for _, at := range f(v.Interface()) {
			held, asked := n.held[at]
			if !asked {
				held = n.lies(n.person, at)
				n.held[at] = held
			}
			if !held {
				return fmt.Sprintf("%s of %s", t.Name(), spotText(at))
			}
		}
	}
	for i := range v.NumField() {
		if t.Field(i).IsExported() {
			if at := n.first(v.Field(i)); at != nil {
				return at
			}
		}
	}
	return nil
}

func spotText(at spot) string {
	if at.on.Device != "" {
		return at.on.String()
	}
	return at.site + at.mac
}
