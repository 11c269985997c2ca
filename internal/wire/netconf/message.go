package netconf

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/wire/xmlnode"
)

// Namespaces of the protocol.
const (
	BaseNS         = "urn:ietf:params:xml:ns:netconf:base:1.0"
	NotificationNS = "urn:ietf:params:xml:ns:netconf:notification:1.0"
	WithDefaultsNS = "urn:ietf:params:xml:ns:yang:ietf-netconf-with-defaults"
	EventsNS       = "urn:ietf:params:xml:ns:yang:ietf-netconf-notifications" // RFC 6470
)

// Capabilities, RFC 6241 section 8 and RFC 5277, RFC 6243.
const (
	CapBase10          = "urn:ietf:params:netconf:base:1.0"
	CapBase11          = "urn:ietf:params:netconf:base:1.1"
	CapCandidate       = "urn:ietf:params:netconf:capability:candidate:1.0"
	CapConfirmedCommit = "urn:ietf:params:netconf:capability:confirmed-commit:1.1"
	CapValidate        = "urn:ietf:params:netconf:capability:validate:1.1"
	CapRollback        = "urn:ietf:params:netconf:capability:rollback-on-error:1.0"
	CapNotification    = "urn:ietf:params:netconf:capability:notification:1.0"
	CapInterleave      = "urn:ietf:params:netconf:capability:interleave:1.0"
	CapWithDefaults    = "urn:ietf:params:netconf:capability:with-defaults:1.0"
)

// Hello is the first message of each side.
type Hello struct {
	Capabilities []string
	SessionID    uint32 // 0 from a client
}

// Has reports whether a capability is announced, whatever parameters follow it.
func (h Hello) Has(capability string) bool {
	return slices.ContainsFunc(h.Capabilities, func(c string) bool {
		rest, ok := strings.CutPrefix(c, capability)
		return ok && (rest == "" || rest[0] == '?')
	})
}

func (h Hello) node() *xmlnode.Node {
	caps := xmlnode.New(BaseNS, "capabilities")
	for _, c := range h.Capabilities {
		caps.Add(xmlnode.Leaf(BaseNS, "capability", c))
	}
	n := xmlnode.New(BaseNS, "hello", caps)
	if h.SessionID != 0 {
		n.Add(xmlnode.Leaf(BaseNS, "session-id", strconv.FormatUint(uint64(h.SessionID), 10)))
	}
	return n
}

func parseHello(ctx context.Context, msg []byte) (Hello, error) {
	n, err := xmlnode.Parse(ctx, msg)
	if err != nil {
		return Hello{}, fmt.Errorf("netconf hello: %w", err)
	}
	if n.Name != "hello" || n.Space != BaseNS {
		return Hello{}, fmt.Errorf("netconf hello: got <%s>", n.Name)
	}
	var h Hello
	for _, c := range n.Child("capabilities").All("capability") {
		h.Capabilities = append(h.Capabilities, c.Text)
	}
	if id := n.TextAt("session-id"); id != "" {
		v, err := strconv.ParseUint(id, 10, 32)
		if err != nil || v == 0 {
			return Hello{}, fmt.Errorf("netconf hello: session-id %q", id)
		}
		h.SessionID = uint32(v)
	}
	if !h.Has(CapBase10) && !h.Has(CapBase11) {
		return Hello{}, errors.New("netconf hello: peer offers no base capability")
	}
	return h, nil
}

// Error types, tags and severities of RFC 6241 appendix A that callers decide by.
const (
	TagInUse           = "in-use"
	TagInvalidValue    = "invalid-value"
	TagMissingElement  = "missing-element"
	TagBadAttribute    = "bad-attribute"
	TagUnknownElement  = "unknown-element"
	TagAccessDenied    = "access-denied"
	TagLockDenied      = "lock-denied"
	TagDataExists      = "data-exists"
	TagDataMissing     = "data-missing"
	TagNotSupported    = "operation-not-supported"
	TagOperationFailed = "operation-failed"
	TagMalformed       = "malformed-message"
)

// RPCError is one rpc-error of a reply (RFC 6241 section 4.3).
type RPCError struct {
	Type     string // transport, rpc, protocol, application
	Tag      string
	Severity string // error or warning
	AppTag   string
	Path     string
	Message  string
	Info     *xmlnode.Node // error-info, or nil
}

// Error is the peer's own words where it gave any.
func (e *RPCError) Error() string {
	s := e.Message
	if s == "" {
		s = e.Tag
	}
	if e.Path != "" {
		s += " (at " + e.Path + ")"
	}
	return s
}

// NewRPCError returns an error of type application and severity error, for a server to answer with.
func NewRPCError(tag, path, format string, args ...any) *RPCError {
	return &RPCError{Type: "application", Tag: tag, Severity: "error", Path: path, Message: fmt.Sprintf(format, args...)}
}

func (e *RPCError) node() *xmlnode.Node {
	n := xmlnode.New(BaseNS, "rpc-error",
		xmlnode.Leaf(BaseNS, "error-type", orElse(e.Type, "application")),
		xmlnode.Leaf(BaseNS, "error-tag", orElse(e.Tag, TagOperationFailed)),
		xmlnode.Leaf(BaseNS, "error-severity", orElse(e.Severity, "error")))
	if e.AppTag != "" {
		n.Add(xmlnode.Leaf(BaseNS, "error-app-tag", e.AppTag))
	}
	if e.Path != "" {
		n.Add(xmlnode.Leaf(BaseNS, "error-path", e.Path))
	}
	if e.Message != "" {
		n.Add(xmlnode.Leaf(BaseNS, "error-message", e.Message))
	}
	if e.Info != nil {
		n.Add(e.Info)
	}
	return n
}

func orElse(s, def string) string {
	if s == "" {
		return def
	}
	return s
}

func parseRPCError(n *xmlnode.Node) *RPCError {
	return &RPCError{
		Type: n.TextAt("error-type"), Tag: n.TextAt("error-tag"), Severity: n.TextAt("error-severity"),
		AppTag: n.TextAt("error-app-tag"), Path: n.TextAt("error-path"), Message: n.TextAt("error-message"),
		Info: n.Child("error-info"),
	}
}

// IsTag reports whether err is, or wraps, an rpc-error of that tag.
func IsTag(err error, tag string) bool {
	var e *RPCError
	return errors.As(err, &e) && e.Tag == tag
}

// replyError returns the errors of a reply joined, leaving out warnings, or nil.
func replyError(reply *xmlnode.Node) error {
	var errs []error
	for _, n := range reply.All("rpc-error") {
		if e := parseRPCError(n); e.Severity != "warning" {
			errs = append(errs, e)
		}
	}
	if len(errs) == 1 {
		return errs[0]
	}
	return errors.Join(errs...)
}
