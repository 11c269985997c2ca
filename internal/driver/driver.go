// Package driver is a device as the service sees it: small interfaces, one for each ability, and errors that a caller can
// decide by. Implementations live in packages of their own, named after the protocol they speak; no protocol's word
// appears outside them. drivertest puts any implementation through the contract that is written here.
package driver

import (
	"context"
	"crypto/ed25519"
	"errors"
	"fmt"
	"io"
	"net"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
)

// Target tells how to reach a device and log in to it.
type Target struct {
	Address  string // host:port
	User     string
	Password string
	// Next is a password that the device may have been given meanwhile: it is tried where Password is refused. "" for none.
	Next string
	// HostKey is the fingerprint of the key by which the device must show itself, as "SHA256:..." .
	HostKey string
	// Key logs in instead of the password where it is set.
	Key ed25519.PrivateKey
	// CallsHome tells that the device opens the connection: nobody can connect to its address.
	CallsHome bool
	// Locked says why it cannot be logged in to with what is known; "" where it can.
	Locked string
}

// Receiver is a connector that can log in to a device over a connection that the device opened. lookup finds the target by
// the fingerprint of the key that the device shows; what it does not find is not logged in to.
type Receiver interface {
	Receive(ctx context.Context, c net.Conn, lookup func(hostKey string) (Target, bool)) (s Session, hostKey string, err error)
}

// ProvisionedUser is as whom the service logs in to devices that it provisioned.
const ProvisionedUser = "everypost"

// Provision is what a new device is to become before it calls home for the first time.
type Provision struct {
	Hostname string
	Key      ed25519.PublicKey // by which ProvisionedUser may log in
	CallHome string            // host:port at which the service takes calls
	// Document is the configuration of a device like it, or of the one that it replaces, in that device's own form, or nil.
	Document []byte
	// Whole takes all of the document, for the device takes the place of that one. Otherwise it is to be like it: who may log in and
	// what its ports are for is left out, and its addresses for management, for it gets one by DHCP.
	Whole bool
	// What differs between Before (the document as the product models it) and After is set besides.
	Before, After network.Config
}

// Provisioner writes what a new device is given, in the form in which it takes it.
type Provisioner interface {
	Provision(ctx context.Context, p Provision) ([]byte, error)
}

// Secrets keeps the secrets that stand in configurations of devices, such as communities of SNMP. Above the driver there are
// only references to them (setting.Secret).
type Secrets interface {
	// Hide keeps a secret and returns the reference to it, always the same for the same secret.
	Hide(plain string) (reference string, err error)
	// Reveal returns what a reference refers to.
	Reveal(reference string) (plain string, err error)
}

// Connector opens sessions to devices.
type Connector interface {
	// HostKey asks a device for its key without logging in, and returns the fingerprint.
	HostKey(ctx context.Context, address string) (string, error)
	// Connect logs in. It refuses, with a *KeyError and before it sends any credential, a device that shows another key
	// than the target's.
	Connect(ctx context.Context, t Target) (Session, error)
}

// Session is a device in hand. What it can do beyond this is found by asking it for ConfigReader, StateReader, Inspector, Writer,
// Watcher and the like. The methods may be called from many goroutines; every one returns when its context ends.
type Session interface {
	Identify(ctx context.Context) (network.Identity, error)
	// Ping asks for a sign of life as cheaply as the protocol allows.
	Ping(ctx context.Context) error
	// Done is closed when the session has ended by itself or by Close.
	Done() <-chan struct{}
	Close() error
}

// ConfigReader is a session whose device tells what it runs.
type ConfigReader interface {
	ReadConfig(ctx context.Context) (Configuration, error)
}

// StateReader is a session whose device tells what it observes at its ports.
type StateReader interface {
	ReadState(ctx context.Context) (network.State, error)
}

// Configuration is what a device runs: as the product models it, and whole, in the device's own form.
type Configuration struct {
	network.Config
	Document func() []byte
}

// WholeReader is a session that can tell what its device runs with every default written out.
type WholeReader interface {
	// ReadWhole returns it in the device's own form.
	ReadWhole(ctx context.Context) ([]byte, error)
}

// Inspector is a session that can tell what is inside its device: hardware, tables, radios, tunnels.
type Inspector interface {
	// Inspect reads it. What the device does not have is left empty.
	Inspect(ctx context.Context) (network.Inside, error)
}

// Terminal is a session whose device has a command line for people.
type Terminal interface {
	// OpenTerminal opens one beside whatever else the session does. A device that has none answers with a *Refusal.
	OpenTerminal(ctx context.Context, size Size) (Shell, error)
}

// Size is that of a terminal in characters.
type Size struct{ Columns, Rows int }

// Shell is an open terminal: what is read is what the device shows, what is written is typed. Read ends with io.EOF when
// the device ended it.
type Shell interface {
	io.ReadWriteCloser
	Resize(size Size) error
}

// Writer is a session that can change its device, on trial where the device can go back by itself.
type Writer interface {
	// Propose prepares the change from before to after beside what runs, has the device check it, and keeps others from
	// changing the device until the proposal is released or run. Nothing that runs is touched. A device that finds fault
	// answers with a *Refusal, one that somebody else is changing with ErrBusy.
	Propose(ctx context.Context, before, after network.Config) (Proposal, error)
	// Extend starts the time of an open trial anew.
	Extend(ctx context.Context, token string, d time.Duration) error
	// Keep makes the trial of that token permanent; ErrNoTrial tells that there is none (any more).
	Keep(ctx context.Context, token string) error
	// Undo ends the trial of that token at once and goes back; ErrNoTrial tells that there is none (any more).
	// Both work from any session, also one of a later life of the service.
	Undo(ctx context.Context, token string) error
	// A device that cannot go back by itself (network.CanOnlyRun) has no trials: what it runs, it runs for good. Extend does
	// nothing there, Keep and Undo answer with ErrNoTrial, and it is for the caller to read what it runs, and to write what it
	// ran before.
}

// Proposal is a change that a device has found good and not yet run. It ends by Trial or Release.
type Proposal interface {
	// Trial runs the change. The device goes back by itself after d unless it is kept; it does so whatever becomes of the
	// session. An error of the context or of the session leaves open whether the change runs.
	Trial(ctx context.Context, token string, d time.Duration) error
	// Release throws the proposal away.
	Release(ctx context.Context) error
}

// Operator is a session whose device does things when it is asked to.
type Operator interface {
	// Operations lists what it can be asked.
	Operations() []operation.Kind
	// Operate has the device do something, and calls tell for each line that comes back, in order. It returns when the device is
	// done; of what it leaves by, when it has agreed. A device that will not, or fails, answers with a *Refusal. When ctx ends the
	// device is told to leave it. file is one that the device left, also where it was told to leave.
	Operate(ctx context.Context, r operation.Request, tell func(operation.Line)) (file string, err error)
}

// File is one that a device has.
type File struct {
	Name      string
	Size      int64 // octets
	ChangedAt time.Time
}

// PastReader is a session that reads configurations which its device had before, in the device's own form.
type PastReader interface {
	// ReadPast reads one as ReadConfig would have; the secrets in it are sealed.
	ReadPast(ctx context.Context, document []byte) (Configuration, error)
}

// Certifier is a session whose device has certificates by which it shows others who it is. Keys are made on the device, and never leave it.
type Certifier interface {
	// Certifies tells whether it does.
	Certifies() bool
	// RequestCertificate has the device make a new key for a place, and a request (PKCS #10, RFC 2986, as PEM) for a certificate of it.
	RequestCertificate(ctx context.Context, name, commonName string, names []string) ([]byte, error)
	// InstallCertificate has the device use a certificate (PEM) of the key that is given with it (PEM, PKCS #8) or, without, of the one that was asked
	// for last. One that does not match it is refused.
	InstallCertificate(ctx context.Context, name string, chain, key []byte) error
}

// ApplicationTeller is a session whose device recognizes applications, and counts them.
type ApplicationTeller interface {
	// TellsApplications tells whether it does.
	TellsApplications() bool
	// Applications tells which were used in the last hours, by source.
	Applications(ctx context.Context, hours int) (network.ApplicationUses, error)
}

// SessionLister is a session whose device can tell the sessions that it let begin.
type SessionLister interface {
	// ListsSessions tells whether it does.
	ListsSessions() bool
	// Sessions lists those that a question picks, at most as many as it asks for, and tells how many it picks.
	Sessions(ctx context.Context, q network.SessionQuery) (list []network.Session, total int, err error)
}

// FileTaker is a session whose device has files.
type FileTaker interface {
	// Files lists them, as many as most at the most.
	Files(ctx context.Context, most int) ([]File, error)
	// GetFile returns a file of no more octets than most.
	GetFile(ctx context.Context, name string, most int64) ([]byte, error)
	// RemoveFile removes a file.
	RemoveFile(ctx context.Context, name string) error
	// PutFile has a device have a file of a name, and calls tell with how many of its octets are there. It goes on where an earlier
	// try stopped.
	PutFile(ctx context.Context, name string, from io.ReaderAt, size int64, tell func(sent int64)) error
}

// Watcher is a session that tells of changes as they happen.
type Watcher interface {
	// Watch calls f for each event, in order, until the session or ctx ends. ready is called once no event can be missed
	// any more. When since is not zero, events that the device remembers from then on come first.
	Watch(ctx context.Context, since time.Time, ready func(), f func(Event)) error
}

// ClockAhead is how far ahead of ours the clock of a device may go before what it dates is not believed.
const ClockAhead = 24 * time.Hour

// Believed is a time that a device tells of, or zero where it lies so far ahead of now that it cannot be: a port that went
// down next year would otherwise be the newest that is known of it until then.
func Believed(t, now time.Time) time.Time {
	if t.After(now.Add(ClockAhead)) {
		return time.Time{}
	}
	return t
}

// Event is a change that a device tells of. Exactly one of the pointers is set.
type Event struct {
	At     time.Time // by the device's clock; zero where that is not to be believed
	Port   *PortEvent
	Config *ConfigEvent
	Trial  *TrialEvent
}

// PortEvent tells a port's new state.
type PortEvent struct {
	Port    string
	Oper    network.OperStatus
	Changed time.Time
	ShutBy  string // what on the device itself keeps it shut; "" where nothing does
}

// ConfigEvent tells that the running configuration changed.
type ConfigEvent struct {
	By string // the user, or "" when the device did it by itself
}

// TrialStep is what happens to a trial on the device.
type TrialStep string

// The steps.
const (
	TrialStarted  TrialStep = "started"
	TrialExtended TrialStep = "extended"
	TrialKept     TrialStep = "kept"
	TrialUndone   TrialStep = "undone"    // on somebody's word
	TrialTimedOut TrialStep = "timed-out" // by the device itself
)

// TrialEvent tells of a step.
type TrialEvent struct{ Step TrialStep }

var (
	// ErrNoTrial tells that no trial of that token is open.
	ErrNoTrial = errors.New("no trial of that name is open on the device")
	// ErrBusy tells that somebody else is changing the device. It is wrapped by what the device says of it.
	ErrBusy = errors.New("the device is being changed by somebody else")
	// ErrCredentials tells that the device does not let us in.
	ErrCredentials = errors.New("the device does not accept the user name and password")
)

// Refusal is a device's no, in its own words.
type Refusal struct {
	Words string
	Err   error
}

func (r *Refusal) Error() string { return r.Words }
func (r *Refusal) Unwrap() error { return r.Err }

// KeyError tells that a device shows another host key than the pinned one.
type KeyError struct {
	Pinned, Shown string
}

func (e *KeyError) Error() string {
	return fmt.Sprintf("the device shows host key %s, not %s that was accepted", e.Shown, e.Pinned)
}
