package rendered

import (
	"strings"
	"testing"

	"yellowgate/internal/core/pageload"
)

// TestFailure: what a browser reports of a request is said in words; what another check tells, or what is no
// failure, is not said here.
func TestFailure(t *testing.T) {
	for _, c := range []struct {
		x    pageload.Request
		want string
	}{
		{pageload.Request{Status: 200}, ""}, {pageload.Request{Status: 399}, ""}, {pageload.Request{Status: 400},
			"it answers 400"}, {pageload.Request{Status: 503}, "it answers 503"},
		{pageload.Request{Failed: pageload.Policy, Status: 404}, ""}, {pageload.Request{Failed: pageload.NotCalled},
			""}, {pageload.Request{Failed: pageload.Aborted}, ""}, {pageload.Request{Failed: pageload.NotFinished}, ""},
		{pageload.Request{Failed: pageload.Mixed}, "without TLS"}, {pageload.Request{Failed: pageload.Integrity},
			"than its digest says"}, {pageload.Request{Failed: pageload.CORS}, "(CORS)"},
		{pageload.Request{Failed: pageload.WrongType, Detail: "text/plain"}, "it comes as text/plain"}, {
			pageload.Request{Failed: pageload.Refused}, "nothing responds there"}, {
			pageload.Request{Failed: pageload.NoHost}, "no such host"},
		{pageload.Request{Failed: pageload.TimedOut}, "in time"}, {pageload.Request{Failed: pageload.KeptBack},
			"keeps the answer"}, {pageload.Request{Failed: "net::ERR_NEW"}, "it failed: net::ERR_NEW"},
	} {
		if got := failure(&c.x); c.want == "" && got != "" || !strings.Contains(got, c.want) {
			t.Errorf("%s %d: %q, want %q", c.x.Failed, c.x.Status, got, c.want)
		}
	}
}
