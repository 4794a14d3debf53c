package disk

import (
	"fmt"
	"io/fs"
	"syscall"

	"golang.org/x/sys/unix"
)

func fill(s *Stamp, info fs.FileInfo) {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		s.Change, s.Number, s.Device = st.Ctimespec.Nano(), st.Ino, uint64(st.Dev)
	}
}

// Keeps is the device of a folder whose file system can be relied on to change a
// file's stamp with its bytes; ok is false where that is not known.
func Keeps(dir string) (device uint64, ok bool) {
	var f unix.Statfs_t
	var st unix.Stat_t
	if unix.Statfs(dir, &f) != nil || unix.Stat(dir, &st) != nil || unix.ByteSliceToString(f.Fstypename[:]) != "apfs" {
		return 0, false
	}
	return uint64(st.Dev), true
}

// FolderID tells a folder from one that was made in its place later: its number and the
// time of its making.
func FolderID(dir string) string {
	var st unix.Stat_t
	if unix.Stat(dir, &st) != nil {
		return ""
	}
	return fmt.Sprintf("%d:%d.%09d", st.Ino, st.Btim.Sec, st.Btim.Nsec)
}
