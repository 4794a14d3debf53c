package browser

import (
	"bytes"
	"crypto/tls"
	"io"
	"log"
	"mime"
	"net"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"

	"github.com/klauspost/compress/gzip"

	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/selfsigned"
)

// A ServedSite is a folder of pages, or pages that are made of one, as the browser gets them.
type ServedSite struct {
	Address string // of the site as visitors know it; "" for none
	// Page is the page of a path, with what the transport says of it; nil for none.
	Page func(path string) (text []byte, answer *page.Answer)
	// File is a file of the site by its path; nil for none.
	File func(path string) []byte
}

// local answers for a site on the loopback, at the site's own address.
type local struct {
	base   string // scheme, host and port as the browser knows them
	at     string // address on the loopback
	mapped string // host and port that lead there; "" where the site has no address
	key    string // digest of the certificate's public key
	server *http.Server
}

func serve(of *ServedSite) (*local, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, &failure.Path{Path: "127.0.0.1", Err: err}
	}
	s := &local{
		at: l.Addr().String(),
		server: &http.Server{
			Handler:           handler(of),
			ReadHeaderTimeout: 10 * time.Second,
			ErrorLog:          log.New(io.Discard, "", 0),
		},
	}
	u, err := url.Parse(of.Address)
	if err != nil || u.Host == "" {
		s.base = "http://" + s.at
		go func() { _ = s.server.Serve(l) }()
		return s, nil
	}
	s.base = u.Scheme + "://" + u.Host
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[u.Scheme]
	}
	s.mapped = u.Hostname() + ":" + port
	if u.Scheme == "http" {
		go func() { _ = s.server.Serve(l) }()
		return s, nil
	}
	pair, key, err := selfsigned.Certificate(u.Hostname())
	if err != nil {
		l.Close()
		return nil, err
	}
	s.key, s.server.TLSConfig = key, &tls.Config{Certificates: []tls.Certificate{pair}}
	go func() { _ = s.server.ServeTLS(l, "", "") }()
	return s, nil
}

func (s *local) close() { _ = s.server.Close() }

func (s *local) rules() []string {
	if s.mapped == "" {
		return nil
	}
	return []string{"MAP " + s.mapped + " " + s.at}
}

// handler answers with the pages and files of a site, compressed as servers do.
func handler(of *ServedSite) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Cache-Control", "no-store")
		asked := page.Clean(r.URL.EscapedPath())
		text, answer := of.Page(asked + "?" + r.URL.RawQuery) // a page by query, or the path's
		if text == nil {
			text, answer = of.Page(asked)
		}
		if text != nil {
			h.Set("Content-Type", "text/html")
			if answer != nil {
				for _, name := range page.Describing {
					if lines := answer.Fields[name]; len(lines) > 0 {
						h[http.CanonicalHeaderKey(name)] = lines
					}
				}
			}
		} else {
			if text = of.File(r.URL.Path); text == nil {
				http.NotFound(w, r)
				return
			}
			kind := mime.TypeByExtension(path.Ext(r.URL.Path))
			if kind == "" {
				kind = "application/octet-stream"
			}
			h.Set("Content-Type", kind)
		}
		if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") && len(text) > 256 &&
			compresses(h.Get("Content-Type")) {
			var b bytes.Buffer
			z := gzip.NewWriter(&b)
			_, _ = z.Write(text)
			_ = z.Close()
			text = b.Bytes()
			h.Set("Content-Encoding", "gzip")
		}
		_, _ = w.Write(text)
	})
}

func compresses(kind string) bool {
	return strings.HasPrefix(kind, "text/") || strings.Contains(kind, "javascript") || strings.Contains(kind, "json") ||
		strings.Contains(kind, "svg")
}
