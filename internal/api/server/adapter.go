package server

import (
	"context"
	"crypto/tls"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
)

// adapter registers Huma's operations as routes of Echo.
type adapter struct{ echo *echo.Echo }

func (a adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.echo.Add(op.Method, path, func(c *echo.Context) error {
		handler(&exchange{op: op, echo: c})
		return nil
	})
}

func (a adapter) ServeHTTP(w http.ResponseWriter, r *http.Request) { a.echo.ServeHTTP(w, r) }

// exchange is one request and its response, as Huma sees it.
type exchange struct {
	op     *huma.Operation
	echo   *echo.Context
	status int
}

func (x *exchange) Operation() *huma.Operation { return x.op }
func (x *exchange) Context() context.Context   { return x.echo.Request().Context() }
func (x *exchange) Method() string             { return x.echo.Request().Method }
func (x *exchange) Host() string               { return x.echo.Request().Host }
func (x *exchange) RemoteAddr() string         { return x.echo.Request().RemoteAddr }
func (x *exchange) URL() url.URL               { return *x.echo.Request().URL }
func (x *exchange) Query(name string) string   { return x.echo.QueryParam(name) }
func (x *exchange) Header(name string) string  { return x.echo.Request().Header.Get(name) }
func (x *exchange) TLS() *tls.ConnectionState  { return x.echo.Request().TLS }
func (x *exchange) Status() int                { return x.status }
func (x *exchange) BodyReader() io.Reader      { return x.echo.Request().Body }
func (x *exchange) BodyWriter() io.Writer      { return x.echo.Response() }

// Param is a part of the path. Echo matches the path as it was sent, when that holds escapes.
func (x *exchange) Param(name string) string {
	value := x.echo.Param(name)
	if x.echo.Request().URL.RawPath != "" {
		if plain, err := url.PathUnescape(value); err == nil {
			return plain
		}
	}
	return value
}

func (x *exchange) EachHeader(cb func(name, value string)) {
	for name, values := range x.echo.Request().Header {
		for _, v := range values {
			cb(name, v)
		}
	}
}

func (x *exchange) GetMultipartForm() (*multipart.Form, error) { return nil, http.ErrNotMultipart }

func (x *exchange) SetReadDeadline(t time.Time) error {
	return http.NewResponseController(x.echo.Response()).SetReadDeadline(t)
}

func (x *exchange) SetStatus(code int) {
	x.status = code
	x.echo.Response().WriteHeader(code)
}

func (x *exchange) SetHeader(name, value string)    { x.echo.Response().Header().Set(name, value) }
func (x *exchange) AppendHeader(name, value string) { x.echo.Response().Header().Add(name, value) }

func (x *exchange) Version() huma.ProtoVersion {
	r := x.echo.Request()
	return huma.ProtoVersion{Proto: r.Proto, ProtoMajor: r.ProtoMajor, ProtoMinor: r.ProtoMinor}
}
