package main

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"

	"example.net/everypost/internal/api/server"
	"example.net/everypost/internal/console"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/driver/netconf"
	"example.net/everypost/internal/service"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/firmware"
	"example.net/everypost/internal/service/logbook"
)

type serveOptions struct {
	listen, data, tlsCert, tlsKey, logLevel, config, makers string
	doors                                                   doorOptions
	radiusServers                                           []string
	radiusSecret                                            string
	newKey                                                  bool
	firmware                                                string
	firmwareFrom                                            firmware.Address
	radiusBare                                              bool
}

func serveCommand() *cobra.Command {
	var o serveOptions
	cmd := &cobra.Command{
		Use: "serve", Short: "Run the service", Args: cobra.NoArgs,
		Long: `Run the service: the HTTP interface, the console and the sessions to devices.

Every flag can also be given as a variable (--listen as EVERYPOST_LISTEN) or as a line of a YAML file (listen: ...); a flag
is stronger than a variable, and a variable stronger than the file. On first start, an administrator is made from
EVERYPOST_FIRST_USER and EVERYPOST_FIRST_PASSWORD.`,
		Example: "  everypost serve --data /var/lib/everypost",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := fillFlags(cmd.Flags(), o.config); err != nil {
				return err
			}
			return serve(cmd.Context(), o)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.listen, "listen", "127.0.0.1:8490", "address to listen on; one that is not loopback needs a certificate")
	f.StringVar(&o.data, "data", "var/everypost", "folder for all that the service keeps")
	f.StringVar(&o.tlsCert, "tls-cert", "", "file with the certificate (PEM)")
	f.StringVar(&o.tlsKey, "tls-key", "", "file with its key (PEM)")
	f.StringVar(&o.logLevel, "log-level", "info", "least level that is logged: debug, info, warn or error")
	f.StringVar(&o.makers, "makers", "", "registry of hardware address blocks, in the form of the IEEE's comma-separated files")
	f.StringVar(&o.firmware, "firmware-folder", "", "folder in which new images of firmware are looked for each minute (files that end in .image)")
	f.StringVar(&o.firmwareFrom.URL, "firmware-address", "", "address (https) of a list of new images of firmware, which is looked at each hour: lines as sha256sum writes them; the images lie beside it")
	f.StringVar(&o.firmwareFrom.Authority, "firmware-authority", "", "file with the authority of that address (PEM); those that the machine trusts when left out")
	f.StringSliceVar(&o.radiusServers, "radius-server", nil, "RADIUS servers that check the passwords of users of whom none is kept, host or host:port, in the order of asking")
	f.StringVar(&o.radiusSecret, "radius-secret", "", "file with the secret that is shared with them")
	f.BoolVar(&o.radiusBare, "radius-bare-answers", false, "take answers without a Message-Authenticator, which whoever sits on the way can forge")
	f.BoolVar(&o.newKey, "new-secrets-key", false, "where the key of the secrets is lost, make a new one; every device then has to be given its password anew")
	o.doors.flags(f)
	f.StringVar(&o.config, "config", os.Getenv("EVERYPOST_CONFIG"), "YAML file with settings (EVERYPOST_CONFIG)")
	cmd.AddCommand(archiveCommands()...)
	return cmd
}

// fillFlags sets the flags that were not given from variables and then from the file.
func fillFlags(flags *pflag.FlagSet, file string) error {
	settings := map[string]string{}
	if file != "" {
		b, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		if err := yaml.Unmarshal(b, &settings); err != nil {
			return fmt.Errorf("%s: %w", file, err)
		}
	}
	var errs []error
	flags.VisitAll(func(f *pflag.Flag) {
		value, ok := os.LookupEnv("EVERYPOST_" + strings.ToUpper(strings.ReplaceAll(f.Name, "-", "_")))
		if !ok {
			value, ok = settings[f.Name]
		}
		delete(settings, f.Name)
		if ok && !f.Changed {
			errs = append(errs, flags.Set(f.Name, value))
		}
	})
	for name := range settings {
		errs = append(errs, fmt.Errorf("%s: there is no setting %q", file, name))
	}
	return errors.Join(errs...)
}

// loggedLines is how many of the last lines that were logged are kept in memory.
const loggedLines = 2000

// logger writes to standard error, and into a book of the last lines.
func logger(level string, book *logbook.Book) (*slog.Logger, error) {
	var l slog.Level
	if err := l.UnmarshalText([]byte(level)); err != nil {
		return nil, fmt.Errorf("log level %q: there are debug, info, warn and error", level)
	}
	o := &slog.HandlerOptions{Level: l}
	if term.IsTerminal(int(os.Stderr.Fd())) {
		return slog.New(book.Keep(slog.NewTextHandler(os.Stderr, o))), nil
	}
	return slog.New(book.Keep(slog.NewJSONHandler(os.Stderr, o))), nil
}

func serve(ctx context.Context, o serveOptions) (err error) {
	book := logbook.New(loggedLines)
	log, err := logger(o.logLevel, book)
	if err != nil {
		return err
	}
	secure := o.tlsCert != "" || o.tlsKey != ""
	host, _, err := net.SplitHostPort(o.listen)
	if err != nil {
		return fmt.Errorf("--listen %q: write address:port: %w", o.listen, err)
	}
	if ip := net.ParseIP(host); !secure && host != "localhost" && (ip == nil || !ip.IsLoopback()) {
		return fmt.Errorf("--listen %s can be reached from other machines: give --tls-cert and --tls-key, or listen on 127.0.0.1", o.listen)
	}
	svc, err := service.Open(ctx, service.Options{Dir: o.data, Connector: connector, Log: log, NewKey: o.newKey, FirmwareFolder: o.firmware, FirmwareFrom: o.firmwareFrom})
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, svc.Close()) }()
	if err := firstUser(ctx, svc, log); err != nil {
		return err
	}
	if err := o.useRADIUS(svc); err != nil {
		return err
	}
	if err := readMakers(o.makers, svc, log); err != nil {
		return err
	}
	l, err := net.Listen("tcp", o.listen)
	if err != nil {
		return err
	}
	doors, shut := context.WithCancel(ctx)
	wait, err := o.doors.open(doors, o.data, svc, log)
	defer func() {
		shut()
		wait()
	}()
	if err != nil {
		return err
	}
	h := &http.Server{
		Handler: server.New(ctx, svc, server.Options{Version: version, Log: log, Logbook: book, Console: console.Files(), Secure: secure}),
		// No ReadTimeout: it would end a stream. Bodies have a time of their own.
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelDebug),
	}
	ended := make(chan error, 1)
	go func() {
		if secure {
			ended <- h.ServeTLS(l, o.tlsCert, o.tlsKey)
		} else {
			ended <- h.Serve(l)
		}
	}()
	log.Info("serving", "address", l.Addr().String(), "tls", secure, "data", o.data, "version", version)
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	log.Info("stopping")
	grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	return h.Shutdown(grace)
}

// useRADIUS has passwords that are not kept here checked elsewhere, where that is asked for.
func (o serveOptions) useRADIUS(svc *service.Service) error {
	if len(o.radiusServers) == 0 {
		return nil
	}
	servers, err := access.ParseServers(o.radiusServers)
	if err != nil {
		return err
	}
	secret, err := os.ReadFile(o.radiusSecret)
	if err != nil {
		return fmt.Errorf("--radius-secret: %w", err)
	}
	if secret = bytes.TrimSpace(secret); len(secret) == 0 {
		return fmt.Errorf("--radius-secret: %s is empty", o.radiusSecret)
	}
	svc.Access.UseRADIUS(&access.RADIUS{Servers: servers, Secret: secret, Bare: o.radiusBare})
	return nil
}

// readMakers takes the registry of hardware addresses, if there is one.
func readMakers(file string, svc *service.Service, log *slog.Logger) error {
	if file == "" {
		return nil
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return fmt.Errorf("--makers: %w", err)
	}
	makers, bad := catalog.ParseMakers(string(text))
	if len(makers) == 0 {
		return fmt.Errorf("--makers %s: no line can be read; each must hold a registry, an assignment in hexadecimal digits and a name, separated by commas", file)
	}
	log.Info("read the registry of hardware addresses", "file", file, "blocks", len(makers), "bad lines", bad)
	svc.Inventory.SetMakers(makers)
	return nil
}

// firstUser makes the first administrator.
func firstUser(ctx context.Context, svc *service.Service, log *slog.Logger) error {
	has, err := svc.Access.HasUsers(ctx)
	if err != nil || has {
		return err
	}
	name := os.Getenv("EVERYPOST_FIRST_USER")
	if name == "" {
		log.Warn("there is no user yet: set EVERYPOST_FIRST_USER and EVERYPOST_FIRST_PASSWORD and start again")
		return nil
	}
	if err := svc.Access.AddUser(ctx, access.User{Name: name, FullName: cmp.Or(os.Getenv("EVERYPOST_FIRST_FULL_NAME"), name), Role: "administrator"},
		os.Getenv("EVERYPOST_FIRST_PASSWORD")); err != nil {
		return fmt.Errorf("first user: %w", err)
	}
	log.Info("made the first administrator", "user", name)
	return nil
}

// connector speaks NETCONF with devices.
func connector(s driver.Secrets) driver.Connector { return netconf.Connector{Secrets: s} }
