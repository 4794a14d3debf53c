package fsys

import (
	"io/fs"
	"time"
)

// A Stamp is what the file system reports a file that changes whenever its bytes do:
// nobody can set the time of the last change, and a file that took another's place has
// another number. Times are nanoseconds since 1970.
type Stamp struct {
	Size   int64
	ModAt  int64
	Change int64  // 0 where the system does not tell, or where it cannot be relied on
	Number uint64 // of the inode
	Device uint64
}

// Safe reports whether a file with an equal stamp has the same bytes.
func (s Stamp) Safe() bool { return s.Change != 0 }

// Slack is how long after a change another one could bear the same time: the clock of a
// file system may tick slowly.
var Slack = 20 * time.Millisecond

// Distrust makes a stamp unsafe that was taken so soon after the last change that a later
// one could bear the same time, or that is of another file system than the device.
func (s *Stamp) Distrust(seen time.Time, device uint64) {
	slack := Slack
	if s.Change%int64(time.Second) == 0 {
		slack = max(slack, 2*time.Second) // a file system without fractions
	}
	if s.Device != device || time.Unix(0, s.Change).After(seen.Add(-slack)) {
		s.Change = 0
	}
}

// StampOf is the stamp that a file has now.
func StampOf(info fs.FileInfo) Stamp {
	s := Stamp{Size: info.Size(), ModAt: info.ModTime().UnixNano()}
	fill(&s, info)
	return s
}
