package server

import (
	"context"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/permission"
)

// readyTime bounds the check whether the service is ready.
const readyTime = 2 * time.Second

// plain adds what is not part of the contract: signs of life and metrics.
func (s *server) plain(e *echo.Echo) {
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", func(c *echo.Context) error {
		ctx, cancel := context.WithTimeout(c.Request().Context(), readyTime)
		defer cancel()
		if err := s.Store.Try(ctx); err != nil {
			s.opts.Log.Error("the service is not ready", "err", err)
			s.writes.failed()
			return echo.NewHTTPError(http.StatusServiceUnavailable, "nothing can be written: is the disk full?")
		}
		return c.String(http.StatusOK, "ok\n")
	})
	s.figures = prometheus.NewRegistry()
	s.figures.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		fleetCollector{s.Fleet, prometheus.NewDesc("everypost_devices", "Devices by how far the service has them in hand.", []string{"reach"}, nil)})
	// The server compresses all answers: twice would be once too often.
	metrics := promhttp.HandlerFor(s.figures, promhttp.HandlerOpts{EnableOpenMetrics: true, DisableCompression: true})
	e.GET("/metrics", func(c *echo.Context) error {
		p, err := s.identify(c.Request())
		if err != nil {
			return echo.NewHTTPError(http.StatusUnauthorized, "give a token with the right to see devices")
		}
		if !permission.Everywhere(p, may(rights.See, rights.Devices)) { // they count those of all places
			return echo.NewHTTPError(http.StatusForbidden, "metrics are of the whole network: they take the right to see devices everywhere")
		}
		metrics.ServeHTTP(c.Response(), c.Request())
		return nil
	})
}

type fleetCollector struct {
	fleet *fleet.Fleet
	desc  *prometheus.Desc
}

func (f fleetCollector) Describe(ch chan<- *prometheus.Desc) { ch <- f.desc }

func (f fleetCollector) Collect(ch chan<- prometheus.Metric) {
	n := map[string]int{}
	for _, v := range f.fleet.Views() {
		n[string(v.Reach)]++
	}
	for reach, count := range n {
		ch <- prometheus.MustNewConstMetric(f.desc, prometheus.GaugeValue, float64(count), reach)
	}
}
