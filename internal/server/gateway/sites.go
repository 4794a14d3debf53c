package gateway

import (
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus/promhttp"

	"yellowgate/internal/core/gatefile"
)

// Sites are the gateways of several sites behind one address, distinguished by the host of the request. The first
// answers for hosts that none has, unless those are refused.
type Sites struct {
	List   []*Gateway
	Refuse bool // requests for hosts that no site has
}

// hosts are the names of a site.
type hosts struct {
	of    *gatefile.Site
	names []string
}

// hosts are the name in the site's address, and those that the gate file has besides.
func (g *Gateway) hosts() []string {
	site := &g.Gate.Now().Project.Gate.File.Site
	if h := g.named.Load(); h != nil && h.of == site {
		return h.names
	}
	h := &hosts{of: site}
	if u, err := url.Parse(site.URL.Value); err == nil && u.Host != "" {
		h.names = append(h.names, strings.ToLower(u.Hostname()))
	}
	for _, t := range site.Hosts {
		h.names = append(h.names, strings.ToLower(t.Value))
	}
	g.named.Store(h)
	return h.names
}

// of is the gateway for a request; nil where it is refused.
func (s *Sites) of(r *http.Request) *Gateway {
	if len(s.List) > 1 || s.Refuse {
		host := strings.ToLower(r.Host)
		if name, _, err := net.SplitHostPort(host); err == nil {
			host = name
		}
		for _, g := range s.List {
			if slices.Contains(g.hosts(), strings.TrimSuffix(host, ".")) {
				return g
			}
		}
		if s.Refuse {
			return nil
		}
	}
	return s.List[0]
}

// ServeHTTP implements http.Handler.
func (s *Sites) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if g := s.of(r); g != nil {
		g.ServeHTTP(w, r)
		return
	}
	s.List[0].refuse(w, r)
}

// refuse answers a request for a host that no site has (RFC 9110, 15.5.20).
func (g *Gateway) refuse(w http.ResponseWriter, r *http.Request) {
	a := &exchange{state: g.Gate.Now(), in: r, why: passedMalformed, detail: "no site has this host"}
	a.began, a.client, a.id = time.Now(), g.clientOf(r), idOf(r)
	out := &writer{ResponseWriter: w, wait: g.Client, control: http.NewResponseController(w)}
	g.Seen.begin()
	errorPage(out, http.StatusMisdirectedRequest, "No site has this name here.", "")
	g.Seen.end(a, out)
	if g.Log != nil {
		g.Log.Request(a.line(out, nil))
	}
}

// Status serves /metrics and /health of all sites.
func (s *Sites) Status() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(s.List[0].Seen.registry, promhttp.HandlerOpts{}))
	mux.HandleFunc("GET /health", s.health)
	return mux
}

// Switch turns gating off, or on again, of all sites; see Gateway.Switch.
func (s *Sites) Switch(off bool) {
	for _, g := range s.List {
		g.Switch(off)
	}
}

// Off reports whether gating is turned off.
func (s *Sites) Off() bool { return s.List[0].Off() }
