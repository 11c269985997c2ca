package standin

import (
	"context"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// agent answers the requests of all sessions of one device.
type agent struct{ d *device }

// switchFeatures are the features of ep-switching that switches have.
var switchFeatures = []string{"link-modes", "voice-vlan", "provider-bridging", "isolation", "storm-limits", "rate-limits", "dhcp-snooping", "loop-protection", "access-control",
	"power-priorities", "schedules", "mirrors", "dscp", "link-tracking", "igmp-snooping", "traffic-classes"}

// modelFeatures are those that switches of a model have besides, of ep-switching and of ep-management.
var modelFeatures = map[string]struct{ switching, management []string }{
	"H48P": {switching: []string{"stacking"}},
	"H32C": {[]string{"pairs"}, []string{"own-port"}},
	"H16S": {management: []string{"own-port"}},
	"H12R": {[]string{"rings", "controllers"}, []string{"contact-inputs"}},
}

// Capabilities implements netconf.Handler.
func (a *agent) Capabilities() []string {
	caps := []string{
		netconf.CapCandidate, netconf.CapConfirmedCommit, "urn:ietf:params:netconf:capability:confirmed-commit:1.0",
		netconf.CapValidate, netconf.CapRollback, netconf.CapNotification, netconf.CapInterleave,
		netconf.CapWithDefaults + "?basic-mode=explicit&also-supported=report-all,trim",
	}
	if a.d.spec.NoTrial {
		caps = slices.DeleteFunc(caps, func(c string) bool { return strings.Contains(c, ":confirmed-commit:") })
	}
	for _, m := range []struct{ prefix, module string }{
		{"oc-if", "openconfig-interfaces"}, {"oc-eth", "openconfig-if-ethernet"}, {"oc-ip", "openconfig-if-ip"},
		{"oc-vlan", "openconfig-vlan"}, {"oc-poe", "openconfig-if-poe"}, {"oc-netin", "openconfig-network-instance"},
		{"oc-lldp", "openconfig-lldp"}, {"oc-sys", "openconfig-system"}, {"oc-pf", "openconfig-platform"}, {"oc-ap", "openconfig-access-points"},
		{"oc-xcvr", "openconfig-platform-transceiver"}, {"oc-fan", "openconfig-platform-fan"}, {"oc-psu", "openconfig-platform-psu"},
		{"oc-cpu", "openconfig-platform-cpu"},
	} {
		caps = append(caps, namespaces[m.prefix]+"?module="+m.module)
	}
	more := modelFeatures[a.d.spec.Model]
	own := "allowed-management,certificates"
	if a.d.spec.Role == "switch" || a.d.spec.Role == "access-point" {
		own += ",blocked-stations"
	}
	caps = append(caps, namespaces["ep-dev"]+"?module=ep-device&features="+own,
		namespaces["ep-mg"]+"?module=ep-management&features="+strings.Join(append([]string{"local-users", "sign-in", "snmp"}, more.management...), ","))
	caps = append(caps, namespaces["ep-op"]+"?module=ep-operations&features="+strings.Join(a.d.abilities(), ","))
	if a.d.spec.Model == "H16S" {
		caps = append(caps, namespaces["ep-st"]+"?module=ep-storage")
	}
	if a.d.spec.Role == "edge" {
		caps = append(caps, namespaces["ep-rt"]+"?module=ep-routing&features=segments,routing-protocols", namespaces["ep-wan"]+"?module=ep-wan&features=one-way,steering")
	}
	if a.d.spec.Role == "radio-link" {
		caps = append(caps, namespaces["ep-radio"]+"?module=ep-radio-link", namespaces["ep-sw"]+"?module=ep-switching&features=link-tracking,provider-bridging")
	}
	if a.d.spec.Role == "access-point" {
		caps = append(caps, namespaces["ep-wl"]+"?module=ep-wireless&features=limited-stations,portals,station-networks")
	}
	if a.d.spec.Role == "firewall" {
		caps = append(caps, namespaces["ep-fw"]+"?module=ep-firewall&features=sessions,applications,inspection,flood-limits,mail-inspection,web-categories", namespaces["ep-sw"]+"?module=ep-switching&features=schedules")
	}
	if a.d.spec.Role != "switch" {
		return caps
	}
	for _, m := range []struct{ prefix, module string }{
		{"oc-lag", "openconfig-if-aggregate"}, {"oc-lacp", "openconfig-lacp"}, {"oc-stp", "openconfig-spanning-tree"}, {"oc-acl", "openconfig-acl"},
	} {
		caps = append(caps, namespaces[m.prefix]+"?module="+m.module)
	}
	caps = append(caps, namespaces["ep-sw"]+"?module=ep-switching&features="+strings.Join(slices.Concat(switchFeatures, more.switching), ","))
	return caps
}

// Serve implements netconf.Handler.
func (a *agent) Serve(ctx context.Context, s *netconf.ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	w := a.d.world
	defer a.d.worked(op.Name, time.Now())
	w.mu.Lock()
	slow := a.d.slow
	w.mu.Unlock()
	if slow > 0 {
		select {
		case <-time.After(slow):
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if err := a.d.mayDo(s.User, op.Name); err != nil {
		return nil, err
	}
	switch op.Name {
	case "get":
		var wanted []*xmlnode.Node
		if f := op.Child("filter"); f != nil {
			wanted = f.Children
		}
		return a.read(op, a.d.stateTree(w.clock.now(), wanted))
	case "get-config":
		tree, err := a.store(op.Child("source"))
		if err != nil {
			return nil, err
		}
		return a.read(op, *tree)
	case "edit-config":
		return nil, a.editConfig(s, op)
	case "lock":
		return nil, a.lock(s, op)
	case "unlock":
		return nil, a.unlock(s, op)
	case "validate":
		tree, err := a.store(op.Child("source"))
		if err != nil {
			return nil, err
		}
		if a.d.refuse[RefuseValidate] {
			return nil, netconf.NewRPCError(netconf.TagOperationFailed, "", "configuration memory is worn out and read-only (unit 1, bank 0)")
		}
		return nil, validate(*tree)
	case "discard-changes":
		if err := a.free(s, netconf.Candidate); err != nil {
			return nil, err
		}
		a.d.candidate = a.d.running.Clone()
		return nil, nil
	case "commit":
		return nil, a.commit(s, op)
	case "cancel-commit":
		return nil, a.cancelCommit(s, op)
	case "create-subscription":
		return nil, a.subscribe(s, op)
	case "read-applications":
		if op.Space == namespaces["ep-fw"] && a.d.spec.Role == "firewall" {
			return a.d.readApplications(op), nil
		}
	case "read-sessions":
		if op.Space == namespaces["ep-fw"] && a.d.spec.Role == "firewall" {
			return a.d.readSessions(op)
		}
	case "make-request", "install-certificate":
		if op.Space == namespaces["ep-dev"] {
			return a.certify(s, op)
		}
	case "begin", "read-output", "cancel":
		if op.Space == namespaces["ep-op"] {
			return a.operate(s, op)
		}
	}
	return nil, &netconf.RPCError{Type: "protocol", Tag: netconf.TagNotSupported, Severity: "error", Message: "the operation " + op.Name + " is not supported"}
}

// worked keeps account of the time that a device takes for what it is told, other than telling its state.
func (d *device) worked(op string, since time.Time) {
	if op != "get" {
		d.own.Add(int64(time.Since(since)))
	}
}

func (a *agent) store(where *xmlnode.Node) (**xmlnode.Node, error) {
	switch {
	case where.Child("running") != nil:
		return &a.d.running, nil
	case where.Child("candidate") != nil:
		return &a.d.candidate, nil
	}
	return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "there are the datastores running and candidate")
}

func (a *agent) read(op, tree *xmlnode.Node) ([]*xmlnode.Node, error) {
	tree, err := withDefaults(tree, netconf.DefaultsMode(op.TextAt("with-defaults")))
	if err != nil {
		return nil, err
	}
	content := tree.Children
	if f := op.Child("filter"); f != nil {
		if t := f.Attr("", "type"); t != "" && t != "subtree" {
			return nil, netconf.NewRPCError(netconf.TagBadAttribute, "", "only subtree filters are supported")
		}
		content = netconf.FilterSubtree(content, f.Children)
	}
	return []*xmlnode.Node{xmlnode.New(netconf.BaseNS, "data", content...)}, nil
}

// free tells that no other session holds the lock of a datastore.
func (a *agent) free(s *netconf.ServerSession, ds netconf.Datastore) error {
	if holder := a.d.locks[ds]; holder != 0 && holder != s.ID {
		return &netconf.RPCError{Type: "protocol", Tag: netconf.TagInUse, Severity: "error",
			Message: "the " + string(ds) + " configuration is locked by session " + strconv.Itoa(int(holder))}
	}
	return nil
}

func datastoreOf(op *xmlnode.Node) netconf.Datastore {
	if op.Find("target/candidate") != nil {
		return netconf.Candidate
	}
	return netconf.Running
}

func (a *agent) lock(s *netconf.ServerSession, op *xmlnode.Node) error {
	ds := datastoreOf(op)
	denied := func(holder uint32, why string) error {
		return &netconf.RPCError{Type: "protocol", Tag: netconf.TagLockDenied, Severity: "error", Message: why,
			Info: xmlnode.New(netconf.BaseNS, "error-info", xmlnode.Leaf(netconf.BaseNS, "session-id", strconv.Itoa(int(holder))))}
	}
	switch holder := a.d.locks[ds]; {
	case holder != 0:
		return denied(holder, "the "+string(ds)+" configuration is locked by session "+strconv.Itoa(int(holder)))
	case ds == netconf.Candidate && !xmlnode.Equal(a.d.candidate, a.d.running):
		return denied(0, "the candidate configuration holds changes that are not committed")
	case ds == netconf.Running && a.d.pending != nil:
		return denied(a.d.pending.session, "a confirmed commit is waiting to be confirmed")
	}
	a.d.locks[ds] = s.ID
	return nil
}

func (a *agent) unlock(s *netconf.ServerSession, op *xmlnode.Node) error {
	ds := datastoreOf(op)
	if a.d.locks[ds] != s.ID {
		return netconf.NewRPCError(netconf.TagOperationFailed, "", "this session does not hold the lock")
	}
	a.release(s, ds)
	return nil
}

func (a *agent) release(s *netconf.ServerSession, ds netconf.Datastore) {
	if a.d.locks[ds] == s.ID {
		delete(a.d.locks, ds)
		if ds == netconf.Candidate {
			a.d.candidate = a.d.running.Clone()
		}
	}
}

func (a *agent) editConfig(s *netconf.ServerSession, op *xmlnode.Node) error {
	if datastoreOf(op) != netconf.Candidate {
		return netconf.NewRPCError(netconf.TagNotSupported, "", "running cannot be written: edit the candidate and commit")
	}
	if err := a.free(s, netconf.Candidate); err != nil {
		return err
	}
	config := op.Child("config")
	if config == nil {
		return netconf.NewRPCError(netconf.TagMissingElement, "", "the config is missing")
	}
	how := op.TextAt("default-operation")
	if how == "" {
		how = netconf.EditMerge
	}
	tree, err := edit(a.d.candidate, config, how)
	if err != nil {
		return err
	}
	a.d.candidate = tree
	return nil
}

func (a *agent) commit(s *netconf.ServerSession, op *xmlnode.Node) error {
	d := a.d
	for _, ds := range []netconf.Datastore{netconf.Candidate, netconf.Running} {
		if err := a.free(s, ds); err != nil {
			return err
		}
	}
	if err := a.mayContinue(s, op.TextAt("persist-id")); err != nil {
		return err
	}
	if d.refuse[RefuseCommit] {
		return netconf.NewRPCError(netconf.TagOperationFailed, "", "commit refused: supervisor card is busy with a consistency check")
	}
	if err := validate(d.candidate); err != nil {
		return err
	}
	if op.Child("confirmed") == nil {
		if d.pending != nil {
			d.world.cancel(d.pending.timer)
			d.pending = nil
			d.confirmEvent("complete", s)
		}
		d.run(d.candidate.Clone(), s)
		d.save()
		return nil
	}
	if d.spec.NoTrial {
		return netconf.NewRPCError(netconf.TagNotSupported, "", "a commit cannot be confirmed later here")
	}
	seconds := 600
	if t := op.TextAt("confirm-timeout"); t != "" {
		n, err := strconv.Atoi(t)
		if err != nil || n < 1 || n > 1<<22 {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "confirm-timeout %q", t)
		}
		seconds = n
	}
	event := "start"
	if d.pending == nil {
		d.pending = &trial{previous: d.running, persist: op.TextAt("persist"), session: s.ID}
	} else {
		event = "extend"
		d.world.cancel(d.pending.timer)
		if p := op.TextAt("persist"); p != "" {
			d.pending.persist = p
		}
	}
	d.pending.timer = d.world.after(time.Duration(seconds)*time.Second, func() { d.revert("timeout", nil) })
	d.confirmEvent(event, s)
	d.run(d.candidate.Clone(), s)
	return nil
}

// mayContinue holds a persist-id against the confirmed commit that is open.
func (a *agent) mayContinue(s *netconf.ServerSession, persistID string) error {
	p := a.d.pending
	switch {
	case p == nil && persistID != "":
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "no confirmed commit of the name %q is open", persistID)
	case p != nil && p.persist != persistID, p != nil && p.persist == "" && p.session != s.ID:
		return netconf.NewRPCError(netconf.TagInUse, "", "another confirmed commit is waiting to be confirmed")
	}
	return nil
}

func (a *agent) cancelCommit(s *netconf.ServerSession, op *xmlnode.Node) error {
	if a.d.pending == nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "no confirmed commit is open")
	}
	if err := a.mayContinue(s, op.TextAt("persist-id")); err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "the confirmed commit that is open has another name")
	}
	a.d.revert("cancel", s)
	return nil
}

// revert goes back to what ran before the confirmed commit.
func (d *device) revert(event string, s *netconf.ServerSession) {
	p := d.pending
	if p == nil {
		return
	}
	d.world.cancel(p.timer)
	d.pending = nil
	d.confirmEvent(event, s)
	d.run(p.previous, s)
}

// run makes a configuration the running one, with all that follows.
func (d *device) run(tree *xmlnode.Node, s *netconf.ServerSession) {
	if xmlnode.Equal(tree, d.running) {
		return
	}
	was := d.cfg
	d.setRunning(tree)
	if d.locks[netconf.Candidate] == 0 {
		d.candidate = tree.Clone()
	}
	d.notify(d.world.clock.now(), xmlnode.New(netconf.EventsNS, "netconf-config-change", changedBy(s), xmlnode.Leaf(netconf.EventsNS, "datastore", "running")))
	by := "by itself"
	if s != nil {
		by = "by " + s.User
	}
	d.tells(happening{severityAll, "CONFIG", "the configuration was changed " + by, "", ""})
	dies := d.refuse[DieInCommit]
	if dies {
		delete(d.refuse, DieInCommit)
		d.loseMemory()
		d.boot(d.world.clock.now(), 2*time.Second)
	}
	if dies || !reflect.DeepEqual(was, d.cfg) { // a description moves nothing in the world
		d.world.settle()
	}
}

func (d *device) save() {
	if d.world.opts.Save != nil {
		_ = d.world.opts.Save(d.spec.Name, d.running.Bytes())
	}
}

func (a *agent) subscribe(s *netconf.ServerSession, op *xmlnode.Node) error {
	if a.d.subscribers[s] {
		return netconf.NewRPCError(netconf.TagInUse, "", "this session has a subscription already")
	}
	if stream := op.TextAt("stream"); stream != "" && stream != "NETCONF" {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no stream %q", stream)
	}
	if start := op.TextAt("startTime"); start != "" {
		since, err := time.Parse(time.RFC3339Nano, start)
		if err != nil {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "startTime %q is not a time", start)
		}
		for _, e := range a.d.log {
			if !e.at.Before(since) {
				s.Notify(e.at, e.event)
			}
		}
		s.Notify(a.d.world.clock.now(), xmlnode.New(netconf.NotificationNS, "replayComplete"))
	}
	a.d.subscribers[s] = true
	return nil
}

// Closed implements netconf.Handler.
func (a *agent) Closed(s *netconf.ServerSession) {
	a.d.world.mu.Lock()
	defer a.d.world.mu.Unlock()
	delete(a.d.subscribers, s)
	a.release(s, netconf.Candidate)
	a.release(s, netconf.Running)
	// RFC 6241 section 8.4.1: without persist, a confirmed commit ends with its session.
	if p := a.d.pending; p != nil && p.persist == "" && p.session == s.ID {
		a.d.revert("cancel", nil)
	}
}
