package fsys

import (
	"runtime"
	"runtime/debug"
	"testing"
	"time"
)

// TestCollect: the memory limit follows what is kept, up and down again, so that the collector does
// not run all the time; a large file makes room for itself.
func TestCollect(t *testing.T) {
	percent, limit := debug.SetGCPercent(-1), debug.SetMemoryLimit(-1)
	defer func() {
		debug.SetGCPercent(percent)
		debug.SetMemoryLimit(limit)
		memoryMu.Lock()
		defer memoryMu.Unlock()
		biggest, live = 0, 0
	}()
	debug.SetGCPercent(percent)
	Collect()
	if got := debug.SetMemoryLimit(-1); got != UsualMemory {
		t.Errorf("at first the limit is %d, not %d", got, UsualMemory)
	}
	settles := func(what string, ok func(limit int64) bool) {
		t.Helper()
		for range 100 {
			runtime.GC()
			time.Sleep(10 * time.Millisecond)
			if ok(debug.SetMemoryLimit(-1)) {
				return
			}
		}
		t.Errorf("%s: the limit is %d MB", what, debug.SetMemoryLimit(-1)>>20)
	}
	const much = 300 << 20
	kept := make([]byte, much)
	settles("with 300 MB kept", func(limit int64) bool { return limit > much*5/4 })
	runtime.KeepAlive(kept)
	kept = nil
	settles("once it is let go", func(limit int64) bool { return limit < much })
	RaiseMemoryLimit(40 << 20)
	if got := debug.SetMemoryLimit(-1); got < copies*40<<20 {
		t.Errorf("for a file of 40 MB the limit is %d MB", got>>20)
	}
}
