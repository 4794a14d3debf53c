// Package testsize says how much a test tries: a sample by default, so that go test ./... ends
// within minutes on any machine, and everything with YELLOWGATE_TESTS=full.
package testsize

import "os"

// Full reports whether everything is to be tried.
func Full() bool { return os.Getenv("YELLOWGATE_TESTS") == "full" }

// Of is how many cases to try: full of them where everything is to be tried, else sample.
func Of(sample, full int) int {
	if Full() {
		return full
	}
	return sample
}

// A Skipper is a test.
type Skipper interface {
	Helper()
	Skip(args ...any)
}

// OnlyFull skips a test of which no part is worth its time by itself.
func OnlyFull(t Skipper) {
	t.Helper()
	if !Full() {
		t.Skip("only with YELLOWGATE_TESTS=full")
	}
}
