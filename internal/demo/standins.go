package demo

import (
	"crypto/tls"
	"embed"
	"fmt"
	"io"
	"io/fs"
	"log"
	"net"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"yellowgate/internal/selfsigned"
)

// Stand-ins for the hosts that the demo's pages load from, so that a browser shows the whole site
// without any network: each answers on a port of its own, with a certificate that is made for this
// run and that nobody else trusts.

//go:embed standins
var standins embed.FS

// counter is a host that has no files: it takes what it is told, and says nothing.
const counter = "count.ternhill.example"

// A StandIn answers for one host.
type StandIn struct {
	Host    string
	Address string // on the loopback
}

// StandIns run until they are closed.
type StandIns struct {
	All []StandIn
	// Key is the digest of the certificate's public key (SHA-256, base64), by which a browser can
	// be told to trust it.
	Key     string
	servers []*http.Server
}

// Serve starts a stand-in for each host. asked, if not nil, is called with each request.
func Serve(asked func(host string, r *http.Request)) (*StandIns, error) {
	entries, err := fs.ReadDir(standins, "standins")
	if err != nil {
		return nil, err
	}
	hosts := []string{counter}
	for _, e := range entries {
		hosts = append(hosts, e.Name())
	}
	slices.Sort(hosts)
	pair, key, err := selfsigned.Certificate(hosts...)
	if err != nil {
		return nil, err
	}
	s := &StandIns{Key: key}
	for _, host := range hosts {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			s.Close()
			return nil, err
		}
		s.All = append(s.All, StandIn{host, l.Addr().String()})
		server := &http.Server{
			Handler:           standIn(host, asked),
			ReadHeaderTimeout: 10 * time.Second,
			ErrorLog:          log.New(io.Discard, "", 0),
			TLSConfig:         &tls.Config{Certificates: []tls.Certificate{pair}},
		}
		s.servers = append(s.servers, server)
		go func() { _ = server.ServeTLS(l, "", "") }()
	}
	return s, nil
}

// Close ends them.
func (s *StandIns) Close() {
	for _, server := range s.servers {
		_ = server.Close()
	}
}

// standIn answers for a host.
func standIn(host string, asked func(string, *http.Request)) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if asked != nil {
			asked(host, r)
		}
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Cache-Control", "no-store")
		if host == counter {
			w.WriteHeader(http.StatusNoContent)
			return
		}
		name := path.Join("standins", host, path.Clean("/"+r.URL.Path))
		text, err := fs.ReadFile(standins, name)
		if err != nil {
			name += ".html"
			text, err = fs.ReadFile(standins, name)
		}
		if err != nil {
			http.NotFound(w, r)
			return
		}
		if path.Base(name) == "replay.js" {
			text = append(text[:len(text):len(text)], large()...)
		}
		h.Set("Content-Type",
			map[string]string{".js": "text/javascript; charset=utf-8", ".html": "text/html; charset=utf-8",
				".gif": "image/gif"}[path.Ext(name)])
		_, _ = w.Write(text)
	})
}

// large is what a vendor's script has for all the sites that are not this one.
func large() []byte {
	var out []byte
	for i := range 600 {
		out = fmt.Appendf(out, "function replay%03d(event) { return [%d, event.type, event.target]; }\n", i, i)
	}
	return out
}

// Rules tell Chromium where the hosts are (--host-resolver-rules).
func (s *StandIns) Rules() string {
	var rules []string
	for _, x := range s.All {
		rules = append(rules, "MAP "+x.Host+":443 "+x.Address)
	}
	return strings.Join(rules, ", ")
}
