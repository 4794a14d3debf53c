package gateway

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"time"
)

// How an operator tries it, and stops it.

// Switch turns gating off, where everything passes as it came, or on again. What clients have kept of gated pages is
// asked for anew meanwhile. It holds from the next request on.
func (g *Gateway) Switch(off bool) { g.off.Store(off) }

// Off reports whether gating is turned off.
func (g *Gateway) Off() bool { return g.off.Load() }

// forget takes off a request what is of a gated page: its tags, and a time since which the gate may have changed it.
func (c *conditions) forget(h http.Header, gate time.Time) {
	var list []string
	for _, tag := range c.none {
		if _, _, ours := untagged(tag); !ours {
			list = append(list, tag)
		}
	}
	if len(list) < len(c.none) {
		if h.Del("If-None-Match"); len(list) > 0 {
			h["If-None-Match"] = []string{strings.Join(list, ", ")}
		}
	}
	if c.page && !c.since.Before(gate.Truncate(time.Second)) {
		h.Del("If-Modified-Since")
	}
	if _, _, ours := untagged(h.Get("If-Range")); ours {
		h.Del("If-Range")
		h.Del("Range")
	}
	*c = conditions{reads: c.reads, page: c.page}
}

// watched is a page that passes as it came, and of which it is found out what the gate would do.
type watched struct {
	io.ReadCloser
	g    *Gateway
	a    *exchange
	of   *known
	text bytes.Buffer
	over bool // it is too large, or was looked at
}

// watch has the page of an answer pass, and counts what would become of it.
func (g *Gateway) watch(a *exchange, resp *http.Response) {
	a.why = passedWatched
	if resp.Request.Method != http.MethodHead {
		resp.Body = &watched{ReadCloser: resp.Body, g: g, a: a, of: g.known(a, resp)}
	}
}

// Read implements io.Reader.
func (w *watched) Read(p []byte) (int, error) {
	n, err := w.ReadCloser.Read(p)
	if w.over {
		return n, err
	}
	if w.text.Write(p[:n]); int64(w.text.Len()) > w.g.Largest {
		w.over, w.a.detail = true, "would pass: "+passedLarge
		w.text = bytes.Buffer{}
	}
	if err == io.EOF && !w.over {
		w.over = true
		began := time.Now()
		page, why, detail := w.g.gatePage(w.of, w.text.Bytes())
		w.a.gating = time.Since(began)
		switch {
		case why != "":
			w.a.detail = "would pass: " + why + " " + detail
		case page.changed:
			w.a.detail = "would be gated"
		default:
			w.a.detail = "would stay as it is"
		}
	}
	return n, err
}
