// Package archive puts all that a service keeps into one file, while it works, and brings it back into an empty folder.
package archive

import (
	"archive/tar"
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"github.com/klauspost/compress/zstd"

	"example.net/everypost/internal/store"
)

// An archive is a tar file (POSIX.1-2001) that is compressed (Zstandard, RFC 8878): what it is, the files of the folder, and their checksums.
const (
	aboutName = "everypost-archive.json"
	sumsName  = "SHA256SUMS"
	form      = 1
	database  = "everypost.db"
	keyName   = "secrets.key"
	scratchOf = ".archive-"
)

// ErrInvalid tells that a file is no archive, or not a whole one.
var ErrInvalid = errors.New("that is no whole archive of a service")

// About is what an archive says of itself.
type About struct {
	Form    int       `json:"form"`
	Version string    `json:"version"` // of the program that wrote it
	At      time.Time `json:"at"`
}

// kept are the files that an archive may hold.
var kept = regexp.MustCompile(`^(everypost\.db|secrets\.key|bootstrap\.pem|firmware/[0-9a-f]{64}\.image)$`)

// Write writes an archive of the folder of a service, which may work meanwhile; with or without the key of its secrets, which may be kept apart.
func Write(ctx context.Context, dir string, w io.Writer, key bool, version string, at time.Time) (err error) {
	left, _ := filepath.Glob(filepath.Join(dir, scratchOf+"*"))
	for _, l := range left { // of one that was killed
		if info, err := os.Stat(l); err == nil && at.Sub(info.ModTime()) > 24*time.Hour {
			_ = os.RemoveAll(l)
		}
	}
	scratch, err := os.MkdirTemp(dir, scratchOf)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(scratch)) }()
	copied := filepath.Join(scratch, database)
	if err := store.Copy(ctx, filepath.Join(dir, database), copied); err != nil {
		return err
	}
	z, err := zstd.NewWriter(w)
	if err != nil {
		return err
	}
	out := &writer{ctx: ctx, tar: tar.NewWriter(z), at: at, key: key}
	about, err := json.Marshal(About{form, version, at.UTC()})
	if err != nil {
		return err
	}
	if err := out.put(aboutName, int64(len(about)), bytes.NewReader(about)); err != nil {
		return err
	}
	if err := out.file(database, copied); err != nil {
		return err
	}
	if err := out.folder(dir); err != nil {
		return err
	}
	sums := out.sums.String()
	if err := out.put(sumsName, int64(len(sums)), strings.NewReader(sums)); err != nil {
		return err
	}
	return errors.Join(out.tar.Close(), z.Close())
}

type writer struct {
	ctx  context.Context
	tar  *tar.Writer
	at   time.Time
	key  bool
	sums strings.Builder
}

// folder puts what lies in a folder besides the database.
func (w *writer) folder(dir string) error {
	return filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name, err := filepath.Rel(dir, path)
		if err != nil || d.IsDir() {
			return err
		}
		if name = filepath.ToSlash(name); name == database || name == keyName && !w.key || !kept.MatchString(name) {
			return nil
		}
		return w.file(name, path)
	})
}

func (w *writer) file(name, path string) error {
	f, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil // an image that was just removed
	}
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	return w.put(name, info.Size(), f)
}

func (w *writer) put(name string, size int64, from io.Reader) error {
	if err := w.ctx.Err(); err != nil {
		return err
	}
	if err := w.tar.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: size, ModTime: w.at, Typeflag: tar.TypeReg}); err != nil {
		return err
	}
	sum := sha256.New()
	if _, err := io.CopyN(io.MultiWriter(w.tar, sum), from, size); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	fmt.Fprintf(&w.sums, "%s  %s\n", hex.EncodeToString(sum.Sum(nil)), name)
	return nil
}

// Restore brings an archive back into a folder that is empty or not there. Nothing is left there where it fails.
func Restore(ctx context.Context, r io.Reader, dir string) (about About, err error) {
	there, err := os.ReadDir(dir)
	switch {
	case err == nil && len(there) > 0:
		return about, fmt.Errorf("%s is not empty: an archive is brought back into an empty folder", dir)
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return about, err
	}
	if err := os.MkdirAll(filepath.Dir(filepath.Clean(dir)), 0o700); err != nil {
		return about, err
	}
	scratch, err := os.MkdirTemp(filepath.Dir(filepath.Clean(dir)), ".restoring-")
	if err != nil {
		return about, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(scratch)) }()
	if about, err = extract(ctx, r, scratch); err != nil {
		return about, err
	}
	if err := store.Check(ctx, filepath.Join(scratch, database)); err != nil {
		return about, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return about, err
	}
	return about, os.Rename(scratch, dir)
}

const maxText = 1 << 20 // of what an archive says of itself, and of its checksums

func extract(ctx context.Context, r io.Reader, dir string) (about About, err error) {
	bad := func(err error) error { return fmt.Errorf("%w: %w", ErrInvalid, err) }
	z, err := zstd.NewReader(r, zstd.WithDecoderMaxMemory(256<<20))
	if err != nil {
		return about, bad(err)
	}
	defer z.Close()
	plain := bufio.NewReader(z)
	in := tar.NewReader(plain)
	var sums strings.Builder
	for {
		h, err := in.Next()
		switch {
		case err != nil: // it ends before its checksums
			return about, bad(err)
		case ctx.Err() != nil:
			return about, ctx.Err()
		case h.Name == sumsName:
			said, err := io.ReadAll(io.LimitReader(in, maxText))
			if err != nil || string(said) != sums.String() {
				return about, bad(errors.New("its files are not what was written"))
			}
			return about, ended(plain)
		}
		sum := sha256.New()
		switch {
		case h.Name == aboutName && sums.Len() == 0:
			said, err := io.ReadAll(io.TeeReader(io.LimitReader(in, maxText), sum))
			if err != nil {
				return about, bad(err)
			}
			if err := json.Unmarshal(said, &about); err != nil || about.Form != form {
				return about, bad(fmt.Errorf("it is of form %d, and this program reads form %d", about.Form, form))
			}
		case sums.Len() == 0 || h.Typeflag != tar.TypeReg || !kept.MatchString(h.Name):
			return about, bad(fmt.Errorf("it holds %q", h.Name))
		default:
			if err := save(filepath.Join(dir, filepath.FromSlash(h.Name)), io.TeeReader(in, sum)); err != nil {
				return about, err
			}
		}
		fmt.Fprintf(&sums, "%s  %s\n", hex.EncodeToString(sum.Sum(nil)), h.Name)
	}
}

// ended reads what is left of an archive, which is but padding: only at its very end it is known that nothing of it was touched.
func ended(r io.Reader) error {
	n, err := io.Copy(io.Discard, io.LimitReader(r, maxText))
	if err == nil && n == maxText {
		err = errors.New("it goes on after its end")
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	return nil
}

func save(path string, from io.Reader) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	if _, err := io.Copy(f, from); err != nil {
		return errors.Join(fmt.Errorf("%s: %w", filepath.Base(path), err), f.Close())
	}
	return errors.Join(f.Sync(), f.Close())
}
