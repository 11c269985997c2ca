package standin

import (
	"context"
	"crypto"
	"crypto/ed25519"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/sztp"
	"example.net/everypost/internal/wire/xmlnode"
)

// A device in a crate is as it left its maker: it has no configuration and listens nowhere. Unpacked, it asks the bootstrap
// server that it was told of what it is to be (RFC 8572), and from then on calls home (RFC 8071), again and again.

// Bootstrap tells unpacked devices where to ask.
type Bootstrap struct {
	Base  string // https://host:port
	Trust *x509.CertPool
}

const (
	askEvery  = time.Second            // a device that got no answer
	callEvery = 500 * time.Millisecond // a device whose call ended
	lookEvery = 100 * time.Millisecond
)

// factory is a device as it leaves its maker.
func (s DeviceSpec) factory() DeviceSpec {
	out := s
	out.Name, out.ManagementVLAN, out.VLANs, out.LAGs = strings.ToLower(s.Model)+"-"+strings.ToLower(s.Serial), 0, []int{1}, nil
	out.Ports = make([]PortSpec, len(s.Ports))
	for i, p := range s.Ports {
		out.Ports[i] = PortSpec{Name: p.Name, PoE: p.PoE, SpeedMbps: p.SpeedMbps, Cage: p.Cage}
		if p.Mode != "" {
			out.Ports[i].Mode, out.Ports[i].Untagged = "ACCESS", 1
		}
	}
	return out
}

// unpack takes a device out of its crate.
func (d *device) unpack(now time.Time) error {
	if !d.crated {
		return fmt.Errorf("%s is in no crate", d.spec.Name)
	}
	d.crated = false
	d.boot(now, time.Duration(d.spec.BootSeconds)*time.Second)
	return nil
}

// successorOf names what is saved of a device that was broken: the serial number of the new one in its place.
func successorOf(device string) string { return device + ".successor" }

// breakForGood puts a new device of the same model in the place and on the cables of one, in its crate.
func (d *device) breakForGood() error {
	if d.crated {
		return fmt.Errorf("%s is in its crate", d.spec.Name)
	}
	if d.world.running == nil || d.world.closed {
		return errors.New("this world does not run")
	}
	if err := d.forgetAll(d.spec.Serial + "-2"); err != nil {
		return err
	}
	d.crated, d.powered = true, false
	return nil
}

// forgetAll makes a device what left its maker under a serial number: without configuration, listening nowhere, with a host key of its own. It asks
// what it is to be.
func (d *device) forgetAll(serial string) error {
	d.loseMemory()
	if d.asked != nil {
		_ = d.asked.Close()
		d.asked = nil
	}
	if old := d.listener; old.Listener != nil {
		d.listener = newGatedListener(nil, d.gate)
		_ = old.Close()
		d.world.wg.Go(func() { d.lead(d.world.running) })
	}
	d.beSuccessor(serial)
	d.slots = slots{Of: [2]slot{{Version: d.spec.Firmware}, {}}}
	d.booting, d.hung, d.powerCut, d.hot, d.slow, d.lost = false, false, false, false, 0, false
	clear(d.deadSupplies)
	clear(d.refuse)
	d.setRunning(d.spec.factory().config())
	d.candidate = d.running.Clone()
	if d.world.opts.Save != nil {
		if err := errors.Join(d.world.opts.Save(d.spec.Name, nil), d.world.opts.Save(firmwareOf(d.spec.Name), nil), d.world.opts.Save(successorOf(d.spec.Name), []byte(d.spec.Serial))); err != nil {
			return err
		}
	}
	return d.newHostKey(serial)
}

// beSuccessor makes a device the new one that took its place.
func (d *device) beSuccessor(serial string) { d.spec.Serial, d.spec.Crated = serial, true }

// installed tells whether a device is in no crate.
func (w *World) installed(device string) bool { return !w.devices[device].crated }

// Crated lists the devices that are in their crates, by name, with their serial numbers.
func (w *World) Crated() map[string]string {
	w.mu.Lock()
	defer w.mu.Unlock()
	out := map[string]string{}
	for name, d := range w.devices {
		if d.crated {
			out[name] = d.spec.Serial
		}
	}
	return out
}

// lead is the life of a device that comes by itself.
func (d *device) lead(ctx context.Context) {
	server := d.newServer()
	for ctx.Err() == nil {
		d.world.mu.Lock()
		ready, home := d.powered && !d.booting && !d.crated && !d.hung, d.cfg.callHome
		d.world.mu.Unlock()
		pause := lookEvery
		switch {
		case !ready:
		case home == "":
			if err := d.bootstrap(ctx); err != nil {
				pause = askEvery
			}
		default:
			d.call(ctx, server, home)
			pause = callEvery
		}
		select {
		case <-ctx.Done():
		case <-time.After(pause):
		}
	}
}

// bootstrap asks what the device is to be, and becomes it.
func (d *device) bootstrap(ctx context.Context) error {
	if d.world.opts.Bootstrap == nil {
		return errors.New("no bootstrap server was told of")
	}
	where, err := d.world.opts.Bootstrap()
	if err != nil {
		return err
	}
	certificate, err := d.certificate()
	if err != nil {
		return err
	}
	c := sztp.Client{Base: where.Base, HTTP: &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{DisableKeepAlives: true,
		TLSClientConfig: &tls.Config{RootCAs: where.Trust, Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS13}}}}
	config, err := c.Fetch(ctx, sztp.Device{HardwareModel: d.spec.Model, OSName: d.spec.Maker, OSVersion: d.spec.Firmware})
	if err != nil {
		return err
	}
	if err := d.become(ctx, config); err != nil {
		return errors.Join(err, c.Report(ctx, sztp.Progress{Type: sztp.ConfigError, Message: err.Error()}))
	}
	d.world.mu.Lock()
	key := d.signer.PublicKey()
	d.world.mu.Unlock()
	return c.Report(ctx, sztp.Progress{Type: sztp.Complete, HostKeys: []sztp.HostKey{{Algorithm: key.Type(), Data: key.Marshal()}}})
}

// become merges a configuration into the one that the device has, or puts it in its place, and runs it.
func (d *device) become(ctx context.Context, c sztp.Configuration) error {
	config, err := xmlnode.Parse(ctx, c.Document)
	if err != nil {
		return err
	}
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	from := d.running
	if c.Replace {
		from = xmlnode.New(from.Space, from.Name)
	}
	tree, err := edit(from, config, netconf.EditMerge)
	if err == nil {
		err = validate(tree)
	}
	if err != nil {
		return err
	}
	d.run(tree, nil)
	d.save()
	return nil
}

// call calls home and serves until the connection ends.
func (d *device) call(ctx context.Context, server *netconf.Server, home string) {
	var dialer net.Dialer
	dialing, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	select { // a device that cannot be reached cannot reach anybody either
	case <-d.gate.waiter():
	case <-dialing.Done():
		return
	}
	nc, err := dialer.DialContext(dialing, "tcp", home)
	if err != nil {
		return
	}
	server.CallHome(ctx, d.listener.hold(nc), d.sshConfig())
}

// knownKey tells whether the configuration lets a user in by a key.
func (d *device) knownKey(user string, key ssh.PublicKey) bool {
	d.world.mu.Lock()
	defer d.world.mu.Unlock()
	authorized, _, _, _, err := ssh.ParseAuthorizedKey([]byte(d.cfg.keys[user]))
	return err == nil && string(authorized.Marshal()) == string(key.Marshal())
}

// authority is who vouches for the devices of this world: their makers, under one roof.
func authority() (*x509.Certificate, crypto.Signer, error) {
	key := keyFrom("stand-in makers' authority")
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Makers of Lantern Sound's devices"},
		NotBefore: time.Date(2020, 1, 1, 0, 0, 0, 0, time.UTC), NotAfter: time.Date(2099, 1, 1, 0, 0, 0, 0, time.UTC),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign}
	der, err := x509.CreateCertificate(nil, template, template, key.Public(), key)
	if err != nil {
		return nil, nil, err
	}
	c, err := x509.ParseCertificate(der)
	return c, key, err
}

func keyFrom(text string) ed25519.PrivateKey {
	seed := sha256.Sum256([]byte(text))
	return ed25519.NewKeyFromSeed(seed[:])
}

// Authority is the certificate, in PEM, by which those of the devices can be verified: what an operator gets from makers.
func Authority() ([]byte, error) {
	c, _, err := authority()
	if err != nil {
		return nil, err
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: c.Raw}), nil
}

// certificate is what the maker put into the device (IEEE 802.1AR: an initial device identity).
func (d *device) certificate() (tls.Certificate, error) {
	ca, caKey, err := authority()
	if err != nil {
		return tls.Certificate{}, err
	}
	key := keyFrom("stand-in device identity " + d.spec.Serial)
	template := &x509.Certificate{SerialNumber: new(big.Int).SetBytes([]byte(d.spec.Serial)), Subject: pkix.Name{CommonName: d.spec.Maker + " " + d.spec.Model, SerialNumber: d.spec.Serial},
		NotBefore: ca.NotBefore, NotAfter: ca.NotAfter, KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}}
	der, err := x509.CreateCertificate(nil, template, ca, key.Public(), caKey)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}, err
}
