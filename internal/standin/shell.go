package standin

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/term"

	"example.net/everypost/internal/wire/netconf"
)

// shell is the command line of a device, for people: what they look at when they do not trust the console.
func (d *device) shell(ctx context.Context, ch io.ReadWriter, pty netconf.Pty, user string) {
	d.world.mu.Lock()
	prompt, off := d.cfg.hostname+"> ", d.cfg.off[serviceTerminal]
	d.world.mu.Unlock()
	if off {
		_, _ = io.WriteString(ch, "The command line is switched off.\r\n")
		return
	}
	t := term.NewTerminal(ch, prompt)
	_ = t.SetSize(max(20, pty.Columns), max(5, pty.Rows))
	ended := make(chan struct{})
	defer close(ended)
	go func() {
		for {
			select {
			case size := <-pty.Resized:
				_ = t.SetSize(max(20, size[0]), max(5, size[1]))
			case <-ended:
				return
			}
		}
	}()
	_, _ = fmt.Fprintf(t, "%s %s, %s. You are %s. Type help.\n", d.spec.Maker, d.spec.Model, d.spec.Serial, user)
	for ctx.Err() == nil {
		line, err := t.ReadLine()
		if err != nil {
			return
		}
		words := strings.Fields(line)
		if len(words) == 0 {
			continue
		}
		if words[0] == "exit" {
			return
		}
		if words[0] == "lookup" && len(words) == 2 {
			_, _ = io.WriteString(t, d.lookup(ctx, words[1]))
			continue
		}
		d.world.mu.Lock()
		answer := d.command(words, d.world.clock.now())
		d.world.mu.Unlock()
		_, _ = io.WriteString(t, answer)
	}
}

var shellHelp = `about            what this device is
ports            its ports
port NAME        one port with its counters
neighbours       what is at the other ends of its cables
addresses        hardware addresses it has learned
log              the last things that happened to it
lookup NAME      asks its name servers for the addresses of a host
exit             leave
`

// lookup asks the device's name servers (RFC 1035). Only those on this machine answer: the others are made up.
func (d *device) lookup(ctx context.Context, name string) string {
	d.world.mu.Lock()
	servers := d.cfg.names
	d.world.mu.Unlock()
	if len(servers) == 0 {
		return "It knows no name server: dns-servers are not set.\n"
	}
	ctx, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	for _, server := range servers {
		if ip := net.ParseIP(server); ip == nil || !ip.IsLoopback() {
			continue
		}
		at := net.JoinHostPort(server, strconv.Itoa(cmp.Or(d.world.opts.NamesPort, 53)))
		r := net.Resolver{PreferGo: true, Dial: func(ctx context.Context, _, _ string) (net.Conn, error) {
			return (&net.Dialer{}).DialContext(ctx, "udp", at)
		}}
		addresses, err := r.LookupHost(ctx, strings.TrimSuffix(name, ".")+".")
		var none *net.DNSError
		switch {
		case err == nil:
			return name + " is at " + strings.Join(addresses, ", ") + "\n"
		case errors.As(err, &none) && none.IsNotFound:
			return server + " knows no " + name + "\n"
		}
	}
	return "No name server answers: " + strings.Join(servers, ", ") + "\n"
}

// command answers a command.
func (d *device) command(words []string, now time.Time) string {
	switch words[0] {
	case "help":
		return shellHelp
	case "about":
		return fmt.Sprintf("name       %s\nmodel      %s %s\nserial     %s\nfirmware   %s\nup for     %s\nload       %.0f %%\ntemperature %.1f C\n",
			d.cfg.hostname, d.spec.Maker, d.spec.Model, d.spec.Serial, d.spec.Firmware, now.Sub(d.booted).Round(time.Second), d.load(now), d.heat(now))
	case "ports":
		var b strings.Builder
		for _, p := range d.spec.Ports {
			fmt.Fprintf(&b, "%-10s %-5s %-7s %s\n", p.Name, strings.ToLower(operStatus(d.ports[p.Name])), vlanWord(d.cfg.ports[p.Name].untagged), p.Description)
		}
		return b.String()
	case "port":
		if len(words) != 2 || d.ports[words[1]] == nil {
			return "There is no such port: type ports.\n"
		}
		c := d.ports[words[1]].counters
		return fmt.Sprintf("%s is %s since %s\nreceived   %.0f octets, %.0f frames, %.0f in error\nsent       %.0f octets, %.0f frames\n", words[1],
			strings.ToLower(operStatus(d.ports[words[1]])), d.ports[words[1]].changed.UTC().Format(time.RFC3339), c.inOctets, c.inUnicast, c.inErrors, c.outOctets, c.outUnicast)
	case "neighbours":
		var b strings.Builder
		for _, c := range d.world.cablesAt[d.spec.Name] {
			near, far := c.a, c.b
			if far.device == d.spec.Name {
				near, far = far, near
			}
			if d.ports[near.port].up {
				fmt.Fprintf(&b, "%-10s %s %s\n", near.port, d.world.devices[far.device].cfg.hostname, far.port)
			}
		}
		return b.String()
	case "addresses":
		var b strings.Builder
		for _, e := range d.macTable() {
			fmt.Fprintf(&b, "%s %5d %s\n", e.mac, e.vlan, e.port)
		}
		return b.String()
	case "log":
		var b strings.Builder
		for _, e := range slices.Backward(d.log) {
			fmt.Fprintf(&b, "%s %s %s\n", e.at.UTC().Format(time.RFC3339), e.event.Name, e.event.TextAt("name"))
		}
		return b.String()
	}
	return fmt.Sprintf("There is no command %s: type help.\n", strconv.Quote(words[0]))
}

func vlanWord(id int) string {
	if id == 0 {
		return "-"
	}
	return strconv.Itoa(id)
}
