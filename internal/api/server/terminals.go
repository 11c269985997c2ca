package server

import (
	"context"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/terminals"
	"example.net/everypost/internal/store"
)

var operateTerminals = may(rights.Operate, rights.Terminals)

func (s *server) terminalRoutes(api huma.API) {
	type terminalsQuery struct {
		Device string `query:"device" maxLength:"63"`
		Cursor int64  `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	}
	register(s, api, may(rights.See, rights.Terminals), http.MethodGet, "/terminals", "list-terminals", "The terminals that were opened on devices, the newest first",
		func(ctx context.Context, in *terminalsQuery) (*body[v1.List[v1.TerminalSession]], error) {
			q := store.TerminalQuery{Before: in.Cursor, Limit: in.Limit}
			if !everywhere(ctx, rights.See, rights.Terminals) { // terminals on devices that are forgotten are for who is bound to no place
				q.Devices = []string{}
				for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Terminals), Limit: math.MaxInt, Now: time.Now()}).Rows {
					q.Devices = append(q.Devices, d.Name)
				}
			}
			if in.Device != "" {
				q.Devices = slices.DeleteFunc([]string{in.Device}, func(d string) bool { return q.Devices != nil && !slices.Contains(q.Devices, d) })
			}
			list, err := s.Store.Terminals(ctx, q)
			out := listOf(list, terminalOut)
			if len(list) == in.Limit {
				out.Body.Next = strconv.FormatInt(list[len(list)-1].ID, 10)
			}
			return out, err
		})
	type numberPath struct {
		Number int64 `path:"number" minimum:"1" maximum:"9007199254740991"`
	}
	type record struct {
		ContentType string `header:"Content-Type"`
		Body        []byte
	}
	register(s, api, may(rights.See, rights.Terminals), http.MethodGet, "/terminals/{number}/record", "get-terminal-record", "What was shown in a terminal, as the device sent it",
		func(ctx context.Context, in *numberPath) (*record, error) {
			t, shown, err := s.Store.TerminalRecord(ctx, in.Number)
			if err == nil && !s.seesTerminal(ctx, t) {
				err = store.ErrNotFound
			}
			return &record{ContentType: "application/octet-stream", Body: shown}, missing(err, fmt.Sprintf("terminal %d", in.Number))
		})
}

// seesTerminal tells whether who asks may see a terminal: of a device that is forgotten, only who is bound to no place.
func (s *server) seesTerminal(ctx context.Context, t store.TerminalSession) bool {
	return everywhere(ctx, rights.See, rights.Terminals) || s.Inventory.HoldsDevice(t.Device, within(ctx, rights.See, rights.Terminals))
}

func terminalOut(t store.TerminalSession) v1.TerminalSession {
	out := v1.TerminalSession{Number: t.ID, Device: t.Device, User: t.User, OpenedAt: t.OpenedAt, Why: t.Why, Shown: t.Shown}
	if !t.Ended.IsZero() {
		out.EndedAt = &t.Ended
	}
	return out
}

const (
	maxTyped    = 64 << 10         // octets in one frame
	introduceIn = 10 * time.Second // until the first frame
	lookAgain   = 5 * time.Second  // whether who typed may still
)

// terminal is GET /api/v1/devices/{name}/terminal: a WebSocket (RFC 6455), which the description of the interface has no word
// for. See v1.TerminalFrame.
func (s *server) terminal(e *echo.Echo) {
	e.GET("/api/v1/devices/:name/terminal", func(c *echo.Context) error {
		r := c.Request()
		name, err := url.PathUnescape(c.Param("name"))
		if err != nil {
			return echo.NewHTTPError(http.StatusNotFound, "there is nothing at this address")
		}
		p, err := s.mayType(r, name)
		if err != nil {
			if p.Name != "" {
				s.audit(r.Context(), p.Name, "open-terminal", name, outcome(err))
			}
			return problemOf(c, s.problem(err))
		}
		ws, err := websocket.Accept(c.Response(), r, nil) // refuses what comes from another origin
		if err != nil {
			return nil // it has answered
		}
		ws.SetReadLimit(maxTyped)
		s.converse(r.Context(), ws, r, p, name)
		return nil
	})
}

// mayType finds out who asks for a terminal, and whether he may.
func (s *server) mayType(r *http.Request, device string) (access.Person, error) {
	p, err := s.identify(r)
	if err != nil {
		return p, err
	}
	if p.Trying {
		return p, with(http.StatusForbidden, v1.ProblemTrying, errors.New("you are trying the role "+p.Role+": nothing is done until you stop"))
	}
	if !p.May(operateTerminals.Verb, operateTerminals.Feature) {
		return p, with(http.StatusForbidden, v1.ProblemForbidden, lacks(p, operateTerminals))
	}
	if s.writes.broken(r.Context()) {
		return p, access.ErrUnrecorded
	}
	return p, s.onDevice(context.WithValue(r.Context(), personKey{}, p), operateTerminals, device)
}

// problemOf answers with a problem outside of the described interface.
func problemOf(c *echo.Context, err error) error {
	var problem *huma.ErrorModel
	if !errors.As(err, &problem) {
		return err
	}
	b, _ := json.Marshal(problem)
	return c.Blob(problem.Status, "application/problem+json", b)
}

// converse carries a terminal over a WebSocket until one end closes it, or who opened it may not any more.
func (s *server) converse(ctx context.Context, ws *websocket.Conn, r *http.Request, p access.Person, device string) {
	defer func() { _ = ws.CloseNow() }()
	end := func(why string) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
		defer cancel()
		_ = wsjson.Write(ctx, ws, v1.TerminalFrame{Ended: why})
		_ = ws.Close(websocket.StatusNormalClosure, "")
	}
	var first v1.TerminalFrame
	introduction, cancel := context.WithTimeout(ctx, introduceIn)
	err := wsjson.Read(introduction, ws, &first)
	cancel()
	if err != nil {
		return
	}
	if p.CSRF != "" && subtle.ConstantTimeCompare([]byte(first.CSRF), []byte(p.CSRF)) != 1 {
		end("the first frame does not hold the token of the session")
		return
	}
	t, err := s.Terminals.Open(ctx, device, p.Name, sizeOf(first))
	s.audit(ctx, p.Name, "open-terminal", device, opening(t, err))
	if err != nil {
		var problem *huma.ErrorModel
		if errors.As(s.problem(err), &problem) {
			end(problem.Detail)
		}
		return
	}
	defer func() {
		t.End("it was closed")
		why, length := t.Ended()
		s.audit(ctx, p.Name, "end-terminal", device, fmt.Sprintf("terminal %d, after %s: %s", t.Number, length.Round(time.Second), why))
	}()
	_ = wsjson.Write(ctx, ws, v1.TerminalFrame{Number: t.Number})
	go s.typing(ctx, ws, t)
	go s.supervise(ctx, r, t, device)
	shown := make([]byte, 16<<10)
	for {
		n, err := t.Read(shown)
		if n > 0 && ws.Write(ctx, websocket.MessageBinary, shown[:n]) != nil {
			return
		}
		if err != nil {
			why, _ := t.Ended()
			end(why)
			return
		}
	}
}

// opening is what the audit log says of a terminal that was asked for.
func opening(t *terminals.Terminal, err error) string {
	if err != nil {
		return outcome(err)
	}
	return fmt.Sprintf("terminal %d", t.Number)
}

// sizeOf is the size that a frame tells, within reason.
func sizeOf(f v1.TerminalFrame) driver.Size {
	return driver.Size{Columns: min(max(f.Columns, 20), 500), Rows: min(max(f.Rows, 5), 200)}
}

// typing passes on what is typed until the WebSocket ends.
func (s *server) typing(ctx context.Context, ws *websocket.Conn, t *terminals.Terminal) {
	for {
		kind, b, err := ws.Read(ctx)
		if err != nil {
			t.End("it was closed")
			return
		}
		var f v1.TerminalFrame
		switch {
		case kind == websocket.MessageBinary:
			err = t.Type(b)
		case json.Unmarshal(b, &f) == nil:
			err = t.Resize(sizeOf(f))
		}
		if err != nil {
			t.End("the connection to the device was lost")
			return
		}
	}
}

// supervise ends a terminal when who opened it may not have it any more, or the service stops.
func (s *server) supervise(ctx context.Context, r *http.Request, t *terminals.Terminal, device string) {
	over := make(chan struct{})
	go func() {
		_, _ = t.Ended()
		close(over)
	}()
	tick := time.NewTicker(lookAgain)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			if _, err := s.mayType(r.WithContext(ctx), device); err != nil {
				t.End("the right to it was taken back, or the session ended")
			}
		case <-s.closing.Done():
			t.End("the service stopped")
		case <-over:
			return
		}
	}
}
