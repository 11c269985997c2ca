package main

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"sync"

	"github.com/spf13/pflag"

	"example.net/everypost/internal/api/bootstrap"
	"example.net/everypost/internal/service"
)

// doorOptions say where devices come by themselves.
type doorOptions struct {
	callListen, callAddress                     string
	bootstrapListen, bootstrapHost, authorities string
}

func (o *doorOptions) flags(f *pflag.FlagSet) {
	f.StringVar(&o.callListen, "call-home-listen", "", "address on which devices that call home are heard, such as :4334 (RFC 8071); none are heard without it")
	f.StringVar(&o.callAddress, "call-home-address", "", "host:port by which devices reach it, where that is another")
	f.StringVar(&o.authorities, "device-authorities", "", "file with the certificates (PEM) of those who vouch for new devices: their makers; without it none are answered")
	f.StringVar(&o.bootstrapListen, "bootstrap-listen", "127.0.0.1:8492", "address on which new devices are told what they are to be (RFC 8572)")
	f.StringVar(&o.bootstrapHost, "bootstrap-host", "", "name by which devices reach it, where that is another; it stands in its certificate")
}

// bootstrapCertificate is where the certificate of the door for new devices stands in the data folder.
const bootstrapCertificate = "bootstrap.pem"

// open opens the doors for devices, until ctx ends. The function that it returns waits until they are shut.
func (o doorOptions) open(ctx context.Context, data string, svc *service.Service, log *slog.Logger) (wait func(), err error) {
	var wg sync.WaitGroup
	serve := func(what string, l net.Listener, f func() error) {
		log.Info("open to devices", "for", what, "address", l.Addr().String())
		wg.Go(func() {
			if err := f(); err != nil {
				log.Error("devices are no longer answered", "for", what, "err", err)
			}
		})
	}
	if o.callListen != "" {
		l, err := net.Listen("tcp", o.callListen)
		if err != nil {
			return wg.Wait, fmt.Errorf("--call-home-listen: %w", err)
		}
		svc.Arrivals.SetHome(cmp.Or(o.callAddress, l.Addr().String()))
		serve("call home", l, func() error { return svc.Arrivals.TakeCalls(ctx, l) })
	}
	if o.authorities != "" {
		authorities, err := os.ReadFile(o.authorities)
		if err != nil {
			return wg.Wait, fmt.Errorf("--device-authorities: %w", err)
		}
		l, err := net.Listen("tcp", o.bootstrapListen)
		if err != nil {
			return wg.Wait, fmt.Errorf("--bootstrap-listen: %w", err)
		}
		host, _, _ := net.SplitHostPort(l.Addr().String())
		hosts := []string{host}
		if o.bootstrapHost != "" {
			hosts = append(hosts, o.bootstrapHost)
		}
		serve("bootstrap", l, func() error {
			return bootstrap.Serve(ctx, l, svc.Arrivals, bootstrap.Options{Authorities: authorities, Certificate: filepath.Join(data, bootstrapCertificate), Hosts: hosts, Log: log})
		})
	}
	return wg.Wait, nil
}
