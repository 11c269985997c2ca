package rig

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// Audited lists what the audit log says of something.
func (r *Rig) Audited(t testing.TB, text string) (out []string) {
	t.Helper()
	log, err := r.Audit(t.Context(), text, 50)
	require.NoError(t, err)
	for _, e := range log.Items {
		out = append(out, e.User+" "+e.Action+" "+e.Object+" "+e.Detail)
	}
	return out
}

// Call makes a request as the holder of a token and returns the status. It reads no more of the answer than its begin, which may have no end.
func (r *Rig) Call(t testing.TB, token, method, path, body string, header ...string) int {
	t.Helper()
	resp := r.request(t, token, method, path, body, header)
	defer func() { _ = resp.Body.Close() }()
	_, _ = io.CopyN(io.Discard, resp.Body, 10)
	return resp.StatusCode
}

// Confine makes somebody of a role who is bound to what a selector picks.
func (r *Rig) Confine(t testing.TB, name, role, only string) *client.Client {
	t.Helper()
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: name, UserRequest: v1.UserRequest{FullName: name, Role: role, Only: only}, Password: Password}))
	return &client.Client{Base: r.Base, Token: r.TokenOf(t, name)}
}

// TokenOf signs somebody in.
func (r *Rig) TokenOf(t testing.TB, name string) string {
	t.Helper()
	token, err := r.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: name, Password: Password}, TokenRequest: v1.TokenRequest{Label: "test"}})
	require.NoError(t, err)
	return token.Secret
}

// As returns a client for another person, made with that role.
func (r *Rig) As(t testing.TB, name, role string) *client.Client {
	t.Helper()
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: name, UserRequest: v1.UserRequest{FullName: name, Role: role}, Password: Password}))
	return &client.Client{Base: r.Base, Token: r.TokenOf(t, name)}
}

// Problem asserts that err is a problem of that status and type, and says so much.
func Problem(t testing.TB, err error, status int, kind, says string) {
	t.Helper()
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, status, p.Status, p.Error())
	assert.Equal(t, kind, p.Type)
	assert.Contains(t, p.Error(), says)
}

// Asks makes a request and returns the status and what came back.
func (r *Rig) Asks(t testing.TB, token, method, path, body string, header ...string) (int, string) {
	t.Helper()
	resp := r.request(t, token, method, path, body, header)
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(b)
}

func (r *Rig) request(t testing.TB, token, method, path, body string, header []string) *http.Response {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, method, r.Base+path, strings.NewReader(body))
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	for i := 0; i < len(header); i += 2 {
		req.Header.Set(header[i], header[i+1])
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	return resp
}

// GetJSON asks the HTTP interface as it is, without the client between.
func (r *Rig) GetJSON(t testing.TB, path string, query map[string]string) (int, map[string]any) {
	t.Helper()
	q := url.Values{}
	for k, v := range query {
		q.Set(k, v)
	}
	status, body := r.Asks(t, r.Token, http.MethodGet, "/api/v1"+path+"?"+q.Encode(), "")
	var out map[string]any
	require.NoError(t, json.Unmarshal([]byte(body), &out), "%s", body)
	return status, out
}

// Names are those of the devices of a list.
func Names(list v1.List[v1.Device]) (out []string) {
	for _, d := range list.Items {
		out = append(out, d.Name)
	}
	return out
}

// Second is the error of a call that returns one besides.
func Second[T any](_ T, err error) error { return err }

// AwaitLinks waits until every cable of the world is known as a link: links are drawn at most once a second.
func (r *Rig) AwaitLinks(t testing.TB) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Links(t.Context(), client.Query{})
		return err == nil && list.Total == len(r.World.Cables())
	}, WaitLong, WaitStep, "every cable once")
}
