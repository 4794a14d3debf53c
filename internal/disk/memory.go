package disk

import (
	"runtime/debug"
	"sync"
)

// UsualMemory is what the program takes, in bytes, before it collects what it no longer
// needs, whatever the cost.
const UsualMemory = 126 << 20

// copies is how many times its own size a file may take while it is worked on.
const copies = 12

var (
	bigMu   sync.Mutex
	biggest int64
)

// Big lets the memory limit grow with the largest file that is read: a limit below what a
// page needs makes the collector run all the time.
func Big(size int64) {
	if copies*size <= UsualMemory/4 {
		return
	}
	bigMu.Lock()
	defer bigMu.Unlock()
	if size > biggest {
		biggest = size
		debug.SetMemoryLimit(UsualMemory + copies*size)
	}
}
