package standin

import (
	"cmp"
	"fmt"
	"html/template"
	"net"
	"net/http"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// The services that a device offers.
const (
	serviceNetconf  = "netconf"
	serviceTerminal = "terminal"
	serviceWeb      = "web"
)

var serviceNames = []string{serviceNetconf, serviceTerminal, serviceWeb}

var serviceAbout = map[string]string{
	serviceNetconf: "management (RFC 6241)", serviceTerminal: "the command line, over SSH", serviceWeb: "the device's own page",
}

// servicesState tells which services answer.
func (d *device) servicesState(services *xmlnode.Node, _ time.Time) {
	x := in("ep-dev")
	for _, s := range services.All("service") {
		name := s.TextAt("name")
		s.Add(x.leaf("running", strconv.FormatBool(!d.cfg.off[name] && (name != serviceWeb || d.page != nil))))
		port := 0
		switch {
		case name == serviceWeb && d.page != nil:
			port = portOf(d.page.Addr())
		case name != serviceWeb && d.listener != nil && d.listener.Listener != nil:
			port = portOf(d.listener.Addr())
		}
		if port != 0 {
			s.Add(x.int("port", port))
		}
		s.Add(x.leaf("about", serviceAbout[name]))
	}
}

func portOf(a net.Addr) int {
	tcp, ok := a.(*net.TCPAddr)
	if !ok {
		return 0
	}
	return tcp.Port
}

// servePage has the device serve its own page, until the world ends.
func (d *device) servePage() error {
	o := d.world.opts
	if o.PagePort == 0 {
		return nil
	}
	l, err := net.Listen("tcp", fmt.Sprintf("%s:%d", d.spec.Loopback, max(o.PagePort, 0)))
	if err != nil {
		return fmt.Errorf("own page of stand-in %s: %w", d.spec.Name, err)
	}
	d.page = newGatedListener(l, d.gate)
	d.page.setDown(d.crated)
	server := &http.Server{Handler: http.HandlerFunc(d.showPage), ReadHeaderTimeout: 5 * time.Second}
	d.world.wg.Go(func() { _ = server.Serve(d.page) })
	d.world.wg.Go(func() {
		<-d.world.done
		_ = server.Close()
	})
	return nil
}

// pageAddress is where the device's own page is, or "".
func (d *device) pageAddress() string {
	if d.page == nil || d.cfg.off[serviceWeb] {
		return ""
	}
	return "http://" + d.page.Addr().String() + "/"
}

var pageTemplate = template.Must(template.New("page").Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><title>{{.Name}}</title>
<style>body{font:15px/1.5 sans-serif;max-width:44em;margin:2em auto;padding:0 1em}table{border-collapse:collapse}td,th{padding:.15em 1.2em .15em 0;text-align:left}</style>
<h1>{{.Name}}</h1>
<p>{{.Maker}} {{.Model}}, serial number {{.Serial}}, firmware {{.Firmware}}, up for {{.Up}}.</p>
<table><tr><th>Port<th>State<th>Description</tr>
{{range .Ports}}<tr><td>{{.Name}}<td>{{.State}}<td>{{.Description}}</tr>
{{end}}</table></html>
`))

func (d *device) showPage(w http.ResponseWriter, _ *http.Request) {
	type port struct{ Name, State, Description string }
	d.world.mu.Lock()
	off := d.cfg.off[serviceWeb]
	page := struct {
		Name, Maker, Model, Serial, Firmware string
		Up                                   time.Duration
		Ports                                []port
	}{Name: d.cfg.hostname, Maker: d.spec.Maker, Model: d.spec.Model, Serial: d.spec.Serial, Firmware: d.spec.Firmware, Up: d.world.clock.now().Sub(d.booted).Round(time.Second)}
	for _, p := range d.spec.Ports {
		page.Ports = append(page.Ports, port{p.Name, operStatus(d.ports[p.Name]), cmp.Or(p.Description, "free")})
	}
	d.world.mu.Unlock()
	if off {
		if h, ok := w.(http.Hijacker); ok { // nothing answers on the port any more
			if c, _, err := h.Hijack(); err == nil {
				_ = c.Close()
			}
		}
		return
	}
	_ = pageTemplate.Execute(w, page)
}

// licensed are the kinds of devices that need licences, and for what.
var licensed = map[string][]string{"firewall": {"threat signatures", "support"}, "edge": {"overlay", "support"}, "switch": {"support"}}

// licencesState tells until when licences are good: those of the first firewall end soonest.
func (d *device) licencesState(own *xmlnode.Node) {
	x := in("ep-dev")
	for i, name := range licensed[d.spec.Role] {
		ends := d.licensedFrom.AddDate(0, 0, 24+(d.index*53+i*190)%900)
		own.Add(x.node("licence", x.leaf("name", name), x.leaf("ends", ends.UTC().Format(time.DateOnly))))
	}
}

// withServices puts the services into a saved configuration that is older than they are.
func withServices(tree *xmlnode.Node) *xmlnode.Node {
	if tree.Child("services") != nil {
		return tree
	}
	x := in("ep-dev")
	services := x.node("services")
	for _, name := range serviceNames {
		services.Add(x.node("service", x.leaf("name", name), x.leaf("enabled", "true")))
	}
	return tree.Add(services)
}
