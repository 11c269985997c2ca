// Package access decides who may come in and what he may do: users, passwords, sessions of browsers, tokens of programs.
package access

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"golang.org/x/time/rate"

	"example.net/everypost/internal/store"
)

// Right is something that a person may do.
type Right string

// The rights. Each stands alone.
const (
	See        Right = "see"
	Change     Right = "change"     // draft, push, keep and undo changes
	Operate    Right = "operate"    // adopt devices, pin their keys
	Administer Right = "administer" // users, sites, the audit log
)

// Roles lists what each role may do.
var Roles = map[string][]Right{
	"administrator": {See, Change, Operate, Administer},
	"operator":      {See, Operate},
	"viewer":        {See},
}

// Person is somebody who is signed in.
type Person struct {
	Name, FullName, Role string
	ReadOnly             bool   // by a token that may only see
	CSRF                 string // what a browser must send along with a change; "" for a token
	ExpiresAt            time.Time
}

// May tells whether the person has a right.
func (p Person) May(r Right) bool {
	return slices.Contains(Roles[p.Role], r) && (!p.ReadOnly || r == See)
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
	absent string // the hash that an unknown name is held against, so that it takes as long as a known one

	mu       sync.Mutex
	limiters map[string]*rate.Limiter
	hashing  chan struct{} // bounds the memory that sign-ins take
}

// New returns the service.
func New(s *store.Store, now func() time.Time) (*Service, error) {
	absent, err := argon2id.CreateHash(rand.Text(), passwordParams)
	if err != nil {
		return nil, err
	}
	return &Service{store: s, now: now, absent: absent, limiters: map[string]*rate.Limiter{}, hashing: make(chan struct{}, 4)}, nil
}

var userPattern = regexp.MustCompile(`^[a-z][a-z0-9._-]{0,31}$`)

// AddUser makes a user.
func (s *Service) AddUser(ctx context.Context, name, fullName, role, password string) error {
	switch {
	case !userPattern.MatchString(name):
		return fmt.Errorf("user name %q is %w: use up to 32 small letters, digits, dots, hyphens and underscores, a letter first", name, ErrInvalid)
	case Roles[role] == nil:
		return fmt.Errorf("role %q is %w: there are administrator, operator and viewer", role, ErrInvalid)
	case utf8.RuneCountInString(password) < minPassword || len(password) > maxPassword:
		return fmt.Errorf("the password is %w: give %d to %d characters", ErrInvalid, minPassword, maxPassword)
	}
	hash, err := argon2id.CreateHash(password, passwordParams)
	if err != nil {
		return err
	}
	return s.store.AddUser(ctx, store.User{Name: name, FullName: fullName, Role: role, Password: hash, CreatedAt: s.now()})
}

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
	return Person{Name: u.Name, FullName: u.FullName, Role: u.Role, CSRF: v.CSRF, ExpiresAt: v.ExpiresAt}, secret, nil
}

// Check checks a password without starting a session.
func (s *Service) Check(ctx context.Context, name, password, from string) (Person, error) {
	u, err := s.check(ctx, name, password, from)
	return Person{Name: u.Name, FullName: u.FullName, Role: u.Role}, err
}

func (s *Service) check(ctx context.Context, name, password, from string) (store.User, error) {
	if len(name) > 64 || len(password) > maxPassword {
		return store.User{}, ErrSignIn
	}
	if !s.allow("name "+name) || !s.allow("from "+from) {
		return store.User{}, ErrSlowDown
	}
	select {
	case s.hashing <- struct{}{}:
		defer func() { <-s.hashing }()
	case <-ctx.Done():
		return store.User{}, ctx.Err()
	}
	u, err := s.store.User(ctx, name)
	hash := u.Password
	if errors.Is(err, store.ErrNotFound) {
		hash = s.absent
	} else if err != nil {
		return store.User{}, err
	}
	match, hashErr := argon2id.ComparePasswordAndHash(password, hash)
	if hashErr != nil || err != nil || !match {
		return store.User{}, ErrSignIn
	}
	return u, nil
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
	p.ReadOnly, p.ExpiresAt = t.ReadOnly, t.ExpiresAt
	return p, err
}

func (s *Service) person(ctx context.Context, name string) (Person, error) {
	u, err := s.store.User(ctx, name)
	if errors.Is(err, store.ErrNotFound) {
		return Person{}, ErrNoSession
	}
	return Person{Name: u.Name, FullName: u.FullName, Role: u.Role}, err
}

func hashOf(secret string) []byte {
	h := sha256.Sum256([]byte(secret))
	return h[:]
}
