package fsys

import (
	"fmt"
	"io/fs"
	"syscall"

	"golang.org/x/sys/unix"
)

func fill(s *Stamp, info fs.FileInfo) {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		s.Change, s.Number, s.Device = st.Ctim.Nano(), st.Ino, uint64(st.Dev)
	}
}

// keeping are the file systems that set the time of change at every change.
var keeping = map[int64]bool{
	unix.EXT4_SUPER_MAGIC: true, unix.XFS_SUPER_MAGIC: true, unix.BTRFS_SUPER_MAGIC: true, unix.TMPFS_MAGIC: true,
	unix.OVERLAYFS_SUPER_MAGIC: true, unix.F2FS_SUPER_MAGIC: true, 0x2fc12fc1: true, // the last one is ZFS
}

// Keeps is the device of a folder whose file system can be relied on to change a
// file's stamp with its bytes; ok is false where that is not known.
func Keeps(dir string) (device uint64, ok bool) {
	var f unix.Statfs_t
	var st unix.Stat_t
	if unix.Statfs(dir, &f) != nil || unix.Stat(dir, &st) != nil || !keeping[int64(f.Type)] {
		return 0, false
	}
	return uint64(st.Dev), true
}

// FolderID tells a folder from one that was made in its place later: its number and the
// time of its making; "" where the system tells neither.
func FolderID(dir string) string {
	var st unix.Statx_t
	if unix.Statx(unix.AT_FDCWD, dir, 0, unix.STATX_INO|unix.STATX_BTIME, &st) != nil {
		return ""
	}
	id := fmt.Sprint(st.Ino)
	if st.Mask&unix.STATX_BTIME != 0 {
		id += fmt.Sprintf(":%d.%09d", st.Btime.Sec, st.Btime.Nsec)
	}
	return id
}
