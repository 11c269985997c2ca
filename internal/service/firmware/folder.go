package firmware

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"example.net/everypost/internal/store"
)

const (
	imageSuffix = ".image"
	byFolder    = "the folder" // who added an image that came so
)

// seenFile is a file as it was looked at.
type seenFile struct {
	size int64
	at   time.Time
}

// watchFolder takes new images from a folder into the library, where they wait to be approved.
func (s *Service) watchFolder(ctx context.Context) {
	tick := time.NewTicker(s.Timing.Folder)
	defer tick.Stop()
	before, done := map[string]seenFile{}, map[string]seenFile{}
	for {
		before = s.lookAtFolder(ctx, before, done)
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// lookAtFolder adds the images that were there before just as they are now, so that none is read while it is written. It returns how the files are now.
func (s *Service) lookAtFolder(ctx context.Context, before, done map[string]seenFile) map[string]seenFile {
	now := map[string]seenFile{}
	files, err := os.ReadDir(s.Parts.Folder)
	if err != nil {
		s.Log.Warn("the folder of new images cannot be read", "err", err)
		return now
	}
	for _, f := range files {
		info, err := f.Info()
		if err != nil || !f.Type().IsRegular() || !strings.HasSuffix(f.Name(), imageSuffix) || len(now) > maxImages {
			continue
		}
		one := seenFile{info.Size(), info.ModTime()}
		now[f.Name()] = one
		if before[f.Name()] != one || done[f.Name()] == one {
			continue
		}
		done[f.Name()] = one
		if err := s.addFile(ctx, filepath.Join(s.Parts.Folder, f.Name())); err != nil && !errors.Is(err, store.ErrExists) && ctx.Err() == nil {
			s.Log.Warn("a file of the folder of new images was not taken", "file", f.Name(), "err", err)
		}
	}
	return now
}

func (s *Service) addFile(ctx context.Context, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	i, err := s.Add(ctx, f, byFolder)
	if err != nil {
		return err
	}
	return s.Store.Audit(ctx, store.AuditEntry{At: s.now(), User: byFolder, Action: "add-image", Object: fmt.Sprint(i.Number), Detail: "done: " + filepath.Base(path)})
}
