// Package access decides who may come in and what he may do: users, passwords, sessions of browsers, tokens of programs.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"
	"golang.org/x/time/rate"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

// Person is somebody who is signed in.
type Person struct {
	Name, FullName, Role string
	Only                 string // a selector to which the person is confined
	ReadOnly             bool   // by a token that may only see
	Trying               bool   // Role is one that is tried, not the person's own
	CSRF                 string // what a browser must send along with a change; "" for a token
	ExpiresAt            time.Time
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
	sessionLife   = 12 * time.Hour
	maxTokenLife  = 366 * 24 * time.Hour
	minPassword   = 12 // characters; OWASP ASVS 5.0, 6.2.1 asks for 8 at least
	maxPassword   = 256
	attempts      = 10 // at once, for a name or an address; then one every six seconds
	rememberNames = 10_000
)

var passwordParams = &argon2id.Params{Memory: 19 * 1024, Iterations: 2, Parallelism: 1, SaltLength: 16, KeyLength: 32}

// Service is the capability. Make it with New.
type Service struct {
	store  *store.Store
	now    func() time.Time
	radius *RADIUS // nil: all passwords are kept here
	absent string  // the hash that an unknown name is held against, so that it takes as long as a known one

	mu       sync.Mutex
	limiters map[string]*rate.Limiter
	roles    map[string]rights.Role // all there are
	grants   map[[2]string]rights.Grants
	hashing  chan struct{} // bounds the memory that sign-ins take
}

// New returns the service.
func New(ctx context.Context, s *store.Store, now func() time.Time) (*Service, error) {
	absent, err := argon2id.CreateHash(rand.Text(), passwordParams)
	if err != nil {
		return nil, err
	}
	out := &Service{store: s, now: now, absent: absent, limiters: map[string]*rate.Limiter{}, hashing: make(chan struct{}, 4)}
	return out, out.readRoles(ctx)
}

// UseRADIUS has the passwords of those of whom none is kept here checked elsewhere. It is called before anybody signs in.
func (s *Service) UseRADIUS(r *RADIUS) { s.radius = r }

// HasUsers tells whether there is any user.
func (s *Service) HasUsers(ctx context.Context) (bool, error) {
	n, err := s.store.UserCount(ctx)
	return n > 0, err
}

// SignIn checks a password and starts a session of a browser. The secret is for the cookie; only its hash is kept.
func (s *Service) SignIn(ctx context.Context, name, password, from string) (p Person, secret string, err error) {
	u, err := s.check(ctx, name, password, from)
	if err != nil {
		return Person{}, "", err
	}
	secret = rand.Text() + rand.Text()
	v := store.Session{Hash: hashOf(secret), User: u.Name, CSRF: rand.Text(), ExpiresAt: s.now().Add(sessionLife)}
	if err := s.store.AddSession(ctx, v, s.now()); err != nil {
		return Person{}, "", err
	}
	p, err = s.personOf(u)
	p.CSRF, p.ExpiresAt = v.CSRF, v.ExpiresAt
	return p, secret, err
}

// Check checks a password without starting a session.
func (s *Service) Check(ctx context.Context, name, password, from string) (Person, error) {
	u, err := s.check(ctx, name, password, from)
	if err != nil {
		return Person{}, err
	}
	return s.personOf(u)
}

func (s *Service) check(ctx context.Context, name, password, from string) (store.User, error) {
	if len(name) > 64 || len(password) > maxPassword {
		return store.User{}, ErrSignIn
	}
	if !s.allow("name "+name) || !s.allow("from "+from) {
		return store.User{}, ErrSlowDown
	}
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

func (s *Service) allow(key string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.limiters[key]
	if l == nil {
		if len(s.limiters) >= rememberNames {
			clear(s.limiters) // somebody tries many names; forgetting is better than growing
		}
		l = rate.NewLimiter(rate.Every(6*time.Second), attempts)
		s.limiters[key] = l
	}
	return l.AllowN(s.now(), 1)
}

// SignOut ends the session of a cookie's secret.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	return s.store.DropSession(ctx, hashOf(secret))
}

// BySession returns the person of a cookie's secret.
func (s *Service) BySession(ctx context.Context, secret string) (Person, error) {
	v, err := s.store.Session(ctx, hashOf(secret))
	if errors.Is(err, store.ErrNotFound) || err == nil && !s.now().Before(v.ExpiresAt) {
		return Person{}, ErrNoSession
	}
	if err != nil {
		return Person{}, err
	}
	p, err := s.person(ctx, v.User)
	p.CSRF, p.ExpiresAt = v.CSRF, v.ExpiresAt
	return p, err
}

// tokenMark begins every token, so that one that leaked can be recognised for what it is.
const tokenMark = "ept_"

// NewToken makes a bearer token. The token itself is returned once and never again.
func (s *Service) NewToken(ctx context.Context, user, label string, readOnly bool, life time.Duration) (store.Token, string, error) {
	label = strings.TrimSpace(label)
	if label == "" || len(label) > 100 || life < time.Minute || life > maxTokenLife {
		return store.Token{}, "", fmt.Errorf("the token is %w: give a label of 1 to 100 characters and a life of a minute to a year", ErrInvalid)
	}
	secret := tokenMark + rand.Text() + rand.Text()
	t := store.Token{Hash: hashOf(secret), User: user, Label: label, ReadOnly: readOnly, CreatedAt: s.now(), ExpiresAt: s.now().Add(life)}
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
	if p.ReadOnly, p.ExpiresAt = t.ReadOnly, t.ExpiresAt; p.ReadOnly {
		p.Grants = p.OnlySee()
	}
	return p, err
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
