package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"reflect"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/testing/testhouse"
)

const secret = "harbour lights at dusk"

// house is a server beside devices in memory, with ada, the administrator, and coral, who is bound to the ship.
type house struct {
	*server
	*testhouse.House
	handler http.Handler
	log     *bytes.Buffer
	tokens  map[string]string
}

func newHouse(t *testing.T, o Options) *house {
	t.Helper()
	h := &house{House: testhouse.New(t), log: &bytes.Buffer{}, tokens: map[string]string{}}
	a, err := access.New(t.Context(), h.House.Store, func() time.Time { return time.Now().UTC() }, access.Cheap)
	require.NoError(t, err)
	t.Cleanup(a.Close)
	require.NoError(t, a.AddUser(t.Context(), access.User{Name: "ada", Role: "administrator"}, secret))
	require.NoError(t, a.AddUser(t.Context(), access.User{Name: "coral", Role: "technician", Only: "site = fulmar"}, secret))
	o.Version, o.Log = "test", slog.New(slog.NewTextHandler(h.log, nil))
	h.server, h.handler = build(t.Context(), &service.Service{Store: h.House.Store, Feed: h.House.Feed, Fleet: h.House.Fleet, Inventory: h.House.Inventory, Groups: h.House.Groups,
		Access: a, Permission: permission.New(a, h.House.Inventory)}, o)
	for _, name := range []string{"ada", "coral"} {
		_, token, err := a.SignInToken(t.Context(), name, secret, access.Caller{}, "test", false, time.Hour)
		require.NoError(t, err)
		h.tokens[name] = token
	}
	return h
}

func (h *house) ask(as, method, path, body string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(body))
	if as != "" {
		r.Header.Set("Authorization", "Bearer "+h.tokens[as])
	}
	r.Header.Set("Content-Type", "application/json")
	w := httptest.NewRecorder()
	h.handler.ServeHTTP(w, r)
	return w
}

// While nothing can be recorded nothing is done; what is only looked at goes on.
func TestWhatCannotBeRecordedIsNotDone(t *testing.T) {
	h := newHouse(t, Options{})
	full := true
	h.writes.try = func(context.Context) error {
		if full {
			return errors.New("database or disk is full")
		}
		return nil
	}
	put := func() *httptest.ResponseRecorder {
		return h.ask("ada", http.MethodPut, "/api/v1/sites/kelp-bay", `{"title":"Kelp Bay"}`)
	}
	h.writes.failed()
	w := put()
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.Contains(t, w.Body.String(), v1.ProblemUnrecorded)
	assert.Equal(t, http.StatusOK, h.ask("ada", http.MethodGet, "/api/v1/sites", "").Code)
	assert.NotContains(t, h.ask("ada", http.MethodGet, "/api/v1/sites", "").Body.String(), "kelp-bay")
	full = false
	assert.Equal(t, http.StatusNoContent, put().Code)
	assert.Contains(t, h.ask("ada", http.MethodGet, "/api/v1/sites", "").Body.String(), "kelp-bay")
	full = true
	assert.Equal(t, http.StatusNoContent, put().Code, "it is not tried for every act")
	h.writes.failed()
	assert.Equal(t, http.StatusServiceUnavailable, put().Code, "but at once after one that failed")
}

func TestReadinessIsTried(t *testing.T) {
	h := newHouse(t, Options{})
	assert.Equal(t, http.StatusOK, h.ask("", http.MethodGet, "/readyz", "").Code)
	require.NoError(t, h.House.Store.Close())
	assert.Equal(t, http.StatusServiceUnavailable, h.ask("", http.MethodGet, "/readyz", "").Code)
	assert.Equal(t, http.StatusOK, h.ask("", http.MethodGet, "/healthz", "").Code, "it lives all the same")
}

// What a handler would show by mistake to who is bound to another place does not go out.
func TestAnAnswerThatWouldShowAnotherPlaceIsHeldBack(t *testing.T) {
	h := newHouse(t, Options{})
	e := echo.New()
	config := huma.DefaultConfig("x", "1")
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	api := huma.NewAPI(config, adapter{e})
	api.UseMiddleware(h.guard(api))
	for path, answer := range map[string]any{
		"device": v1.Device{Name: "th-sw-01"}, "port": v1.Port{Ref: "th-sw-01:1"}, "site": v1.Site{Name: "tern-haven"}, "end": v1.Line{A: v1.LineEnd{Device: "fm-sw-01"}, B: v1.LineEnd{Device: "th-sw-01"}},
		"group": v1.Group{GroupRequest: v1.GroupRequest{Members: []string{"fm-sw-01", "th-sw-02"}}}, "change": v1.Change{Owner: "ada", Edits: []v1.Edit{{Port: "th-sw-01:1"}}},
		"claim": v1.ClaimedDevice{Claim: v1.Claim{Site: "tern-haven"}}, "link": v1.Carriage{Links: []string{"fm-sw-01:up th-sw-01:down"}},
	} {
		register(h.server, api, may(rights.See, rights.Devices), http.MethodGet, "/"+path, path, path, func(context.Context, *struct{}) (*body[struct{ Of any }], error) {
			return &body[struct{ Of any }]{struct{ Of any }{answer}}, nil
		})
	}
	h.handler = e
	for _, path := range []string{"device", "port", "site", "end", "group", "change", "claim", "link"} {
		w := h.ask("coral", http.MethodGet, "/api/v1/"+path, "")
		assert.Equal(t, http.StatusInternalServerError, w.Code, path)
		assert.NotContains(t, w.Body.String(), "th-", path)
		assert.Equal(t, http.StatusOK, h.ask("ada", http.MethodGet, "/api/v1/"+path, "").Code, path)
	}
	assert.Contains(t, h.log.String(), "an answer was held back")
}

func TestARouteMustSayWhatItShows(t *testing.T) {
	type unheard struct{ Devices []huma.ErrorDetail }
	assert.NotPanics(t, func() { declared("x", reflect.TypeFor[unheard]()) }, "types of others show nothing of the network")
	assert.PanicsWithValue(t, "x: say in shown.go what of the network these show: PastEvent, PastPoints, PastRequest", func() { declared("x", reflect.TypeFor[body[v1.PastRequest]]()) })
}

// A handler that panics is logged with what was asked, and answered without its inside.
func TestAPanicIsLoggedWithItsRequest(t *testing.T) {
	var log bytes.Buffer
	e := echo.New()
	e.HTTPErrorHandler = echo.ProblemDetailsHTTPErrorHandler(false)
	e.Use(recovered(slog.New(slog.NewTextHandler(&log, nil))))
	e.GET("/boom", func(*echo.Context) error { panic("the mast broke") })
	w := httptest.NewRecorder()
	e.ServeHTTP(w, httptest.NewRequest(http.MethodGet, "/boom?sort=name&offset=7", nil))
	assert.Equal(t, http.StatusInternalServerError, w.Code)
	assert.NotContains(t, w.Body.String(), "mast")
	for _, part := range []string{"the mast broke", "/boom", "offset=7", "edges_test.go"} {
		assert.Contains(t, log.String(), part)
	}
}

func TestNumbersAreBoundedByTheContract(t *testing.T) {
	for path, item := range API("test").Paths {
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Delete} {
			if op == nil {
				continue
			}
			for _, p := range op.Parameters {
				if p.Schema.Type == "integer" {
					assert.NotNil(t, p.Schema.Maximum, "%s %s", path, p.Name)
					assert.NotNil(t, p.Schema.Minimum, "%s %s", path, p.Name)
				}
			}
		}
	}
	h := newHouse(t, Options{})
	w := h.ask("ada", http.MethodGet, "/api/v1/devices?sort=name&offset=9223372036854775807", "")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code, w.Body.String())
	w = h.ask("ada", http.MethodGet, "/api/v1/devices?sort=name&offset=100000000&limit=10000", "")
	assert.Equal(t, http.StatusOK, w.Code, w.Body.String())
	w = h.ask("ada", http.MethodGet, "/api/v1/devices?sort=name&cursor=OTIyMzM3MjAzNjg1NDc3NTgwNw", "")
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code, "nor by a cursor that somebody made up")
}

func TestWhatBrowsersAreTold(t *testing.T) {
	files := fstest.MapFS{"index.html": {Data: []byte("<p>")}, "assets/a.js": {Data: []byte("1")}}
	plain, tls := newHouse(t, Options{Console: files}), newHouse(t, Options{Console: files, Secure: true})
	w := plain.ask("ada", http.MethodGet, "/api/v1/devices", "")
	assert.Equal(t, "no-store", w.Header().Get("Cache-Control"))
	assert.Empty(t, w.Header().Get("Strict-Transport-Security"))
	secure := httptest.NewRequest(http.MethodGet, "https://everypost.example.net/", nil)
	rec := httptest.NewRecorder()
	tls.handler.ServeHTTP(rec, secure)
	assert.Contains(t, rec.Header().Get("Strict-Transport-Security"), "max-age=31536000")
	assert.Equal(t, http.StatusNotFound, plain.ask("", http.MethodGet, "/assets/", "").Code, "files are not listed")
	assert.Equal(t, http.StatusOK, plain.ask("", http.MethodGet, "/assets/a.js", "").Code)
	for name, h := range map[string]*house{"everypost_session": plain, "__Host-everypost_session": tls} {
		b, err := json.Marshal(v1.SignIn{Name: "ada", Password: secret})
		require.NoError(t, err)
		w = h.ask("", http.MethodPost, "/api/v1/session", string(b))
		require.Equal(t, http.StatusOK, w.Code, w.Body.String())
		require.Len(t, w.Result().Cookies(), 1)
		c := w.Result().Cookies()[0]
		assert.Equal(t, name, c.Name)
		r := httptest.NewRequest(http.MethodGet, "/api/v1/sessions", nil)
		r.AddCookie(c)
		rec := httptest.NewRecorder()
		h.handler.ServeHTTP(rec, r)
		require.Equal(t, http.StatusOK, rec.Code, rec.Body.String())
		assert.Contains(t, rec.Body.String(), `"this":true`)
	}
}

// A token that may only see does nothing else, not even to what is its holder's own.
func TestATokenForSeeingDoesNothingElse(t *testing.T) {
	h := newHouse(t, Options{})
	_, token, err := h.Access.SignInToken(t.Context(), "ada", secret, access.Caller{}, "see", true, time.Hour)
	require.NoError(t, err)
	h.tokens["see"] = token
	for _, tc := range [][3]string{
		{http.MethodDelete, "/api/v1/tokens/1", ""}, {http.MethodPut, "/api/v1/preferences/table.x", `{"value":"x"}`}, {http.MethodPost, "/api/v1/tokens", `{"label":"longer","days":300}`},
		{http.MethodPut, "/api/v1/session/password", `{"old":"` + secret + `","password":"gulls at the ferry rail"}`}, {http.MethodDelete, "/api/v1/sessions/0123456789abcdef", ""},
		{http.MethodPut, "/api/v1/sites/kelp-bay", `{"title":"x"}`},
	} {
		w := h.ask("see", tc[0], tc[1], tc[2])
		assert.Equal(t, http.StatusForbidden, w.Code, "%s %s: %s", tc[0], tc[1], w.Body.String())
	}
	assert.Equal(t, http.StatusOK, h.ask("see", http.MethodGet, "/api/v1/ports", "").Code)
}

// Who may see but a part of what a question asks for is answered within it, or not at all.
func TestWhatAPersonSeesOfAQuestion(t *testing.T) {
	g, err := rights.Compile([]rights.Rule{{Effect: rights.Allow, Verbs: []rights.Verb{rights.See}, Features: []rights.Feature{rights.Devices}},
		{Effect: rights.Allow, Verbs: []rights.Verb{rights.See}, Features: []rights.Feature{rights.Clients}, Where: "site = fulmar"},
		{Effect: rights.Allow, Verbs: []rights.Verb{rights.See}, Features: []rights.Feature{rights.Ports}, Where: "port.up = true"}}, nil)
	require.NoError(t, err)
	p := access.Person{Grants: g}
	where, err := permission.Sees(p, selector.Device, selector.Device, selector.Client)
	require.NoError(t, err)
	assert.Equal(t, "site = fulmar", where.String())
	_, err = permission.Sees(p, selector.Device, selector.Port)
	require.ErrorContains(t, err, "ask for devices by their own properties")
	_, err = permission.Sees(p, selector.Device, selector.Site)
	require.ErrorContains(t, err, "see sites")
}
