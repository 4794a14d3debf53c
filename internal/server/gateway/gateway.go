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
	"net"
	"net/http"
	"net/http/httputil"
	"net/netip"
	"net/url"
	"strings"
	"sync/atomic"
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
	Socket string   // the unix socket at which the origin answers; "" for its address
	// Transport asks the origin; NewTransport makes one.
	Transport http.RoundTripper
	Largest   int64          // bytes of a page, coded and decoded; larger ones pass
	Wait      time.Duration  // for the body of a page; slower ones pass
	Client    time.Duration  // for a client to take or send the next piece
	Keep      int64          // bytes of gated pages that are kept
	Trusted   []netip.Prefix // where proxies before this one stand: what they say of the client counts
	Request   int64          // bytes of a request's body at most; 0 for any
	WatchOnly bool           // nothing is changed; what would be is counted and logged
	MaxAge    time.Duration  // that caches may keep a gated page; 0 for what the origin says
	For       Chosen         // what of all is gated
	Timing    bool           // Server-Timing says how long things took
	Log       Log            // nil for none
	Seen      *Seen          // what is counted
}

// A Gateway answers requests. Make one with New.
type Gateway struct {
	Options
	proxy *httputil.ReverseProxy
	kept  *pageCache
	off   atomic.Bool // see Switch
	open  streams
	named atomic.Pointer[hosts]

	ending atomic.Bool
}

// New makes a gateway.
func New(o Options) *Gateway {
	if o.Seen == nil {
		o.Seen = NewSeen()
	}
	g := &Gateway{Options: o, kept: newPageCache(o.Keep)}
	g.Seen.gates, g.Seen.kept = append(g.Seen.gates, o.Gate), append(g.Seen.kept, g.kept)
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

// NewTransport asks an origin, which has a time to begin its answer. socket is a unix socket at which it is; "" for its
// own address. Codings are left as they come. HTTP/2 is spoken where the origin offers it over TLS, except for
// what is to be upgraded.
func NewTransport(wait time.Duration, secure *tls.Config, socket string) http.RoundTripper {
	dialer := &net.Dialer{Timeout: 10 * time.Second, KeepAlive: 30 * time.Second}
	dial := dialer.DialContext
	if socket != "" {
		dial = func(ctx context.Context, _, _ string) (net.Conn, error) {
			return dialer.DialContext(ctx, "unix", socket)
		}
	}
	one := &http.Transport{
		DialContext:            dial,
		TLSClientConfig:        secure,
		TLSHandshakeTimeout:    10 * time.Second,
		TLSNextProto:           map[string]func(string, *tls.Conn) http.RoundTripper{}, // HTTP/1.1
		MaxIdleConns:           1024,
		MaxIdleConnsPerHost:    512,
		IdleConnTimeout:        90 * time.Second,
		ResponseHeaderTimeout:  wait,
		ExpectContinueTimeout:  time.Second,
		MaxResponseHeaderBytes: 1 << 20,
		DisableCompression:     true,
	}
	two := one.Clone()
	two.TLSNextProto, two.ForceAttemptHTTP2 = nil, true
	return transport{one, two}
}

// transport asks over HTTP/2 where that is offered, and over HTTP/1.1 what can be upgraded.
type transport struct{ one, two *http.Transport }

func (t transport) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.Header.Get("Upgrade") != "" {
		return t.one.RoundTrip(r)
	}
	return t.two.RoundTrip(r)
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

	left    string // why nothing of this exchange is gated; "" where it may be
	client  string // the address of whoever asks, as far as trusted proxies tell
	id      string // of the request
	end     context.CancelFunc
	streams bool // it is among those that are open

	visitor *visitor // where a share of them is chosen
}

type exchangeKey struct{}

func exchangeOf(r *http.Request) *exchange {
	a, _ := r.Context().Value(exchangeKey{}).(*exchange)
	return a
}

// ServeHTTP implements http.Handler.
func (g *Gateway) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	a := &exchange{state: g.Gate.Now(), began: time.Now(), in: r, why: passedOther}
	a.client, a.id = g.clientOf(r), idOf(r)
	g.choose(a)
	out := &writer{ResponseWriter: w, wait: g.Client, control: http.NewResponseController(w)}
	ctx, end := context.WithCancel(context.WithValue(r.Context(), exchangeKey{}, a))
	defer end()
	a.end, r = end, r.WithContext(ctx)
	if r.Body != nil && r.Body != http.NoBody {
		a.body = &reader{ReadCloser: r.Body, wait: g.Client, control: out.control, left: r.ContentLength}
		r.Body = a.body
	}
	if g.ending.Load() && r.ProtoMajor == 1 {
		w.Header().Set("Connection", "close")
	}
	g.Seen.begin()
	defer func() {
		cut := recover()
		if a.streams {
			g.open.drop(a)
		}
		g.Seen.end(a, out)
		if g.Log != nil {
			g.Log.Request(a.line(out, cut))
		}
		if cut != nil {
			panic(cut) // http.ErrAbortHandler: the connection is cut, as the origin cut its own
		}
	}()
	if why := g.malformed(r); why != "" {
		a.why, a.detail = passedMalformed, why
		errorPage(out, http.StatusBadRequest, "This request cannot be read: "+why+".", "")
		return
	}
	if g.Request > 0 {
		if r.ContentLength > g.Request {
			a.why, a.detail = passedMalformed, "its body is longer than --largest-request"
			errorPage(out, http.StatusRequestEntityTooLarge, "This request is too large.", "")
			return
		}
		if a.body != nil {
			a.body.ReadCloser = http.MaxBytesReader(w, a.body.ReadCloser, g.Request)
		}
	}
	if a.body != nil {
		// Or the server closes the body when the answer begins, and the transport, which may still read it,
		// takes that for an error and closes the connection with the rest of the answer. Not for an answer of
		// our own, which nobody reads the body for: the server then reads the next request amid this one.
		_ = out.control.EnableFullDuplex()
	}
	g.proxy.ServeHTTP(out, r)
}

// malformed says what is wrong with a request that cannot go on as it came; "" for none. An HTTP/2 client
// can send what would end the request line of HTTP/1 (RFC 9113, 10.3).
func (g *Gateway) malformed(r *http.Request) string {
	if strings.ContainsFunc(r.URL.RawQuery+r.URL.Path+r.RequestURI,
		func(c rune) bool { return c < ' ' || c == 0x7F }) || strings.ContainsRune(r.URL.RawQuery+r.RequestURI, ' ') {
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
	pr.Out.Header.Set("X-Request-Id", a.id)
	readable(pr.Out.Header)
	switch a.conditions = conditionsOf(pr.In); {
	case a.left != "":
		a.conditions.forget(pr.Out.Header, a.state.Time)
	case !g.WatchOnly:
		a.conditions.translate(pr.Out.Header, gateTag(a.state), a.state.Time)
	}
	a.asked = time.Now()
}

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
	var large *http.MaxBytesError
	if broken := a.body.broken(); broken != nil ||
		strings.HasPrefix(err.Error(), "client tried to switch to invalid protocol") {
		a.why, status = passedMalformed, http.StatusBadRequest
		if errors.As(broken, &late) && late.Timeout() {
			status = http.StatusRequestTimeout
		} else if errors.As(broken, &large) {
			status = http.StatusRequestEntityTooLarge
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
	fmt.Fprintf(w, "<!doctype html>\n<html lang=\"en\">\n<title>%d %s</title>\n<h1>%s</h1>%s\n</html>\n", status,
		http.StatusText(status), says, more)
}
