package service

import (
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The data folder is free once it was given free, whoever has the file open still, as a program that is just being started has.
func TestTheDataFolderIsGivenFree(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	f, err := lockDir(dir)
	require.NoError(t, err)
	_, err = lockDir(dir)
	assert.ErrorContains(t, err, "is in use by another everypost")
	child, err := syscall.Dup(int(f.Fd()))
	require.NoError(t, err)
	t.Cleanup(func() { _ = syscall.Close(child) })
	require.NoError(t, unlockDir(f))
	again, err := lockDir(dir)
	require.NoError(t, err)
	require.NoError(t, unlockDir(again))
}
