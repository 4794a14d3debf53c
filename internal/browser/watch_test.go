package browser

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/audits"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"

	"yellowgate/internal/core/pageload"
)

// at is a moment of the browser's clock.
func at(ms int) cdp.MonotonicTime { return cdp.MonotonicTime(1000 + float64(ms)/1000) }

func sent(id, url string, kind network.ResourceType, ms int, by *network.Initiator) *network.EventRequestWillBeSent {
	return &network.EventRequestWillBeSent{RequestID: network.RequestID(id),
		Request: &network.Request{URL: url, Method: "GET"}, Type: kind, Timestamp: at(ms), Initiator: by}
}

// TestWatch: what the browser tells becomes requests, with who asked and why they failed.
func TestWatch(t *testing.T) {
	r := &pageload.Record{}
	w := newWatch(r, func(host string) bool { return strings.HasSuffix(host, ".example") && host != "ternhill.example" })
	parser := &network.Initiator{Type: network.InitiatorTypeParser, URL: "https://ternhill.example/", LineNumber: 3}
	script := &network.Initiator{Type: network.InitiatorTypeScript,
		Stack: &runtime.StackTrace{
			CallFrames: []*runtime.CallFrame{{URL: ""}, {URL: "https://ternhill.example/a.js", LineNumber: 6}}}}
	later := &network.Initiator{Type: network.InitiatorTypeScript,
		Stack: &runtime.StackTrace{
			Parent: &runtime.StackTrace{
				CallFrames: []*runtime.CallFrame{{URL: "https://ternhill.example/b.js", LineNumber: 0}}}}}
	style := &network.Initiator{Type: network.InitiatorTypeParser, URL: "https://ternhill.example/a.css"}
	redirect := sent("1", "https://ternhill.example/", network.ResourceTypeDocument, 5, nil)
	redirect.RedirectResponse = &network.Response{Status: 301, EncodedDataLength: 120}
	inFrame := sent("6", "https://ternhill.example/frame", network.ResourceTypeDocument, 36, parser)
	inFrame.FrameID = "f"
	for _, e := range []any{
		sent("1", "https://ternhill.example/home", network.ResourceTypeDocument, 0, nil), redirect,
		&network.EventResponseReceived{RequestID: "1",
			Response: &network.Response{Status: 200, Protocol: "h2",
				Headers: network.Headers{"Content-Encoding": "br"}}},
		&network.EventDataReceived{RequestID: "1", DataLength: 400}, &network.EventDataReceived{RequestID: "1",
			DataLength: 100},
		&network.EventLoadingFinished{RequestID: "1", Timestamp: at(20), EncodedDataLength: 250},
		sent("2", "https://ternhill.example/a.js", network.ResourceTypeScript, 21, parser),
		sent("3", "https://count.example/p.gif", network.ResourceTypeImage, 30, script),
		&network.EventLoadingFailed{RequestID: "3", Timestamp: at(31), ErrorText: "net::ERR_NAME_NOT_RESOLVED"},
		sent("4", "https://ternhill.example/b.png", network.ResourceTypeImage, 32, style),
		&network.EventLoadingFailed{RequestID: "4", Timestamp: at(33), BlockedReason: network.BlockedReasonCsp},
		sent("5", "https://ternhill.example/api", network.ResourceTypeFetch, 34, later),
		&network.EventLoadingFailed{RequestID: "5", Timestamp: at(35),
			CorsErrorStatus: &network.CorsErrorStatus{CorsError: network.CorsErrorDisallowedByMode}},
		inFrame,
		sent("7", "data:image/gif;base64,AA", network.ResourceTypeImage, 36, parser),
		sent("8", "https://ternhill.example/c.js", network.ResourceTypeScript, 37, parser),
		&cdplog.EventEntryAdded{
			Entry: &cdplog.Entry{Level: cdplog.EntryLevelError, Source: cdplog.EntrySourceSecurity,
				Text: "Failed to find a valid digest in the 'integrity' attribute for resource 'https://ternhill.example/c.js' with computed SHA-384"}},
		&cdplog.EventEntryAdded{
			Entry: &cdplog.Entry{Level: cdplog.EntryLevelError, Source: cdplog.EntrySourceNetwork,
				Text: "Failed to load resource"}},
		&cdplog.EventEntryAdded{
			Entry: &cdplog.Entry{Level: cdplog.EntryLevelError, Source: cdplog.EntrySourceSecurity,
				Text: "Refused to execute inline script", URL: "https://ternhill.example/", LineNumber: 8}},
		&runtime.EventExceptionThrown{
			ExceptionDetails: &runtime.ExceptionDetails{Text: "Uncaught", URL: "https://ternhill.example/a.js",
				LineNumber: 2, Exception: &runtime.RemoteObject{Description: "TypeError: x\n    at y"}}},
		&runtime.EventConsoleAPICalled{Type: runtime.ConsoleAPICalledTypeError,
			Args:       []*runtime.RemoteObject{{Value: []byte(`"went wrong"`)}, {Description: "Error: z\n at"}},
			StackTrace: script.Stack},
		&runtime.EventConsoleAPICalled{Type: runtime.ConsoleAPICalledTypeLog},
		&network.EventWebSocketCreated{RequestID: "9", URL: "wss://chat.example/", Initiator: script},
		&network.EventWebSocketHandshakeResponseReceived{RequestID: "9", Response: &network.WebSocketResponse{Status: 101}},
		&network.EventRequestServedFromCache{RequestID: "2"},
		&network.EventLoadingFinished{RequestID: "unknown", Timestamp: at(40)},
		&page.EventLoadEventFired{},
	} {
		w.hear(e)
	}
	w.finish()
	w.hear(sent("10", "https://ternhill.example/late", network.ResourceTypeFetch, 99, script))
	type row struct {
		kind, failed, by, from string
		line, status           int
		wire, bytes            int64
		cached                 bool
	}
	want := []row{
		{"document", "", "other", "", 0, 301, 120, 0, false},
		{"document", "", "redirect", "https://ternhill.example/home", 0, 200, 250, 500, false},
		{"script", pageload.NotFinished, "page", "https://ternhill.example/", 4, 0, 0, 0, true},
		{"image", pageload.NotCalled, "script", "https://ternhill.example/a.js", 7, 0, 0, 0, false},
		{"image", pageload.Policy, "style", "https://ternhill.example/a.css", 1, 0, 0, 0, false},
		{"fetch", pageload.CORS, "script", "https://ternhill.example/b.js", 1, 0, 0, 0, false},
		{"frame", pageload.NotFinished, "page", "https://ternhill.example/", 4, 0, 0, 0, false},
		{"script", pageload.Integrity, "page", "https://ternhill.example/", 4, 0, 0, 0, false},
		{"socket", "", "script", "https://ternhill.example/a.js", 7, 101, 0, 0, false},
	}
	if len(r.Requests) != len(want) {
		t.Fatalf("%d requests, want %d", len(r.Requests), len(want))
	}
	for i, x := range r.Requests {
		if got := (row{x.Kind, x.Failed, x.Asked.By, x.Asked.URL, x.Asked.Line, x.Status, x.Wire, x.Bytes,
			x.Cached}); got != want[i] {
			t.Errorf("request %d: %+v, want %+v", i, got, want[i])
		}
	}
	if x := r.Requests[1]; x.Begun != 5 || x.Ended != 20 || x.Coding != "br" || x.Protocol != "h2" ||
		r.Requests[0].Ended != 5 {
		t.Errorf("times and codings: %+v", x)
	}
	var said []string
	for _, m := range r.Mistakes {
		said = append(said, m.Kind+" "+m.Message+" "+m.URL)
	}
	if got := strings.Join(said, "|"); got !=
		"console Refused to execute inline script https://ternhill.example/|exception TypeError: x https://ternhill.example/a.js|console went wrong Error: z https://ternhill.example/a.js" {
		t.Errorf("mistakes: %s", got)
	}
}

// TestQuiet: quiet is waited for while something is under way, and no longer than the most.
func TestQuiet(t *testing.T) {
	w := newWatch(&pageload.Record{}, func(string) bool { return false })
	began := time.Now()
	w.quiet(t.Context(), 50*time.Millisecond, 300*time.Millisecond)
	if took := time.Since(began); took < 290*time.Millisecond || took > 3*time.Second {
		t.Errorf("a page that never loads: %s", took)
	}
	w.hear(sent("1", "https://ternhill.example/", network.ResourceTypeDocument, 0, nil))
	w.hear(&page.EventLoadEventFired{})
	go func() {
		time.Sleep(100 * time.Millisecond)
		w.hear(&network.EventLoadingFinished{RequestID: "1", Timestamp: at(9)})
	}()
	began = time.Now()
	w.quiet(t.Context(), 60*time.Millisecond, 5*time.Second)
	if took := time.Since(began); took < 150*time.Millisecond || took > 3*time.Second {
		t.Errorf("a page that is quiet after 100 ms: %s", took)
	}
	ctx, stop := context.WithCancel(t.Context())
	stop()
	w.hear(sent("2", "https://ternhill.example/x", network.ResourceTypeFetch, 10, nil))
	began = time.Now()
	if w.quiet(ctx, time.Second, 5*time.Second); time.Since(began) > time.Second {
		t.Error("it waits though nobody wants it")
	}
}

// TestUsedOf: of ranges within ranges the innermost counts.
func TestUsedOf(t *testing.T) {
	ranges := func(list ...[3]int64) *profiler.FunctionCoverage {
		f := &profiler.FunctionCoverage{}
		for _, x := range list {
			f.Ranges = append(f.Ranges, &profiler.CoverageRange{StartOffset: x[0], EndOffset: x[1], Count: x[2]})
		}
		return f
	}
	for _, c := range []struct {
		functions     []*profiler.FunctionCoverage
		total, unused int
	}{
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 100, 1})}, 100, 0},
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 100, 1}), ranges([3]int64{10, 40, 0})}, 100, 30},
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 100, 1}),
			ranges([3]int64{10, 90, 1}, [3]int64{20, 30, 0}, [3]int64{40, 60, 0}), ranges([3]int64{60, 70, 0})},
			100, 40},
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 100, 1}), ranges([3]int64{10, 90, 0}, [3]int64{20, 30, 3})},
			100, 70},
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 100, 0})}, 100, 100},
		{[]*profiler.FunctionCoverage{ranges([3]int64{0, 10, 1}, [3]int64{10, 10, 0})}, 10, 0},
		{nil, 0, 0},
	} {
		if total, unused := usedOf(&profiler.ScriptCoverage{Functions: c.functions}); total != c.total || unused != c.unused {
			t.Errorf("%d of %d are unused, want %d of %d", unused, total, c.unused, c.total)
		}
	}
}

// TestForms: screens and hosts as they are written.
func TestForms(t *testing.T) {
	for text, want := range map[string]string{"1280x800": "1280x800", "390x844": "390x844", "1x1": "", "1280": "",
		"1280X800": "", "-5x20": "", "123456x10": ""} {
		s, err := ParseScreen(text)
		if (err == nil) != (want != "") || err == nil && s.String() != want {
			t.Errorf("%s: %v %v", text, s, err)
		}
	}
	for text, ok := range map[string]bool{"pay.lantern.example=127.0.0.1:9001": true, "a=b": false,
		"=127.0.0.1:1": false, "a.example": false, "a.example, MAP *=x:1": false, "*=127.0.0.1:1": false} {
		if _, err := ParseHost(text); (err == nil) != ok {
			t.Errorf("%s: %v", text, err)
		}
	}
	if _, err := find("/nowhere/chromium"); err == nil {
		t.Error("a browser that is not there is found")
	}
}

// TestPolicy: what a policy stops gets its directive, with a request where the browser tells of none;
// inline code is a mistake, and a policy that only reports stops nothing.
func TestPolicy(t *testing.T) {
	r := &pageload.Record{}
	w := newWatch(r, func(string) bool { return true })
	type violation = audits.ContentSecurityPolicyViolationType
	issue := func(url, directive string, kind violation, only bool) *audits.EventIssueAdded {
		of := &audits.ContentSecurityPolicyIssueDetails{
			BlockedURL: url, ViolatedDirective: directive, ContentSecurityPolicyViolationType: kind, IsReportOnly: only,
			SourceCodeLocation: &audits.SourceCodeLocation{URL: "https://ternhill.example/a.js", LineNumber: 6},
		}
		details := &audits.InspectorIssueDetails{ContentSecurityPolicyIssueDetails: of}
		return &audits.EventIssueAdded{Issue: &audits.InspectorIssue{Details: details}}
	}
	for _, e := range []any{
		sent("1", "https://ternhill.example/", network.ResourceTypeDocument, 0, nil),
		sent("2", "https://s.example/x.js", network.ResourceTypeScript, 1, nil),
		&network.EventLoadingFailed{RequestID: "2", Timestamp: at(2), BlockedReason: network.BlockedReasonCsp},
		issue("https://s.example/x.js", "script-src-elem", "kURLViolation", false),
		issue("https://data.example/stars", "connect-src", "kURLViolation", false),
		issue("https://data.example/stars", "connect-src", "kURLViolation", false),
		issue("https://told.example/", "connect-src", "kURLViolation", true),
		issue("", "script-src", "kEvalViolation", false),
		issue("", "style-src-attr", "kInlineViolation", true),
		issue("", "require-trusted-types-for", "kTrustedTypesSinkViolation", false),
		&audits.EventIssueAdded{Issue: &audits.InspectorIssue{}},
	} {
		w.hear(e)
	}
	w.finish()
	if len(r.Requests) != 3 || r.Requests[1].Failed != pageload.Policy || r.Requests[1].Detail != "script-src-elem" {
		t.Errorf("requests: %+v", r.Requests)
	}
	if x := r.Requests[len(r.Requests)-1]; x.URL != "https://data.example/stars" || x.Kind != "fetch" ||
		x.Failed != pageload.Policy || x.Detail != "connect-src" || x.Asked.Line != 7 {
		t.Errorf("what the browser tells no request of: %+v", x)
	}
	if len(r.Mistakes) != 1 || r.Mistakes[0].Kind != "policy" ||
		r.Mistakes[0].Message != "script-src does not allow code made of a text (eval)" || r.Mistakes[0].Line != 7 {
		t.Errorf("mistakes: %+v", r.Mistakes)
	}
}

// TestUsedRules: what several rules cover counts once.
func TestUsedRules(t *testing.T) {
	rule := func(sheet string, from, to float64, used bool) *css.RuleUsage {
		return &css.RuleUsage{StyleSheetID: cdp.StyleSheetID(sheet), StartOffset: from, EndOffset: to, Used: used}
	}
	got := usedRules(
		[]*css.RuleUsage{rule("a", 50, 80, true), rule("a", 0, 30, true), rule("a", 50, 80, true),
			rule("a", 90, 95, false), rule("b", 10, 20, true), rule("a", 20, 40, true), rule("b", 12, 15, true)})
	if len(got) != 2 || got["a"] != 70 || got["b"] != 10 {
		t.Errorf("%v, want 70 of a and 10 of b", got)
	}
}

// TestRefused: what comes as another type than was asked for is told by that type, and an error page by
// its status, whichever the browser says first.
func TestRefused(t *testing.T) {
	r := &pageload.Record{}
	w := newWatch(r, func(string) bool { return false })
	says := func(what, url, kind string) *cdplog.EventEntryAdded {
		return &cdplog.EventEntryAdded{
			Entry: &cdplog.Entry{Level: cdplog.EntryLevelError, Source: cdplog.EntrySourceSecurity,
				Text: "Refused to " + what + " from '" + url + "' because its MIME type ('" + kind +
					"') is not executable, and strict MIME type checking is enabled."}}
	}
	answer := func(id string, status int64) *network.EventResponseReceived {
		return &network.EventResponseReceived{RequestID: network.RequestID(id), Response: &network.Response{Status: status}}
	}
	aborted := func(id string) *network.EventLoadingFailed {
		return &network.EventLoadingFailed{RequestID: network.RequestID(id), Timestamp: at(9),
			ErrorText: "net::ERR_ABORTED", Canceled: true}
	}
	for _, e := range []any{
		sent("1", "https://ternhill.example/", network.ResourceTypeDocument, 0, nil), answer("1", 200),
		sent("2", "https://ternhill.example/a.js#x", network.ResourceTypeScript, 1, nil), answer("2", 200), says(
			"execute script", "https://ternhill.example/a.js", "text/html"), aborted("2"),
		sent("3", "https://ternhill.example/gone.js", network.ResourceTypeScript, 1, nil), answer("3", 404), aborted(
			"3"), says("execute script", "https://ternhill.example/gone.js", "text/plain"),
		sent("4", "https://ternhill.example/a.css", network.ResourceTypeStylesheet, 1, nil), answer("4", 200), aborted("4"), says("apply style", "https://ternhill.example/a.css", ""),
		sent("5", "https://ternhill.example/left.js", network.ResourceTypeScript, 1, nil), aborted("5"),
		sent("6", "https://v.example/gone.js", network.ResourceTypeScript, 1, nil), &network.EventResponseReceivedExtraInfo{RequestID: "6", StatusCode: 404}, &network.EventLoadingFailed{RequestID: "6", Timestamp: at(9), ErrorText: "net::ERR_BLOCKED_BY_ORB"},
		sent("7", "https://v.example/page.js", network.ResourceTypeScript, 1, nil), &network.EventResponseReceivedExtraInfo{RequestID: "7", StatusCode: 200}, &network.EventLoadingFailed{RequestID: "7", Timestamp: at(9), ErrorText: "net::ERR_BLOCKED_BY_ORB"},
		sent("8", "https://ternhill.example/gone.css", network.ResourceTypeStylesheet, 1, nil), &network.EventResponseReceivedExtraInfo{RequestID: "8", StatusCode: 404}, says("apply style", "https://ternhill.example/gone.css", "text/plain"), aborted("8"),
	} {
		w.hear(e)
	}
	w.finish()
	for i, want := range []string{"200", "200 wrong-type text/html", "404", "200 wrong-type no known type",
		"0 aborted net::ERR_ABORTED", "404", "200 kept-back", "404"} {
		if x := r.Requests[i]; strings.TrimSpace(
			fmt.Sprint(x.Status, " ", strings.TrimSpace(x.Failed+" "+x.Detail))) != want {
			t.Errorf("%s: %d %q %q, want %q", x.URL, x.Status, x.Failed, x.Detail, want)
		}
	}
	if len(r.Mistakes) > 0 {
		t.Errorf("mistakes: %+v", r.Mistakes)
	}
}

// TestChildren: what workers ask for is heard under the names that their own sessions have; what a browser shows in
// place of a frame is no answer, and an exception of a worker is told once.
func TestChildren(t *testing.T) {
	r := &pageload.Record{}
	w := newWatch(r, func(string) bool { return true })
	w.hear(sent("1", "https://ternhill.example/", network.ResourceTypeDocument, 0, nil))
	w.started(&target.Info{Type: "service_worker", URL: "https://ternhill.example/service.js"})
	w.started(&target.Info{Type: "shared_worker", URL: "https://ternhill.example/shared.js"})
	w.started(&target.Info{Type: "iframe", URL: "https://x.example/"})
	w.hearChild(
		&network.EventResponseReceived{RequestID: "own",
			Response: &network.Response{URL: "https://ternhill.example/service.js", Status: 200}})
	w.hear(sent("2", "https://ternhill.example/shared.js", network.ResourceTypeOther, 1, nil))
	frame := sent("3", "https://x.example/", network.ResourceTypeDocument, 2, nil)
	frame.FrameID = "frame"
	w.hear(frame)
	w.hear(&network.EventLoadingFailed{RequestID: "3", Timestamp: at(3), BlockedReason: network.BlockedReasonCsp})
	w.hear(&network.EventDataReceived{RequestID: "3", DataLength: 9000})
	w.hear(&network.EventLoadingFinished{RequestID: "3", Timestamp: at(4), EncodedDataLength: 9000})
	odd := sent("4", "https://x.example/icon", network.ResourceTypeImage, 4, nil)
	odd.DocumentURL = "chrome-error://chromewebdata/"
	w.hearChild(odd)
	w.mistake("console", "Uncaught Error: a", "https://ternhill.example/service.js", 1, nil)
	w.mistake("exception", "Error: a", "https://ternhill.example/service.js", 1, nil)
	w.mistake("console", "Uncaught Error: b", "https://ternhill.example/service.js", 1, nil)
	w.finish()
	var got []string
	for _, x := range r.Requests {
		got = append(got, fmt.Sprint(strings.TrimPrefix(x.URL, "https://"), " ", x.Status, " ", x.Wire))
	}
	if list := strings.Join(got, ", "); list !=
		"ternhill.example/ 0 0, ternhill.example/service.js 200 0, ternhill.example/shared.js 0 0, x.example/ 0 0" {
		t.Error(list)
	}
	if len(r.Mistakes) != 2 || r.Mistakes[0].Kind != "exception" {
		t.Errorf("%+v", r.Mistakes)
	}
}
