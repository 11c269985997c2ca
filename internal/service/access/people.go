package access

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/alexedwards/argon2id"
	"github.com/trustelem/zxcvbn"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

// User is what is said of a person who may sign in.
type User struct {
	Name, FullName, Role string
	Only                 string // a selector to which the person is confined; "" for none
	Mail                 string // address of mail; "" for none
	Elsewhere            bool   // the password is not kept here but checked by RADIUS
}

var userPattern = regexp.MustCompile(`^[a-z][a-z0-9._-]{0,31}$`)

const (
	longestName = 100 // of a person, in characters
	longestMail = 254 // an address that a server takes (RFC 5321, section 4.5.3.1.3)
)

// check tells what is wrong with a user.
func (s *Service) checkUser(u User) error {
	if !userPattern.MatchString(u.Name) {
		return fmt.Errorf("user name %q is %w: use up to 32 small letters, digits, dots, hyphens and underscores, a letter first", u.Name, ErrInvalid)
	}
	if utf8.RuneCountInString(u.FullName) > longestName {
		return fmt.Errorf("the full name is %w: at most %d characters", ErrInvalid, longestName)
	}
	if u.Mail != "" {
		if parsed, err := mail.ParseAddress(u.Mail); err != nil || parsed.Address != u.Mail || len(u.Mail) > longestMail {
			return fmt.Errorf("the address %q is %w: write an address of mail like bram@lantern.example", u.Mail, ErrInvalid)
		}
	}
	_, err := s.grantsOf(u.Role, u.Only)
	return err
}

// AddUser makes a user.
func (s *Service) AddUser(ctx context.Context, u User, password string) error {
	if err := s.checkUser(u); err != nil {
		return err
	}
	hash := ""
	if u.Elsewhere {
		if s.radius == nil {
			return fmt.Errorf("the user is %w: the service knows no RADIUS server; start it with --radius-server", ErrInvalid)
		}
		if password != "" {
			return fmt.Errorf("the user is %w: who signs in by RADIUS has no password here", ErrInvalid)
		}
	} else {
		var err error
		if hash, err = s.newHash(password, u.Name, u.FullName); err != nil {
			return err
		}
	}
	err := s.store.AddUser(ctx, store.User{Name: u.Name, FullName: u.FullName, Role: u.Role, Only: u.Only, Mail: u.Mail, Password: hash, CreatedAt: s.now()})
	if errors.Is(err, store.ErrExists) {
		return fmt.Errorf("there is a user %s already: %w", u.Name, store.ErrExists)
	}
	return err
}

// hard is how hard a password must be to guess, from 0 to 4: by a list of what people take, and by how it is made.
const hard = 3

func (s *Service) newHash(password string, of ...string) (string, error) {
	if utf8.RuneCountInString(password) < minPassword || len(password) > maxPassword {
		return "", fmt.Errorf("the password is %w: give %d to %d characters", ErrInvalid, minPassword, maxPassword)
	}
	begin := []rune(password)
	if zxcvbn.PasswordStrength(string(begin[:min(len(begin), 64)]), append(of, "every post", "everypost")).Score < hard {
		return "", fmt.Errorf("the password is %w: it is easy to guess; take some words that have nothing to do with each other", ErrInvalid)
	}
	return argon2id.CreateHash(password, s.cost.params())
}

// PutUser changes the full name, the role, the bounds and the address of a user.
func (s *Service) PutUser(ctx context.Context, u User) error {
	if err := s.checkUser(u); err != nil {
		return err
	}
	return noUser(u.Name, s.store.PutUser(ctx, store.User{Name: u.Name, FullName: u.FullName, Role: u.Role, Only: u.Only, Mail: u.Mail}, s.somebodyIsLeft))
}

// RemoveUser forgets a user, whose sessions and tokens end with it.
func (s *Service) RemoveUser(ctx context.Context, name string) error {
	return noUser(name, s.store.RemoveUser(ctx, name, s.somebodyIsLeft))
}

func noUser(name string, err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("user %s: %w", name, err)
	}
	return err
}

// somebodyIsLeft refuses what would lock everybody out of administering people.
func (s *Service) somebodyIsLeft(users []store.User) error {
	for _, u := range users {
		if p, err := s.personOf(u); err == nil && p.May(rights.Administer, rights.People) {
			return nil
		}
	}
	return ErrLast
}

// Users lists the users by name.
func (s *Service) Users(ctx context.Context) ([]store.User, error) { return s.store.Users(ctx) }

// ResetPassword gives a user a new password and ends all sessions.
func (s *Service) ResetPassword(ctx context.Context, name, password string) error {
	if err := s.keptHere(ctx, name); err != nil {
		return err
	}
	hash, err := s.newHash(password, name)
	if err != nil {
		return err
	}
	return noUser(name, s.store.SetPassword(ctx, name, hash, nil, 0))
}

// ChangePassword changes one's own password, which takes the old one, and ends all sessions and tokens but that by which one is here:
// the session of the secret, or the token.
func (s *Service) ChangePassword(ctx context.Context, p Person, old, password, from, secret string) error {
	name := p.Name
	if err := s.keptHere(ctx, name); err != nil {
		return err
	}
	hash, err := s.newHash(password, name)
	if err != nil {
		return err
	}
	if _, err := s.check(ctx, name, old, from); errors.Is(err, ErrSignIn) {
		return fmt.Errorf("the old password is %w", ErrInvalid)
	} else if err != nil {
		return err
	}
	return s.store.SetPassword(ctx, p.Name, hash, hashOf(secret), p.Token)
}

// keptHere refuses to set the password of somebody whom the RADIUS servers check.
func (s *Service) keptHere(ctx context.Context, name string) error {
	if u, err := s.store.User(ctx, name); err == nil && u.Password == "" {
		return fmt.Errorf("the password is %w here: it is kept by the RADIUS servers; change it there", ErrInvalid)
	}
	return nil
}

// readRoles takes the roles as they are kept, and forgets what was worked out from the old ones.
func (s *Service) readRoles(ctx context.Context) error {
	own, err := s.store.Roles(ctx)
	if err != nil {
		return err
	}
	all := map[string]rights.Role{}
	for _, r := range append(own, rights.Ready()...) {
		all[r.Name] = r
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.roles, s.grants = all, map[[2]string]rights.Grants{}
	return nil
}

// Roles lists the roles: those that come with the product first.
func (s *Service) Roles() []rights.Role {
	out := rights.Ready()
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, r := range s.roles {
		if !r.Ready {
			out = append(out, r)
		}
	}
	slices.SortFunc(out[len(rights.Ready()):], func(a, b rights.Role) int { return strings.Compare(a.Name, b.Name) })
	return out
}

func (s *Service) role(name string) (rights.Role, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	r, ok := s.roles[name]
	return r, ok
}

// PutRole makes or changes a role. Those who have it have it so from their next request on.
func (s *Service) PutRole(ctx context.Context, r rights.Role) error {
	if old, ok := s.role(r.Name); ok && old.Ready {
		return fmt.Errorf("the role is %w: %s comes with the product; make one of another name", ErrInvalid, r.Name)
	}
	if err := r.Check(); err != nil {
		return fmt.Errorf("the role is %w: %w", ErrInvalid, err)
	}
	users, err := s.store.Users(ctx)
	if err != nil {
		return err
	}
	for _, u := range users {
		p, err := s.personOf(u)
		if u.Role == r.Name {
			p.Grants, err = compile(r, u.Only)
		}
		if err == nil && p.May(rights.Administer, rights.People) {
			if err := s.store.PutRole(ctx, r); err != nil {
				return err
			}
			return s.readRoles(ctx)
		}
	}
	return ErrLast
}

// RemoveRole removes a role that nobody has.
func (s *Service) RemoveRole(ctx context.Context, name string) error {
	if r, ok := s.role(name); ok && r.Ready {
		return fmt.Errorf("the role is %w: %s comes with the product and stays", ErrInvalid, name)
	}
	if err := s.store.RemoveRole(ctx, name); err != nil {
		if errors.Is(err, store.ErrNotFound) {
			return fmt.Errorf("role %s: %w", name, err)
		}
		return err
	}
	return s.readRoles(ctx)
}

// Try returns the person as it would be in a role, with which nothing can be done but to look.
func (s *Service) Try(p Person, role string) (Person, error) {
	g, err := s.grantsOf(role, "")
	if err != nil {
		return p, err
	}
	p.Role, p.Only, p.Trying, p.Grants = role, "", true, g
	return p, nil
}

// personOf works out what a user may do.
func (s *Service) personOf(u store.User) (Person, error) {
	g, err := s.grantsOf(u.Role, u.Only)
	return Person{Name: u.Name, FullName: u.FullName, Role: u.Role, Only: u.Only, Mail: u.Mail, Grants: g}, err
}

// grantsOf works out what a role comes to for who is confined to what a selector picks.
func (s *Service) grantsOf(role, only string) (rights.Grants, error) {
	r, ok := s.role(role)
	if !ok {
		names := []string{}
		for _, r := range s.Roles() {
			names = append(names, r.Name)
		}
		return rights.Grants{}, fmt.Errorf("role %q is %w: there are %s", role, ErrInvalid, strings.Join(names, ", "))
	}
	key := [2]string{role, only}
	s.mu.Lock()
	g, ok := s.grants[key]
	s.mu.Unlock()
	if ok {
		return g, nil
	}
	g, err := compile(r, only)
	if err != nil {
		return g, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.grants[key] = g
	return g, nil
}

func compile(r rights.Role, only string) (rights.Grants, error) {
	where, err := rights.ParseWhere(only)
	if err != nil {
		return rights.Grants{}, fmt.Errorf("what the person is confined to is %w: %w", ErrInvalid, err)
	}
	return rights.Compile(r.Rules, where)
}
