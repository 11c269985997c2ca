package secrets

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSealedSecretOpensForItsOwnerAlone(t *testing.T) {
	file := filepath.Join(t.TempDir(), "key")
	s, err := Open(file, false)
	require.NoError(t, err)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())

	sealed := s.Seal("10.0.0.1:830", "tidewater")
	assert.NotContains(t, string(sealed), "tidewater")
	assert.NotEqual(t, sealed, s.Seal("10.0.0.1:830", "tidewater"), "the same secret looks different each time")

	again, err := Open(file, false) // as after a restart
	require.NoError(t, err)
	plain, err := again.Open("10.0.0.1:830", sealed)
	require.NoError(t, err)
	assert.Equal(t, "tidewater", plain)

	_, err = again.Open("10.0.0.2:830", sealed)
	require.ErrorIs(t, err, ErrSealed, "it belongs to another device")
	sealed[len(sealed)-1] ^= 1
	_, err = again.Open("10.0.0.1:830", sealed)
	require.ErrorIs(t, err, ErrSealed, "it is damaged")
	_, err = again.Open("x", []byte("short"))
	require.ErrorIs(t, err, ErrSealed)

	other, err := Open(filepath.Join(t.TempDir(), "key"), false)
	require.NoError(t, err)
	_, err = other.Open("x", s.Seal("x", "y"))
	assert.ErrorIs(t, err, ErrSealed, "the key is another one")
}

func TestKeyThatIsNoKey(t *testing.T) {
	file := filepath.Join(t.TempDir(), "key")
	require.NoError(t, os.WriteFile(file, []byte("too short"), 0o600))
	_, err := Open(file, false)
	assert.ErrorContains(t, err, file)
}
