package service

import "syscall"

// diskUsed tells how much of the disk of a folder is used, in parts of 1; 0 where that cannot be told.
func diskUsed(dir string) float64 {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil || s.Blocks == 0 {
		return 0
	}
	return 1 - float64(s.Bavail)/float64(s.Blocks)
}
