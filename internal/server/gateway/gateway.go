// Package gateway stands before an application and gates the pages that pass. It never takes a site
// down and never changes what it does not understand: what is no page, and every page of which there
// is any doubt, reaches the client as the application sent it.
//
// An answer's road: gateway.go asks the origin; answer.go decides what may be gated; collect.go reads
// it, within limits; gate.go makes the page, coding.go writes it in a coding that the client takes;
// conditions.go sees to it that no client keeps a page of another gate.
package gateway

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log"
	"log/slog"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"regexp"
	"strings"
	"time"

	"yellowgate/internal/server/reload"
)

// TreeCost is what the tree of a page, for a selector that needs one, may cost, in about nanoseconds of
// CPU; a page of which it would be more passes as it came.
const TreeCost = 450_000_000

// Options say what a gateway stands before, and its limits.
type Options struct {
	Gate   *reload.Watcher
	Origin *url.URL // scheme, host and port
	// Transport asks the origin; NewTransport makes one.
	Transport http.RoundTripper
	Largest   int64         // bytes of a page, coded and decoded; larger ones pass
	Wait      time.Duration // for the body of a page; slower ones pass
	Client    time.Duration // for a client to take or send the next piece
	Keep      int64         // bytes of gated pages that are kept
	Behind    bool          // another proxy is before this one: what it says of the client counts
	Timing    bool          // Server-Timing says how long things took
	Log       *slog.Logger  // nil for none
	Seen      *Seen         // what is counted
}

// A Gateway answers requests. Make one with New.
type Gateway struct {
	Options
	proxy *httputil.ReverseProxy
	kept  *pageCache
}

// New makes a gateway.
func New(o Options) *Gateway {
	if o.Seen == nil {
		o.Seen = NewSeen()
	}
	g := &Gateway{Options: o, kept: newPageCache(o.Keep)}
	g.Seen.gate, g.Seen.kept = o.Gate, g.kept
	g.proxy = &httputil.ReverseProxy{
		Rewrite:        g.rewrite,
		Transport:      o.Transport,
		ModifyResponse: g.answer,
		ErrorHandler:   g.failed,
		FlushInterval:  -1, // whatever comes is passed on at once
		ErrorLog:       log.New(io.Discard, "", 0),
		BufferPool:     Buffers,
	}
	return g
}

// NewTransport asks an origin, which has a time to begin its answer. Codings are left as they come.
func NewTransport(wait time.Duration, secure *tls.Config) http.RoundTripper {
	return &http.Transport{
		DialContext:            (&net.Dialer{Timeout: 10 * time.Second, KeepAlive: 30 * time.Second}).DialContext,
		TLSClientConfig:        secure,
		TLSHandshakeTimeout:    10 * time.Second,
		TLSNextProto:           map[string]func(string, *tls.Conn) http.RoundTripper{}, // HTTP/1.1: it can be upgraded
		MaxIdleConns:           1024,
		MaxIdleConnsPerHost:    512,
		IdleConnTimeout:        90 * time.Second,
		ResponseHeaderTimeout:  wait,
		ExpectContinueTimeout:  time.Second,
		MaxResponseHeaderBytes: 1 << 20,
		DisableCompression:     true,
	}
}

// exchange is what is known of a request on its way.
type exchange struct {
	state      *reload.Reading
	began      time.Time
	in         *http.Request
	conditions conditions
	body       *reader   // of the request; nil for none
	asked      time.Time // the origin
	answered   time.Time // its head came

	gated  bool
	why    string // it is not gated
	detail string
	gating time.Duration
}

type exchangeKey struct{}

func exchangeOf(r *http.Request) *exchange {
	a, _ := r.Context().Value(exchangeKey{}).(*exchange)
	return a
}

// ServeHTTP implements http.Handler.
func (g *Gateway) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	a := &exchange{state: g.Gate.Now(), began: time.Now(), in: r, why: passedOther}
	out := &writer{ResponseWriter: w, wait: g.Client, control: http.NewResponseController(w)}
	r = r.WithContext(context.WithValue(r.Context(), exchangeKey{}, a))
	if r.Body != nil && r.Body != http.NoBody {
		a.body = &reader{ReadCloser: r.Body, wait: g.Client, control: out.control, left: r.ContentLength}
		r.Body = a.body
		// Or the server closes the body when the answer begins, and the transport, which may still read it,
		// takes that for an error and closes the connection with the rest of the answer.
		_ = out.control.EnableFullDuplex()
	}
	g.Seen.begin()
	defer func() {
		cut := recover()
		g.Seen.end(a, out)
		g.log(a, out, cut)
		if cut != nil {
			panic(cut) // http.ErrAbortHandler: the connection is cut, as the origin cut its own
		}
	}()
	if why := g.malformed(r); why != "" {
		a.why, a.detail = passedMalformed, why
		errorPage(out, http.StatusBadRequest, "This request cannot be read: "+why+".", "")
		return
	}
	g.proxy.ServeHTTP(out, r)
}

// malformed says what is wrong with a request that cannot go on as it came; "" for none. An HTTP/2 client
// can send what would end the request line of HTTP/1 (RFC 9113, 10.3).
func (g *Gateway) malformed(r *http.Request) string {
	if strings.ContainsFunc(r.URL.RawQuery+r.URL.Path+r.RequestURI, func(c rune) bool { return c < ' ' || c == 0x7F }) || strings.ContainsRune(r.URL.RawQuery+r.RequestURI, ' ') {
		return "its address has a space or a control character"
	}
	if g.hostOf(r) == "" {
		return "it names no host"
	}
	return ""
}

// hostOf is the host that a request is for. HTTP/1.0 need not name one: then it is the site's own.
func (g *Gateway) hostOf(r *http.Request) string {
	if r.Host != "" {
		return r.Host
	}
	if u, err := url.Parse(g.Gate.Now().Project.Gate.File.Site.URL.Value); err == nil {
		return u.Host
	}
	return ""
}

// rewrite makes the request for the origin.
func (g *Gateway) rewrite(pr *httputil.ProxyRequest) {
	a := exchangeOf(pr.In)
	u := pr.Out.URL
	u.Scheme, u.Host, u.RawQuery = g.Origin.Scheme, g.Origin.Host, pr.In.URL.RawQuery
	pr.Out.Host = g.hostOf(pr.In)
	g.forward(pr)
	readable(pr.Out.Header)
	a.conditions = conditionsOf(pr.In)
	a.conditions.translate(pr.Out.Header, gateTag(a.state), a.state.Time)
	a.asked = time.Now()
}

// forward says for whom the request is made (RFC 7239, and the fields that came before it).
func (g *Gateway) forward(pr *httputil.ProxyRequest) {
	names := []string{"X-Forwarded-For", "X-Forwarded-Host", "X-Forwarded-Proto", "X-Forwarded-Port", "X-Real-Ip"}
	if g.Behind {
		pr.Out.Header["X-Forwarded-For"] = pr.In.Header["X-Forwarded-For"]
	} else {
		for name := range pr.Out.Header {
			if speaksForProxies(name) {
				delete(pr.Out.Header, name)
			}
		}
	}
	pr.SetXForwarded()
	pr.Out.Header.Set("X-Forwarded-Host", pr.Out.Host)
	client, _, err := net.SplitHostPort(pr.In.RemoteAddr)
	if err != nil {
		client = "unknown"
	}
	pr.Out.Header.Set("X-Real-Ip", client)
	pr.Out.Header.Set("X-Forwarded-Port", portOf(pr.Out.Host, pr.In.TLS != nil))
	node := client
	if strings.Contains(client, ":") {
		node = `"[` + client + `]"`
	}
	scheme := "http"
	if pr.In.TLS != nil {
		scheme = "https"
	}
	forwarded := "for=" + node + ";host=" + quoted(pr.Out.Host) + ";proto=" + scheme
	if g.Behind {
		for _, name := range names[1:] {
			if v := pr.In.Header[name]; len(v) > 0 {
				pr.Out.Header[name] = v
			}
		}
		if before := pr.In.Header["Forwarded"]; len(before) > 0 {
			forwarded = strings.Join(before, ", ") + ", " + forwarded
		}
	}
	pr.Out.Header.Set("Forwarded", forwarded)
}

// speaksForProxies reports whether a field says for whom a request is made, where it was sent or by whom, as
// a proxy would: from a client it is a forgery. A name with an underscore is the same as one with a hyphen
// to many applications (RFC 3875, 4.1.18), and goes whatever it is.
func speaksForProxies(name string) bool {
	return strings.ContainsRune(name, '_') || ofProxies.MatchString(name)
}

var ofProxies = regexp.MustCompile(
	`(?i)^(x-)?(forwarded|original|rewrite|real)(-|$)|client-?ip$|connecting-ip$|client-(host|verify|cert)|^proxy$|^front-end-https$|^x-((url-)?scheme|host|remote-.*|ssl-.*)$`,
)

// portOf is the port that a client went to.
func portOf(host string, secure bool) string {
	if _, port, err := net.SplitHostPort(host); err == nil {
		return port
	}
	if secure {
		return "443"
	}
	return "80"
}

// quoted is a value as a token, or as a quoted string where it is none (RFC 9110, 5.6).
func quoted(s string) string {
	if s != "" && !strings.ContainsFunc(s, func(r rune) bool { return r <= ' ' || r >= 0x7F || strings.ContainsRune(`"(),/:;<=>?@[\]{}`, r) }) {
		return s
	}
	return `"` + quotes.Replace(s) + `"`
}

var quotes = strings.NewReplacer(`\`, `\\`, `"`, `\"`)

// failed answers for an origin that does not.
func (g *Gateway) failed(w http.ResponseWriter, r *http.Request, err error) {
	a := exchangeOf(r)
	a.why, a.detail = passedOrigin, err.Error()
	if r.Context().Err() != nil { // the client went: nobody reads an answer
		a.why = passedGone
		panic(http.ErrAbortHandler)
	}
	status, says := http.StatusBadGateway, "The server behind this gateway does not answer."
	var late net.Error
	if broken := a.body.broken(); broken != nil ||
		strings.HasPrefix(err.Error(), "client tried to switch to invalid protocol") {
		a.why, status = passedMalformed, http.StatusBadRequest
		if errors.As(broken, &late) && late.Timeout() {
			status = http.StatusRequestTimeout
		}
		errorPage(w, status, "This request cannot be read to its end.", "")
		return
	}
	if errors.As(err, &late) && late.Timeout() {
		status, says = http.StatusGatewayTimeout, "The server behind this gateway did not answer in time."
	}
	g.Seen.origin.down(err)
	errorPage(w, status, says, "\n<p>Please try again in a moment.</p>")
}

// errorPage answers in place of the origin; more is markup below what it says.
func errorPage(w http.ResponseWriter, status int, says, more string) {
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	fmt.Fprintf(
		w,
		"<!doctype html>\n<html lang=\"en\">\n<title>%d %s</title>\n<h1>%s</h1>%s\n</html>\n",
		status,
		http.StatusText(status),
		says,
		more,
	)
}

// log writes a line about a request.
func (g *Gateway) log(a *exchange, w *writer, cut any) {
	if g.Log == nil {
		return
	}
	ms := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
	level := slog.LevelInfo
	attrs := make([]slog.Attr, 0, 10)
	attrs = append(attrs, slog.String("method", a.in.Method), slog.String("path", a.in.URL.RequestURI()), slog.Int("status", w.status), slog.Int64("bytes", w.bytes), slog.Float64("ms", ms(time.Since(a.began))))
	if !a.answered.IsZero() {
		attrs = append(attrs, slog.Float64("origin_ms", ms(a.answered.Sub(a.asked))))
	}
	if a.gated {
		attrs = append(attrs, slog.Bool("gated", true), slog.Float64("gate_ms", ms(a.gating)))
	} else {
		attrs = append(attrs, slog.String("passed", a.why))
		if doubtful[a.why] {
			level = slog.LevelWarn
		}
	}
	if a.detail != "" {
		attrs = append(attrs, slog.String("detail", a.detail))
	}
	if cut != nil {
		attrs = append(attrs, slog.Bool("cut", true))
		level = slog.LevelWarn
	}
	g.Log.LogAttrs(context.Background(), level, "request", attrs...)
}
