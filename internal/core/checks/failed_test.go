package checks

import (
	"strings"
	"testing"

	"yellowgate/internal/core/rendered"
)

// TestFailure: what a browser reports of a request is said in words; what another check tells, or what is no
// failure, is not said here.
func TestFailure(t *testing.T) {
	for _, c := range []struct {
		x    rendered.Request
		want string
	}{
		{rendered.Request{Status: 200}, ""}, {rendered.Request{Status: 399}, ""}, {rendered.Request{Status: 400}, "it answers 400"}, {rendered.Request{Status: 503}, "it answers 503"},
		{rendered.Request{Failed: rendered.Policy, Status: 404}, ""}, {rendered.Request{Failed: rendered.NotCalled}, ""}, {rendered.Request{Failed: rendered.Aborted}, ""}, {rendered.Request{Failed: rendered.NotFinished}, ""},
		{rendered.Request{Failed: rendered.Mixed}, "without TLS"}, {rendered.Request{Failed: rendered.Integrity}, "than its digest says"}, {rendered.Request{Failed: rendered.CORS}, "(CORS)"},
		{rendered.Request{Failed: rendered.WrongType, Detail: "text/plain"}, "it comes as text/plain"}, {rendered.Request{Failed: rendered.Refused}, "nobody answers there"}, {rendered.Request{Failed: rendered.NoHost}, "no such host"},
		{rendered.Request{Failed: rendered.TimedOut}, "in time"}, {rendered.Request{Failed: rendered.KeptBack}, "keeps the answer"}, {rendered.Request{Failed: "net::ERR_NEW"}, "it failed: net::ERR_NEW"},
	} {
		if got := failure(&c.x); c.want == "" && got != "" || !strings.Contains(got, c.want) {
			t.Errorf("%s %d: %q, want %q", c.x.Failed, c.x.Status, got, c.want)
		}
	}
}
