package run_test

import (
	"os"
	"testing"
	"yellowgate/internal/run"
	"yellowgate/internal/site"
)

func BenchmarkCompareX(b *testing.B) {
	os.Chdir("/dev/shm/speed")
	p, _, err := site.Open("yellowgate.yaml", site.Options{})
	if err != nil {
		b.Fatal(err)
	}
	p.Walk()
	for range b.N {
		if _, err := run.Compare(run.CompareOptions{Before: "site", After: "public", Project: p, Roughly: true}); err != nil {
			b.Fatal(err)
		}
	}
}
func BenchmarkAuditX(b *testing.B) {
	os.Chdir("/dev/shm/speed")
	p, _, err := site.Open("yellowgate.yaml", site.Options{})
	if err != nil {
		b.Fatal(err)
	}
	p.Walk()
	for range b.N {
		if _, err := run.Audit(run.AuditOptions{Dir: p.Output, Project: p, NoNotes: true}); err != nil {
			b.Fatal(err)
		}
	}
}
