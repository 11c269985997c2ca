package netconf

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

func replace(n *xmlnode.Node) *xmlnode.Node { return netconf.MarkEdit(n, netconf.EditReplace) }
func remove(n *xmlnode.Node) *xmlnode.Node  { return netconf.MarkEdit(n, netconf.EditRemove) }

type session struct {
	conn         *netconf.Conn
	rpc          *netconf.Session
	skipValidate bool
	secrets      secrets
}

// writable is a session whose device can run a change on trial.
type writable struct{ *session }

// lasting is a session whose device can run a change and has no way back by itself: a change runs for good as soon as it
// runs, and is undone by writing what was before.
type lasting struct{ *session }

func newSession(conn *netconf.Conn, rpc *netconf.Session, c Connector) driver.Session {
	s := &session{conn: conn, rpc: rpc, skipValidate: c.SkipValidate, secrets: secretsOf(c.Secrets)}
	switch peer := rpc.Peer(); {
	case peer.Has(netconf.CapCandidate) && peer.Has(netconf.CapConfirmedCommit):
		return writable{s}
	case peer.Has(netconf.CapCandidate):
		return lasting{s}
	}
	return s
}

func (s *session) Done() <-chan struct{} { return s.rpc.Done() }

func (s *session) Close() error {
	err := s.conn.Close()
	_ = s.rpc.Close()
	return err
}

func (s *session) Ping(ctx context.Context) error { return s.conn.Ping(ctx) }

func (s *session) Identify(ctx context.Context) (network.Identity, error) {
	data, err := s.rpc.Get(ctx, selfSections, netconf.DefaultsServer)
	if err != nil {
		return network.Identity{}, fmt.Errorf("identify: %w", err)
	}
	id := readIdentity(data)
	for capability, ability := range map[string]network.Ability{
		netconf.CapCandidate: network.CanCandidate, netconf.CapConfirmedCommit: network.CanTrial,
		netconf.CapValidate: network.CanValidate, netconf.CapNotification: network.CanNotify,
	} {
		if s.rpc.Peer().Has(capability) {
			id.Abilities = append(id.Abilities, ability)
		}
	}
	if slices.Contains(id.Abilities, network.CanCandidate) && !slices.Contains(id.Abilities, network.CanTrial) {
		id.Abilities = append(id.Abilities, network.CanOnlyRun)
	}
	if id.Unread = id.Maker+id.Model+id.Serial+id.Hostname == "" && id.BootedAt.IsZero() && !announces(s.rpc.Peer()); id.Unread {
		id.Announces = modulesOf(s.rpc.Peer())
	}
	return id, nil
}

// known are the namespaces without which nothing of a device can be read.
var known = []string{nsInterfaces, nsSystem, nsPlatform, nsDevice}

// announces tells whether a device announces a model by which something can be read.
func announces(h netconf.Hello) bool {
	return slices.ContainsFunc(known, func(ns string) bool { return h.Has(ns) })
}

const maxModules = 200 // that are told

// modulesOf lists the modules that a hello announces (RFC 6020 section 5.6.4).
func modulesOf(h netconf.Hello) []string {
	var out []string
	for _, c := range h.Capabilities {
		_, query, _ := strings.Cut(c, "?")
		if q, err := url.ParseQuery(query); err == nil && q.Get("module") != "" && len(out) < maxModules {
			out = append(out, q.Get("module"))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (s *session) ReadConfig(ctx context.Context) (driver.Configuration, error) {
	data, err := s.rpc.GetConfig(ctx, netconf.Running, nil, netconf.DefaultsServer)
	if err != nil {
		return driver.Configuration{}, fmt.Errorf("read configuration: %w", err)
	}
	if err := s.secrets.hide(data); err != nil {
		return driver.Configuration{}, fmt.Errorf("read configuration: %w", err)
	}
	c := readConfig(data, featuresOf(s.rpc.Peer()))
	return driver.Configuration{Config: c, Document: data.Indented}, believableConfig(c)
}

// ReadPast implements driver.PastReader.
func (s *session) ReadPast(ctx context.Context, document []byte) (driver.Configuration, error) {
	data, err := xmlnode.Parse(ctx, document)
	if err != nil {
		return driver.Configuration{}, fmt.Errorf("it is no document of a configuration: %w", err)
	}
	if data.Child("interfaces") == nil && data.Child("system") == nil {
		return driver.Configuration{}, errors.New("it is no configuration of a device like this: neither interfaces nor system stand in it")
	}
	if err := s.secrets.hide(data); err != nil {
		return driver.Configuration{}, err
	}
	c := readConfig(data, featuresOf(s.rpc.Peer()))
	return driver.Configuration{Config: c, Document: data.Indented}, believableConfig(c)
}

// ReadWhole implements driver.WholeReader.
func (s *session) ReadWhole(ctx context.Context) ([]byte, error) {
	data, err := s.rpc.GetConfig(ctx, netconf.Running, nil, netconf.DefaultsReportAll)
	if err != nil {
		return nil, refusal(fmt.Errorf("read configuration with defaults: %w", err))
	}
	if err := s.secrets.hide(data); err != nil {
		return nil, fmt.Errorf("read configuration with defaults: %w", err)
	}
	return data.Indented(), nil
}

func (s *session) ReadState(ctx context.Context) (network.State, error) {
	data, err := s.rpc.Get(ctx, stateSections, netconf.DefaultsServer)
	if err != nil {
		return network.State{}, fmt.Errorf("read state: %w", err)
	}
	st := readState(data, time.Now().UTC())
	return st, believableState(st)
}

// refusal turns what the device reports into errors that the service decides by.
func refusal(err error) error {
	var e *netconf.RPCError
	switch {
	case err == nil:
		return nil
	case netconf.IsTag(err, netconf.TagLockDenied), netconf.IsTag(err, netconf.TagInUse):
		return &driver.Refusal{Words: err.Error(), Err: driver.ErrBusy}
	case errors.As(err, &e):
		return &driver.Refusal{Words: err.Error(), Err: err}
	}
	return err
}

// Propose implements driver.Writer.
func (s writable) Propose(ctx context.Context, before, after network.Config) (driver.Proposal, error) {
	return s.propose(ctx, before, after, false)
}

// Propose implements driver.Writer.
func (s lasting) Propose(ctx context.Context, before, after network.Config) (driver.Proposal, error) {
	return s.propose(ctx, before, after, true)
}

func (s *session) propose(ctx context.Context, before, after network.Config, forGood bool) (driver.Proposal, error) {
	p := &proposal{s: s, forGood: forGood}
	config := writeConfig(before, after)
	if err := s.secrets.reveal(xmlnode.New("", "", config...)); err != nil {
		return nil, err
	}
	err := p.prepare(ctx, config)
	if err != nil {
		p.giveBack(ctx, refusal(err))
		return nil, refusal(err)
	}
	return p, nil
}

type proposal struct {
	s       *session
	forGood bool                // it is run without a way back
	held    []netconf.Datastore // locks, in the order taken
}

func (p *proposal) prepare(ctx context.Context, config []*xmlnode.Node) error {
	rpc := p.s.rpc
	for _, ds := range []netconf.Datastore{netconf.Running, netconf.Candidate} {
		if err := rpc.Lock(ctx, ds); err != nil {
			return err
		}
		p.held = append(p.held, ds)
	}
	if err := rpc.DiscardChanges(ctx); err != nil {
		return err
	}
	if err := rpc.EditConfig(ctx, netconf.Candidate, config); err != nil {
		return err
	}
	if p.s.skipValidate || !rpc.Peer().Has(netconf.CapValidate) {
		return nil
	}
	return rpc.Validate(ctx, netconf.Candidate)
}

// Trial implements driver.Proposal.
func (p *proposal) Trial(ctx context.Context, token string, d time.Duration) error {
	run := func() error { return p.s.rpc.CommitConfirmed(ctx, d, token, "") }
	if p.forGood {
		run = func() error { return p.s.rpc.Commit(ctx, "") }
	}
	err := refusal(run())
	p.giveBack(ctx, err)
	return err
}

// giveBack gives the locks back after an answer. Where no answer came it ends the session, and the locks go with it: to
// ask such a device for anything more would leave open whether it is locked.
func (p *proposal) giveBack(ctx context.Context, err error) {
	if err != nil && !isRefusal(err) {
		_ = p.s.Close()
		return
	}
	cleanup, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	_ = p.Release(cleanup)
}

func isRefusal(err error) bool {
	var r *driver.Refusal
	return errors.As(err, &r)
}

// Release implements driver.Proposal. Discarding is of no effect once the change runs. A session that cannot give its
// locks back is ended, which does it.
func (p *proposal) Release(ctx context.Context) error {
	var errs []error
	if len(p.held) == 2 {
		errs = append(errs, p.s.rpc.DiscardChanges(ctx))
	}
	for i := len(p.held) - 1; i >= 0; i-- {
		errs = append(errs, p.s.rpc.Unlock(ctx, p.held[i]))
	}
	p.held = nil
	err := errors.Join(errs...)
	if err != nil {
		_ = p.s.Close()
	}
	return err
}

// Extend implements driver.Writer.
func (s writable) Extend(ctx context.Context, token string, d time.Duration) error {
	return s.alone(ctx, func() error { return s.rpc.CommitConfirmed(ctx, d, token, token) })
}

// Keep implements driver.Writer.
func (s writable) Keep(ctx context.Context, token string) error {
	return s.alone(ctx, func() error { return s.rpc.Commit(ctx, token) })
}

// Undo implements driver.Writer.
func (s writable) Undo(ctx context.Context, token string) error {
	return trialError(s.rpc.CancelCommit(ctx, token))
}

// Extend implements driver.Writer: what runs for good has no time.
func (s lasting) Extend(context.Context, string, time.Duration) error { return nil }

// Keep implements driver.Writer: it is kept already, if it runs.
func (s lasting) Keep(context.Context, string) error { return driver.ErrNoTrial }

// Undo implements driver.Writer: there is nothing that could be ended.
func (s lasting) Undo(context.Context, string) error { return driver.ErrNoTrial }

// alone makes a follow-up commit with the candidate locked: such a commit runs what stands in the candidate, and nobody
// else's half-done edit may slip in with it.
func (s *session) alone(ctx context.Context, commit func() error) error {
	if err := s.rpc.Lock(ctx, netconf.Candidate); err != nil {
		return refusal(err)
	}
	p := &proposal{s: s, held: []netconf.Datastore{netconf.Candidate}}
	err := trialError(commit())
	if errors.Is(err, driver.ErrNoTrial) {
		p.giveBack(ctx, nil) // an answer too
	} else {
		p.giveBack(ctx, err)
	}
	return err
}

// trialError recognises the answers to a persist-id that is not open: RFC 6241 section 8.4.5.1 asks for invalid-value,
// some servers say in-use or operation-failed when another confirmed commit is open.
func trialError(err error) error {
	if netconf.IsTag(err, netconf.TagInvalidValue) || netconf.IsTag(err, netconf.TagInUse) {
		return fmt.Errorf("%w: %w", driver.ErrNoTrial, err)
	}
	return refusal(err)
}

// queuedEvents bounds the events that wait for the watcher. A watcher that is that far behind is ended, and begins anew
// with a replay.
const queuedEvents = 1024

// Watch implements driver.Watcher, on a session of its own beside the one for requests.
func (s *session) Watch(ctx context.Context, since time.Time, ready func(), f func(driver.Event)) error {
	queue := make(chan driver.Event, queuedEvents)
	overrun := make(chan struct{}, 1)
	rpc, err := s.conn.Open(ctx, netconf.Options{Notify: func(n netconf.Notification) {
		if e, ok := readEvent(n); ok {
			select {
			case queue <- e:
			default:
				select {
				case overrun <- struct{}{}:
				default:
				}
			}
		}
	}})
	if err != nil {
		return fmt.Errorf("watch: %w", err)
	}
	defer func() { _ = rpc.Close() }()
	if err := rpc.Subscribe(ctx, since); err != nil {
		return fmt.Errorf("watch: %w", refusal(err))
	}
	ready()
	for {
		select {
		case e := <-queue:
			f(e)
		case <-overrun:
			return errors.New("watch: events come faster than they are handled")
		case <-rpc.Done():
			return fmt.Errorf("watch: %w", rpc.Err())
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

func readEvent(n netconf.Notification) (driver.Event, bool) {
	e := driver.Event{At: driver.Believed(n.Time, time.Now())}
	switch n.Content.Name {
	case "port-state-changed":
		e.Port = &driver.PortEvent{Port: n.Content.TextAt("name"), Oper: operStatus(n.Content.TextAt("oper-status")),
			Changed: epoch(n.Content.TextAt("last-change")), ShutBy: n.Content.TextAt("shut-by")}
	case "netconf-config-change":
		e.Config = &driver.ConfigEvent{By: n.Content.TextAt("changed-by/username")}
	case "netconf-confirmed-commit":
		step, ok := map[string]driver.TrialStep{
			"start": driver.TrialStarted, "extend": driver.TrialExtended, "complete": driver.TrialKept,
			"cancel": driver.TrialUndone, "timeout": driver.TrialTimedOut,
		}[n.Content.TextAt("confirm-event")]
		if !ok {
			return e, false
		}
		e.Trial = &driver.TrialEvent{Step: step}
	default:
		return e, false
	}
	return e, true
}
