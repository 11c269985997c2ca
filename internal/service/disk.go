package service

import (
	"io/fs"
	"path/filepath"
	"syscall"
)

// diskUsed tells how much of the disk of a folder is used, in parts of 1; 0 where that cannot be told.
func diskUsed(dir string) float64 {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil || s.Blocks == 0 {
		return 0
	}
	return 1 - float64(s.Bavail)/float64(s.Blocks)
}

// Room tells how much all that the service keeps takes, in octets, and how much of its disk is used by whatever, in parts of 1.
func (s *Service) Room() (octets int64, used float64) {
	_ = filepath.WalkDir(s.dir, func(_ string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			if i, err := d.Info(); err == nil {
				octets += i.Size()
			}
		}
		return nil // what cannot be looked at, or is just gone, is not counted
	})
	return octets, diskUsed(s.dir)
}
