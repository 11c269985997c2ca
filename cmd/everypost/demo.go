package main

import (
	"bytes"
	"context"
	"crypto/x509"
	"encoding/json"
	"errors"
	"example.net/everypost/internal/api/bootstrap"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// How to sign in to the demo, and to its devices. It is a demo: these are printed.
const (
	demoPassword       = "lanterns over the sound"
	demoDeviceUser     = "fleet"
	demoDevicePassword = "tidewater-lamp"
)

var demoPeople = []v1.NewUser{
	{Name: "ada", UserRequest: v1.UserRequest{FullName: "Ada Quill", Role: "administrator"}},
	{Name: "bram", UserRequest: v1.UserRequest{FullName: "Bram Oar", Role: "operator", Mail: "bram@lantern.example"}},
	{Name: "coral", UserRequest: v1.UserRequest{FullName: "Coral Finch", Role: "technician", Only: "site = kelp-bay", Mail: "coral@lantern.example"}},
	{Name: "dunstan", UserRequest: v1.UserRequest{FullName: "Dunstan Ebb", Role: "security-officer"}},
	{Name: "edda", UserRequest: v1.UserRequest{FullName: "Edda Marsh", Role: "administrator"}},
	{Name: "isla", UserRequest: v1.UserRequest{FullName: "Isla Reed", Role: "manager"}},
}

type demoOptions struct {
	data, listen, control           string
	callHomeListen, bootstrapListen string
	guestListen                     string
	scale                           int
	seed                            int64
	quiet                           bool
	history                         int
	devicePort, pagePort            int
}

func demoCommand() *cobra.Command {
	var o demoOptions
	cmd := &cobra.Command{
		Use: "demo", Short: "Run the service with the simulated devices of Lantern Sound Ferries", Args: cobra.NoArgs,
		Long: `Run the service, in a process of its own, beside the simulated devices of a ferry company: 77 at twelve sites, which speak the
real protocols on loopback addresses. Everything that is done is kept in the data folder. Ctrl-C stops all of it.

The devices let in the user ` + demoDeviceUser + ` with the password ` + demoDevicePassword + `.`,
		RunE: func(cmd *cobra.Command, _ []string) error { return demo(cmd.Context(), cmd.OutOrStdout(), o) },
	}
	f := cmd.Flags()
	f.StringVar(&o.data, "data", "var/demo", "folder for all that the demo keeps")
	f.StringVar(&o.listen, "listen", "127.0.0.1:8490", "address of the service")
	f.StringVar(&o.callHomeListen, "call-home-listen", "127.0.0.1:4334", "address on which devices call home")
	f.StringVar(&o.bootstrapListen, "bootstrap-listen", "127.0.0.1:8492", "address on which new devices are told what they are to be")
	f.StringVar(&o.guestListen, "guest-listen", "127.0.0.1:8493", "address on which guests of wireless networks are received")
	f.IntVar(&o.scale, "scale", 0, "instead of the company, so many like sites of 20 devices and 1,000 ports each, for load")
	f.Int64Var(&o.seed, "seed", 0, "the same seed gives the same day")
	f.IntVar(&o.history, "history", 30, "on the first start, days of the company's past to hand to the service, at most 60")
	f.BoolVar(&o.quiet, "quiet", false, "let nothing happen by itself")
	f.IntVar(&o.devicePort, "device-port", 2830, "port on which the simulated devices listen")
	f.IntVar(&o.pagePort, "page-port", 2880, "port on which the simulated devices serve their own pages; 0 for none")
	cmd.PersistentFlags().StringVar(&o.control, "control", "127.0.0.1:8491", "address at which faults are thrown")
	fault := &cobra.Command{
		Use: "fault FAULT TARGET", Short: "Throw a fault at the simulated devices", Args: cobra.ExactArgs(2),
		Long:      "Throw a fault at the demo that runs on this machine. The target is a device, or for cut and mend a port.\n\nFaults: " + faultNames(", "),
		Example:   "  everypost demo fault cut th-sw-02:1/1/7\n  everypost demo fault mend th-sw-02:1/1/7\n  everypost demo fault refuse-commit th-sw-01",
		ValidArgs: strings.Fields(faultNames(" ")),
		RunE: func(cmd *cobra.Command, args []string) error {
			return throw(cmd.Context(), cmd.OutOrStdout(), o.control, standin.Order{Fault: standin.Fault(args[0]), Target: args[1]})
		},
	}
	cmd.AddCommand(fault, imageCommand())
	return cmd
}

func faultNames(separator string) string {
	names := make([]string, 0, len(standin.Faults()))
	for _, f := range standin.Faults() {
		names = append(names, string(f))
	}
	return strings.Join(names, separator)
}

func throw(ctx context.Context, out io.Writer, control string, order standin.Order) error {
	b, err := json.Marshal(order)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://"+control+"/", bytes.NewReader(b))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return fmt.Errorf("no demo answers at %s: %w", control, errors.Unwrap(err))
	}
	defer func() { _ = resp.Body.Close() }()
	said, err := io.ReadAll(io.LimitReader(resp.Body, 4096))
	if resp.StatusCode >= 300 {
		return errors.New(strings.TrimSpace(string(said)))
	}
	_, _ = out.Write(said)
	return err
}

func demo(ctx context.Context, out io.Writer, o demoOptions) error {
	world, err := demoWorld(o)
	if err != nil {
		return err
	}
	past, err := livePast(ctx, out, world, o)
	if err != nil {
		return err
	}
	if err := world.Start(ctx); err != nil {
		return fmt.Errorf("%w (does another demo run? --device-port, --page-port and --listen give it other ports)", err)
	}
	defer world.Close()
	l, err := net.Listen("tcp", o.control)
	if err != nil {
		return err
	}
	control := &http.Server{Handler: world.Control(), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = control.Serve(l) }()
	defer func() { _ = control.Close() }()

	serviceCtx, stop := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() { ended <- keepServing(serviceCtx, o) }()
	defer func() { // in this order: the service says good-bye to devices that are still there
		stop()
		<-ended
	}()
	c := &client.Client{Base: "http://" + o.listen}
	if err := awaitService(ctx, c.Base, ended); err != nil {
		return err
	}
	if err := furnish(ctx, c, world, world.Address(world.Entry())); err != nil {
		return err
	}
	if err := past.handOver(ctx, c); err != nil {
		return err
	}
	if !o.quiet && o.scale == 0 {
		world.Play(ctx, standin.LanternDay())
	}
	people := make([]string, len(demoPeople))
	for i, p := range demoPeople {
		people[i] = fmt.Sprintf("%s (%s)", p.Name, p.Role)
	}
	_, _ = fmt.Fprintf(out, `
Every Post runs with the devices of Lantern Sound Ferries: %d of them at %d sites.

  Console    %s
  Sign in    %s
  Password   %s

  Command line   everypost login --user ada
  Cut a cable    everypost demo fault cut th-sw-02:1/1/7      (mend brings it back)
  A new vessel   everypost demo fault unpack sp-edge-01       (then sp-sw-01, sp-ap-01, sp-ap-02: claimed, they come by themselves)

Ctrl-C stops it. What you do is kept in %s.
`, len(world.Devices()), len(sitesOf(world)), c.Base, strings.Join(people, ", "), demoPassword, o.data)
	select {
	case <-ctx.Done():
		return nil
	case err := <-ended:
		ended <- nil
		return err
	}
}

func demoWorld(o demoOptions) (*standin.World, error) {
	dir := filepath.Join(o.data, "devices")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	file := func(device string) string { return filepath.Join(dir, device+".xml") }
	plant := standin.LanternSound()
	if o.scale > 0 {
		plant = standin.Scaled(o.scale)
	}
	return standin.New(plant, standin.Options{
		Seed: o.seed, Roam: !o.quiet, Guests: true, FileRate: demoRate,
		User: demoDeviceUser, Password: demoDevicePassword, Port: o.devicePort, PagePort: o.pagePort,
		Bootstrap: func() (standin.Bootstrap, error) {
			anchor, err := bootstrap.TrustAnchor(filepath.Join(o.data, "service", bootstrapCertificate))
			pool := x509.NewCertPool()
			pool.AppendCertsFromPEM(anchor)
			return standin.Bootstrap{Base: "https://" + o.bootstrapListen, Trust: pool}, err
		},
		Load: func(device string) []byte {
			b, err := os.ReadFile(file(device))
			if err != nil {
				return nil // it was never saved
			}
			return b
		},
		Save: func(device string, config []byte) error {
			if err := os.WriteFile(file(device)+".new", config, 0o600); err != nil {
				return err
			}
			return os.Rename(file(device)+".new", file(device))
		},
	})
}

// keepServing runs the service in a process of its own, and starts it again when it dies, until ctx ends.
func keepServing(ctx context.Context, o demoOptions) error {
	// The kernel sends Pdeathsig when the thread that started the process ends: keep that thread.
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	self, err := os.Executable()
	if err != nil {
		return err
	}
	log, err := os.OpenFile(filepath.Join(o.data, "service.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() { _ = log.Close() }()
	makers := filepath.Join(o.data, "makers.csv")
	if err := os.WriteFile(makers, []byte(standin.MakersRegistry), 0o600); err != nil {
		return err
	}
	authorities := filepath.Join(o.data, "device-authorities.pem")
	authority, err := standin.Authority()
	if err != nil {
		return err
	}
	if err := os.WriteFile(authorities, authority, 0o600); err != nil {
		return err
	}
	firmware := filepath.Join(o.data, "new-firmware")
	if err := os.MkdirAll(firmware, 0o700); err != nil {
		return err
	}
	for quick := 0; ; {
		cmd := exec.CommandContext(ctx, self, "serve", "--listen", o.listen, "--data", filepath.Join(o.data, "service"), "--makers", makers,
			"--call-home-listen", o.callHomeListen, "--bootstrap-listen", o.bootstrapListen, "--device-authorities", authorities, "--firmware-folder", firmware, "--guest-listen", o.guestListen)
		cmd.Env = append(os.Environ(), "EVERYPOST_FIRST_USER=ada", "EVERYPOST_FIRST_FULL_NAME=Ada Quill", "EVERYPOST_FIRST_PASSWORD="+demoPassword)
		cmd.Stdout, cmd.Stderr = log, log
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
		cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
		cmd.WaitDelay = 15 * time.Second
		started := time.Now()
		err := cmd.Run()
		if ctx.Err() != nil {
			return nil
		}
		if time.Since(started) > 10*time.Second {
			quick = 0
		}
		if quick++; quick > 3 {
			return fmt.Errorf("the service does not stay up (%v): see %s", err, log.Name())
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(500 * time.Millisecond):
		}
	}
}

func awaitService(ctx context.Context, base string, ended <-chan error) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, base+"/readyz", nil)
		if err != nil {
			return err
		}
		if resp, err := http.DefaultClient.Do(r); err == nil {
			_ = resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case err := <-ended:
			return err
		case <-ctx.Done():
			return fmt.Errorf("the service did not come up: %w", ctx.Err())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// demoSites are the places of the company, with what people know of them.
var demoSites = map[string]v1.SiteRequest{
	"harbour-house":  {Title: "Harbour House", Code: "HH", Address: "1 Harbour Street, Lantern", Position: &v1.Position{Latitude: 56.412, Longitude: -5.471}, TimeZone: "Etc/UTC", Contact: "Ada Quill", Entry: "hh-edge-01"},
	"tern-haven":     {Title: "Tern Haven terminal", Code: "TH", Address: "North Quay, Tern Haven", Position: &v1.Position{Latitude: 56.461, Longitude: -5.602}, TimeZone: "Etc/UTC", Contact: "Terminal office, 4400", Entry: "th-edge-01"},
	"oyster-landing": {Title: "Oyster Landing terminal", Code: "OL", Address: "The Landing, Oyster Bay", Position: &v1.Position{Latitude: 56.338, Longitude: -5.655}, TimeZone: "Etc/UTC", Contact: "Terminal office, 4500", Entry: "ol-edge-01"},
	"grey-skerry":    {Title: "Grey Skerry terminal", Code: "GS", Address: "Grey Skerry", Position: &v1.Position{Latitude: 56.503, Longitude: -5.688}, TimeZone: "Etc/UTC", Contact: "Pier master, 4600", Entry: "gs-edge-01"},
	"marram-point":   {Title: "Marram Point pier", Code: "MP", Address: "Marram Point", Position: &v1.Position{Latitude: 56.389, Longitude: -5.742}, TimeZone: "Etc/UTC", Entry: "mp-edge-01"},
	"kelp-bay":       {Title: "Kelp Bay dry dock", Code: "KB", Address: "Dock Road, Kelp Bay", Position: &v1.Position{Latitude: 56.437, Longitude: -5.398}, TimeZone: "Etc/UTC", Contact: "Coral Finch", Entry: "kb-edge-01"},
	"northgate":      {Title: "Northgate call centre", Code: "NG", Address: "22 Northgate, Lantern", Position: &v1.Position{Latitude: 56.431, Longitude: -5.462}, TimeZone: "Etc/UTC", Entry: "ng-edge-01"},
	"fulmar":         {Title: "MV Fulmar", Code: "FU", TimeZone: "Etc/UTC", Contact: "Bridge, 4701", Entry: "fu-edge-01"},
	"guillemot":      {Title: "MV Guillemot", Code: "GU", TimeZone: "Etc/UTC", Contact: "Bridge, 4702", Entry: "gu-edge-01"},
	"razorbill":      {Title: "MV Razorbill", Code: "RZ", TimeZone: "Etc/UTC", Contact: "Bridge, 4703", Entry: "rz-edge-01"},
	"turnstone":      {Title: "MV Turnstone", Code: "TU", TimeZone: "Etc/UTC", Contact: "Bridge, 4704", Entry: "tu-edge-01"},
	"sandpiper":      {Title: "MV Sandpiper", Code: "SP", TimeZone: "Etc/UTC", Notes: "Under construction at Kelp Bay."},
}

// demoPlaces are where the devices of the machine rooms stand.
var demoPlaces = func() map[string]v1.DeviceDescription {
	out := map[string]v1.DeviceDescription{}
	put := func(site, building, rack string, top int, tags []string, names ...string) {
		for i, name := range names {
			out[name] = v1.DeviceDescription{Site: site, Particulars: v1.Particulars{Building: building, Floor: "0", Rack: rack, RackUnit: top - i, Tags: tags}}
		}
	}
	critical := []string{"critical"}
	put("harbour-house", "machine room", "M1", 12, critical, "hh-fw-01", "hh-fw-02", "hh-edge-01", "hh-edge-02")
	put("harbour-house", "machine room", "M1", 6, critical, "hh-core-01")
	put("harbour-house", "machine room", "M2", 6, critical, "hh-core-02")
	put("harbour-house", "machine room", "M2", 12, nil, "hh-st-01", "hh-st-02")
	put("harbour-house", "machine room", "M2", 9, nil, "hh-sw-01")
	put("tern-haven", "terminal", "T1", 12, critical, "th-fw-01", "th-edge-01")
	put("tern-haven", "terminal", "T1", 9, critical, "th-sw-01")
	put("tern-haven", "terminal", "T1", 6, nil, "th-sw-02", "th-sw-03")
	put("kelp-bay", "dock office", "K1", 8, nil, "kb-fw-01", "kb-edge-01", "kb-sw-01")
	return out
}()

// demoGroups are the groups that people of the company use.
var demoGroups = map[string]v1.GroupRequest{
	"camera-switches": {Title: "Switches that feed cameras", Pick: "kind = switch and port.vlan = 50 and port.poe.watts > 0"},
	"passenger-wifi":  {Title: "Access points for passengers", Pick: "kind = access-point and not site = harbour-house"},
	"vessels":         {Title: "Everything afloat", Pick: "site in (fulmar, guillemot, razorbill, turnstone, sandpiper)"},
	"old-firmware":    {Title: "Switches behind 4.1", Pick: "kind = switch and firmware < 4.1"},
	"night-watch":     {Title: "What must never be down", Members: []string{"hh-core-01", "hh-core-02", "th-sw-01", "kb-sw-01"}},
}

// scaled tells whether a world is one of many like sites instead of the company.
func scaled(world *standin.World) bool { return world.Entry() != "hh-core-01" }

// sitesOf are the sites of a world.
func sitesOf(world *standin.World) map[string]v1.SiteRequest {
	if !scaled(world) {
		return demoSites
	}
	out := map[string]v1.SiteRequest{}
	for _, d := range world.Devices() {
		code, _, _ := strings.Cut(d, "-")
		out["site-"+code] = v1.SiteRequest{Title: "Site " + code, Code: code, Entry: code + "-edge-01"}
	}
	return out
}

// furnish makes the people, the sites and the devices on the first start, as an administrator would: over the interface,
// with one address from which the rest is discovered.
func furnish(ctx context.Context, c *client.Client, world *standin.World, start string) error {
	token, err := c.SignInToken(ctx, v1.TokenSignIn{
		SignIn:       v1.SignIn{Name: "ada", Password: demoPassword},
		TokenRequest: v1.TokenRequest{Label: "demo set-up", Days: 1},
	})
	if err != nil {
		return err
	}
	c.Token = token.Secret
	have, err := c.Devices(ctx, client.Query{})
	if err != nil || len(have.Items) >= len(world.Devices()) {
		return err
	}
	for _, p := range demoPeople[1:] {
		p.Password = demoPassword
		var problem *client.Problem
		if err := c.AddUser(ctx, p); err != nil && !(errors.As(err, &problem) && problem.Type == v1.ProblemExists) {
			return err
		}
	}
	for name, site := range sitesOf(world) {
		if err := c.PutSite(ctx, name, site); err != nil {
			return err
		}
	}
	if !scaled(world) {
		if err := makeTemplates(ctx, c); err != nil {
			return err
		}
	}
	d, err := c.Discover(ctx, v1.DiscoveryRequest{Targets: []string{start}, User: demoDeviceUser, Password: demoDevicePassword, Hops: 16})
	if err != nil {
		return err
	}
	if _, err := c.FollowDiscovery(ctx, d.Number, func(v1.Discovery) {}); err != nil {
		return err
	}
	found, err := c.Found(ctx)
	if err != nil {
		return err
	}
	list := make([]v1.DeviceAcceptance, len(found.Items))
	for i, f := range found.Items {
		list[i] = v1.DeviceAcceptance{Address: f.Address, HostKey: f.HostKey}
	}
	if len(list) == 0 {
		return fmt.Errorf("no device was found from %s", start)
	}
	results, err := c.Accept(ctx, list)
	if err != nil {
		return err
	}
	for _, r := range results.Items {
		if r.Problem != "" {
			return fmt.Errorf("%s was not enrolled: %s", r.Address, r.Problem)
		}
	}
	if scaled(world) {
		return nil
	}
	for name, d := range demoPlaces {
		if err := c.Describe(ctx, name, d); err != nil {
			return err
		}
	}
	for name, g := range demoGroups {
		if err := c.PutGroup(ctx, name, g); err != nil {
			return err
		}
	}
	for id, v := range demoVLANs {
		if err := c.DescribeVLAN(ctx, id, v); err != nil {
			return err
		}
	}
	if err := claimSandpiper(ctx, c, world); err != nil {
		return err
	}
	if !scaled(world) {
		if err := makePlaces(ctx, c); err != nil {
			return err
		}
	}
	if err := tinker(ctx, c, world); err != nil {
		return err
	}
	return furnishAlarms(ctx, c, world, func() error {
		if err := furnishPromises(ctx, c); err != nil {
			return err
		}
		for _, furnish := range []func(context.Context, *client.Client) error{furnishGuests, furnishCircuits} {
			if err := furnish(ctx, c); err != nil {
				return err
			}
		}
		return furnishUpkeep(ctx, c)
	})
}

// demoVLANs is what the company says of its VLANs.
var demoVLANs = map[int]v1.VLANRecord{
	10: {Purpose: "management of the devices", Wanted: "kind in (switch, access-point, firewall, edge)"},
	20: {Purpose: "desks and printers", Wanted: "kind = switch"},
	30: {Purpose: "telephones", Wanted: "kind = switch"},
	40: {Purpose: "ticket counters and their printers", Wanted: "kind = switch and site in (tern-haven, oyster-landing, grey-skerry)"},
	50: {Purpose: "cameras", Wanted: "kind = switch"},
	60: {Purpose: "ticket gates, boarding displays", Wanted: "kind = switch and site in (tern-haven, oyster-landing, grey-skerry)"},
	70: {Purpose: "crew, by air", Wanted: "kind = access-point"},
	80: {Purpose: "passengers, by air", Wanted: "kind = access-point"},
	90: {Purpose: "cranes of the dry dock, ramps", Subnets: "10.6.90.0/24", Gateways: "10.6.90.1", Wanted: "site = kelp-bay and kind = switch"},
	99: {Purpose: "what is not let in anywhere else"},
}

// claimSandpiper claims the devices of the vessel under construction, which are still in their crates: each is to be like
// that of a sister ship.
func claimSandpiper(ctx context.Context, c *client.Client, world *standin.World) error {
	var claims []v1.Claim
	for name, serial := range world.Crated() {
		like := "fu" + strings.TrimPrefix(name, "sp")
		if err := awaitRead(ctx, c, like); err != nil {
			return err
		}
		claims = append(claims, v1.Claim{Serial: serial, Name: name, Site: "sandpiper", Like: like, Particulars: v1.Particulars{Tags: []string{"sandpiper"}}})
	}
	results, err := c.Claim(ctx, claims)
	for _, r := range results.Items {
		if r.Problem != "" {
			return fmt.Errorf("%s was not claimed: %s", r.Serial, r.Problem)
		}
	}
	return err
}

// awaitRead waits until the configuration of a device was read.
func awaitRead(ctx context.Context, c *client.Client, device string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	for {
		d, err := c.Device(ctx, device)
		if err != nil || len(d.PortList) > 0 {
			return err
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("%s was not read: %w", device, ctx.Err())
		case <-time.After(50 * time.Millisecond):
		}
	}
}
