package client

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"

	v1 "example.net/everypost/internal/api/v1"
)

// Events calls f for each event after the one of that number (0: from now on) until f returns false or ctx ends. When
// events were missed f is called with the kind "reset" first.
func (c *Client) Events(ctx context.Context, after uint64, f func(v1.Event) (goOn bool)) error {
	r, err := c.request(ctx, http.MethodGet, "/events", nil)
	if err != nil {
		return err
	}
	if after != 0 {
		r.Header.Set("Last-Event-ID", strconv.FormatUint(after, 10))
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
			goOn, err := c.deliver(name, data, f)
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
