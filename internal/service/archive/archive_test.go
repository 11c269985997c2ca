package archive_test

import (
	"archive/tar"
	"bytes"
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/archive"
	"example.net/everypost/internal/store"
)

const imageName = "firmware/" + "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff" + ".image"

// folder is that of a service with two sites, a key and an image, and with what is no part of an archive.
func folder(t *testing.T) (string, *store.Store) {
	t.Helper()
	dir := t.TempDir()
	s, err := store.Open(t.Context(), filepath.Join(dir, "everypost.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "tern-haven"}))
	for name, holds := range map[string]string{"secrets.key": "key", imageName: "software", "firmware/.incoming-1": "half", "lock": "", "notes.txt": "mine"} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
		require.NoError(t, os.WriteFile(path, []byte(holds), 0o600))
	}
	return dir, s
}

func written(t *testing.T, dir string) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), dir, &out, true, "test", time.Now()))
	return out.Bytes()
}

func sites(t *testing.T, file string) []string {
	t.Helper()
	s, err := store.Open(t.Context(), file)
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	list, err := s.Sites(t.Context())
	require.NoError(t, err)
	var out []string
	for _, one := range list {
		out = append(out, one.Name)
	}
	return out
}

func TestWhatIsSavedWhileItIsWrittenComesBack(t *testing.T) {
	t.Parallel()
	dir, s := folder(t)
	saved := written(t, dir)
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "later"}))
	to := filepath.Join(t.TempDir(), "new", "place")
	about, err := archive.Restore(t.Context(), bytes.NewReader(saved), to)
	require.NoError(t, err)
	assert.Equal(t, "test", about.Version)
	assert.WithinDuration(t, time.Now(), about.At, time.Minute)
	assert.Equal(t, []string{"tern-haven"}, sites(t, filepath.Join(to, "everypost.db")), "as it was at that moment")
	for name, holds := range map[string]string{"secrets.key": "key", imageName: "software"} {
		b, err := os.ReadFile(filepath.Join(to, name))
		require.NoError(t, err)
		assert.Equal(t, holds, string(b))
	}
	for _, name := range []string{"notes.txt", "lock", "firmware/.incoming-1"} {
		assert.NoFileExists(t, filepath.Join(to, name))
	}
	info, err := os.Stat(filepath.Join(to, "secrets.key"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	left, err := filepath.Glob(filepath.Join(dir, ".archive-*"))
	require.NoError(t, err)
	assert.Empty(t, left)

	_, err = archive.Restore(t.Context(), bytes.NewReader(saved), to)
	require.ErrorContains(t, err, "is not empty")
	assert.Equal(t, []string{"tern-haven"}, sites(t, filepath.Join(to, "everypost.db")), "and what is there stays")
	var apart bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), dir, &apart, false, "test", time.Now()))
	without := filepath.Join(t.TempDir(), "x")
	_, err = archive.Restore(t.Context(), &apart, without)
	require.NoError(t, err)
	assert.NoFileExists(t, filepath.Join(without, "secrets.key"))
	assert.FileExists(t, filepath.Join(without, imageName))
	empty := t.TempDir()
	_, err = archive.Restore(t.Context(), bytes.NewReader(saved), empty)
	require.NoError(t, err)
}

// contents are the files of a folder, by name.
func contents(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(path)
		out[strings.TrimPrefix(path, dir)] = string(b)
		return err
	}))
	return out
}

// Of an archive that was cut or touched nothing comes back.
func TestWhatIsNoWholeArchiveBringsNothingBack(t *testing.T) {
	t.Parallel()
	dir, _ := folder(t)
	saved := written(t, dir)
	cases := map[string][]byte{"nothing": nil, "text": []byte("hello"), "other": packed(t, [2]string{"x", "y"}),
		"way out":     packed(t, [2]string{"everypost-archive.json", `{"form":1}`}, [2]string{"../evil", "x"}),
		"a later one": packed(t, [2]string{"everypost-archive.json", `{"form":2}`}),
		"bad sums":    packed(t, [2]string{"everypost-archive.json", `{"form":1}`}, [2]string{"secrets.key", "x"}, [2]string{"SHA256SUMS", "x"}),
		"no database": packed(t, [2]string{"everypost-archive.json", `{"form":1}`})}
	for i := 0; i < len(saved); i += max(len(saved)/40, 1) {
		touched := bytes.Clone(saved)
		touched[i] ^= 1
		cases["touched at "+strings.Repeat("i", i*40/len(saved))] = touched
		cases["cut at "+strings.Repeat("i", i*40/len(saved))] = saved[:i]
	}
	whole := filepath.Join(t.TempDir(), "place")
	_, err := archive.Restore(t.Context(), bytes.NewReader(saved), whole)
	require.NoError(t, err)
	for name, data := range cases {
		parent := t.TempDir()
		to := filepath.Join(parent, "place")
		_, err := archive.Restore(t.Context(), bytes.NewReader(data), to)
		if err == nil && strings.HasPrefix(name, "touched") { // where what is packed has bits that say nothing (RFC 1951 section 3.2.4)
			assert.Equal(t, contents(t, whole), contents(t, to), "%s: what came back is what was put in", name)
			continue
		}
		require.Error(t, err, name)
		left, err := os.ReadDir(parent)
		require.NoError(t, err)
		assert.Empty(t, left, name)
	}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	require.Error(t, archive.Write(ended, dir, &bytes.Buffer{}, true, "test", time.Now()))
	require.Error(t, archive.Write(t.Context(), t.TempDir(), &bytes.Buffer{}, true, "test", time.Now()), "a folder of no service")
}

func packed(t *testing.T, files ...[2]string) []byte {
	t.Helper()
	var out bytes.Buffer
	z, err := zstd.NewWriter(&out)
	require.NoError(t, err)
	w := tar.NewWriter(z)
	for _, f := range files {
		require.NoError(t, w.WriteHeader(&tar.Header{Name: f[0], Mode: 0o600, Size: int64(len(f[1])), Typeflag: tar.TypeReg}))
		_, err := w.Write([]byte(f[1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	require.NoError(t, z.Close())
	return out.Bytes()
}
