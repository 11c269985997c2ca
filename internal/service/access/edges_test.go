package access

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/store"
)

func TestAPasswordIsAsDearToTryAsIsAdvised(t *testing.T) {
	s, _ := service(t)
	s.cost = Cost{}
	require.NoError(t, s.ResetPassword(t.Context(), "ada", "lanterns over the sound"))
	u, err := s.store.User(t.Context(), "ada")
	require.NoError(t, err)
	assert.Contains(t, u.Password, "$argon2id$v=19$m=19456,t=2,p=1$", "OWASP, Password Storage Cheat Sheet")
}

func TestASessionThatIsNotUsedEnds(t *testing.T) {
	s, now := service(t)
	_, secret, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "here", Agent: "a browser"})
	require.NoError(t, err)
	*now = now.Add(sessionIdle - time.Second)
	_, err = s.BySession(t.Context(), secret)
	require.NoError(t, err)
	*now = now.Add(sessionIdle)
	_, err = s.BySession(t.Context(), secret)
	require.ErrorIs(t, err, ErrNoSession)
	list, err := s.Sessions(t.Context(), "ada")
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestOnesOwnSessionsAreListedAndEnded(t *testing.T) {
	s, _ := service(t)
	require.NoError(t, s.AddUser(t.Context(), User{Name: "bram", Role: "viewer"}, password))
	_, secret, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "192.0.2.7", Agent: strings.Repeat("a browser ", 100)})
	require.NoError(t, err)
	list, err := s.Sessions(t.Context(), "ada")
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "192.0.2.7", list[0].Address)
	assert.Len(t, list[0].Agent, longestAgent)
	assert.True(t, IsSession(list[0], secret))
	assert.False(t, IsSession(list[0], ""))
	require.ErrorIs(t, s.EndSession(t.Context(), "bram", list[0].ID()), store.ErrNotFound, "of others nobody ends one")
	require.NoError(t, s.EndSession(t.Context(), "ada", list[0].ID()))
	_, err = s.BySession(t.Context(), secret)
	require.ErrorIs(t, err, ErrNoSession)
}

// A token ends with what it was given for: the password, the role, the token that made it.
func TestTokensEndWithTheirReason(t *testing.T) {
	const another = "gulls at the ferry rail"
	for name, end := range map[string]func(t *testing.T, s *Service, first store.Token) error{
		"its password is reset": func(t *testing.T, s *Service, _ store.Token) error {
			return s.ResetPassword(t.Context(), "bram", another)
		},
		"its password is changed": func(t *testing.T, s *Service, _ store.Token) error {
			return s.ChangePassword(t.Context(), Person{Name: "bram"}, password, another, "here", "")
		},
		"its role is another": func(t *testing.T, s *Service, _ store.Token) error {
			return s.PutUser(t.Context(), User{Name: "bram", Role: "administrator"})
		},
		"its bounds are others": func(t *testing.T, s *Service, _ store.Token) error {
			return s.PutUser(t.Context(), User{Name: "bram", Role: "technician", Only: "tag = x"})
		},
		"the user is removed": func(t *testing.T, s *Service, _ store.Token) error { return s.RemoveUser(t.Context(), "bram") },
		"the one before is taken": func(t *testing.T, s *Service, first store.Token) error {
			return s.store.DropToken(t.Context(), "bram", first.ID)
		},
	} {
		t.Run(name, func(t *testing.T) {
			s, _ := service(t)
			require.NoError(t, s.AddUser(t.Context(), User{Name: "bram", Role: "technician"}, password))
			first, secret, err := s.SignInToken(t.Context(), "bram", password, Caller{Address: "here"}, "laptop", false, time.Hour)
			require.NoError(t, err)
			p, err := s.ByToken(t.Context(), secret)
			require.NoError(t, err)
			_, second, err := s.NewToken(t.Context(), p, "script", false, time.Minute)
			require.NoError(t, err)
			require.NoError(t, s.PutUser(t.Context(), User{Name: "bram", FullName: "Bram Oar", Role: "technician"}), "another name is no reason")
			_, err = s.ByToken(t.Context(), second)
			require.NoError(t, err)
			require.NoError(t, end(t, s, first))
			for _, ended := range []string{secret, second} {
				_, err = s.ByToken(t.Context(), ended)
				assert.ErrorIs(t, err, ErrNoSession)
			}
		})
	}
}

func TestATokenBegetsNoWiderOne(t *testing.T) {
	s, now := service(t)
	_, secret, err := s.SignInToken(t.Context(), "ada", password, Caller{}, "see", true, time.Hour)
	require.NoError(t, err)
	p, err := s.ByToken(t.Context(), secret)
	require.NoError(t, err)
	child, _, err := s.NewToken(t.Context(), p, "longer", false, 24*time.Hour)
	require.NoError(t, err)
	assert.True(t, child.ReadOnly)
	assert.Equal(t, now.Add(time.Hour), child.ExpiresAt, "it lives no longer")
	_, _, err = s.SignInToken(t.Context(), "ada", password, Caller{}, "", false, time.Hour)
	require.ErrorIs(t, err, ErrInvalid)
}

func TestEasyPasswordsAreRefused(t *testing.T) {
	s, _ := service(t)
	for _, easy := range []string{"password1234", "123456789012", "qwertyuiop12", "aaaaaaaaaaaaaaaa", "abcdefghijklm", "letmeinletmein", "everypost2026", "bram.oarbram.oar"} {
		err := s.AddUser(t.Context(), User{Name: "bram.oar", FullName: "Bram Oar", Role: "viewer"}, easy)
		assert.ErrorIs(t, err, ErrInvalid, easy)
		assert.ErrorContains(t, err, "easy to guess", easy)
	}
	require.NoError(t, s.AddUser(t.Context(), User{Name: "bram.oar", Role: "viewer"}, "gulls at the ferry rail"))
}

func TestGuessesAreSlowedDownAndForgiven(t *testing.T) {
	s, now := service(t)
	for range attemptsPair {
		_, err := s.check(t.Context(), "ada", "guess", "there")
		assert.ErrorIs(t, err, ErrSignIn)
	}
	_, err := s.check(t.Context(), "ada", password, "there")
	require.ErrorIs(t, err, ErrSlowDown, "even the right one")
	*now = now.Add(time.Minute)
	_, err = s.check(t.Context(), "ada", password, "there")
	require.NoError(t, err)
}

// An address that guesses is stopped whatever names it tries, and a sign-in of its own that succeeds gives it no new tries.
func TestAnAddressIsStoppedBeforeItLocksOthersOut(t *testing.T) {
	s, _ := service(t)
	require.NoError(t, s.AddUser(t.Context(), User{Name: "bram", Role: "viewer"}, password))
	wrong := 0
	for i := range 100 {
		_, err := s.check(t.Context(), fmt.Sprintf("nobody%d", i), "guess", "there")
		if errors.Is(err, ErrSignIn) {
			wrong++
		}
		_, _ = s.check(t.Context(), "bram", password, "there")
	}
	assert.Equal(t, attemptsFrom, wrong)
	_, err := s.check(t.Context(), "ada", password, "elsewhere")
	require.NoError(t, err)
}

// Nobody locks a person out of where he sits, from however many places he tries.
func TestGuessesFromEverywhereLockNobodyOut(t *testing.T) {
	s, _ := service(t)
	_, err := s.check(t.Context(), "ada", password, "10.0.0.5")
	require.NoError(t, err)
	let := 0
	for i := range 200 {
		if _, err := s.check(t.Context(), "ada", "guess", fmt.Sprintf("198.51.100.%d", i)); errors.Is(err, ErrSignIn) {
			let++
		}
	}
	assert.Equal(t, attemptsName, let, "nor may a name be guessed at from everywhere")
	_, err = s.check(t.Context(), "ada", password, "10.0.0.5")
	require.NoError(t, err)
}

func TestOneNetOfIPv6IsOneAddress(t *testing.T) {
	assert.Equal(t, place("2001:db8::1"), place("2001:db8::2:1"))
	assert.NotEqual(t, place("2001:db8::1"), place("2001:db8:0:1::1"))
	assert.Equal(t, place("192.0.2.1"), place("::ffff:192.0.2.1"))
}

// A flood of refused sign-ins is told in a few lines.
func TestRefusedSignInsAreSummedUp(t *testing.T) {
	s, now := service(t)
	for i := range 5000 {
		_, _, err := s.SignIn(t.Context(), fmt.Sprintf("nobody%d", i%7), "guess", Caller{Address: fmt.Sprintf("198.51.100.%d", i%12)})
		require.Error(t, err)
		if i == 2500 {
			*now = now.Add(2 * time.Minute)
		}
	}
	s.Close()
	list, err := s.store.AuditEntries(t.Context(), store.AuditQuery{Limit: 1000})
	require.NoError(t, err)
	assert.LessOrEqual(t, len(list), 2*refusedEach+2)
	told := 0
	for _, e := range list {
		n := 1
		_, _ = fmt.Sscanf(e.Detail, "refused: %d more attempts", &n)
		told += n
	}
	assert.Equal(t, 5000, told, "none is left out of the sum")
	assert.Contains(t, list[0].Detail, "and others")
}
