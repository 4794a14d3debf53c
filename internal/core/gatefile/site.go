package gatefile

import (
	"net/url"
	"strings"
	"time"
	_ "time/tzdata" // zones by name on every machine

	"github.com/bmatcuk/doublestar/v4"
	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/problem"
)

// The key site: the site as a whole.

func (r *reader) site(n ast.Node) {
	s := &r.gate.Site
	for _, e := range r.mapping(n, "site", siteKeys) {
		what := "site." + e.key
		switch e.key {
		case "name":
			s.Name, _ = r.oneText(e.node, what)
		case "url":
			r.siteURL(e.node, what)
		case "origin":
			r.origin(e.node, what)
		case "time-zone":
			s.TimeZone, _ = r.oneText(e.node, what)
			if _, err := time.LoadLocation(s.TimeZone.Value); s.TimeZone.Value != "" && err != nil {
				r.problem(problem.Error, s.TimeZone.Pos, "write a name like Europe/Oslo",
					"there is no time zone %q", s.TimeZone.Value)
			}
		case "source":
			s.Source, _ = r.oneName(e.node, what)
		case "output":
			s.Output, _ = r.oneName(e.node, what)
		case "facts":
			s.Facts = r.names(e.node, what)
		case "trust":
			r.trust(e.node, what)
		case "outside":
			s.Outside = r.names(e.node, what)
		case "manifest":
			s.Manifest, _ = r.oneName(e.node, what)
		case "ignore", "also", "pages":
			list := map[string]*[]Text{"ignore": &s.Ignore, "also": &s.Also, "pages": &s.Pages}[e.key]
			*list = r.names(e.node, what)
			for _, t := range *list {
				if !doublestar.ValidatePattern(t.Value) {
					r.errorf(t.Pos, "the glob %q has a bracket or brace that is never closed", t.Value)
				}
			}
		case "extensionless":
			s.Spelling.Extensionless = r.truth(e.node, what)
		case "slashless":
			s.Spelling.Slashless = r.truth(e.node, what)
		case "query":
			for _, t := range r.names(e.node, what) {
				if strings.ContainsAny(t.Value, "?&=# ") {
					r.errorf(t.Pos, "%q is not the name of a parameter: write p, not ?p=2", t.Value)
				}
				s.Query = append(s.Query, t.Value)
			}
		case "marks":
			s.Marks = r.truth(e.node, what)
		case "history":
			t, _ := r.oneText(e.node, what)
			var ok bool
			if s.History, ok = ParseSize(t.Value); !ok {
				r.problem(problem.Error, t.Pos, "0 keeps nothing", "site.history is %s, not %q", SizeForm, t.Value)
			}
		case "gateway":
			r.gateway(e.node, what)
		}
	}
}

func (r *reader) siteURL(n ast.Node, what string) {
	s := &r.gate.Site
	s.URL, _ = r.oneText(n, what)
	if u, err := url.Parse(s.URL.Value); s.URL.Value != "" &&
		(err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https") {
		r.problem(problem.Error, s.URL.Pos, "write it like https://ternhill.example",
			"site.url should be the site's absolute address")
	} else if u != nil && (u.RawQuery != "" || u.Fragment != "") {
		r.errorf(s.URL.Pos, "site.url has no query and no fragment")
	}
	s.URL.Value = strings.TrimSuffix(s.URL.Value, "/")
}

func (r *reader) origin(n ast.Node, what string) {
	s := &r.gate.Site
	s.Origin, _ = r.oneText(n, what)
	if u, err := url.Parse(s.Origin.Value); s.Origin.Value != "" &&
		(err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" ||
			strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != "" || u.User != nil) {
		r.problem(problem.Error, s.Origin.Pos, "write it like http://127.0.0.1:8000",
			"site.origin is the scheme, host and port of the server that makes the pages")
	}
}

func (r *reader) trust(n ast.Node, what string) {
	for _, t := range r.names(n, what) {
		if strings.ContainsAny(t.Value, "/: ") || strings.Contains(strings.TrimPrefix(t.Value, "*."), "*") {
			r.problem(problem.Error, t.Pos, "write "+trustedHost(t.Value), "site.trust lists hosts, not %q", t.Value)
			continue
		}
		r.gate.Site.Trust = append(r.gate.Site.Trust, t)
	}
}

func (r *reader) gateway(n ast.Node, what string) {
	s := &r.gate.Site
	for _, x := range r.mapping(n, what, KeysOf(GatewayShape{})) {
		if x.key == "pass" {
			s.Pass = r.queries(x.node, what+".pass")
			continue
		}
		s.Hosts = r.names(x.node, what+".hosts")
		for _, t := range s.Hosts {
			if strings.ContainsAny(t.Value, "/: *") {
				r.problem(problem.Error, t.Pos, "write www.ternhill.example", "%q is not a host name", t.Value)
			}
		}
	}
}

// trustedHost is what somebody meant who wrote a URL or a pattern for a host.
func trustedHost(text string) string {
	_, rest, found := strings.Cut(text, "//")
	if !found {
		rest = text
	}
	host, _, _ := strings.Cut(strings.Trim(rest, "/ "), "/")
	host, _, _ = strings.Cut(host, ":")
	if host = strings.Trim(strings.TrimPrefix(host, "*."), "* "); host == "" {
		return "the name of each host whose code is expected, such as tags.lantern.example"
	}
	return host
}
