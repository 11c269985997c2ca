package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	v1 "example.net/everypost/internal/api/v1"
)

// Events calls f for each event after the one of that number (0: from now on) until f returns false or ctx ends. When
// events were missed f is called with the kind "reset" first.
func (c *Client) Events(ctx context.Context, after uint64, f func(v1.Event) (goOn bool)) error {
	header := http.Header{}
	if after != 0 {
		header.Set("Last-Event-ID", strconv.FormatUint(after, 10))
	}
	return c.stream(ctx, "/events", header, func(name, data string) (bool, error) { return c.deliver(name, data, f) })
}

// stream reads server-sent events, until f says to stop.
func (c *Client) stream(ctx context.Context, path string, header http.Header, f func(name, data string) (goOn bool, err error)) error {
	r, err := c.request(ctx, http.MethodGet, path, nil)
	if err != nil {
		return err
	}
	for k, v := range header {
		r.Header[k] = v
	}
	resp, err := c.send(r)
	if err != nil {
		return err
	}
	defer func() { _ = resp.Body.Close() }()
	lines := bufio.NewScanner(resp.Body)
	lines.Buffer(nil, 1<<20)
	name, data := "", ""
	for lines.Scan() {
		field, value, _ := strings.Cut(lines.Text(), ": ")
		switch field {
		case "event":
			name = value
		case "data":
			data = value
		case "":
			if data == "" {
				continue
			}
			goOn, err := f(name, data)
			if err != nil || !goOn {
				return err
			}
			name, data = "", ""
		}
	}
	if err := ctx.Err(); err != nil {
		return context.Cause(ctx)
	}
	if err := lines.Err(); err != nil {
		return &Unreachable{c.Base, err}
	}
	return &Unreachable{c.Base, io.ErrUnexpectedEOF}
}

// Live has a device be read each second, and calls f for each reading until it says to stop.
func (c *Client) Live(ctx context.Context, device string, ports []string, f func(v1.LiveReading) (goOn bool)) error {
	path := "/devices/" + url.PathEscape(device) + "/live"
	if len(ports) > 0 {
		path += "?" + url.Values{"ports": {strings.Join(ports, ",")}}.Encode()
	}
	return c.stream(ctx, path, nil, func(name, data string) (bool, error) {
		switch name {
		case "reading":
			var one v1.LiveReading
			if err := json.Unmarshal([]byte(data), &one); err != nil {
				return false, fmt.Errorf("reading: %w", err)
			}
			c.clean(&one)
			return f(one), nil
		case "gone":
			var gone v1.Gone
			_ = json.Unmarshal([]byte(data), &gone)
			return false, errors.New(gone.Why)
		}
		return true, nil
	})
}

func (c *Client) deliver(name, data string, f func(v1.Event) bool) (goOn bool, err error) {
	var e v1.Event
	switch name {
	case "event":
		err := json.Unmarshal([]byte(data), &e)
		c.clean(&e)
		if err != nil {
			return false, fmt.Errorf("event: %w", err)
		}
	case "reset":
		var reset v1.Reset
		if err := json.Unmarshal([]byte(data), &reset); err != nil {
			return false, fmt.Errorf("event: %w", err)
		}
		e = v1.Event{Kind: "reset", Seq: reset.Seq}
	default:
		return true, nil
	}
	return f(e), nil
}
