package netconf

import (
	"context"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// Datastore is a configuration datastore (RFC 6241 section 5).
type Datastore string

// The datastores.
const (
	Running   Datastore = "running"
	Candidate Datastore = "candidate"
	Startup   Datastore = "startup"
)

func (d Datastore) in(element string) *xmlnode.Node {
	return xmlnode.New(BaseNS, element, xmlnode.New(BaseNS, string(d)))
}

func op(name string, children ...*xmlnode.Node) *xmlnode.Node {
	return xmlnode.New(BaseNS, name).Add(children...)
}

func leaf(name, text string) *xmlnode.Node { return xmlnode.Leaf(BaseNS, name, text) }

func subtree(filter []*xmlnode.Node) *xmlnode.Node {
	if filter == nil {
		return nil
	}
	return op("filter", filter...).SetAttr("", "type", "subtree")
}

// DefaultsMode is how a server reports default values (RFC 6243).
type DefaultsMode string

// The modes; DefaultsServer leaves the choice to the server.
const (
	DefaultsServer    DefaultsMode = ""
	DefaultsReportAll DefaultsMode = "report-all"
	DefaultsTrim      DefaultsMode = "trim"
	DefaultsExplicit  DefaultsMode = "explicit"
	DefaultsTagged    DefaultsMode = "report-all-tagged"
)

func (m DefaultsMode) node() *xmlnode.Node {
	if m == DefaultsServer {
		return nil
	}
	return xmlnode.Leaf(WithDefaultsNS, "with-defaults", string(m))
}

// Get reads configuration and state. A nil filter asks for everything.
func (s *Session) Get(ctx context.Context, filter []*xmlnode.Node, defaults DefaultsMode) (*xmlnode.Node, error) {
	return s.data(ctx, op("get", subtree(filter), defaults.node()))
}

// GetConfig reads a datastore. A nil filter asks for everything.
func (s *Session) GetConfig(ctx context.Context, from Datastore, filter []*xmlnode.Node, defaults DefaultsMode) (*xmlnode.Node, error) {
	return s.data(ctx, op("get-config", from.in("source"), subtree(filter), defaults.node()))
}

func (s *Session) data(ctx context.Context, request *xmlnode.Node) (*xmlnode.Node, error) {
	reply, err := s.Do(ctx, request)
	if err != nil {
		return nil, err
	}
	if d := reply.Child("data"); d != nil {
		return d, nil
	}
	return op("data"), nil
}

// Edit operations, for the attribute `operation` in BaseNS (RFC 6241 section 7.2).
const (
	EditMerge   = "merge"
	EditReplace = "replace"
	EditCreate  = "create"
	EditDelete  = "delete"
	EditRemove  = "remove"
)

// MarkEdit sets the edit operation of an element and returns it.
func MarkEdit(n *xmlnode.Node, operation string) *xmlnode.Node {
	return n.SetAttr(BaseNS, "operation", operation)
}

// EditConfig merges config into a datastore, all or nothing where the server can.
func (s *Session) EditConfig(ctx context.Context, target Datastore, config []*xmlnode.Node) error {
	request := op("edit-config", target.in("target"), leaf("default-operation", EditMerge))
	if s.peer.Has(CapRollback) {
		request.Add(leaf("error-option", "rollback-on-error"))
	}
	_, err := s.Do(ctx, request.Add(op("config", config...)))
	return err
}

// Lock takes the exclusive right to change a datastore; IsTag(err, TagLockDenied) tells that another has it.
func (s *Session) Lock(ctx context.Context, target Datastore) error {
	_, err := s.Do(ctx, op("lock", target.in("target")))
	return err
}

// Unlock gives the lock back.
func (s *Session) Unlock(ctx context.Context, target Datastore) error {
	_, err := s.Do(ctx, op("unlock", target.in("target")))
	return err
}

// Validate asks the server to check a datastore.
func (s *Session) Validate(ctx context.Context, source Datastore) error {
	_, err := s.Do(ctx, op("validate", source.in("source")))
	return err
}

// DiscardChanges makes the candidate equal to running.
func (s *Session) DiscardChanges(ctx context.Context) error {
	_, err := s.Do(ctx, op("discard-changes"))
	return err
}

// Commit makes the candidate permanent. With a persist-id it confirms the confirmed commit of that name.
func (s *Session) Commit(ctx context.Context, persistID string) error {
	request := op("commit")
	if persistID != "" {
		request.Add(leaf("persist-id", persistID))
	}
	_, err := s.Do(ctx, request)
	return err
}

// CommitConfirmed makes the candidate running until timeout (whole seconds, at least one), after which the server goes
// back by itself unless it is confirmed by the name persist. Where extend is the name of one that is open, its time
// starts anew.
func (s *Session) CommitConfirmed(ctx context.Context, timeout time.Duration, persist, extend string) error {
	seconds := max(1, int(timeout/time.Second))
	request := op("commit", op("confirmed"), leaf("confirm-timeout", strconv.Itoa(seconds)))
	if persist != "" {
		request.Add(leaf("persist", persist))
	}
	if extend != "" {
		request.Add(leaf("persist-id", extend))
	}
	_, err := s.Do(ctx, request)
	return err
}

// CancelCommit undoes an open confirmed commit at once.
func (s *Session) CancelCommit(ctx context.Context, persistID string) error {
	request := op("cancel-commit")
	if persistID != "" {
		request.Add(leaf("persist-id", persistID))
	}
	_, err := s.Do(ctx, request)
	return err
}

// Subscribe starts notifications of the stream NETCONF. With a start time the server first replays what it has since
// then, and says replayComplete.
func (s *Session) Subscribe(ctx context.Context, start time.Time) error {
	request := xmlnode.New(NotificationNS, "create-subscription", xmlnode.Leaf(NotificationNS, "stream", "NETCONF"))
	if !start.IsZero() {
		request.Add(xmlnode.Leaf(NotificationNS, "startTime", start.UTC().Format(time.RFC3339Nano)))
	}
	_, err := s.Do(ctx, request)
	return err
}

// CloseSession ends the session politely.
func (s *Session) CloseSession(ctx context.Context) error {
	_, err := s.Do(ctx, op("close-session"))
	if closeErr := s.Close(); err == nil {
		err = closeErr
	}
	return err
}
