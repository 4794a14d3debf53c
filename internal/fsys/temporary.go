package fsys

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// Temporary folders. They hold pages of sites that ask for a password, and what a browser keeps: a program
// that is killed cannot remove its own, so the next one does.

const temporary = "yellowgate-"

// MakeTemporary makes a folder of this process, that nobody else may read, and removes what processes
// left that are gone. Whoever makes one removes it.
func MakeTemporary() (string, error) {
	sweep(os.TempDir())
	return os.MkdirTemp("", fmt.Sprintf("%s%d-", temporary, os.Getpid()))
}

// sweep removes the folders of processes that are gone.
func sweep(dir string) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return
	}
	for _, e := range entries {
		rest, ours := strings.CutPrefix(e.Name(), temporary)
		number, _, named := strings.Cut(rest, "-")
		pid, err := strconv.Atoi(number)
		if !ours || !named || err != nil || !e.IsDir() || alive(pid) {
			continue
		}
		if info, err := e.Info(); err == nil && Mine(info) {
			_ = os.RemoveAll(filepath.Join(dir, e.Name()))
		}
	}
}

// alive reports whether a process runs; true where nobody can tell.
func alive(pid int) bool {
	if pid == os.Getpid() {
		return true
	}
	p, err := os.FindProcess(pid)
	if err != nil {
		return false
	}
	return running(p)
}
