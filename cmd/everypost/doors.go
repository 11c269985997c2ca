package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/spf13/pflag"

	"example.net/everypost/internal/api/bootstrap"
	"example.net/everypost/internal/api/portal"
	"example.net/everypost/internal/service"
)

// doorOptions say where devices come by themselves.
type doorOptions struct {
	callListen, callAddress                     string
	bootstrapListen, bootstrapHost, authorities string
	guestListen, guestAddress                   string
	guestCert, guestKey                         string
}

func (o *doorOptions) flags(f *pflag.FlagSet) {
	f.StringVar(&o.callListen, "call-home-listen", "", "address on which devices that call home are heard, such as :4334 (RFC 8071); none are heard without it")
	f.StringVar(&o.callAddress, "call-home-address", "", "host:port by which devices reach it, where that is another")
	f.StringVar(&o.authorities, "device-authorities", "", "file with the certificates (PEM) of those who vouch for new devices: their makers; without it none are answered")
	f.StringVar(&o.bootstrapListen, "bootstrap-listen", "127.0.0.1:8492", "address on which new devices are told what they are to be (RFC 8572)")
	f.StringVar(&o.bootstrapHost, "bootstrap-host", "", "name by which devices reach it, where that is another; it stands in its certificate")
	f.StringVar(&o.guestListen, "guest-listen", "", "address on which guests of wireless networks are received, such as :8080; none are without it")
	f.StringVar(&o.guestAddress, "guest-address", "", "where guests find it, such as https://guests.lantern.example, where that is not the address on which it listens")
	f.StringVar(&o.guestCert, "guest-tls-cert", "", "file with the certificate for guests (PEM); without it they are received by http, which stations may warn of (RFC 8908 asks for https)")
	f.StringVar(&o.guestKey, "guest-tls-key", "", "file with its key (PEM)")
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
	if o.guestListen != "" {
		l, err := net.Listen("tcp", o.guestListen)
		if err != nil {
			return wg.Wait, fmt.Errorf("--guest-listen: %w", err)
		}
		secure := o.guestCert != "" || o.guestKey != ""
		if !secure {
			log.Warn("guests are received without TLS: stations may warn of it, and RFC 8908 asks for https (--guest-tls-cert)")
		}
		svc.Guests.SetAddress(cmp.Or(o.guestAddress, map[bool]string{true: "https://", false: "http://"}[secure]+l.Addr().String()))
		h := &http.Server{Handler: portal.New(svc.Guests, log), ReadTimeout: 10 * time.Second, WriteTimeout: 30 * time.Second, IdleTimeout: time.Minute, MaxHeaderBytes: 16 << 10,
			ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelDebug)}
		wg.Go(func() {
			<-ctx.Done()
			grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			_ = h.Shutdown(grace)
		})
		serve("guests", l, func() (err error) {
			if secure {
				err = h.ServeTLS(l, o.guestCert, o.guestKey)
			} else {
				err = h.Serve(l)
			}
			if errors.Is(err, http.ErrServerClosed) {
				return nil
			}
			return err
		})
	}
	return wg.Wait, nil
}
