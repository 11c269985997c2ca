package access

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/store"
)

const password = "harbour lights at dusk"

func service(t *testing.T) (*Service, *time.Time) {
	t.Helper()
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, st.Close()) })
	now := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	s, err := New(st, func() time.Time { return now })
	require.NoError(t, err)
	require.NoError(t, s.AddUser(t.Context(), "ada", "Ada Quill", "administrator", password))
	return s, &now
}

func TestAddUserRefuses(t *testing.T) {
	s, _ := service(t)
	for name, tc := range map[string][3]string{
		"a name with capitals": {"Ada", "viewer", password}, "no name": {"", "viewer", password}, "an unknown role": {"bram", "king", password},
		"a short password": {"bram", "viewer", "12345678901"}, "an endless password": {"bram", "viewer", string(make([]byte, 300))},
	} {
		assert.ErrorIs(t, s.AddUser(t.Context(), tc[0], "x", tc[1], tc[2]), ErrInvalid, name)
	}
	assert.ErrorIs(t, s.AddUser(t.Context(), "ada", "x", "viewer", password), store.ErrExists)
}

func TestSessionLivesItsTime(t *testing.T) {
	s, now := service(t)
	p, secret, err := s.SignIn(t.Context(), "ada", password, "here")
	require.NoError(t, err)
	assert.NotEmpty(t, p.CSRF)
	again, err := s.BySession(t.Context(), secret)
	require.NoError(t, err)
	assert.Equal(t, p, again)
	_, err = s.BySession(t.Context(), secret+"x")
	assert.ErrorIs(t, err, ErrNoSession)
	*now = now.Add(sessionLife)
	_, err = s.BySession(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
}

func TestSignOutEndsTheSession(t *testing.T) {
	s, _ := service(t)
	_, secret, err := s.SignIn(t.Context(), "ada", password, "here")
	require.NoError(t, err)
	require.NoError(t, s.SignOut(t.Context(), secret))
	_, err = s.BySession(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
}

func TestTokenLivesItsTimeAndCanBeTakenBack(t *testing.T) {
	s, now := service(t)
	token, secret, err := s.NewToken(t.Context(), "ada", "test", true, time.Hour)
	require.NoError(t, err)
	p, err := s.ByToken(t.Context(), secret)
	require.NoError(t, err)
	assert.True(t, p.May(See))
	assert.False(t, p.May(Change), "the token may only see")
	require.NoError(t, s.store.DropToken(t.Context(), "ada", token.ID))
	_, err = s.ByToken(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)

	_, secret, err = s.NewToken(t.Context(), "ada", "test", false, time.Hour)
	require.NoError(t, err)
	*now = now.Add(time.Hour)
	_, err = s.ByToken(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
	for _, life := range []time.Duration{0, time.Second, 400 * 24 * time.Hour} {
		_, _, err = s.NewToken(t.Context(), "ada", "test", false, life)
		assert.ErrorIs(t, err, ErrInvalid)
	}
}

func TestGuessesAreSlowedDownAndForgiven(t *testing.T) {
	s, now := service(t)
	for range attempts {
		_, err := s.Check(t.Context(), "ada", "guess", "there")
		assert.ErrorIs(t, err, ErrSignIn)
	}
	_, err := s.Check(t.Context(), "ada", password, "there")
	require.ErrorIs(t, err, ErrSlowDown, "even the right one")
	*now = now.Add(time.Minute)
	_, err = s.Check(t.Context(), "ada", password, "there")
	assert.NoError(t, err)
}

func TestRights(t *testing.T) {
	for role, want := range map[string][]Right{"administrator": {See, Change, Operate, Administer}, "operator": {See, Operate}, "viewer": {See}, "nobody": nil} {
		for _, r := range []Right{See, Change, Operate, Administer} {
			assert.Equal(t, contains(want, r), Person{Role: role}.May(r), "%s %s", role, r)
		}
	}
}

func contains(rights []Right, r Right) bool {
	for _, have := range rights {
		if have == r {
			return true
		}
	}
	return false
}
