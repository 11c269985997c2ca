package standin

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// task is an operation that a device was asked for (ep-operations).
type task struct {
	kind   string
	state  string // running, done, failed or cancelled
	reason string
	lines  []*xmlnode.Node
	timer  *timer
	file   string // that it left
	undo   func() // what must be so again, whatever becomes of it
}

const (
	remembers = 10 * time.Minute       // an operation after its end
	maxTasks  = 32                     // at once on a device
	mostLines = 100                    // that are told at once
	leaving   = 300 * time.Millisecond // from the answer until it goes
)

// harmless are the operations for which a user needs no right to change the device.
var harmless = []string{"ping", "traceroute", "locate"}

// abilities are the operations of a device.
func (d *device) abilities() []string {
	out := []string{"ping", "traceroute", "reboot", "slots", "clear-counters", "capture", "locate", "loopback", "throughput", "shut-down", "factory-reset"}
	if d.spec.Role == "firewall" {
		out = append(out, "end-session", "block-source", "unblock-source", "override", "end-override")
	}
	if d.spec.Role == "access-point" {
		out = append(out, "disconnect", "admit")
	}
	if d.spec.Role == "switch" {
		out = append(out, "bounce", "cable-test", "reopen", "wake")
		if slices.ContainsFunc(d.spec.Ports, func(p PortSpec) bool { return p.PoE }) {
			out = append(out, "power-cycle")
		}
	}
	return out
}

// operate answers what ep-operations asks. It is called with the lock held.
func (a *agent) operate(s *netconf.ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	if op.Name == "begin" {
		return a.beginTask(s, op)
	}
	id, err := strconv.ParseUint(op.TextAt("id"), 10, 32)
	t := a.d.tasks[uint32(id)]
	if err != nil || t == nil {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no operation %s", op.TextAt("id"))
	}
	if op.Name == "cancel" {
		a.d.end(t, "cancelled", "")
		return nil, nil
	}
	x := in("ep-op")
	after, _ := strconv.Atoi(op.TextAt("after"))
	out := []*xmlnode.Node{x.leaf("state", t.state)}
	if t.reason != "" {
		out = append(out, x.leaf("reason", t.reason))
	}
	if t.file != "" && t.state != "running" {
		out = append(out, x.leaf("file", t.file))
	}
	lines := t.lines[min(max(after, 0), len(t.lines)):]
	return append(out, lines[:min(len(lines), mostLines)]...), nil
}

func (a *agent) beginTask(s *netconf.ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	d := a.d
	if len(op.Children) != 1 || !slices.Contains(append(d.abilities(), "install", "boot", "dismiss"), op.Children[0].Name) {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "that operation is not among %v", d.abilities())
	}
	how := op.Children[0]
	if !slices.Contains(harmless, how.Name) {
		if err := d.mayDo(s.User, "commit"); err != nil {
			return nil, err
		}
	}
	running := 0
	for _, t := range d.tasks {
		if t.state == "running" {
			running++
		}
	}
	if running >= maxTasks {
		return nil, netconf.NewRPCError("resource-denied", "", "%d operations are under way", running)
	}
	t := &task{kind: how.Name, state: "running", undo: func() {}}
	if err := d.begin(t, how); err != nil {
		return nil, err
	}
	if d.tasks == nil {
		d.tasks = map[uint32]*task{}
	}
	d.lastTask++
	id := d.lastTask
	d.tasks[id] = t
	return []*xmlnode.Node{in("ep-op").leaf("id", strconv.Itoa(int(id)))}, nil
}

// begin starts a task.
func (d *device) begin(t *task, how *xmlnode.Node) error {
	switch t.kind {
	case "ping":
		return d.ping(t, how)
	case "traceroute":
		return d.traceroute(t, how)
	case "install":
		return d.beginInstall(t, how)
	case "boot":
		return d.beginBoot(how)
	case "throughput":
		return d.throughput(t, how)
	case "wake":
		return d.wake(t, how)
	case "admit", "dismiss":
		return d.admit(t, how)
	case "disconnect":
		return d.disconnect(t, how)
	case "end-session":
		return d.endSessions(t, texts(how.All("session")))
	case "block-source":
		minutes, err := strconv.Atoi(cmp.Or(how.TextAt("for"), "60"))
		if err != nil || minutes < 1 || minutes > 43_200 {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "it can be blocked for 1 to 43200 minutes")
		}
		return d.blockSource(t, how.TextAt("source"), time.Duration(minutes)*time.Minute)
	case "override":
		minutes, err := strconv.Atoi(cmp.Or(how.TextAt("for"), "30"))
		if err != nil || minutes < 1 || minutes > 1440 || how.TextAt("by") == "" {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "it can be let for 1 to 1440 minutes, by somebody")
		}
		return d.override(t, how.TextAt("source"), how.TextAt("category"), how.TextAt("by"), time.Duration(minutes)*time.Minute)
	case "end-override":
		return d.override(t, how.TextAt("source"), how.TextAt("category"), "", 0)
	case "unblock-source":
		return d.blockSource(t, how.TextAt("source"), 0)
	case "shut-down":
		d.tells(happening{severityAll, "SYSTEM", "the device shuts down, as it was told", "", ""})
		d.world.after(leaving, func() {
			d.powerCut = true
			d.world.settle()
		})
		return nil
	case "factory-reset":
		if d.crated || d.world.running == nil || d.world.closed {
			return netconf.NewRPCError("operation-failed", "", "it cannot be reset now")
		}
		d.world.after(leaving, func() {
			_ = d.forgetAll(d.spec.Serial)
			d.boot(d.world.clock.now(), time.Duration(cmp.Or(d.spec.BootSeconds, 2))*time.Second)
			d.world.settle()
		})
		return nil
	case "reboot":
		d.tells(happening{severityAll, "SYSTEM", "the device restarts, as it was told", "", ""})
		d.world.after(leaving, func() {
			d.loseMemory()
			d.boot(d.world.clock.now(), time.Duration(cmp.Or(d.spec.BootSeconds, 2))*time.Second)
			d.world.settle()
		})
		return nil
	}
	var ports []*portSim
	for _, p := range how.All("ports") {
		sim := d.ports[p.Text]
		if sim == nil {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no port %q", p.Text)
		}
		if t.kind == "power-cycle" && !sim.spec.PoE {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "port %s cannot feed power", p.Text)
		}
		ports = append(ports, sim)
	}
	if len(ports) == 0 && t.kind != "locate" {
		return netconf.NewRPCError(netconf.TagMissingElement, "", "name the ports")
	}
	n, _ := strconv.Atoi(cmp.Or(how.TextAt("for"), "3"))
	span := time.Duration(n) * time.Second
	switch t.kind {
	case "capture":
		return d.capture(t, how, ports)
	case "bounce":
		d.holdPorts(t, ports, span, func(p *portSim, on bool) { p.bounced = on }, "down", func(p *portSim) string {
			if p.up {
				return "up again"
			}
			return "released, and no link yet"
		})
	case "power-cycle":
		d.holdPorts(t, ports, span, func(p *portSim, on bool) { p.starved = on }, "without power", func(p *portSim) string {
			if p.feeding > 0 {
				return fmt.Sprintf("feeds again, %.1f W", float64(p.feeding)/1000)
			}
			return "released, and nothing asks for power"
		})
	case "cable-test":
		d.testCables(t, ports)
	default:
		d.atPorts(t, ports, span, how.TextAt("for") != "")
	}
	return nil
}

// say adds a line to what came back.
func (d *device) say(t *task, cells ...string) {
	x := in("ep-op")
	of := x.node(t.kind)
	for i := 0; i+1 < len(cells); i += 2 {
		if cells[i+1] != "" {
			of.Add(x.leaf(cells[i], cells[i+1]))
		}
	}
	t.lines = append(t.lines, x.node("line", x.leaf("number", strconv.Itoa(len(t.lines)+1)), x.when("at", d.world.clock.now()), of))
}

// end has a task be over, and forgotten after a while.
func (d *device) end(t *task, state, reason string) {
	if t.state != "running" {
		return
	}
	t.state, t.reason = state, reason
	d.world.cancel(t.timer)
	t.undo()
	d.world.after(remembers, func() {
		for id, o := range d.tasks {
			if o == t {
				delete(d.tasks, id)
			}
		}
	})
}

// each calls step with 0, 1, 2 ... so many times, with a span between, and ends the task then.
func (d *device) each(t *task, times int, span time.Duration, step func(i int) (goOn bool)) {
	var next func(i int)
	next = func(i int) {
		if t.state != "running" || !d.powered || d.booting {
			return
		}
		if i == times || !step(i) {
			d.end(t, "done", "")
			return
		}
		wait := span
		if i == times-1 {
			wait = 50 * time.Millisecond
		}
		t.timer = d.world.after(wait, func() { next(i + 1) })
	}
	t.timer = d.world.after(20*time.Millisecond, func() { next(0) })
}

func (d *device) target(how *xmlnode.Node) (station, error) {
	to := how.TextAt("to")
	if vrf := how.TextAt("vrf"); vrf != "" && vrf != "default" && vrf != d.cfg.manage.vrf {
		return station{}, netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no VRF %q", vrf)
	}
	s, found := d.world.find(to)
	switch {
	case found:
		return s, nil
	case isAddress(to):
		return station{ip: to, room: room{"", 0}, device: &device{}}, nil // nobody has it
	}
	return station{}, netconf.NewRPCError(netconf.TagInvalidValue, "", "the name %q cannot be resolved", to)
}

func (d *device) wayTo(s station) ([]wayPoint, string) {
	if s.room.device == "" {
		return nil, "no route to it"
	}
	if s.device == d && s.host == nil {
		return []wayPoint{{name: s.name, ip: s.ip}}, ""
	}
	return d.world.way(d, s)
}

func (d *device) ping(t *task, how *xmlnode.Node) error {
	to, err := d.target(how)
	if err != nil {
		return err
	}
	count, _ := strconv.Atoi(cmp.Or(how.TextAt("count"), "5"))
	size, _ := strconv.Atoi(cmp.Or(how.TextAt("size"), "56"))
	d.each(t, count, time.Second, func(i int) bool {
		seq := strconv.Itoa(i + 1)
		points, fault := d.wayTo(to)
		ms, lost := d.world.roundTrip(points, d.world.clock.now())
		switch {
		case fault != "":
			d.say(t, "seq", seq, "fault", fault)
		case lost:
			d.say(t, "seq", seq, "fault", "no answer")
		case size > 1472 && slices.ContainsFunc(points, func(p wayPoint) bool { return p.delayMs > 0 }):
			d.say(t, "seq", seq, "fault", "too large for the way, and must not be split")
		default:
			d.say(t, "seq", seq, "from", to.ip, "octets", strconv.Itoa(size+8), "ttl", strconv.Itoa(65-len(points)), "time", fmt.Sprintf("%.3f", ms))
		}
		return true
	})
	return nil
}

func (d *device) traceroute(t *task, how *xmlnode.Node) error {
	to, err := d.target(how)
	if err != nil {
		return err
	}
	most, _ := strconv.Atoi(cmp.Or(how.TextAt("hops"), "30"))
	silent := 0
	d.each(t, most, 150*time.Millisecond, func(i int) bool {
		points, fault := d.wayTo(to)
		hop := strconv.Itoa(i + 1)
		if i < len(points) {
			p := points[i]
			ms, _ := d.world.roundTrip(points[:i+1], d.world.clock.now())
			d.say(t, "hop", hop, "from", p.ip, "name", p.name, "time", fmt.Sprintf("%.3f", ms))
			return i+1 < len(points) || fault != ""
		}
		d.say(t, "hop", hop, "fault", "no answer")
		silent++
		return silent < 3
	})
	return nil
}

// holdPorts has ports be held back for a time, one line at the begin and one at the end of it.
func (d *device) holdPorts(t *task, ports []*portSim, span time.Duration, hold func(*portSim, bool), held string, after func(*portSim) string) {
	set := func(on bool) {
		for _, p := range ports {
			hold(p, on)
		}
		d.world.settle()
	}
	t.undo = func() { set(false) }
	t.timer = d.world.after(20*time.Millisecond, func() {
		set(true)
		for _, p := range ports {
			d.say(t, "port", p.spec.Name, "step", held)
		}
		t.timer = d.world.after(span, func() {
			set(false)
			t.undo = func() {}
			t.timer = d.world.after(500*time.Millisecond, func() {
				for _, p := range ports {
					d.say(t, "port", p.spec.Name, "step", after(p))
				}
				d.end(t, "done", "")
			})
		})
	})
}

// testCables measures one port after another: its link is down for two seconds.
func (d *device) testCables(t *task, ports []*portSim) {
	var next func(i int)
	next = func(i int) {
		if t.state != "running" {
			return
		}
		if i == len(ports) {
			d.end(t, "done", "")
			return
		}
		p := ports[i]
		p.bounced = true
		t.undo = func() {
			p.bounced = false
			d.world.settle()
		}
		d.world.settle()
		t.timer = d.world.after(2*time.Second, func() {
			p.bounced = false
			t.undo = func() {}
			d.world.settle()
			d.sayPairs(t, p)
			t.timer = d.world.after(50*time.Millisecond, func() { next(i + 1) })
		})
	}
	t.timer = d.world.after(20*time.Millisecond, func() { next(0) })
}

func (d *device) sayPairs(t *task, p *portSim) {
	at := endpoint{d.spec.Name, p.spec.Name}
	length := 3 + int(60*chance(at.device+":"+at.port, 0))
	state, fault := "ok", 0
	switch {
	case p.spec.Cage:
		state = "unknown"
	case d.world.cutAt(at) || slices.ContainsFunc(d.world.hostsAt[d.spec.Name], func(h *host) bool { return h.at == at && h.cut }):
		state, fault = "open", length*2/3
	case !d.world.plugged(at):
		state, length = "open", 0
	}
	for i, pair := range []string{"A", "B", "C", "D"} {
		s, f := state, fault
		if p.damage > 0 && i == 2 && state == "ok" {
			s, f = "short", length/2
		}
		cells := []string{"port", p.spec.Name, "pair", pair, "state", s}
		if s != "unknown" && (length > 0 || s == "open") {
			cells = append(cells, "length", strconv.Itoa(length))
		}
		if s == "open" || s == "short" {
			cells = append(cells, "fault-at", strconv.Itoa(f))
		}
		d.say(t, cells...)
	}
}

// plugged tells whether something is in a port.
func (w *World) plugged(at endpoint) bool {
	return slices.ContainsFunc(w.cablesAt[at.device], func(c *cable) bool { return c.a == at || c.b == at }) ||
		slices.ContainsFunc(w.hostsAt[at.device], func(h *host) bool { return h.at == at })
}

// chance is a number from 0 to 1 that is always the same for a name and a moment.
func chance(name string, at int64) float64 {
	h := fnv.New64a()
	_, _ = fmt.Fprintf(h, "%s %d", name, at)
	return float64(h.Sum64()>>11) / (1 << 53)
}
