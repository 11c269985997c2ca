// Package server is the HTTP side of the service: routes, sign-in, streams, and the console's files. Handlers translate
// between the contract (v1) and the capabilities; they hold no rules of their own.
package server

import (
	"context"
	"io/fs"
	"log/slog"
	"mime"
	"net/http"
	"path/filepath"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
	"github.com/prometheus/client_golang/prometheus"

	"example.net/everypost/internal/service"
	"example.net/everypost/internal/service/logbook"
)

// Options of the server.
type Options struct {
	Version string
	Log     *slog.Logger
	Logbook *logbook.Book // the last lines of the log; nil keeps none
	Console fs.FS         // the built console; nil serves none
	Secure  bool          // whether browsers come over TLS
}

const (
	maxBody = 4 << 20         // bytes
	hstsAge = 365 * 24 * 3600 // seconds for which a browser comes by TLS only
)

// csp lets the console's own files run and nothing else.
const csp = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; " +
	"connect-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

func init() { huma.DefaultArrayNullable = false } // our lists are empty, never null

type server struct {
	*service.Service
	opts    Options
	closing context.Context
	writes  *writes
	figures *prometheus.Registry // of the service itself
}

// New returns the handler of everything. Streams end when closing does.
func New(closing context.Context, s *service.Service, o Options) http.Handler {
	_, handler := build(closing, s, o)
	return handler
}

func build(closing context.Context, s *service.Service, o Options) (*server, http.Handler) {
	e := echo.New()
	e.Logger = o.Log
	e.HTTPErrorHandler = echo.ProblemDetailsHTTPErrorHandler(false)
	e.Use(recovered(o.Log))
	secure := middleware.SecureConfig{ContentTypeNosniff: "nosniff", XFrameOptions: "DENY", ReferrerPolicy: "no-referrer", ContentSecurityPolicy: csp}
	if o.Secure {
		secure.HSTSMaxAge = hstsAge
	}
	e.Use(middleware.SecureWithConfig(secure))
	e.Use(unstored)
	e.Use(middleware.BodyLimitWithConfig(middleware.BodyLimitConfig{LimitBytes: maxBody, Skipper: func(c *echo.Context) bool {
		return c.Request().Method == http.MethodPost && c.Request().URL.Path == imagePath // it is bounded where it is read
	}}))
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{MinLength: 1024, Skipper: func(c *echo.Context) bool {
		path := c.Request().URL.Path
		return strings.HasPrefix(path, "/assets/") || // which are compressed once for all
			strings.HasSuffix(path, "/events") || strings.HasSuffix(path, "/live") || strings.HasSuffix(path, "/terminal") // streams
	}}))

	srv := &server{Service: s, opts: o, closing: closing, writes: &writes{try: s.Store.Try, now: time.Now}}
	srv.routes(e)
	srv.plain(e)
	if o.Console != nil {
		e.GET("/*", console(o.Console))
	}
	return srv, e
}

// asset serves a file of the console: as it was compressed when that was built, where who asks can read it.
func asset(c *echo.Context, files fs.FS, path string, plain http.Handler) error {
	h := c.Response().Header()
	if packed, err := fs.ReadFile(files, path+".gz"); err == nil && c.Request().Header.Get("Range") == "" {
		h.Add("Vary", "Accept-Encoding")
		if strings.Contains(c.Request().Header.Get("Accept-Encoding"), "gzip") {
			h.Set("Content-Encoding", "gzip")
			return c.Blob(http.StatusOK, mime.TypeByExtension(filepath.Ext(path)), packed)
		}
	}
	plain.ServeHTTP(c.Response(), c.Request())
	return nil
}

// API returns the description of the interface without a service behind it, for generating clients.
func API(version string) *huma.OpenAPI {
	srv := &server{opts: Options{Version: version}}
	return srv.routes(echo.New()).OpenAPI()
}

func (s *server) routes(e *echo.Echo) huma.API {
	config := huma.DefaultConfig("Every Post", s.opts.Version)
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil
	config.Transformers = append(config.Transformers, onlyFields)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: "everypost_session"},
	}
	api := huma.NewAPI(config, adapter{e})
	api.UseMiddleware(s.guard(api))
	s.signInRoutes(api)
	s.peopleRoutes(api)
	s.inventoryRoutes(api)
	s.selectorRoutes(api)
	s.discoveryRoutes(api)
	s.arrivalRoutes(api)
	s.groupRoutes(api)
	s.mapRoutes(api)
	s.historyRoutes(api)
	s.whereRoutes(api)
	s.glanceRoutes(api)
	s.terminalRoutes(api)
	s.terminal(e)
	s.operationRoutes(api)
	s.captureRoutes(api)
	s.liveRoutes(api)
	s.deviceFileRoutes(api)
	s.alarmRoutes(api)
	s.alarmRuleRoutes(api)
	s.handOverRoutes(api)
	s.houseRoutes(api)
	s.wirelessRoutes(api)
	s.guestRoutes(api)
	s.failureRoutes(api)
	s.betweenRoutes(api)
	s.tunnelRoutes(api)
	s.steeringRoutes(api)
	s.radioLinkRoutes(api)
	s.segmentRoutes(api)
	s.routerRoutes(api)
	s.jobRoutes(api)
	s.backupRoutes(api)
	s.policyRoutes(api)
	s.sessionRoutes(api)
	s.applicationRoutes(api)
	s.certificateRoutes(api)
	s.webListRoutes(api)
	s.reachRoutes(api)
	s.promiseRoutes(api)
	s.firmwareRoutes(api)
	s.noticeRoutes(api)
	s.settingRoutes(api)
	s.bundleRoutes(api)
	s.vlanRoutes(api)
	s.serviceVLANRoutes(api)
	s.layerRoutes(api)
	s.fileRoutes(api)
	s.ruleRoutes(api)
	s.setupRoutes(api)
	s.compareRoutes(api)
	s.changeRoutes(api)
	s.eventRoutes(api)
	e.GET("/api/v1/openapi.json", func(c *echo.Context) error {
		if _, err := s.identify(c.Request()); err != nil {
			return echo.NewHTTPError(http.StatusUnauthorized, "sign in first")
		}
		return c.JSON(http.StatusOK, api.OpenAPI())
	})
	return api
}

// console serves the built console: its assets, named after their content, for ever; and for any other address the page
// itself, which finds out what to show.
func console(files fs.FS) echo.HandlerFunc {
	serve := http.FileServerFS(files)
	return func(c *echo.Context) error {
		path := strings.TrimPrefix(c.Request().URL.Path, "/")
		h := c.Response().Header()
		if strings.HasPrefix(path, "api/") {
			return echo.NewHTTPError(http.StatusNotFound, "there is nothing at this address")
		}
		if strings.HasPrefix(path, "assets/") && strings.HasSuffix(path, "/") {
			return echo.NewHTTPError(http.StatusNotFound, "there is nothing at this address") // and no list of what there is
		}
		if strings.HasPrefix(path, "assets/") || path == "favicon.svg" {
			if strings.HasPrefix(path, "assets/") {
				h.Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			return asset(c, files, path, serve)
		}
		page, err := fs.ReadFile(files, "index.html")
		if err != nil {
			return echo.NewHTTPError(http.StatusNotFound, "this build has no console in it: build it with make build")
		}
		h.Set("Cache-Control", "no-cache")
		return c.HTMLBlob(http.StatusOK, page)
	}
}
