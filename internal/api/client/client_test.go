package client

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
)

func serve(t *testing.T, h http.HandlerFunc) *Client {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return &Client{Base: s.URL + "/", Token: "ept_x"}
}

func answer(status int, kind, body string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", kind)
		w.WriteHeader(status)
		_, _ = w.Write([]byte(body))
	}
}

func TestRequestCarriesTokenAndRevision(t *testing.T) {
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer ept_x", r.Header.Get("Authorization"))
		assert.Equal(t, `"7"`, r.Header.Get("If-Match"))
		assert.Equal(t, "/api/v1/changes/3/push", r.URL.Path)
		_, _ = w.Write([]byte(`{"number":3}`))
	})
	got, err := c.Push(t.Context(), 3, 7, v1.PushRequest{})
	require.NoError(t, err)
	assert.Equal(t, int64(3), got.Number)
}

func TestProblems(t *testing.T) {
	for name, tc := range map[string]struct {
		status int
		body   string
		want   string
	}{
		"with everything that is wrong": {422, `{"type":"t","detail":"cannot be","errors":[{"location":"body.edits[0]","message":"no such port"},{"location":"x","message":"cannot be"}]}`,
			"cannot be\n  edits[0]: no such port"},
		"without detail":  {409, `{"title":"Conflict"}`, "Conflict"},
		"not even JSON":   {502, `<html>`, "502 Bad Gateway"},
		"nothing at all":  {500, ``, "500 Internal Server Error"},
		"an endless body": {500, strings.Repeat("x", 3<<20), "500 Internal Server Error"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := serve(t, answer(tc.status, "application/problem+json", tc.body)).Sites(t.Context(), Query{})
			var p *Problem
			require.ErrorAs(t, err, &p)
			assert.Equal(t, tc.status, p.Status)
			assert.Equal(t, tc.want, p.Error())
		})
	}
}

func TestAnswerThatCannotBeRead(t *testing.T) {
	_, err := serve(t, answer(200, "application/json", `{"items": 7}`)).Sites(t.Context(), Query{})
	assert.ErrorContains(t, err, "cannot be read")
}

func TestServiceThatIsNotThere(t *testing.T) {
	c := &Client{Base: "http://127.0.0.1:1"}
	_, err := c.Sites(t.Context(), Query{})
	var away *Unreachable
	require.ErrorAs(t, err, &away)
	assert.ErrorContains(t, err, "http://127.0.0.1:1")
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = c.Sites(ctx, Query{})
	assert.ErrorIs(t, err, context.Canceled)
}

const stream = "event: reset\ndata: {\"seq\":5}\n\nid: 6\nevent: event\ndata: {\"seq\":6,\"kind\":\"port\",\"port\":\"1/1/7\"}\n\nevent: beat\ndata: {}\n\nevent: event\ndata: {\"seq\":7,\"kind\":\"change\",\"change\":3}\n\n"

func TestEvents(t *testing.T) {
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "4", r.Header.Get("Last-Event-ID"))
		_, _ = w.Write([]byte(stream))
	})
	var got []string
	err := c.Events(t.Context(), 4, func(e v1.Event) bool {
		got = append(got, e.Kind+e.Port)
		return true
	})
	assert.Equal(t, []string{"reset", "port1/1/7", "change"}, got)
	var away *Unreachable
	assert.ErrorAs(t, err, &away, "a stream that ends by itself has lost the service")

	got = nil
	require.NoError(t, c.Events(t.Context(), 4, func(e v1.Event) bool {
		got = append(got, e.Kind)
		return e.Kind != "port"
	}))
	assert.Equal(t, []string{"reset", "port"}, got)
	assert.Error(t, serve(t, answer(200, "text/event-stream", "event: event\ndata: nonsense\n\n")).Events(t.Context(), 0, func(v1.Event) bool { return true }))
}

func TestFollowLivesThroughAnAbsence(t *testing.T) {
	states := []string{`{"number":3,"revision":1,"state":"pushing"}`, "", `{"number":3,"revision":1,"state":"pushing"}`, `{"number":3,"revision":2,"state":"kept"}`}
	n := 0
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, "/events") {
			_, _ = w.Write([]byte(stream))
			return
		}
		body := states[min(n, len(states)-1)]
		n++
		if body == "" { // the service dies
			conn, _, err := w.(http.Hijacker).Hijack()
			assert.NoError(t, err)
			_ = conn.Close()
			return
		}
		_, _ = w.Write([]byte(body))
	})
	var seen []string
	got, err := c.Follow(t.Context(), 3, func(c v1.Change) { seen = append(seen, c.State) }, func(c v1.Change) bool { return c.State == "kept" })
	require.NoError(t, err)
	assert.Equal(t, "kept", got.State)
	assert.Equal(t, []string{"pushing", "kept"}, seen, "a step is told once")
}

func TestFollowEndsWithItsContextAndWithAProblem(t *testing.T) {
	c := serve(t, answer(200, "application/json", `{"number":3,"revision":1,"state":"pushing"}`))
	ctx, cancel := context.WithTimeout(t.Context(), 50*time.Millisecond)
	defer cancel()
	_, err := c.Follow(ctx, 3, func(v1.Change) {}, func(v1.Change) bool { return false })
	require.ErrorIs(t, err, context.DeadlineExceeded)
	_, err = serve(t, answer(404, "application/problem+json", `{"detail":"none"}`)).Follow(t.Context(), 3, func(v1.Change) {}, func(v1.Change) bool { return false })
	var p *Problem
	assert.True(t, errors.As(err, &p))
}
