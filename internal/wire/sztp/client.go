package sztp

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
)

// Client is a device's side. HTTP must show the device's certificate and trust the server's.
type Client struct {
	HTTP *http.Client
	Base string // https://host:port
}

// Fetch asks what the device is to be, and returns its configuration; ErrUnknown tells to ask again later.
func (c Client) Fetch(ctx context.Context, d Device) (Configuration, error) {
	var out map[string]struct {
		Info []byte `json:"conveyed-information"`
	}
	if err := c.call(ctx, fetchPath, d, &out); err != nil {
		return Configuration{}, err
	}
	return unwrap(out[outputName].Info)
}

// Report says how far the device is.
func (c Client) Report(ctx context.Context, p Progress) error {
	in := progressJSON{Type: p.Type, Message: p.Message}
	if len(p.HostKeys) > 0 {
		in.Keys = &struct {
			List []HostKey `json:"ssh-host-key"`
		}{p.HostKeys}
	}
	return c.call(ctx, reportPath, in, nil)
}

func (c Client) call(ctx context.Context, path string, in, out any) error {
	b, err := json.Marshal(map[string]any{inputName: in})
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimRight(c.Base, "/")+path, bytes.NewReader(b))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", MediaType)
	r.Header.Set("Accept", MediaType)
	resp, err := c.HTTP.Do(r)
	if err != nil {
		return fmt.Errorf("sztp: %w", err)
	}
	defer func() { _ = resp.Body.Close() }()
	if resp.StatusCode >= 300 {
		return statusError(resp)
	}
	if out == nil {
		return nil
	}
	return json.NewDecoder(io.LimitReader(resp.Body, maxMessage)).Decode(out)
}
