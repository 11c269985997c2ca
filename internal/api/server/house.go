package server

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"runtime"
	"runtime/pprof"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/prometheus/common/expfmt"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
)

// loggedShown is how many lines that were logged are told at most.
const loggedShown = 200

// houseRoutes tell how the service itself fares, for who runs it and for who made it.
func (s *server) houseRoutes(api huma.API) {
	// What it logs names devices of all places.
	whole := func(ctx context.Context) error {
		if everywhere(ctx, rights.See, rights.Devices) {
			return nil
		}
		return with(http.StatusForbidden, v1.ProblemForbidden, errors.New("the service logs of the whole network, and your right to see devices is of a part of it"))
	}
	register(s, api, administerPeople, http.MethodGet, "/service", "get-service", "How the service itself fares, and what it logged last",
		func(ctx context.Context, _ *struct{}) (*body[v1.ServiceState], error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			out, err := s.serviceState(ctx)
			return &body[v1.ServiceState]{out}, err
		})
	register(s, api, administerPeople, http.MethodGet, "/service/support", "get-service-support", "All that is known of the service itself as one file (ZIP), without secrets, for who made it",
		func(ctx context.Context, _ *struct{}) (*octets, error) {
			if err := whole(ctx); err != nil {
				return nil, err
			}
			file, err := s.ownSupport(ctx)
			if err != nil {
				return nil, err
			}
			s.audit(ctx, person(ctx).Name, "get-support", "the service", "done")
			return fileOut("application/zip", "support-everypost.zip", file), nil
		})
}

func (s *server) serviceState(ctx context.Context) (v1.ServiceState, error) {
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	out := v1.ServiceState{Version: s.opts.Version, StartedAt: s.StartedAt, Platform: runtime.GOOS + "/" + runtime.GOARCH + ", " + runtime.Version(), Processors: runtime.GOMAXPROCS(0),
		MemoryOctets: memory.Sys, Devices: map[string]int{}, Log: []v1.ServiceLogLine{}}
	out.KeptOctets, out.DiskUsed = s.Room()
	for _, v := range s.Fleet.Views() {
		out.Devices[string(v.Reach)]++
	}
	users, err := s.Access.Users(ctx)
	out.Users = len(users)
	for _, l := range slices.Backward(s.opts.Logbook.Lines()) {
		if l.Level >= slog.LevelWarn && len(out.Log) < loggedShown {
			out.Log = append(out.Log, v1.ServiceLogLine{At: l.At.UTC(), Level: l.Level.String(), Text: l.Text})
		}
	}
	return out, err
}

// ownSupport puts what is known of the service itself into a file: nothing of what devices run, and no addresses.
func (s *server) ownSupport(ctx context.Context) ([]byte, error) {
	state, err := s.serviceState(ctx)
	if err != nil {
		return nil, err
	}
	state.Log = nil // all of it is in log.txt
	type device struct {
		Name     string    `json:"name"`
		Model    string    `json:"model"`
		Firmware string    `json:"firmware"`
		Reach    string    `json:"reach"`
		Since    time.Time `json:"since"`
		Why      string    `json:"why,omitempty"`
	}
	devices := []device{}
	for _, v := range s.Fleet.Views() {
		devices = append(devices, device{v.Name, v.Identity.Model, v.Identity.Firmware, string(v.Reach), v.Since.UTC(), v.Why})
	}
	files := map[string][]byte{}
	for name, v := range map[string]any{"service.json": state, "devices.json": devices,
		"written.json": map[string]any{"at": time.Now().UTC(), "by": person(ctx).Name}} {
		if files[name], err = json.MarshalIndent(v, "", "  "); err != nil {
			return nil, err
		}
	}
	var log, figures, goroutines bytes.Buffer
	for _, l := range s.opts.Logbook.Lines() {
		_, _ = fmt.Fprintf(&log, "%s %-5s %s\n", l.At.UTC().Format(time.RFC3339Nano), l.Level, l.Text)
	}
	families, err := s.figures.Gather()
	if err != nil {
		return nil, err
	}
	for _, f := range families {
		if _, err := expfmt.MetricFamilyToText(&figures, f); err != nil {
			return nil, err
		}
	}
	if err := pprof.Lookup("goroutine").WriteTo(&goroutines, 1); err != nil {
		return nil, err
	}
	files["log.txt"], files["figures.txt"], files["goroutines.txt"] = log.Bytes(), figures.Bytes(), goroutines.Bytes()
	return zipped("support-everypost", files)
}

// zipped puts files into one (ZIP), in a folder of their own.
func zipped(folder string, files map[string][]byte) ([]byte, error) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, name := range slices.Sorted(maps.Keys(files)) {
		w, err := z.CreateHeader(&zip.FileHeader{Name: folder + "/" + name, Method: zip.Deflate, Modified: time.Now().UTC()})
		if err == nil {
			_, err = w.Write(files[name])
		}
		if err != nil {
			return nil, err
		}
	}
	if err := z.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}
