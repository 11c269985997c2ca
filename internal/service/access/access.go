// Package access decides who may come in and what he may do: users, passwords, sessions of browsers, tokens of programs.
package access

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

// Person is somebody who is signed in.
type Person struct {
	Name, FullName, Role string
	Only                 string // a selector to which the person is confined
	Mail                 string // address of mail; "" for none
	ReadOnly             bool   // by a token that may only see
	Trying               bool   // Role is one that is tried, not the person's own
	CSRF                 string // what a browser must send along with a change; "" for a token
	ExpiresAt            time.Time
	Token                int64 // by which he is here; 0: by a session
	rights.Grants
}

// May tells whether there is anything to which the person may do something.
func (p Person) May(v rights.Verb, f rights.Feature) bool {
	_, some := p.Of(v, f)
	return some
}

var (
	// ErrSignIn tells that name or password are wrong, and not which.
	ErrSignIn = errors.New("the user name or the password is wrong")
	// ErrSlowDown tells that there were too many attempts.
	ErrSlowDown = errors.New("too many attempts to sign in; wait a minute and try again")
	// ErrNoSession tells that a session or token is not (or no longer) good.
	ErrNoSession = errors.New("not signed in, or the session has ended")
	// ErrInvalid tells that what was given for a user or token cannot be.
	ErrInvalid = errors.New("not valid")
	// ErrLast tells that nobody would be left who may administer people.
	ErrLast = errors.New("nobody would be left who may administer people everywhere: give that to somebody else first")
)

const (
	sessionLife  = 12 * time.Hour
	sessionIdle  = 2 * time.Hour // without a request, and a session ends
	seenEvery    = time.Minute   // how exactly it is known when one was heard of
	maxTokenLife = 366 * 24 * time.Hour
	minPassword  = 12 // characters; OWASP ASVS 5.0, 6.2.1 asks for 8 at least
	maxPassword  = 256
)

// Cost is what it takes to try a password, by argon2id. The zero value stands for what OWASP advises: 19 MiB, gone over twice.
type Cost struct {
	MemoryKiB, Passes uint32
}

func (c Cost) params() *argon2id.Params {
	return &argon2id.Params{Memory: cmp.Or(c.MemoryKiB, 19*1024), Iterations: cmp.Or(c.Passes, 2), Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

// Cheap is for tests: passwords are tried as fast as can be.
var Cheap = Cost{MemoryKiB: 8, Passes: 1}

// Service is the capability. Make it with New.
type Service struct {
	store  *store.Store
	now    func() time.Time
	cost   Cost
	radius *RADIUS // nil: all passwords are kept here
	absent string  // the hash that an unknown name is held against, so that it takes as long as a known one

	guesses guesses
	refused *refusals

	mu      sync.Mutex
	roles   map[string]rights.Role // all there are
	grants  map[[2]string]rights.Grants
	hashing chan struct{} // bounds the memory that sign-ins take
}

// New returns the service.
func New(ctx context.Context, s *store.Store, now func() time.Time, cost Cost) (*Service, error) {
	absent, err := argon2id.CreateHash(rand.Text(), cost.params())
	if err != nil {
		return nil, err
	}
	out := &Service{store: s, now: now, cost: cost, absent: absent, guesses: newGuesses(), refused: newRefusals(s, now), hashing: make(chan struct{}, 4)}
	return out, out.readRoles(ctx)
}

// UseRADIUS has the passwords of those of whom none is kept here checked elsewhere. It is called before anybody signs in.
func (s *Service) UseRADIUS(r *RADIUS) { s.radius = r }

// HasUsers tells whether there is any user.
func (s *Service) HasUsers(ctx context.Context) (bool, error) {
	n, err := s.store.UserCount(ctx)
	return n > 0, err
}

// Close writes down what is not written yet of those who were refused.
func (s *Service) Close() { s.refused.close() }

// Caller is who asks to come in: from which address, and with which program, as that says.
type Caller struct{ Address, Agent string }

const longestAgent = 120 // of what is kept of the name of a program

// SignIn checks a password and starts a session of a browser. The secret is for the cookie; only its hash is kept.
func (s *Service) SignIn(ctx context.Context, name, password string, from Caller) (p Person, secret string, err error) {
	u, err := s.check(ctx, name, password, from.Address)
	if err != nil {
		s.refused.note(ctx, name, from.Address, err)
		return Person{}, "", err
	}
	if err := s.record(ctx, u.Name, ""); err != nil {
		return Person{}, "", err
	}
	secret = rand.Text() + rand.Text()
	v := store.Session{Hash: hashOf(secret), User: u.Name, CSRF: rand.Text(), ExpiresAt: s.now().Add(sessionLife), MadeAt: s.now(), SeenAt: s.now(),
		Address: from.Address, Agent: shorten(from.Agent, longestAgent)}
	if err := s.store.AddSession(ctx, v, s.now()); err != nil {
		return Person{}, "", err
	}
	p, err = s.personOf(u)
	p.CSRF, p.ExpiresAt = v.CSRF, v.ExpiresAt
	return p, secret, err
}

// SignInToken checks a password and makes a token.
func (s *Service) SignInToken(ctx context.Context, name, password string, from Caller, label string, readOnly bool, life time.Duration) (store.Token, string, error) {
	if err := checkToken(label, life); err != nil {
		return store.Token{}, "", err
	}
	u, err := s.check(ctx, name, password, from.Address)
	if err != nil {
		s.refused.note(ctx, name, from.Address, err)
		return store.Token{}, "", err
	}
	if err := s.record(ctx, u.Name, "token "+label); err != nil {
		return store.Token{}, "", err
	}
	return s.newToken(ctx, store.Token{User: u.Name, Label: label, ReadOnly: readOnly, ExpiresAt: s.now().Add(life)})
}

// ErrUnrecorded tells that what is asked cannot be written into the audit log, and so is not done.
var ErrUnrecorded = errors.New("the service cannot record who does what, so that nobody may do anything now: its disk may be full")

// record writes into the audit log that somebody signed in. Who cannot be recorded does not come in.
func (s *Service) record(ctx context.Context, name, object string) error {
	err := s.store.Audit(context.WithoutCancel(ctx), store.AuditEntry{At: s.now(), User: name, Action: "sign-in", Object: object, Detail: "done"})
	if err != nil {
		return fmt.Errorf("%w (%w)", ErrUnrecorded, err)
	}
	return nil
}

func shorten(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most])
	}
	return s
}

func (s *Service) check(ctx context.Context, name, password, from string) (store.User, error) {
	if len(name) > 64 || len(password) > maxPassword {
		return store.User{}, ErrSignIn
	}
	took, ok := s.guesses.take(name, from, s.now())
	if !ok {
		return store.User{}, ErrSlowDown
	}
	u, err := s.checkAllowed(ctx, name, password, from)
	if err == nil {
		took.right()
	}
	return u, err
}

func (s *Service) checkAllowed(ctx context.Context, name, password, from string) (store.User, error) {
	u, err := s.store.User(ctx, name)
	hash := u.Password
	if errors.Is(err, store.ErrNotFound) {
		hash = s.absent
	} else if err != nil {
		return store.User{}, err
	}
	if err == nil && u.Password == "" {
		return u, s.checkElsewhere(ctx, name, password, from)
	}
	select {
	case s.hashing <- struct{}{}: // after the question to RADIUS: a dead server there must hold up nobody here
		defer func() { <-s.hashing }()
	case <-ctx.Done():
		return store.User{}, ctx.Err()
	}
	match, hashErr := argon2id.ComparePasswordAndHash(password, hash)
	if hashErr != nil || err != nil || !match {
		return store.User{}, ErrSignIn
	}
	return u, nil
}

// checkElsewhere asks the RADIUS servers for a password that is not kept here.
func (s *Service) checkElsewhere(ctx context.Context, name, password, from string) error {
	if s.radius == nil {
		return ErrSignIn
	}
	accepted, err := s.radius.check(ctx, name, password, from)
	if err != nil {
		return err
	}
	if !accepted {
		return ErrSignIn
	}
	return nil
}

// SignOut ends the session of a cookie's secret.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	return s.store.DropSession(ctx, hashOf(secret))
}

// BySession returns the person of a cookie's secret.
func (s *Service) BySession(ctx context.Context, secret string) (Person, error) {
	v, err := s.store.Session(ctx, hashOf(secret))
	if errors.Is(err, store.ErrNotFound) || err == nil && !s.alive(v) {
		return Person{}, ErrNoSession
	}
	if err != nil {
		return Person{}, err
	}
	if now := s.now(); now.Sub(v.SeenAt) >= seenEvery {
		_ = s.store.SawSession(context.WithoutCancel(ctx), v.Hash, now) // a disk that is full ends no session
	}
	p, err := s.person(ctx, v.User)
	p.CSRF, p.ExpiresAt = v.CSRF, v.ExpiresAt
	return p, err
}

// alive tells whether a session is still good.
func (s *Service) alive(v store.Session) bool {
	return s.now().Before(v.ExpiresAt) && s.now().Sub(v.SeenAt) < sessionIdle
}

// Sessions lists the sessions of a person's browsers that are still good, the newest first.
func (s *Service) Sessions(ctx context.Context, user string) ([]store.Session, error) {
	list, err := s.store.Sessions(ctx, user)
	return slices.DeleteFunc(list, func(v store.Session) bool { return !s.alive(v) }), err
}

// EndSession ends a session of a person by its ID.
func (s *Service) EndSession(ctx context.Context, user, id string) error {
	list, err := s.Sessions(ctx, user)
	if err != nil {
		return err
	}
	for _, v := range list {
		if v.ID() == id {
			return s.store.DropSession(ctx, v.Hash)
		}
	}
	return fmt.Errorf("session %s: %w", id, store.ErrNotFound)
}

// IsSession tells whether the secret of a cookie is of a session.
func IsSession(v store.Session, secret string) bool {
	return secret != "" && bytes.Equal(v.Hash, hashOf(secret))
}

// tokenMark begins every token, so that one that leaked can be recognised for what it is.
const tokenMark = "ept_"

// NewToken makes a bearer token for somebody who is signed in. The token itself is returned once and never again. One that is made
// with another may no more than that one, lives no longer, and ends with it.
func (s *Service) NewToken(ctx context.Context, p Person, label string, readOnly bool, life time.Duration) (store.Token, string, error) {
	if err := checkToken(label, life); err != nil {
		return store.Token{}, "", err
	}
	t := store.Token{User: p.Name, Label: label, ReadOnly: readOnly || p.ReadOnly, ExpiresAt: s.now().Add(life), Parent: p.Token}
	if p.Token != 0 && t.ExpiresAt.After(p.ExpiresAt) {
		t.ExpiresAt = p.ExpiresAt
	}
	return s.newToken(ctx, t)
}

func checkToken(label string, life time.Duration) error {
	if label = strings.TrimSpace(label); label == "" || len(label) > 100 || life < time.Minute || life > maxTokenLife {
		return fmt.Errorf("the token is %w: give a label of 1 to 100 characters and a life of a minute to a year", ErrInvalid)
	}
	return nil
}

func (s *Service) newToken(ctx context.Context, t store.Token) (store.Token, string, error) {
	secret := tokenMark + rand.Text() + rand.Text()
	t.Hash, t.Label, t.CreatedAt = hashOf(secret), strings.TrimSpace(t.Label), s.now()
	id, err := s.store.AddToken(ctx, t)
	t.ID = id
	return t, secret, err
}

// ByToken returns the person of a bearer token.
func (s *Service) ByToken(ctx context.Context, secret string) (Person, error) {
	if !strings.HasPrefix(secret, tokenMark) || len(secret) > 100 {
		return Person{}, ErrNoSession
	}
	t, err := s.store.TokenByHash(ctx, hashOf(secret))
	if errors.Is(err, store.ErrNotFound) || err == nil && !s.now().Before(t.ExpiresAt) {
		return Person{}, ErrNoSession
	}
	if err != nil {
		return Person{}, err
	}
	p, err := s.person(ctx, t.User)
	p.Token = t.ID
	if p.ReadOnly, p.ExpiresAt = t.ReadOnly, t.ExpiresAt; p.ReadOnly {
		p.Grants = p.OnlySee()
	}
	return p, err
}

// ByName returns a person who may sign in, as he is now; ErrNoSession tells that there is none of the name.
func (s *Service) ByName(ctx context.Context, name string) (Person, error) {
	return s.person(ctx, name)
}

func (s *Service) person(ctx context.Context, name string) (Person, error) {
	u, err := s.store.User(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return Person{}, ErrNoSession
	}
	if err != nil {
		return Person{}, err
	}
	return s.personOf(u)
}

func hashOf(secret string) []byte {
	h := sha256.Sum256([]byte(secret))
	return h[:]
}
