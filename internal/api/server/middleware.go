package server

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"runtime/debug"
	"strings"

	"github.com/labstack/echo/v5"
)

// recovered answers for a request whose handler panicked, and logs it with the request and where it was.
func recovered(log *slog.Logger) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) (err error) {
			defer func() {
				p := recover()
				if p == nil {
					return
				}
				if e, ok := p.(error); ok && errors.Is(e, http.ErrAbortHandler) {
					panic(p)
				}
				r := c.Request()
				log.Error("a request ended in a panic", "method", r.Method, "path", r.URL.Path, "query", r.URL.RawQuery, "panic", fmt.Sprint(p), "stack", string(debug.Stack()))
				err = echo.NewHTTPError(http.StatusInternalServerError, "something went wrong inside the service; its log tells what")
			}()
			return next(c)
		}
	}
}

// unstored keeps browsers and what stands between from keeping what is answered about the network.
func unstored(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if strings.HasPrefix(c.Request().URL.Path, "/api/") {
			c.Response().Header().Set("Cache-Control", "no-store")
		}
		return next(c)
	}
}
