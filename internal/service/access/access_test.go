package access

import (
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

const password = "harbour lights at dusk"

func service(t *testing.T) (*Service, *time.Time) {
	t.Helper()
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, st.Close()) })
	now := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	s, err := New(t.Context(), st, func() time.Time { return now }, Cheap)
	require.NoError(t, err)
	require.NoError(t, s.AddUser(t.Context(), User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, password))
	return s, &now
}

func TestAddUserRefuses(t *testing.T) {
	s, _ := service(t)
	for name, tc := range map[string][3]string{
		"a name with capitals": {"Ada", "viewer", password}, "no name": {"", "viewer", password}, "an unknown role": {"bram", "king", password},
		"a short password": {"bram", "viewer", "12345678901"}, "an endless password": {"bram", "viewer", string(make([]byte, 300))},
	} {
		assert.ErrorIs(t, s.AddUser(t.Context(), User{Name: tc[0], Role: tc[1]}, tc[2]), ErrInvalid, name)
	}
	assert.ErrorIs(t, s.AddUser(t.Context(), User{Name: "ada", Role: "viewer"}, password), store.ErrExists)
}

func TestSessionLivesItsTime(t *testing.T) {
	s, now := service(t)
	p, secret, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "here"})
	require.NoError(t, err)
	assert.NotEmpty(t, p.CSRF)
	again, err := s.BySession(t.Context(), secret)
	require.NoError(t, err)
	assert.Equal(t, p, again)
	_, err = s.BySession(t.Context(), secret+"x")
	assert.ErrorIs(t, err, ErrNoSession)
	for range int(sessionLife/time.Hour) - 1 { // used all the time
		*now = now.Add(time.Hour)
		_, err = s.BySession(t.Context(), secret)
		require.NoError(t, err)
	}
	*now = now.Add(time.Hour)
	_, err = s.BySession(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
}

func TestSignOutEndsTheSession(t *testing.T) {
	s, _ := service(t)
	_, secret, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "here"})
	require.NoError(t, err)
	require.NoError(t, s.SignOut(t.Context(), secret))
	_, err = s.BySession(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
}

func TestTokenLivesItsTimeAndCanBeTakenBack(t *testing.T) {
	s, now := service(t)
	token, secret, err := s.NewToken(t.Context(), Person{Name: "ada"}, "test", true, time.Hour)
	require.NoError(t, err)
	p, err := s.ByToken(t.Context(), secret)
	require.NoError(t, err)
	assert.True(t, p.May(rights.See, rights.Devices))
	assert.False(t, p.May(rights.Change, rights.Ports), "the token may only see")
	require.NoError(t, s.store.DropToken(t.Context(), "ada", token.ID))
	_, err = s.ByToken(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)

	_, secret, err = s.NewToken(t.Context(), Person{Name: "ada"}, "test", false, time.Hour)
	require.NoError(t, err)
	*now = now.Add(time.Hour)
	_, err = s.ByToken(t.Context(), secret)
	assert.ErrorIs(t, err, ErrNoSession)
	for _, life := range []time.Duration{0, time.Second, 400 * 24 * time.Hour} {
		_, _, err = s.NewToken(t.Context(), Person{Name: "ada"}, "test", false, life)
		assert.ErrorIs(t, err, ErrInvalid)
	}
}

func rule(t *testing.T, text string) rights.Rule {
	t.Helper()
	r, err := rights.ParseRule(text)
	require.NoError(t, err)
	return r
}

func TestRoleIsInForceAtOnce(t *testing.T) {
	s, _ := service(t)
	require.ErrorIs(t, s.AddUser(t.Context(), User{Name: "coral", Role: "pier-hand"}, password), ErrInvalid)
	pierHand := rights.Role{Name: "pier-hand", Rules: []rights.Rule{rule(t, "allow see on ports")}}
	require.NoError(t, s.PutRole(t.Context(), pierHand))
	require.NoError(t, s.AddUser(t.Context(), User{Name: "coral", Role: "pier-hand", Only: "site = kelp-bay"}, password))
	_, secret, err := s.SignIn(t.Context(), "coral", password, Caller{Address: "here"})
	require.NoError(t, err)
	p, err := s.BySession(t.Context(), secret)
	require.NoError(t, err)
	assert.False(t, p.May(rights.Change, rights.Ports))
	pierHand.Rules = append(pierHand.Rules, rule(t, "allow change on ports where tag = spare"))
	require.NoError(t, s.PutRole(t.Context(), pierHand))
	p, err = s.BySession(t.Context(), secret)
	require.NoError(t, err)
	where, _ := p.Of(rights.Change, rights.Ports)
	assert.Equal(t, "tag = spare and site = kelp-bay", where.String())

	require.ErrorIs(t, s.RemoveRole(t.Context(), "pier-hand"), store.ErrInUse)
	require.NoError(t, s.RemoveUser(t.Context(), "coral"))
	_, err = s.BySession(t.Context(), secret)
	require.ErrorIs(t, err, ErrNoSession)
	require.NoError(t, s.RemoveRole(t.Context(), "pier-hand"))
	require.ErrorIs(t, s.RemoveRole(t.Context(), "pier-hand"), store.ErrNotFound)
	assert.Len(t, s.Roles(), len(rights.Ready()))
}

func TestReadyRolesStay(t *testing.T) {
	s, _ := service(t)
	require.ErrorIs(t, s.RemoveRole(t.Context(), "viewer"), ErrInvalid)
	assert.ErrorIs(t, s.PutRole(t.Context(), rights.Role{Name: "viewer", Rules: []rights.Rule{rule(t, "allow everything on everything")}}), ErrInvalid)
}

func TestSomebodyIsAlwaysLeftToAdminister(t *testing.T) {
	s, _ := service(t)
	for _, u := range []User{{Name: "ada", Role: "viewer"}, {Name: "ada", Role: "administrator", Only: "site = kelp-bay"}} {
		require.ErrorIs(t, s.PutUser(t.Context(), u), ErrLast)
	}
	require.ErrorIs(t, s.RemoveUser(t.Context(), "ada"), ErrLast)

	harbourMaster := rights.Role{Name: "harbour-master", Rules: []rights.Rule{rule(t, "allow administer on people")}}
	require.NoError(t, s.PutRole(t.Context(), harbourMaster))
	require.NoError(t, s.AddUser(t.Context(), User{Name: "bram", Role: "harbour-master"}, password))
	require.NoError(t, s.PutUser(t.Context(), User{Name: "ada", FullName: "Ada Quill", Role: "viewer"}))
	harbourMaster.Rules = []rights.Rule{rule(t, "allow see on people")}
	require.ErrorIs(t, s.PutRole(t.Context(), harbourMaster), ErrLast, "also by way of the role")
	require.ErrorIs(t, s.PutUser(t.Context(), User{Name: "nobody", Role: "viewer"}), store.ErrNotFound)
}

func TestPasswordIsChangedByTheOldOne(t *testing.T) {
	s, _ := service(t)
	_, here, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "here"})
	require.NoError(t, err)
	_, there, err := s.SignIn(t.Context(), "ada", password, Caller{Address: "there"})
	require.NoError(t, err)
	const another = "gulls at the ferry rail"
	require.ErrorIs(t, s.ChangePassword(t.Context(), Person{Name: "ada"}, "not the old one", another, "here", here), ErrInvalid)
	require.ErrorIs(t, s.ChangePassword(t.Context(), Person{Name: "ada"}, password, "short", "here", here), ErrInvalid)
	require.NoError(t, s.ChangePassword(t.Context(), Person{Name: "ada"}, password, another, "here", here))
	_, err = s.BySession(t.Context(), here)
	require.NoError(t, err, "who changes it stays signed in")
	_, err = s.BySession(t.Context(), there)
	require.ErrorIs(t, err, ErrNoSession)
	_, err = s.check(t.Context(), "ada", password, "here")
	require.ErrorIs(t, err, ErrSignIn)
	require.NoError(t, s.ResetPassword(t.Context(), "ada", password))
	_, err = s.BySession(t.Context(), here)
	require.ErrorIs(t, err, ErrNoSession)
	require.ErrorIs(t, s.ResetPassword(t.Context(), "nobody", password), store.ErrNotFound)
}

func TestTriedRoleIsMarked(t *testing.T) {
	s, _ := service(t)
	p, err := s.ByName(t.Context(), "ada")
	require.NoError(t, err)
	tried, err := s.Try(p, "manager")
	require.NoError(t, err)
	assert.True(t, tried.Trying)
	assert.False(t, tried.May(rights.See, rights.Configuration))
	assert.True(t, p.May(rights.See, rights.Configuration), "the person is the same as before")
	_, err = s.Try(p, "king")
	assert.ErrorIs(t, err, ErrInvalid)
}
