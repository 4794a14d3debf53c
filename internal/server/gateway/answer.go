package gateway

import (
	"bytes"
	"io"
	"mime"
	"net/http"
	"path"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// Why an answer is passed on as it came. The words are labels of the metrics and of the log.
const (
	passedOther       = "no-page"      // no text/html, or no whole answer
	passedFragment    = "fragment"     // a piece of HTML, for a script
	passedNoTransform = "no-transform" // the origin forbids it
	passedCoding      = "coding"       // in a coding that cannot be read, or not in the one that it says
	passedLarge       = "large"
	passedSlow        = "slow"
	passedCut         = "cut"     // the origin broke off
	passedProblem     = "problem" // the gate cannot be put into effect on this page
	passedFault       = "fault"   // a mistake in this program
	passedOrigin      = "origin"  // it does not answer
	passedGone        = "client"  // it went
	passedUnchanged   = "not-modified"
	passedMalformed   = "malformed" // the request, not the answer
	passedWatched     = "watch-only"
	passedOff         = "off"        // gating is turned off
	passedLeft        = "left-alone" // by site.gateway.pass
	passedNotChosen   = "not-chosen" // by what is tried for whom
)

// reasons lists them, for the metrics.
var reasons = []string{
	passedOther, passedFragment, passedNoTransform, passedCoding, passedLarge, passedSlow, passedCut,
	passedProblem, passedFault, passedOrigin, passedGone, passedUnchanged, passedMalformed,
	passedWatched, passedOff, passedLeft, passedNotChosen,
}

// doubtful are those of which an operator wants to know.
var doubtful = map[string]bool{
	passedCoding: true, passedLarge: true, passedSlow: true, passedCut: true, passedProblem: true,
	passedFault: true, passedOrigin: true,
}

// answer takes an answer of the origin, and changes it where it is a page.
func (g *Gateway) answer(resp *http.Response) error {
	a := exchangeOf(resp.Request)
	a.answered = time.Now()
	g.Seen.origin.up()
	kind, _, _ := mime.ParseMediaType(resp.Header.Get("Content-Type"))
	if resp.StatusCode == http.StatusSwitchingProtocols || kind == "text/event-stream" {
		a.streams = true
		g.open.add(a)
		return nil
	}
	switch {
	case a.left != "":
		if mayGate(a, resp) {
			g.keepApart(a, resp)
		}
		a.why = a.left
	case g.WatchOnly:
		if mayGate(a, resp) {
			g.watch(a, resp)
		}
	case resp.StatusCode == http.StatusNotModified:
		if a.why = passedUnchanged; !a.conditions.unchanged(resp.Header, a.state.Time) {
			g.whole(a, resp)
		}
	case a.conditions.ranged(resp):
		g.whole(a, resp)
	case g.blank(a, resp):
	case mayGate(a, resp):
		g.page(a, resp)
	}
	if g.Timing {
		resp.Header.Add("Server-Timing", timing(a))
	}
	return nil
}

// timing says how long things took (Server Timing, 3).
func timing(a *exchange) string {
	ms := func(d time.Duration) string { return strconv.FormatFloat(float64(d.Microseconds())/1000, 'f', 1, 64) }
	s := "origin;dur=" + ms(a.answered.Sub(a.asked))
	if a.gated {
		s += ", gate;dur=" + ms(a.gating)
	}
	return s
}

// mayGate reports whether the head of an answer is that of a page which may be changed.
func mayGate(a *exchange, resp *http.Response) bool {
	h := resp.Header
	switch s := resp.StatusCode; {
	case s < 200 || s >= 300 && s < 400,
		s == http.StatusNoContent,
		s == http.StatusResetContent,
		s == http.StatusPartialContent:
		return false
	case len(h["Content-Type"]) != 1 || h.Get("Content-Range") != "":
		return false
	}
	if kind, _, _ := mime.ParseMediaType(h.Get("Content-Type")); kind != "text/html" {
		return false
	}
	if isPiece(a.in) {
		addVary(h, "Sec-Fetch-Dest")
		a.why = passedFragment
		return false
	}
	for _, line := range h["Cache-Control"] {
		for word := range strings.SplitSeq(line, ",") {
			if strings.EqualFold(strings.TrimSpace(word), "no-transform") {
				a.why = passedNoTransform
				return false
			}
		}
	}
	if !canRead(h["Content-Encoding"]) {
		a.why = passedCoding
		return false
	}
	return true
}

// isPiece reports whether a browser says that what it asks for is neither a document nor a frame (Fetch Metadata, 2.1);
// what is fetched beforehand is for a document.
func isPiece(r *http.Request) bool {
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "", "document", "iframe", "frame", "embed", "object", "fencedframe":
		return false
	}
	return !strings.HasPrefix(r.Header.Get("Sec-Purpose"), "prefetch")
}

// page gates the page of an answer, or passes it on as it came.
func (g *Gateway) page(a *exchange, resp *http.Response) {
	if g.leaves(a, resp) {
		a.why = passedLeft
		return
	}
	g.keepApart(a, resp)
	if resp.Request.Method == http.MethodHead { // how long the page is, only the page itself shows
		a.gated, a.why = true, ""
		g.mend(a, resp, g.codingFor(a, resp))
		g.unmeasured(resp)
		a.conditions.evaluate(resp)
		return
	}
	c := collect(resp.Body, resp.ContentLength, g.Largest)
	late := make(chan struct{})
	defer time.AfterFunc(g.Wait, func() { close(late) }).Stop()
	if g.flow(a, resp, c, late) {
		return
	}
	text, why := c.whole(late)
	if why != "" {
		a.why = why
		resp.Body = c
		return
	}
	began := time.Now()
	page, why, detail := g.gatePage(g.known(a, resp), text)
	a.gating += time.Since(began)
	if why != "" {
		a.why, a.detail = why, detail
		resp.Body = &rereadBody{Reader: bytes.NewReader(text)}
		return
	}
	a.gated, a.why = true, ""
	if !g.send(a, resp, page, text) && !page.same(text) {
		c.release()
	}
}

// whole asks without a condition for what the origin calls unchanged, or sends a part of, and takes
// that answer where it is of a page that is gated: what the client has of it may be without the gate.
func (g *Gateway) whole(a *exchange, resp *http.Response) {
	whole, err := g.ask(resp, resp.Request.Method)
	if err != nil {
		return
	}
	whole.Request = resp.Request
	why := a.why
	if mayGate(a, whole) {
		if g.page(a, whole); a.gated {
			drop(resp.Body)
			*resp = *whole
			return
		}
	}
	a.why = why
	drop(whole.Body)
}

// drop ends a body that nobody wants, so that its connection can be used again.
func drop(body io.ReadCloser) {
	_, _ = io.Copy(io.Discard, io.LimitReader(body, 256<<10))
	body.Close()
}

// ask asks the origin once more, as the proxy does, for the whole and without conditions.
func (g *Gateway) ask(was *http.Response, method string) (*http.Response, error) {
	r := was.Request.Clone(was.Request.Context())
	r.Method = method
	for _, name := range []string{"If-None-Match", "If-Modified-Since", "If-Range", "Range"} {
		r.Header.Del(name)
	}
	resp, err := g.Transport.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	for _, line := range resp.Header["Connection"] { // what concerns that connection alone (RFC 9110, 7.6.1)
		for name := range strings.SplitSeq(line, ",") {
			resp.Header.Del(strings.TrimSpace(name))
		}
	}
	for _, name := range []string{"Connection", "Proxy-Connection", "Keep-Alive", "Proxy-Authenticate",
		"Proxy-Authorization", "Te", "Trailer", "Transfer-Encoding", "Upgrade"} {
		resp.Header.Del(name)
	}
	return resp, nil
}

// send makes the answer of a gated page. It reports whether that refers to what came.
func (g *Gateway) send(a *exchange, resp *http.Response, page *gatedPage, came []byte) (refers bool) {
	h := resp.Header
	was, now := coding(h["Content-Encoding"]), g.codingFor(a, resp)
	body := came
	if refers = !page.changed && now == was && was != identity; !refers {
		var err error
		if body, err = page.in(now, g.kept); err != nil { // it cannot be coded: as it is, then
			now, body = identity, page.text
		}
	}
	g.mend(a, resp, now)
	resp.Body = newSpooled(body, spoolAfter)
	if len(resp.Trailer) > 0 { // they come after a body of a length that is not told
		g.unmeasured(resp)
	} else {
		h.Set("Content-Length", strconv.Itoa(len(body)))
		resp.ContentLength = int64(len(body))
		resp.TransferEncoding = nil
	}
	if a.conditions.evaluate(resp); resp.Request.Method == http.MethodHead {
		resp.Body = http.NoBody
	}
	return refers
}

// codingFor is the coding in which a page goes on: the best that the client takes, where it came in one.
func (g *Gateway) codingFor(a *exchange, resp *http.Response) string {
	if coding(resp.Header["Content-Encoding"]) == identity {
		return identity
	}
	return best(a.in.Header["Accept-Encoding"])
}

// mend makes the head of an answer that of a gated page, which goes on in a coding.
func (g *Gateway) mend(a *exchange, resp *http.Response, now string) {
	h := resp.Header
	if coding(h["Content-Encoding"]) != identity {
		addVary(h, "Accept-Encoding")
	}
	if now == identity {
		h.Del("Content-Encoding")
	} else {
		h.Set("Content-Encoding", now)
	}
	for _, name := range digests {
		h.Del(name)
	}
	h.Del("Accept-Ranges")
	if tag := h.Get("Etag"); tag != "" {
		h.Set("Etag", tagged(tag, gateTag(a.state), now))
	}
	addVary(h, "Sec-Fetch-Dest")
	mendModified(h, a.state.Time)
	if g.MaxAge > 0 {
		limitAge(h, g.MaxAge)
	}
}

var ages = regexp.MustCompile(`(?i)\b(s-maxage|max-age)\s*=\s*"?(\d+)"?`)

// limitAge has caches keep an answer for a time at most (RFC 9111, 5.2.2 and 5.3): a gated page is of a gate that may
// change.
func limitAge(h http.Header, most time.Duration) {
	if len(h["Cache-Control"]) == 0 && h.Get("Expires") == "" {
		return // nobody says that it may be kept
	}
	seconds := int64(most / time.Second)
	for i, line := range h["Cache-Control"] {
		h["Cache-Control"][i] = ages.ReplaceAllStringFunc(line, func(age string) string {
			m := ages.FindStringSubmatch(age)
			if n, err := strconv.ParseInt(m[2], 10, 64); err == nil && n <= seconds {
				return age
			}
			return m[1] + "=" + strconv.FormatInt(seconds, 10)
		})
	}
	if at, err := http.ParseTime(h.Get("Expires")); err == nil && time.Until(at) > most {
		h.Set("Expires", time.Now().Add(most).UTC().Format(http.TimeFormat))
	}
}

// digests are the fields that say what the origin's bytes come to.
var digests = []string{"Content-Digest", "Repr-Digest", "Digest", "Content-Md5"}

// unmeasured makes an answer one of a length that is not told.
func (g *Gateway) unmeasured(resp *http.Response) {
	resp.Header.Del("Content-Length")
	resp.ContentLength, resp.TransferEncoding = -1, nil
	for _, name := range digests {
		delete(resp.Trailer, name)
	}
}

// blank answers with a page that the gate makes, where the origin has none.
func (g *Gateway) blank(a *exchange, resp *http.Response) bool {
	m := a.in.Method
	if resp.StatusCode != http.StatusNotFound && resp.StatusCode != http.StatusGone ||
		m != http.MethodGet && m != http.MethodHead ||
		len(a.state.Project.Gate.File.Blank) == 0 {
		return false
	}
	file, _ := a.fileOf()
	text, ok := a.state.Project.Blank()[file]
	if !ok {
		return false
	}
	drop(resp.Body)
	resp.StatusCode, resp.Status = http.StatusOK, "200 OK"
	resp.Header = http.Header{
		"Content-Type": {"text/html; charset=utf-8"},
		"Date":         resp.Header["Date"],
		"Etag":         {`"blank"`},
	}
	resp.Trailer = nil
	began := time.Now()
	page, why, detail := g.gatePage(g.known(a, resp), text)
	a.gating = time.Since(began)
	if why != "" {
		a.detail = detail
		page = &gatedPage{text: text, changed: true}
	}
	a.gated, a.why = true, ""
	g.send(a, resp, page, text)
	return true
}

// rereadBody is a body that has been read.
type rereadBody struct{ *bytes.Reader }

func (rereadBody) Close() error { return nil }

// noPages are the endings of paths behind which nobody has pages.
var noPages = map[string]bool{
	".css": true, ".js": true, ".mjs": true, ".map": true, ".json": true, ".xml": true, ".txt": true,
	".png": true, ".jpg": true, ".jpeg": true, ".gif": true, ".webp": true, ".avif": true, ".svg": true,
	".ico": true, ".woff": true, ".woff2": true, ".ttf": true, ".otf": true, ".mp4": true, ".webm": true,
	".mp3": true, ".ogg": true, ".pdf": true, ".zip": true, ".gz": true, ".wasm": true,
}

// mayBePage reports whether what a request asks for may be a page, as far as the request tells.
func mayBePage(r *http.Request) bool {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		return false
	}
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "script", "style", "image", "font", "video", "audio", "track", "worker", "manifest":
		return false
	}
	accept := strings.ToLower(strings.Join(r.Header["Accept"], ","))
	if strings.Contains(accept, "text/html") || strings.Contains(accept, "text/*") {
		return true
	}
	return (accept == "" || strings.Contains(accept, "*/*")) && !noPages[strings.ToLower(path.Ext(r.URL.Path))]
}
