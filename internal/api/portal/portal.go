// Package portal is the door for guests of wireless networks: the page on which they are received, and what their stations are told of it (RFC 8908).
// It knows nobody: a station is who the access point says that it is (ep-wireless), and all that a guest can do is to ask to be let in.
package portal

import (
	"bytes"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"time"

	"github.com/labstack/echo/v5"

	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/service/guests"
	"example.net/everypost/internal/store"
)

//go:embed page.html page.css wait.js
var files embed.FS

var (
	page  = template.Must(template.ParseFS(files, "page.html"))
	style = read("page.css")
	wait  = read("wait.js")
)

func read(name string) []byte {
	b, err := files.ReadFile(name)
	if err != nil {
		panic(err) // it is embedded above
	}
	return b
}

const (
	mostForm = 16 << 10 // octets
	kind     = "application/captive+json"
)

type door struct {
	guests *guests.Service
	log    *slog.Logger
}

// New returns what answers at the door.
func New(g *guests.Service, log *slog.Logger) http.Handler {
	d := &door{g, log}
	e := echo.New()
	e.Use(protect)
	e.HTTPErrorHandler = d.failed
	e.GET("/style.css", d.style)
	e.GET("/wait.js", func(c *echo.Context) error {
		return c.Blob(http.StatusOK, "text/javascript; charset=utf-8", wait)
	})
	e.GET("/:portal", d.page)
	e.POST("/:portal", d.ask)
	e.GET("/:portal/api", d.api)
	e.GET("/:portal/logo.png", d.logo)
	return e
}

// failed tells a guest that something does not work, and nothing more.
func (d *door) failed(c *echo.Context, err error) {
	if r, _ := echo.UnwrapResponse(c.Response()); r != nil && r.Committed {
		return
	}
	status, says := http.StatusInternalServerError, "This does not work at the moment. Please try again in a minute."
	var coded echo.HTTPStatusCoder
	if errors.As(err, &coded) && coded.StatusCode() < http.StatusInternalServerError {
		status, says = coded.StatusCode(), "There is no such page."
	} else {
		d.log.Warn("a guest could not be answered", "err", err)
	}
	_ = d.show(c, status, View{Portal: guest.Portal{Title: "Guests"}, Trouble: says})
}

// protect bounds what pages may do and what comes in.
func protect(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		Protect(h, "'none'")
		c.Request().Body = http.MaxBytesReader(c.Response(), c.Request().Body, mostForm)
		return next(c)
	}
}

// Protect says what a page of a portal may do: nothing but to show itself and to send its form. By whom it may be framed is for the caller to say.
func Protect(h http.Header, framedBy string) {
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; img-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors "+framedBy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cache-Control", "no-store")
}

// View is what a page shows.
type View struct {
	Portal  guest.Portal
	Look    guest.Look
	Style   string      // address of its style sheet
	Logo    string      // address of its picture, "" for none
	Pass    []Hidden    // what the access point said, sent with the form
	Form    guest.Form  // what the guest said
	State   guest.State // "" where he has to ask
	Until   string      // he is let in so long
	Mistake string
	Trouble string // in the place of all else
	Why     string // he was turned away
	Preview bool
}

// Hidden is a field of the form that nobody sees.
type Hidden struct{ Name, Value string }

// Write writes the page.
func Write(w io.Writer, v View) error { return page.Execute(w, v) }

// WriteStyle writes the style sheet in the colours of a portal.
func WriteStyle(w io.Writer, l guest.Look) error {
	on := "#ffffff"
	if !guest.Dark(l.Accent) {
		on = "#16191d"
	}
	ink, panel, soft := "#1b1f24", "#ffffff", "#57606a"
	if guest.Dark(l.Ground) {
		ink, panel, soft = "#f2f3f5", "#22272e", "#b3bac3"
	}
	_, err := fmt.Fprintf(w, ":root{--accent:%s;--on-accent:%s;--ground:%s;--ink:%s;--panel:%s;--soft:%s}\n%s", l.Accent, on, l.Ground, ink, panel, soft, style)
	return err
}

func (d *door) show(c *echo.Context, status int, v View) error {
	v.Look = v.Portal.Shown()
	if v.Style == "" {
		v.Style = "/style.css?of=" + url.QueryEscape(v.Portal.Name)
	}
	var b bytes.Buffer
	if err := Write(&b, v); err != nil {
		return err
	}
	return c.HTMLBlob(status, b.Bytes())
}

// view is what is shown to a visitor.
func (d *door) view(c *echo.Context, v guests.Visit) View {
	out := View{Portal: v.Portal, State: v.State, Why: v.Stay.Why}
	if v.Logo {
		out.Logo = "/" + url.PathEscape(v.Portal.Name) + "/logo.png"
	}
	for _, name := range guest.PassFields {
		out.Pass = append(out.Pass, Hidden{name, c.FormValue(name)})
	}
	if v.State == guest.In {
		out.Until = until(v.Stay.Ends, time.Now())
	}
	return out
}

// passOf is what the access point said, as it came.
func passOf(c *echo.Context) url.Values {
	out := url.Values{}
	for _, name := range guest.PassFields {
		out.Set(name, c.FormValue(name))
	}
	return out
}

// until says a time for people, who are where the service is, or nearly so.
func until(t, now time.Time) string {
	t = t.Local()
	if t.YearDay() == now.Local().YearDay() && t.Year() == now.Year() {
		return t.Format("15:04")
	}
	return t.Format("2 January, 15:04")
}

// receive reads who comes.
func (d *door) receive(c *echo.Context) (guests.Visit, error) {
	if err := c.Request().ParseForm(); err != nil {
		return guests.Visit{}, echo.NewHTTPError(http.StatusBadRequest, "that is no form")
	}
	v, err := d.guests.Receive(c.Request().Context(), c.Param("portal"), c.Request().Form)
	if errors.Is(err, store.ErrNotFound) {
		return v, echo.ErrNotFound
	}
	return v, err
}

func (d *door) page(c *echo.Context) error {
	v, err := d.receive(c)
	if errors.Is(err, guest.ErrPass) {
		return d.show(c, http.StatusForbidden, View{Portal: v.Portal, Trouble: "Please join the wireless network first. Then open any page: you come here by yourself."})
	}
	if err != nil {
		return err
	}
	return d.answer(c, http.StatusOK, v, guest.Form{}, d.guests.Admit(c.Request().Context(), v))
}

// answer shows a visitor how he stands, and what he did wrong.
func (d *door) answer(c *echo.Context, status int, v guests.Visit, f guest.Form, err error) error {
	out := d.view(c, v)
	out.Form = f
	var m guest.Mistake
	switch {
	case errors.As(err, &m):
		out.Mistake = string(m)
	case err != nil:
		return err
	}
	return d.show(c, status, out)
}

func (d *door) ask(c *echo.Context) error {
	v, err := d.receive(c)
	if errors.Is(err, guest.ErrPass) {
		return d.show(c, http.StatusForbidden, View{Portal: v.Portal, Trouble: "This page is too old. Please open any page: you come back here by yourself."})
	}
	if err != nil {
		return err
	}
	f := guest.Form{Name: c.FormValue("name"), Host: c.FormValue("host"), Code: c.FormValue("code"), Agreed: c.FormValue("agreed") != ""}
	_, err = d.guests.Ask(c.Request().Context(), v, f)
	var m guest.Mistake
	switch {
	case errors.As(err, &m):
		return d.answer(c, http.StatusUnprocessableEntity, v, f, err)
	case err != nil:
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/"+url.PathEscape(v.Portal.Name)+"?"+passOf(c).Encode())
}

// api tells a station whether it is let through (RFC 8908).
func (d *door) api(c *echo.Context) error {
	v, err := d.receive(c)
	if errors.Is(err, guest.ErrPass) {
		return c.NoContent(http.StatusForbidden)
	}
	if err != nil {
		return err
	}
	told := guest.Told(v.Stay, d.guests.Address(v.Portal.Name)+"?"+passOf(c).Encode(), time.Now())
	if d.guests.Admit(c.Request().Context(), v) != nil {
		told.Captive = true
	}
	b, err := json.Marshal(told)
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, kind, b)
}

func (d *door) style(c *echo.Context) error {
	p, err := d.guests.Portal(c.Request().Context(), c.QueryParam("of"))
	if err != nil {
		p.Portal = guest.Portal{}
	}
	var b bytes.Buffer
	if err := WriteStyle(&b, p.Shown()); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "text/css; charset=utf-8", b.Bytes())
}

func (d *door) logo(c *echo.Context) error {
	b, err := d.guests.Logo(c.Request().Context(), c.Param("portal"))
	if err != nil {
		return echo.ErrNotFound
	}
	return c.Blob(http.StatusOK, "image/png", b)
}
