package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"

	v1 "example.net/everypost/internal/api/v1"
)

// Terminal is a terminal on a device. Show must be called by one goroutine, Type and Resize by one.
type Terminal struct {
	Number int64  // under which it is recorded
	Ended  string // why it ended, when Show has returned io.EOF
	ws     *websocket.Conn
}

const maxShown = 1 << 20

// OpenTerminal opens a terminal on a device.
func (c *Client) OpenTerminal(ctx context.Context, device string, columns, rows int) (*Terminal, error) {
	path := "/devices/" + url.PathEscape(device) + "/terminal"
	r, err := c.request(ctx, http.MethodGet, path, nil)
	if err != nil {
		return nil, err
	}
	ws, resp, err := websocket.Dial(ctx, r.URL.String(), &websocket.DialOptions{HTTPClient: c.http(), HTTPHeader: r.Header})
	if err != nil {
		if resp != nil {
			return nil, problemOf(resp)
		}
		return nil, &Unreachable{c.Base, err}
	}
	ws.SetReadLimit(maxShown)
	t := &Terminal{ws: ws}
	if err := t.Resize(ctx, columns, rows); err != nil {
		return nil, err
	}
	var f v1.TerminalFrame
	if err := wsjson.Read(ctx, ws, &f); err != nil {
		return nil, err
	}
	if f.Ended != "" {
		_ = ws.CloseNow()
		return nil, &Problem{Status: http.StatusBadGateway, Type: v1.ProblemGone, Detail: f.Ended}
	}
	t.Number = f.Number
	return t, nil
}

// Show writes what the device shows until the terminal ends; then it returns nil.
func (t *Terminal) Show(ctx context.Context, w io.Writer) error {
	for {
		kind, b, err := t.ws.Read(ctx)
		if err != nil {
			if websocket.CloseStatus(err) == websocket.StatusNormalClosure {
				return nil
			}
			t.Ended = "the connection to the service was lost"
			return fmt.Errorf("%s: %w", t.Ended, err)
		}
		if kind == websocket.MessageBinary {
			if _, err := w.Write(b); err != nil {
				return err
			}
			continue
		}
		var f v1.TerminalFrame
		if json.Unmarshal(b, &f) == nil && f.Ended != "" {
			t.Ended = f.Ended
		}
	}
}

// Type types on the device.
func (t *Terminal) Type(ctx context.Context, b []byte) error {
	return t.ws.Write(ctx, websocket.MessageBinary, b)
}

// Resize tells the size of the terminal.
func (t *Terminal) Resize(ctx context.Context, columns, rows int) error {
	return wsjson.Write(ctx, t.ws, v1.TerminalFrame{Columns: columns, Rows: rows})
}

// Close ends the terminal.
func (t *Terminal) Close() error { return t.ws.Close(websocket.StatusNormalClosure, "") }

// Terminals lists the terminals that were opened, of one device unless it is "", the newest first.
func (c *Client) Terminals(ctx context.Context, device string, limit int) (v1.List[v1.TerminalSession], error) {
	return get[v1.List[v1.TerminalSession]](ctx, c, "/terminals", url.Values{"device": {device}, "limit": {strconv.Itoa(limit)}})
}

// TerminalRecord returns what was shown in a terminal, as the device sent it.
func (c *Client) TerminalRecord(ctx context.Context, number int64) ([]byte, error) {
	return c.raw(ctx, "/terminals/"+strconv.FormatInt(number, 10)+"/record")
}
