package standin

import (
	"cmp"
	"context"
	"crypto/x509"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// Options of a world.
type Options struct {
	User, Password string // how to log in to every device; required
	// Port on which the agents listen at their loopback addresses; 0 takes a free one for each.
	Port int
	// Seed makes days differ: the same seed gives the same day.
	Seed int64
	// PagePort is the port on which devices serve their own pages at their loopback addresses; 0 for none, -1 for a free one.
	PagePort int
	// SyslogPort and TrapPort are where devices send what they tell; 0 for the usual ones, 514 and 162.
	SyslogPort, TrapPort int
	// RADIUSPort is where devices ask who may sign in, NamesPort where they ask for names; 0 for the usual ones, 1812 and 53.
	RADIUSPort, NamesPort int
	// Trusts are the authorities that stations trust to name a RADIUS server.
	Trusts *x509.CertPool
	// Roam lets wireless stations wander between the access points of their site.
	Roam bool
	// Guests has stations that are held at a portal do what it asks for.
	Guests bool
	// SessionEvery is how often stations begin anew to talk to those that they keep talking to; 20 seconds when 0.
	SessionEvery time.Duration
	// Stepped is where the world's time stands until Step moves it on; zero for the time of the machine.
	Stepped time.Time
	// Load returns the startup configuration that was saved for a device, or nil. Save keeps it. Both may be nil.
	Load func(device string) []byte
	Save func(device string, config []byte) error
	// FileRate is how many octets of files devices take each second; 0: as they come.
	FileRate int
	// Bootstrap tells devices that are unpacked where to ask what they are to be; it may be nil.
	Bootstrap func() (Bootstrap, error)
}

// World holds the devices, cables and hosts of a plant, and keeps what follows from them true.
type World struct {
	opts    Options
	entries []string

	mu      sync.Mutex // guards everything below and the devices' insides
	devices map[string]*device
	cables  []*cable
	hosts   []*host
	tunnels []*tunnel
	routers []*router
	// handovers are the providers of ports of edges to which their lines come from elsewhere.
	handovers map[endpoint]*host
	wide      wideArea
	rainDb    float64 // what rain takes from radio links

	// What is worked out once.
	names     []string // of the devices, in their order
	cablesAt  map[string][]*cable
	hostsAt   map[string][]*host
	pointsAt  map[string][]string // access points, by site
	tunnelsAt map[string][]*tunnel
	fedFrom   map[string][]string // the devices that a device feeds
	nodes     map[string][]string // the bridges of the spanning tree with their devices
	pairs     map[string]string   // of devices that are one bridge with another: the name of the pair
	limited   map[*portSim]limit  // ports that send less than they could
	clashes   map[*portSim]bool   // ports that get frames which are too large for them
	rogues    map[string]bool     // devices with somebody on them who gives out wrong addresses
	ringWas   map[string]string   // how each ring was
	gateways  []string            // where VLANs end
	gave      bool                // some station has an address that is reserved for it
	firewalls []string
	next      map[steeredTo]*device // to which edge an edge sends what is for a site, at this moment
	edgesOf   map[int][]*device     // those of each site that work, at this moment
	apart     map[apartKey]bool     // who is together with whom, as segments go, since the world last settled
	guardians map[int]*device       // the firewall of each site that decides; nil where none works
	// What settle works out.
	tree *spanning
	ways map[int]rooms // by VLAN, as they are asked for
	// reached are the devices that the management reaches.
	reached map[string]bool
	clock   clock
	began   time.Time // when traffic did
	minute  int64     // in which it was settled last for the hours of ports
	lived   bool      // it has a time behind it: see Live
	closed  bool
	wg      sync.WaitGroup
	stop    context.CancelFunc
	running context.Context // until the world ends
	done    <-chan struct{} // closed when the world ends
}

type endpoint struct{ device, port string }

type cable struct {
	a, b endpoint
	cut  bool
}

type host struct {
	HostSpec
	at   endpoint
	port *portSim
	cut  bool

	peer    *host      // with whom it alone talks
	said    said       // of it, by who is asked whether it may join
	air     inAir      // how it stands at its radio
	route   []hop      // the ports that its frames pass up to the gateway, as long as nothing changes
	routed  bool       // route is known
	listens bool       // its peer hears it
	slot    int64      // of the time in which it stays at one access point
	away    bool       // it is not there at all
	seen    netip.Addr // the address of the access point that hides it; not valid: its own
	own     string     // the address that it has where none is reserved for it; "" until one was
	asleep  bool       // it sends and answers nothing until a wake-up frame comes
	says    []saying   // to whom it keeps talking
	in, out float64    // octets, as its access point counts them since it joined
}

type portSim struct {
	spec     PortSpec
	mac      string
	up       bool
	changed  time.Time
	feeding  int // mW of PoE delivered
	class    int
	counters tally
	half     bool      // it sends and receives in turn, at half duplex
	damage   float64   // the part of the frames that a bad cable spoils
	forwards time.Time // until then it listens and learns only; zero where it forwards
	learning *timer    // until then
	guard    guarded
	air      *airCount // of an end of a radio link
	brown    bool      // the provider behind it is overloaded
	bounced  bool      // held down for a moment
	starved  bool      // without power for a moment
}

// New builds a world. Start makes it run.
func New(p Plant, o Options) (*World, error) {
	o.SessionEvery = cmp.Or(o.SessionEvery, 20*time.Second)
	w := &World{handovers: map[endpoint]*host{}, opts: o, entries: p.Entries, devices: map[string]*device{},
		cablesAt: map[string][]*cable{}, hostsAt: map[string][]*host{}, pointsAt: map[string][]string{}, tunnelsAt: map[string][]*tunnel{}, fedFrom: map[string][]string{}, nodes: map[string][]string{}}
	w.clock.stand(o.Stepped)
	w.address(p)
	for i, spec := range p.Devices {
		spec.tunnels = w.firstTunnels(p, spec)
		d, err := w.newDevice(spec, i)
		if err != nil {
			return nil, err
		}
		w.devices[spec.Name] = d
		w.names = append(w.names, spec.Name)
		if feeder, _, ok := strings.Cut(spec.FedBy, ":"); ok {
			w.fedFrom[feeder] = append(w.fedFrom[feeder], spec.Name)
		}
		if spec.Role == "edge" {
			w.gateways = append(w.gateways, spec.Name)
		}
		if spec.Role == "access-point" {
			w.pointsAt[spec.Site] = append(w.pointsAt[spec.Site], spec.Name)
		}
		if spec.Role == "firewall" {
			w.firewalls = append(w.firewalls, spec.Name)
		}
	}
	slices.Sort(w.names)
	w.gatherBridges()
	for _, c := range p.Cables {
		a, err := w.endpoint(c.A)
		if err != nil {
			return nil, err
		}
		b, err := w.endpoint(c.B)
		if err != nil {
			return nil, err
		}
		cable := &cable{a: a, b: b}
		w.cables = append(w.cables, cable)
		w.cablesAt[a.device] = append(w.cablesAt[a.device], cable)
		w.cablesAt[b.device] = append(w.cablesAt[b.device], cable)
	}
	for _, h := range p.Hosts {
		at, err := w.endpoint(h.At)
		if err != nil {
			return nil, err
		}
		peer := slices.IndexFunc(w.hosts, func(o *host) bool { return h.With != "" && o.Name == h.With })
		host := &host{HostSpec: h, at: at, port: w.at(at)}
		w.hosts = append(w.hosts, host)
		w.hostsAt[at.device] = append(w.hostsAt[at.device], host)
		if peer >= 0 {
			host.peer = w.hosts[peer]
		}
		if h.For != "" {
			e, err := w.endpoint(h.For)
			if err != nil {
				return nil, err
			}
			w.handovers[e] = host
		}
	}
	for _, spec := range p.Tunnels {
		for _, end := range []string{spec.A, spec.B} {
			if _, err := w.endpoint(end); err != nil {
				return nil, err
			}
		}
	}
	for _, r := range p.Routers {
		i := slices.IndexFunc(w.hosts, func(h *host) bool { return h.Name == r.Host })
		prefix, err := netip.ParsePrefix(r.Prefix)
		if i < 0 || err != nil {
			return nil, fmt.Errorf("router %q is no station of this world, or has no network", r.Host)
		}
		w.routers = append(w.routers, &router{RouterSpec: r, host: w.hosts[i], prefix: prefix})
	}
	w.gatherTunnels()
	return w, nil
}

func (w *World) endpoint(s string) (endpoint, error) {
	name, port, _ := strings.Cut(s, ":")
	d := w.devices[name]
	if d == nil {
		return endpoint{}, fmt.Errorf("there is no device %q in this world", name)
	}
	if d.ports[port] == nil {
		return endpoint{}, fmt.Errorf("%s has no port %q", name, port)
	}
	return endpoint{name, port}, nil
}

// Start lets every device boot and listen, and the world's time run, until Close.
func (w *World) Start(ctx context.Context) error {
	ctx, w.stop = context.WithCancel(context.WithoutCancel(ctx))
	w.done, w.running = ctx.Done(), ctx
	for _, d := range w.devices {
		if err := d.servePage(); err != nil {
			w.stop()
			w.wg.Wait()
			return err
		}
		if d.spec.Crated {
			d.listener = newGatedListener(nil, d.gate)
			w.wg.Go(func() { d.lead(ctx) })
			continue
		}
		if err := d.listen(ctx); err != nil {
			w.stop()
			w.wg.Wait()
			return err
		}
	}
	w.mu.Lock()
	w.settle()
	if !w.lived {
		w.beginAsIs()
	}
	w.mu.Unlock()
	if w.opts.Guests {
		w.wg.Go(func() { w.receive(ctx) })
	}
	if w.opts.Stepped.IsZero() {
		w.wg.Go(func() { w.run(ctx) })
	}
	return nil
}

// beginAsIs makes what is up now have been so since its device came up.
func (w *World) beginAsIs() {
	for _, d := range w.devices {
		d.log = nil
		for _, p := range d.ports {
			p.changed = d.booted.Add(90 * time.Second)
		}
	}
	for _, t := range w.tunnels {
		t.changed = w.devices[t.a.device].booted.Add(2 * time.Minute)
	}
}

// Close stops all devices and waits for them.
func (w *World) Close() {
	w.mu.Lock()
	w.closed = true
	w.clock.end()
	w.mu.Unlock()
	if w.stop != nil {
		w.stop()
	}
	for _, d := range w.devices {
		d.gate.set(true)
		d.setDown(true)
		d.endAsking()
	}
	w.wg.Wait()
}

// run lets traffic flow, second by second; in a large world in larger steps, so that it does not take the machine for
// itself.
func (w *World) run(ctx context.Context) {
	step := time.Second * time.Duration(1+len(w.hosts)/2000)
	tick := time.NewTicker(step)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			w.mu.Lock()
			w.onTime(w.clock.now())
			w.flow(w.clock.now(), step)
			w.askForStations(w.clock.now())
			w.mu.Unlock()
		case <-ctx.Done():
			return
		}
	}
}

// Devices lists the names of the devices that are in no crate.
func (w *World) Devices() []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.DeleteFunc(slices.Clone(w.names), func(name string) bool { return !w.installed(name) })
}

// Entry is a device through which the management network comes in.
func (w *World) Entry() string { return w.entries[0] }

// Serials lists the serial numbers of the devices by name, for tests to hold against what the service found.
func (w *World) Serials() map[string]string {
	w.mu.Lock()
	defer w.mu.Unlock()
	out := map[string]string{}
	for name, d := range w.devices {
		if w.installed(name) {
			out[name] = d.spec.Serial
		}
	}
	return out
}

// Cables lists the cables by their ends, device:port, for tests to hold against what the service found.
func (w *World) Cables() [][2]string {
	w.mu.Lock()
	defer w.mu.Unlock()
	var out [][2]string
	for _, c := range w.cables {
		if w.installed(c.a.device) && w.installed(c.b.device) {
			out = append(out, [2]string{c.a.device + ":" + c.a.port, c.b.device + ":" + c.b.port})
		}
	}
	return out
}

// Stations lists where the end stations are plugged in or joined, by hardware address.
func (w *World) Stations() map[string]string {
	w.mu.Lock()
	defer w.mu.Unlock()
	out := map[string]string{}
	for _, h := range w.hosts {
		if w.installed(h.at.device) && !h.away {
			out[h.MAC] = h.at.device + ":" + h.at.port
		}
	}
	return out
}

// Address is where a device's agent listens.
func (w *World) Address(device string) string { return w.devices[device].listener.Addr().String() }

// OwnTime is how long a device has been at work on what it was told, other than telling its state: what whoever leads it
// cannot but wait for.
func (w *World) OwnTime(device string) time.Duration {
	return time.Duration(w.devices[device].own.Load())
}

// HostKey is the public key by which a device shows itself.
func (w *World) HostKey(device string) ssh.PublicKey {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].signer.PublicKey()
}

// Running returns a copy of a device's running configuration, for tests to hold against what the service says.
func (w *World) Running(device string) *xmlnode.Node {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].running.Clone()
}

// Shown is what a device answers to somebody who asks for all that it has, for tests to hold against what the service says.
func (w *World) Shown(device string) *xmlnode.Node {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].stateTree(w.clock.now(), nil)
}

// FirmwareOf is what a device really runs.
func (w *World) FirmwareOf(device string) string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].spec.Firmware
}

// TrialOpen reports whether a device waits for a confirmed commit to be confirmed.
func (w *World) TrialOpen(device string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].pending != nil
}

// PortUp reports whether a port has a link.
func (w *World) PortUp(at string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	e, err := w.endpoint(at)
	return err == nil && w.devices[e.device].ports[e.port].up
}

// device is one simulated device. World.mu guards what changes.
type device struct {
	world    *World
	spec     DeviceSpec
	gate     *gate
	listener *gatedListener
	page     *gatedListener // of its own page; nil when it has none
	asked    net.PacketConn // where it is asked by SNMP; nil while it is not
	server   *netconf.Server
	own      atomic.Int64 // nanoseconds that it took for what it was told
	lost     bool         // its address is one at which nobody finds it
	signer   ssh.Signer

	running, candidate *xmlnode.Node // running is set by setRunning only
	cfg                *compiled     // what running comes to
	locks              map[netconf.Datastore]uint32
	pending            *trial
	ports              map[string]*portSim
	booted             time.Time
	powered, booting   bool
	hung, hot, crated  bool
	mute               bool // its service for management is switched off
	index              int  // in the plant
	licensedFrom       time.Time
	keys               keystore
	deadSupplies       map[string]bool // by name
	powerCut           bool
	subscribers        map[*netconf.ServerSession]bool
	steered            map[steeredTo]*steered
	exchanges          map[string]exchange // with routers of its site: by protocol and name
	moves              []steerMove
	moved              uint64
	log                []logEntry
	lent               map[string]string // roles of users whom a RADIUS server let in
	refuse             map[Fault]bool
	hits               map[listEntry]float64         // frames by entry of an access list
	judged             map[int]*judgement            // sessions on which its policy decided, by rule; 0: none fitted
	restarted          map[string]time.Time          // sessions that were ended, and when who had them begins anew
	admitted           map[string]admission          // guests that it lets through, by hardware address
	blocked            map[netip.Addr]*blockedSource // who may reach nothing through it
	given              map[string]netip.Addr         // addresses of its own networks, by hardware address
	overridden         map[overrideKey]*override     // which stations may see what for a time
	flooded            map[floodKey]*flood           // what is dropped as its sources begin too much
	halfOpen           float64                       // sessions that floods began and that nobody answers
	found              map[[2]string]*finding        // what inspections found, by inspection and what
	translates         map[int]*judgement            // sessions that it translated, by translation
	classes            [8]classCount                 // what was sent of each class of traffic
	contacts           map[string]string             // how the contacts at its inputs are, where not closed
	ringChanges        map[string]int                // how often a ring opened or closed
	controllerUp       bool
	controllerChanged  time.Time
	slow               time.Duration
	blinking           int              // lights that blink
	tasks              map[uint32]*task // what it was asked to do, by number
	lastTask           uint32
	lastCapture        int
	slots              slots
	inbox              *inbox
}

type trial struct {
	persist  string
	session  uint32
	previous *xmlnode.Node
	timer    *timer
}

func (w *World) newDevice(spec DeviceSpec, index int) (*device, error) {
	d := &device{
		world: w, spec: spec, gate: newGate(), booted: w.clock.now().Add(-time.Duration(31+(7*index)%300) * 24 * time.Hour), powered: true,
		locks: map[netconf.Datastore]uint32{}, ports: map[string]*portSim{},
		subscribers: map[*netconf.ServerSession]bool{}, lent: map[string]string{}, deadSupplies: map[string]bool{}, index: index, refuse: map[Fault]bool{},
		licensedFrom: w.clock.now(), contacts: map[string]string{}, ringChanges: map[string]int{},
	}
	if w.opts.Load != nil {
		if serial := w.opts.Load(successorOf(spec.Name)); len(serial) > 0 {
			d.beSuccessor(string(serial))
		}
	}
	d.setRunning(spec.config())
	if spec := d.spec; spec.Crated {
		d.crated, d.powered = true, false
		d.setRunning(spec.factory().config())
	}
	if w.opts.Load != nil {
		if saved := w.opts.Load(spec.Name); len(saved) > 0 {
			n, err := xmlnode.Parse(context.Background(), saved)
			if err != nil {
				return nil, fmt.Errorf("saved configuration of %s: %w", spec.Name, err)
			}
			d.setRunning(withCarriers(withServices(n), d.spec))
			d.crated, d.powered = false, true // it was unpacked before
		}
	}
	d.inbox = &inbox{rate: w.opts.FileRate}
	d.loadSlots()
	d.candidate = d.running.Clone()
	if err := d.newHostKey("first"); err != nil {
		return nil, err
	}
	for i, p := range spec.Ports {
		d.ports[p.Name] = &portSim{
			spec: p, mac: fmt.Sprintf("02:45:%02x:%02x:%02x:%02x", index>>8, index&0xff, i>>8, i&0xff), changed: d.booted,
		}
	}
	return d, nil
}

// setRunning makes a configuration the running one.
func (d *device) setRunning(tree *xmlnode.Node) { d.running, d.cfg = tree, compile(tree) }

// chassisMAC is the hardware address of the device itself.
func (d *device) chassisMAC() string { return d.ports[d.spec.Ports[0].Name].mac }
