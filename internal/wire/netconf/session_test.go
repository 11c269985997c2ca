package netconf

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/xmlnode"
)

// handler is a server's inside that a test writes as functions.
type handler struct {
	serve  func(context.Context, *ServerSession, *xmlnode.Node) ([]*xmlnode.Node, error)
	closed func(*ServerSession)
}

func (h handler) Capabilities() []string { return []string{CapCandidate + "?x=y"} }
func (h handler) Serve(ctx context.Context, s *ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	return h.serve(ctx, s, op)
}
func (h handler) Closed(s *ServerSession) {
	if h.closed != nil {
		h.closed(s)
	}
}

func echo(_ context.Context, _ *ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
	return []*xmlnode.Node{xmlnode.New(BaseNS, "data", op)}, nil
}

// connect joins a client and a server by a pipe.
func connect(t *testing.T, h handler, o Options) *Session {
	t.Helper()
	a, b := net.Pipe()
	var wg sync.WaitGroup
	wg.Go(func() { _ = (&Server{Handler: h}).ServeConn(context.Background(), b, "ada") })
	s, err := NewSession(t.Context(), a, o)
	require.NoError(t, err)
	t.Cleanup(func() {
		_ = s.Close()
		wg.Wait()
	})
	return s
}

func TestHelloAnnouncesCapabilitiesWithTheirParameters(t *testing.T) {
	s := connect(t, handler{serve: echo}, Options{})
	assert.True(t, s.Peer().Has(CapCandidate))
	assert.True(t, s.Peer().Has(CapBase11))
	assert.False(t, s.Peer().Has(CapValidate))
	assert.NotZero(t, s.Peer().SessionID)
}

func TestBase10PeerIsSpokenToWithoutChunks(t *testing.T) {
	s := connect(t, handler{serve: echo}, Options{Capabilities: []string{CapBase10}})
	_, err := s.Get(t.Context(), nil, DefaultsServer)
	assert.NoError(t, err)
}

func TestRepliesFindTheirRequests(t *testing.T) {
	s := connect(t, handler{serve: echo}, Options{})
	var wg sync.WaitGroup
	for i := range 50 {
		wg.Go(func() {
			want := fmt.Sprintf("n%d", i)
			reply, err := s.Do(t.Context(), xmlnode.Leaf("urn:x", "ask", want))
			if assert.NoError(t, err) {
				assert.Equal(t, want, reply.TextAt("data/ask"))
			}
		})
	}
	wg.Wait()
}

func TestErrorsComeTyped(t *testing.T) {
	s := connect(t, handler{serve: func(_ context.Context, _ *ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
		switch op.Name {
		case "lock":
			return nil, &RPCError{Type: "protocol", Tag: TagLockDenied, Severity: "error", Message: "taken by <7> & co", Path: "/a"}
		case "validate":
			return nil, errors.Join(NewRPCError(TagInvalidValue, "/x", "one"), NewRPCError(TagDataMissing, "/y", "two"))
		}
		return nil, errors.New("its inside")
	}}, Options{})
	err := s.Lock(t.Context(), Candidate)
	var e *RPCError
	require.ErrorAs(t, err, &e)
	assert.Equal(t, "taken by <7> & co (at /a)", e.Error())
	assert.True(t, IsTag(err, TagLockDenied))

	err = s.Validate(t.Context(), Candidate)
	assert.True(t, IsTag(err, TagInvalidValue))
	assert.ErrorContains(t, err, "two (at /y)")

	assert.True(t, IsTag(s.DiscardChanges(t.Context()), TagOperationFailed))
}

func TestCancelledRequestLeavesTheSessionUsable(t *testing.T) {
	release := make(chan struct{})
	s := connect(t, handler{serve: func(_ context.Context, _ *ServerSession, op *xmlnode.Node) ([]*xmlnode.Node, error) {
		if op.Name == "hang" {
			<-release
		}
		return nil, nil
	}}, Options{})
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	_, err := s.Do(ctx, xmlnode.New("urn:x", "hang"))
	require.ErrorIs(t, err, context.DeadlineExceeded)
	close(release)
	_, err = s.Do(t.Context(), xmlnode.New("urn:x", "quick"))
	assert.NoError(t, err, "the late reply is dropped and the next one found")
}

func TestSessionEndsWithItsCause(t *testing.T) {
	gone := make(chan struct{})
	s := connect(t, handler{
		serve: func(_ context.Context, s *ServerSession, _ *xmlnode.Node) ([]*xmlnode.Node, error) {
			s.Kill()
			return nil, nil
		},
		closed: func(*ServerSession) { close(gone) },
	}, Options{})
	_, err := s.Do(t.Context(), xmlnode.New("urn:x", "die"))
	require.ErrorIs(t, err, ErrClosed)
	<-s.Done()
	<-gone
	_, err = s.Do(t.Context(), xmlnode.New("urn:x", "more"))
	assert.ErrorIs(t, err, ErrClosed)
}

func TestCloseSessionIsAnswered(t *testing.T) {
	s := connect(t, handler{serve: echo}, Options{})
	assert.NoError(t, s.CloseSession(t.Context()))
}

func TestNotificationsComeInOrder(t *testing.T) {
	got := make(chan string, 10)
	s := connect(t, handler{serve: func(_ context.Context, s *ServerSession, _ *xmlnode.Node) ([]*xmlnode.Node, error) {
		for i := range 5 {
			s.Notify(time.Unix(int64(i), 0), xmlnode.Leaf("urn:x", "event", fmt.Sprint(i)))
		}
		return nil, nil
	}}, Options{Notify: func(n Notification) { got <- n.Content.Text + n.Time.Format(" 05") }})
	require.NoError(t, s.Subscribe(t.Context(), time.Time{}))
	for i := range 5 {
		assert.Equal(t, fmt.Sprintf("%d 0%d", i, i), <-got)
	}
}

func TestServerAnswersNonsense(t *testing.T) {
	for name, tc := range map[string]struct{ send, want string }{
		"no message-id":  {`<rpc xmlns="` + BaseNS + `"><get/></rpc>`, "missing-attribute"},
		"two operations": {`<rpc message-id="1" xmlns="` + BaseNS + `"><get/><get/></rpc>`, "malformed-message"},
		"no rpc":         {`<hello/>`, "malformed-message"},
		"no xml":         {`<rpc`, "malformed-message"},
		"attributes":     {`<rpc message-id="7" x="y" xmlns="` + BaseNS + `"><get/></rpc>`, `x="y"`},
	} {
		t.Run(name, func(t *testing.T) {
			a, b := net.Pipe()
			go func() { _ = (&Server{Handler: handler{serve: echo}}).ServeConn(context.Background(), b, "x") }()
			defer func() { _ = a.Close() }()
			r, w := NewFrameReader(a, 0), NewFrameWriter(a)
			_, err := exchangeHello(t.Context(), r, w, Hello{Capabilities: []string{CapBase10}})
			require.NoError(t, err)
			require.NoError(t, w.WriteMessage([]byte(tc.send)))
			reply, err := r.ReadMessage()
			require.NoError(t, err)
			assert.Contains(t, string(reply), tc.want)
		})
	}
}

func TestClientRefusesWhatIsNoServer(t *testing.T) {
	for name, hello := range map[string]string{
		"no hello":    `<rpc-reply/>`,
		"no base":     `<hello xmlns="` + BaseNS + `"><capabilities><capability>urn:x</capability></capabilities><session-id>1</session-id></hello>`,
		"no session":  `<hello xmlns="` + BaseNS + `"><capabilities><capability>` + CapBase10 + `</capability></capabilities></hello>`,
		"session 0":   `<hello xmlns="` + BaseNS + `"><capabilities><capability>` + CapBase10 + `</capability></capabilities><session-id>0</session-id></hello>`,
		"silence":     ``,
		"huge banner": strings.Repeat("x", 4000),
	} {
		t.Run(name, func(t *testing.T) {
			a, b := net.Pipe()
			go func() {
				_, _ = b.Write([]byte(hello + "]]>]]>"))
				_ = b.Close()
			}()
			go func() { // the pipe has no buffer: take what the client says
				_, _ = NewFrameReader(b, 0).ReadMessage()
			}()
			_, err := NewSession(t.Context(), a, Options{MaxMessage: 2000})
			assert.Error(t, err)
		})
	}
}

func TestHelloEndsWithItsContext(t *testing.T) {
	a, b := net.Pipe()
	defer func() { _ = b.Close() }()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	_, err := NewSession(ctx, a, Options{})
	assert.ErrorIs(t, err, context.DeadlineExceeded)
}

func TestFilterSubtree(t *testing.T) {
	parse := func(s string) []*xmlnode.Node {
		n, err := xmlnode.Parse(context.Background(), []byte("<r>"+s+"</r>"))
		require.NoError(t, err)
		return n.Children
	}
	data := parse(`<users xmlns="u"><user><name>ada</name><age>40</age></user><user><name>bram</name><age>50</age></user></users><other xmlns="o">x</other>`)
	for name, tc := range map[string]struct{ filter, want string }{
		"nothing asked":            {``, ``},
		"a whole subtree":          {`<other xmlns="o"/>`, `<other xmlns="o">x</other>`},
		"another namespace":        {`<other xmlns="p"/>`, ``},
		"by content":               {`<users xmlns="u"><user><name>ada</name></user></users>`, `<users xmlns="u"><user><name>ada</name><age>40</age></user></users>`},
		"by content, one leaf":     {`<users xmlns="u"><user><name>ada</name><age/></user></users>`, `<users xmlns="u"><user><name>ada</name><age>40</age></user></users>`},
		"one leaf of all":          {`<users xmlns="u"><user><name/></user></users>`, `<users xmlns="u"><user><name>ada</name></user><user><name>bram</name></user></users>`},
		"content that is not met":  {`<users xmlns="u"><user><name>isla</name></user></users>`, ``},
		"two branches to one list": {`<users xmlns="u"><user><name>ada</name></user><user><name>bram</name><age/></user></users>`, `<users xmlns="u"><user><name>ada</name><age>40</age></user><user><name>bram</name><age>50</age></user></users>`},
	} {
		t.Run(name, func(t *testing.T) {
			var got []byte
			for _, n := range FilterSubtree(data, parse(tc.filter)) {
				got = n.Append(got, "")
			}
			assert.Equal(t, tc.want, string(got))
		})
	}
}

// A device whose answer takes long to read holds up nothing but itself: the session ends when it is told to.
func TestASessionEndsInTheMiddleOfALongAnswer(t *testing.T) {
	long := strings.Repeat("<a/>", xmlnode.MaxNodes-10)
	s := connect(t, handler{serve: func(context.Context, *ServerSession, *xmlnode.Node) ([]*xmlnode.Node, error) {
		return []*xmlnode.Node{xmlnode.Leaf(BaseNS, "data", "x")}, nil
	}}, Options{})
	_, err := s.Do(t.Context(), xmlnode.New(BaseNS, "get"))
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, err = xmlnode.Parse(s.life, []byte("<r>"+long+"</r>"))
	require.ErrorIs(t, err, context.Canceled, "what is being read ends with the session")
}
