package gateway

import (
	"bytes"
	"math/rand/v2"
	"net/http"
	"strings"
	"testing"
)

// TestCodings: what is coded comes back, and what is in no coding that it says is told.
func TestCodings(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 200 {
		text := []byte(strings.Repeat("stars and owls ", n*3))
		for i := range text {
			if r.IntN(7) == 0 {
				text[i] = byte(r.Uint32())
			}
		}
		for _, c := range append(codings, identity) {
			b, err := encoded(text, c)
			if err != nil {
				t.Fatal(err)
			}
			got, err := decoded(b, c, 1<<20)
			if err != nil || !bytes.Equal(got, text) {
				t.Errorf("%s of %d bytes: %d come back (%v)", c, len(text), len(got), err)
			}
			if c == identity || len(text) < 20 {
				continue
			}
			if _, err := decoded(b, c, int64(len(text)-1)); err == nil {
				t.Errorf("%s: more than the most is taken", c)
			}
			if _, err := decoded(b[:len(b)/2], c, 1<<20); err == nil {
				t.Errorf("%s: half of it is taken", c)
			}
			if _, err := decoded(append(bytes.Clone(b), "<p>more</p>"...), c, 1<<20); err == nil {
				t.Errorf("%s: something behind its end is taken", c)
			}
		}
	}
	if _, err := decoded(nil, "deflate", 10); err == nil {
		t.Error("deflate is read")
	}
	if _, err := encoded(nil, "deflate"); err == nil {
		t.Error("deflate is written")
	}
}

// TestBest: which coding a client gets, and which the origin is asked for (RFC 9110, 12.5.3).
func TestBest(t *testing.T) {
	for _, c := range []struct{ accept, best, asked string }{
		{"", identity, ""},
		{"gzip", "gzip", "gzip"},
		{"gzip, deflate, br, zstd", "br", "br, zstd, gzip"},
		{"gzip;q=1.0, br;q=0.5", "gzip", "br;q=0.5, gzip"},
		{"br;q=0, gzip", "gzip", "gzip"},
		{"*", "br", "br, zstd, gzip"},
		{"*;q=0.3", "br", "br;q=0.3, zstd;q=0.3, gzip;q=0.3"},
		{"gzip;q=0, *", "br", "br, zstd"},
		{"deflate", identity, identity},
		{"identity", identity, identity},
		{"identity;q=0, gzip", "gzip", "gzip, identity;q=0"},
		{"GZIP ; Q=0.8 , nonsense", "gzip", "gzip;q=0.8"},
		{"gzip;q=nonsense", identity, identity},
		{"x-gzip", "gzip", "gzip"},
	} {
		h := http.Header{}
		var accept []string
		if c.accept != "" {
			accept = []string{c.accept}
			h["Accept-Encoding"] = []string{c.accept}
		}
		if got := best(accept); got != c.best {
			t.Errorf("%q gets %s, want %s", c.accept, got, c.best)
		}
		if readable(h); h.Get("Accept-Encoding") != c.asked {
			t.Errorf("%q asks for %q, want %q", c.accept, h.Get("Accept-Encoding"), c.asked)
		}
	}
	h := http.Header{"Vary": {"Cookie, accept-encoding"}}
	if addVary(h, "Accept-Encoding"); len(h["Vary"]) != 1 {
		t.Errorf("Vary: %q", h["Vary"])
	}
	if h = (http.Header{"Vary": {"*"}}); true {
		if addVary(h, "Accept-Encoding"); len(h["Vary"]) != 1 {
			t.Errorf("Vary: %q", h["Vary"])
		}
	}
}

// TestTags: entity tags are put together and taken apart again.
func TestTags(t *testing.T) {
	const gate = "0123456789ab"
	for _, tag := range []string{`"abc"`, `W/"abc"`, `""`, `"a.yg-b.c"`, `"a.yg0123456789ab"`} {
		for _, coding := range []string{identity, "br", "gzip"} {
			full := tagged(tag, gate, coding)
			origin, of, ok := untagged(full)
			if !ok || origin != tag || of != gate {
				t.Errorf("%s in %s: %s, and back %s %s %v", tag, coding, full, origin, of, ok)
			}
		}
	}
	for _, tag := range []string{`"abc"`, `"abc.yg123"`, `abc.yg0123456789ab`, `"abc.yg0123456789AB"`, ""} {
		if _, _, ok := untagged(tag); ok {
			t.Errorf("%s is taken for the gateway's", tag)
		}
	}
	if got := tagged("nonsense", gate, identity); got != "nonsense" {
		t.Errorf("what is no tag became %s", got)
	}
	for _, c := range []struct {
		method, path, accept, dest string
		want                       bool
	}{
		{"GET", "/visit/", "text/html,*/*", "document", true}, {"GET", "/a.css", "text/css,*/*;q=0.1", "style",
			false}, {"GET", "/visit/", "", "", true},
		{"GET", "/a.JS", "*/*", "", false}, {"GET", "/a.js", "text/html", "", true}, {"POST", "/visit/", "text/html",
			"", false}, {"GET", "/data", "application/json", "empty", false},
	} {
		r, err := http.NewRequest(c.method, "http://ternhill.example"+c.path, nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Accept", c.accept)
		r.Header.Set("Sec-Fetch-Dest", c.dest)
		if mayBePage(r) != c.want {
			t.Errorf("%+v", c)
		}
	}
}
