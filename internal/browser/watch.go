package browser

import (
	"cmp"
	"context"
	"encoding/json"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/chromedp/cdproto/audits"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	cdplog "github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"

	"yellowgate/internal/core/pageload"
)

// A watch hears what the browser tells while a page is open.
type watch struct {
	third   func(host string) bool
	base    string      // of the site that is a folder: scheme and host
	holds   bool        // requests are held up: see hold.go
	holding atomic.Bool // what posts is not let out

	mu        sync.Mutex
	r         *pageload.Record
	began     cdp.MonotonicTime // of the first request
	at        map[string]int    // by the browser's name of a request, the last of that
	scripts   map[string]int    // by URL, the last request: workers know theirs by another name
	open      map[string]bool
	last      time.Time // something was heard of a request
	loaded    bool
	over      bool                             // nothing more is taken in
	sheets    map[string]*css.StyleSheetHeader // by ID
	stopped   []pageload.Request               // by a policy, with its directive
	refused   map[string]string                // by URL, the media type for which it was
	codes     map[string]int                   // by the browser's name of a request, the last status that came
	frame     cdp.FrameID                      // the page's own
	documents map[string]bool                  // of the page and its frames, where their scripts run
	frames    map[target.SessionID]route       // of other sites
	answers   map[int64]chan json.RawMessage   // of targets, by the message's number
	ends      []func()                         // of sessions with what the page started
}

func newWatch(r *pageload.Record, third func(string) bool) *watch {
	return &watch{
		r:         r,
		third:     third,
		at:        map[string]int{},
		open:      map[string]bool{},
		scripts:   map[string]int{},
		last:      time.Now(),
		sheets:    map[string]*css.StyleSheetHeader{},
		refused:   map[string]string{},
		codes:     map[string]int{},
		documents: map[string]bool{},
		frames:    map[target.SessionID]route{},
		answers:   map[int64]chan json.RawMessage{},
	}
}

// close ends what hears of the page besides its own session.
func (w *watch) close() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.over = true
	for _, end := range w.ends {
		end()
	}
}

// since is a moment of the browser's clock as ms after the visit began.
func (w *watch) since(t cdp.MonotonicTime) float64 {
	if t == 0 || w.began == 0 {
		return 0
	}
	return math.Round(float64(t-w.began)*1e6) / 1000
}

// request is one that is known; nil for any other.
func (w *watch) request(id network.RequestID) *pageload.Request {
	if i, ok := w.at[string(id)]; ok {
		return &w.r.Requests[i]
	}
	return nil
}

// hear takes in an event. It is called by one goroutine, which must not wait.
func (w *watch) hear(ev any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.over {
		return
	}
	switch e := ev.(type) {
	case *network.EventRequestWillBeSent:
		w.sent(e)
	case *network.EventResponseReceived:
		if x := w.request(e.RequestID); x != nil {
			w.answered(x, e.Response)
			if x.Kind == "fetch" { // the browser tells no end of a body that the page never reads
				delete(w.open, string(e.RequestID))
			}
		}
	case *network.EventResponseReceivedExtraInfo: // told of answers that the page does not get, too
		w.codes[string(e.RequestID)] = int(e.StatusCode)
	case *network.EventDataReceived:
		if x := w.request(e.RequestID); x != nil && x.Failed == "" { // else it is a page that says so
			x.Bytes += e.DataLength
			w.last = time.Now()
		}
	case *network.EventLoadingFinished:
		if x := w.request(e.RequestID); x != nil && x.Failed == "" {
			x.Wire, x.Ended = int64(e.EncodedDataLength), w.since(e.Timestamp)
		}
		w.closed(e.RequestID)
	case *network.EventLoadingFailed:
		if x := w.request(e.RequestID); x != nil {
			x.Ended = w.since(e.Timestamp)
			w.failed(x, e)
		}
		w.closed(e.RequestID)
	case *network.EventRequestServedFromCache:
		if x := w.request(e.RequestID); x != nil {
			x.Cached = true
		}
	case *network.EventWebSocketCreated:
		w.r.Requests = append(w.r.Requests,
			pageload.Request{URL: e.URL, Kind: "socket", Method: "GET", Asked: w.asked(e.Initiator)})
		w.at[string(e.RequestID)] = len(w.r.Requests) - 1
	case *network.EventWebSocketHandshakeResponseReceived:
		if x := w.request(e.RequestID); x != nil {
			x.Status = int(e.Response.Status)
		}
	case *page.EventLoadEventFired:
		w.loaded = true
	case *css.EventStyleSheetAdded:
		w.sheets[string(e.Header.StyleSheetID)] = e.Header
	default:
		w.hearScripts(ev)
	}
}

// hearScripts takes in what becomes of scripts: where they run, and what goes wrong.
func (w *watch) hearScripts(ev any) {
	switch e := ev.(type) {
	case *runtime.EventExecutionContextCreated:
		var of struct{ IsDefault bool }
		if json.Unmarshal(e.Context.AuxData, &of) == nil && of.IsDefault {
			w.documents[e.Context.UniqueID] = true
		}
	case *runtime.EventExecutionContextDestroyed:
		delete(w.documents, e.ExecutionContextUniqueID)
	case *runtime.EventExecutionContextsCleared:
		clear(w.documents)
	case *runtime.EventExceptionThrown:
		w.mistake("exception", exception(e.ExceptionDetails), e.ExceptionDetails.URL,
			int(e.ExceptionDetails.LineNumber)+1, e.ExceptionDetails.StackTrace)
	case *runtime.EventConsoleAPICalled:
		if e.Type == runtime.ConsoleAPICalledTypeError {
			w.mistake("console", arguments(e.Args), "", 0, e.StackTrace)
		}
	case *cdplog.EventEntryAdded:
		w.logged(e.Entry)
	case *audits.EventIssueAdded:
		if d := e.Issue.Details; d != nil && d.ContentSecurityPolicyIssueDetails != nil {
			w.policy(d.ContentSecurityPolicyIssueDetails)
		}
	}
}

// kinds are what requests are for.
var kinds = map[network.ResourceType]string{
	network.ResourceTypeDocument: "document", network.ResourceTypeStylesheet: "style",
	network.ResourceTypeImage: "image", network.ResourceTypeMedia: "media", network.ResourceTypeFont: "font",
	network.ResourceTypeScript: "script", network.ResourceTypeXHR: "fetch",
	network.ResourceTypeFetch: "fetch", network.ResourceTypeEventSource: "fetch",
	network.ResourceTypeWebSocket: "socket", network.ResourceTypePing: "fetch",
	network.ResourceTypePreflight: "fetch", network.ResourceTypePrefetch: "other",
}

// sent takes in that a request begins, or goes on where a redirect led.
func (w *watch) sent(e *network.EventRequestWillBeSent) {
	if strings.HasPrefix(e.Request.URL, "data:") || strings.HasPrefix(e.Request.URL, "blob:") {
		return
	}
	if w.began == 0 {
		w.began = e.Timestamp
	}
	x := pageload.Request{
		URL:    e.Request.URL + e.Request.URLFragment,
		Kind:   kinds[e.Type],
		Method: e.Request.Method,
		Begun:  w.since(e.Timestamp),
		Asked:  w.asked(e.Initiator),
	}
	if x.Kind == "" {
		x.Kind = "other"
	}
	if len(w.r.Requests) == 0 {
		w.frame = e.FrameID
	}
	if x.Kind == "document" && e.FrameID != w.frame {
		x.Kind = "frame"
	}
	if e.RedirectResponse != nil {
		if before := w.request(e.RequestID); before != nil {
			w.answered(before, e.RedirectResponse)
			before.Ended, before.Wire = x.Begun, int64(e.RedirectResponse.EncodedDataLength)
			x.Kind = before.Kind
			x.Asked = pageload.Initiator{By: "redirect", URL: before.URL, Request: w.at[string(e.RequestID)]}
		}
	}
	x.SetID(string(e.RequestID))
	at, known := w.scripts[x.URL]
	if known && w.r.Requests[at].ID() == "" {
		w.r.Requests[at] = x // of a worker that began before the page's session said so
	} else {
		at = len(w.r.Requests)
		w.r.Requests = append(w.r.Requests, x)
	}
	w.at[string(e.RequestID)], w.scripts[x.URL] = at, at
	w.open[string(e.RequestID)] = true
	w.last = time.Now()
}

// asked says who asks.
func (w *watch) asked(i *network.Initiator) (a pageload.Initiator) {
	a.Request = -1
	if i == nil {
		a.By = "other"
		return a
	}
	switch i.Type {
	case network.InitiatorTypeParser:
		a.By, a.URL, a.Line = "page", i.URL, int(i.LineNumber)+1
		if u, err := url.Parse(i.URL); err == nil && strings.HasSuffix(u.Path, ".css") {
			a.By = "style"
		}
	case network.InitiatorTypeScript:
		a.By = "script"
		if a.URL, a.Line = topOf(i.Stack); a.URL == "" {
			a.URL, a.Line = i.URL, int(i.LineNumber)+1
		}
	case network.InitiatorTypePreload:
		a.By = "preload"
	default:
		a.By = "other"
	}
	return a
}

// topOf is the script at the top of a stack, and the line there, from 1; of what called later, the
// caller counts where nothing else is known.
func topOf(s *runtime.StackTrace) (url string, line int) {
	for depth := 0; s != nil && depth < 20; s, depth = s.Parent, depth+1 {
		for _, f := range s.CallFrames {
			if f.URL != "" {
				return f.URL, int(f.LineNumber) + 1
			}
		}
	}
	return "", 0
}

func (w *watch) answered(x *pageload.Request, resp *network.Response) {
	x.Status, x.Protocol, x.Mime = int(resp.Status), resp.Protocol, resp.MimeType
	x.Cached = x.Cached || resp.FromDiskCache || resp.FromPrefetchCache
	for name, v := range resp.Headers {
		if strings.EqualFold(name, "content-encoding") {
			x.Coding, _ = v.(string)
		}
	}
	w.last = time.Now()
}

func (w *watch) closed(id network.RequestID) {
	delete(w.open, string(id))
	w.last = time.Now()
}

// failed says why a request brought nothing.
func (w *watch) failed(x *pageload.Request, e *network.EventLoadingFailed) {
	x.Detail = e.ErrorText
	u, _ := url.Parse(x.URL)
	switch {
	case e.BlockedReason == network.BlockedReasonCsp:
		x.Failed, x.Detail = pageload.Policy, ""
	case e.BlockedReason == network.BlockedReasonMixedContent:
		x.Failed, x.Detail = pageload.Mixed, ""
	case e.CorsErrorStatus != nil:
		x.Failed, x.Detail = pageload.CORS, string(e.CorsErrorStatus.CorsError)
	case u != nil && w.third(u.Scheme+"://"+u.Host) && (strings.Contains(e.ErrorText, "NAME_NOT_RESOLVED") ||
		strings.Contains(e.ErrorText, "ADDRESS") || strings.Contains(e.ErrorText, "BLOCKED")):
		x.Failed, x.Detail = pageload.NotCalled, ""
	case strings.Contains(e.ErrorText, "NAME_NOT_RESOLVED"):
		x.Failed = pageload.NoHost
	case strings.Contains(e.ErrorText, "CONNECTION_REFUSED"):
		x.Failed = pageload.Refused
	case strings.Contains(e.ErrorText, "TIMED_OUT"):
		x.Failed = pageload.TimedOut
	case strings.Contains(e.ErrorText, "BLOCKED_BY_ORB"):
		x.Failed, x.Detail = pageload.KeptBack, ""
	case e.Canceled || strings.Contains(e.ErrorText, "ABORTED"):
		x.Failed = pageload.Aborted
	case e.BlockedReason != "":
		x.Failed = string(e.BlockedReason)
	default:
		x.Failed = strings.ToLower(strings.TrimPrefix(e.ErrorText, "net::"))
	}
}

// policy takes in what a policy of the page stopped (Content Security Policy 3, section 5). A policy
// that only reports stops nothing.
func (w *watch) policy(d *audits.ContentSecurityPolicyIssueDetails) {
	if d.IsReportOnly {
		return
	}
	if d.BlockedURL != "" {
		x := pageload.Request{
			URL:    d.BlockedURL,
			Kind:   policyKinds[d.ViolatedDirective],
			Method: "GET",
			Failed: pageload.Policy,
			Detail: d.ViolatedDirective,
			Asked:  pageload.Initiator{By: "page", Request: -1},
		}
		if at := d.SourceCodeLocation; at != nil && at.URL != "" {
			x.Asked = pageload.Initiator{By: "script", URL: at.URL, Line: int(at.LineNumber) + 1, Request: -1}
		}
		w.stopped = append(w.stopped, x)
		return
	}
	what := map[audits.ContentSecurityPolicyViolationType]string{
		audits.ContentSecurityPolicyViolationTypeKInlineViolation:   "inline code",
		audits.ContentSecurityPolicyViolationTypeKEvalViolation:     "code made of a text (eval)",
		audits.ContentSecurityPolicyViolationTypeKWasmEvalViolation: "WebAssembly",
	}[d.ContentSecurityPolicyViolationType]
	if at := d.SourceCodeLocation; what != "" && at != nil {
		w.mistake("policy", d.ViolatedDirective+" does not allow "+what, at.URL, int(at.LineNumber)+1, nil)
	}
}

// policyKinds are what requests are for that directives of a policy stop.
var policyKinds = map[string]string{
	"script-src": "script", "script-src-elem": "script", "style-src": "style", "style-src-elem": "style",
	"img-src": "image", "font-src": "font", "media-src": "media", "connect-src": "fetch",
	"frame-src": "frame", "child-src": "frame",
}

// addStopped gives requests that a policy stopped its directive; of some, such as fetch, frames and
// sockets, the browser tells nothing else: they are added.
func (w *watch) addStopped() {
	bare := func(u string) string { u, _, _ = strings.Cut(u, "#"); return u }
	directives := map[string]string{}
	for _, s := range w.stopped {
		directives[bare(s.URL)] = s.Detail
	}
	for i := range w.r.Requests {
		x := &w.r.Requests[i]
		if x.Failed == pageload.Policy {
			x.Detail = directives[bare(x.URL)]
		}
		delete(directives, bare(x.URL))
	}
	for _, s := range w.stopped {
		if _, more := directives[bare(s.URL)]; more && len(w.r.Requests) > 0 {
			delete(directives, bare(s.URL))
			s.Kind = cmp.Or(s.Kind, "other")
			w.r.Requests = append(w.r.Requests, s)
		}
	}
}

// digestFailed finds what the browser says of a file that is another than its digest says.
var digestFailed = regexp.MustCompile(
	`Failed to find a valid digest in the 'integrity' attribute for resource '([^']*)'`)

// typeRefused finds what the browser says of a script or stylesheet that comes as something else (Fetch,
// section 2.9 and the rules of nosniff).
var typeRefused = regexp.MustCompile(
	`^Refused to (?:execute script|apply style) from '([^']*)' because its MIME type \('([^']*)'\)`)

// logged takes in what the browser writes on the console by itself. Failed requests are known
// already.
func (w *watch) logged(e *cdplog.Entry) {
	if m := digestFailed.FindStringSubmatch(e.Text); m != nil {
		for i := range w.r.Requests {
			if w.r.Requests[i].URL == m[1] {
				w.r.Requests[i].Failed, w.r.Requests[i].Detail = pageload.Integrity, ""
			}
		}
		return
	}
	if m := typeRefused.FindStringSubmatch(e.Text); m != nil {
		w.refused[m[1]] = m[2]
		return
	}
	if e.Level == cdplog.EntryLevelError && e.Source != cdplog.EntrySourceNetwork {
		w.mistake("console", e.Text, e.URL, int(e.LineNumber)+1, e.StackTrace)
	}
}

func (w *watch) mistake(kind, text, url string, line int, stack *runtime.StackTrace) {
	if top, at := topOf(stack); top != "" && url == "" {
		url, line = top, at
	}
	if len(w.r.Mistakes) >= 200 { // nobody reads more
		return
	}
	w.r.Mistakes = append(w.r.Mistakes, pageload.Mistake{Kind: kind, Message: text, URL: url, Line: line, Request: -1})
}

// exception is what an exception says, in one line.
func exception(d *runtime.ExceptionDetails) string {
	text := d.Text
	if d.Exception != nil && d.Exception.Description != "" {
		text = d.Exception.Description
	}
	text, _, _ = strings.Cut(text, "\n")
	return text
}

func arguments(args []*runtime.RemoteObject) string {
	var words []string
	for _, a := range args {
		switch {
		case a.Description != "":
			first, _, _ := strings.Cut(a.Description, "\n")
			words = append(words, first)
		case len(a.Value) > 0:
			words = append(words, strings.Trim(string(a.Value), `"`))
		}
	}
	return strings.Join(words, " ")
}

// once drops what the console says of an exception of a worker, which is told as that.
func (w *watch) once() {
	told := map[string]bool{}
	for _, m := range w.r.Mistakes {
		told[m.Kind+m.Message] = true
	}
	w.r.Mistakes = slices.DeleteFunc(w.r.Mistakes, func(m pageload.Mistake) bool {
		text, uncaught := strings.CutPrefix(m.Message, "Uncaught ")
		return m.Kind == "console" && uncaught && told["exception"+text]
	})
}

// quiet waits until the page has loaded and nothing was heard of a request for a while, most at most. It reports
// whether that came.
func (w *watch) quiet(ctx context.Context, still, most time.Duration) bool {
	end := time.After(most)
	for {
		w.mu.Lock()
		wait := still - time.Since(w.last)
		if !w.loaded || len(w.open) > 0 {
			wait = max(wait, 25*time.Millisecond)
		}
		w.mu.Unlock()
		if wait <= 0 {
			return true
		}
		select {
		case <-time.After(min(wait, 50*time.Millisecond)):
		case <-end:
			return false
		case <-ctx.Done():
			return false
		}
	}
}

// again begins to wait anew: something was done on the page, and what that leads to is not heard of yet.
func (w *watch) again() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.last = time.Now()
}

// finish ends the watch: what is under way now did not end.
func (w *watch) finish() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.over = true
	w.addStopped()
	w.once()
	for i := range w.r.Requests {
		x := &w.r.Requests[i]
		u, _, _ := strings.Cut(x.URL, "#")
		kind, refused := w.refused[u]
		if x.Status == 0 && x.Failed != "" {
			x.Status = w.codes[x.ID()]
		}
		switch {
		case x.Status >= 400 && (refused || x.Failed == pageload.Aborted || x.Failed == pageload.KeptBack):
			// An error page is neither script nor style: the status says it.
			x.Failed, x.Detail = "", ""
		case refused:
			x.Failed, x.Detail = pageload.WrongType, cmp.Or(kind, "no known type")
		}
	}
	for id := range w.open {
		if x := &w.r.Requests[w.at[id]]; x.Kind != "socket" && x.Failed == "" && x.Status == 0 {
			x.Failed = pageload.NotFinished
		}
	}
}
