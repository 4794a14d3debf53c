package fsys

import (
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync"
)

// UsualMemory is what the program takes, in bytes, before it collects what it no longer
// needs, whatever the cost.
const UsualMemory = 126 << 20

// copies is how many times its own size a file may take while it is worked on.
const copies = 12

var (
	memoryMu sync.Mutex
	biggest  int64 // the largest file that was read
	live     int64 // what was needed at the last collection
)

// Collect sets how often memory is collected: seldom, since pages come and go quickly, but never
// more of it is taken than has to be. A limit below what is needed makes the collector run all the
// time, so the limit follows: where much is kept, a quarter more may be taken, and some.
func Collect() {
	debug.SetGCPercent(400)
	setLimit()
	afterEach(func() {
		sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
		metrics.Read(sample)
		memoryMu.Lock()
		defer memoryMu.Unlock()
		if now := int64(sample[0].Value.Uint64()); now > live || now < live*2/3 {
			live = now
			setLimit()
		}
	})
}

// afterEach calls do after every collection.
func afterEach(do func()) {
	type sentinel struct{ _ [16]byte }
	var arm func()
	arm = func() {
		runtime.SetFinalizer(&sentinel{}, func(*sentinel) {
			do()
			arm()
		})
	}
	arm()
}

// setLimit sets the limit by what is known.
func setLimit() {
	debug.SetMemoryLimit(max(UsualMemory, live*5/4+UsualMemory/4) + bigPages())
}

func bigPages() int64 {
	if copies*biggest <= UsualMemory/4 {
		return 0
	}
	return copies * biggest
}

// RaiseMemoryLimit lets the memory limit grow with the largest file that is read.
func RaiseMemoryLimit(size int64) {
	if copies*size <= UsualMemory/4 {
		return
	}
	memoryMu.Lock()
	defer memoryMu.Unlock()
	if size > biggest {
		biggest = size
		setLimit()
	}
}
