// Package weburl resolves the URLs that pages write, as a browser would, and
// tells the site's own from third parties' (RFC 3986, section 5).
package weburl

import (
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"golang.org/x/text/unicode/norm"
)

// A Site is where the pages stand.
type Site struct {
	base *url.URL // the site's address, or a stand-in where none is known
	path string   // the path in it, without a trailing slash

	// Most URLs of a site mean the same on all its pages. They are resolved once.
	same sync.Map // URL as written -> cached
}

type cached struct {
	ref Ref
	ok  bool
}

// NewSite returns the site at an absolute address, or at none ("").
func NewSite(address string) *Site {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" {
		u = &url.URL{Scheme: "https", Host: "site.invalid"}
	}
	return &Site{base: u, path: strings.TrimSuffix(u.Path, "/")}
}

// BasePath is the path in the site's address, "" for none.
func (s *Site) BasePath() string { return s.path }

// A Ref is one URL of a page, resolved.
type Ref struct {
	URL  string // absolute; for the site's own the path within the site
	Own  bool
	Path string // of an own URL: percent-decoded, NFC, without the site's base path
	Frag string
	Data bool // data:, blob:, javascript:, mailto: and the like: nothing is fetched
}

// Page is the base against which a page's URLs are resolved.
type Page struct {
	site *Site
	base *url.URL
	own  bool // the base is the page itself, on the site's host
}

// Page returns the base for the page at a site path; baseHref is the href of
// the page's base element, or "".
func (s *Site) Page(pagePath, baseHref string) Page {
	u := *s.base
	u.Path = s.path + pagePath
	u.RawPath = ""
	p := Page{s, &u, true}
	if baseHref != "" {
		if b, err := u.Parse(strings.TrimSpace(baseHref)); err == nil {
			p.base, p.own = b, false
		}
	}
	return p
}

// Resolve resolves a URL as written. ok is false where it is no URL.
func (p Page) Resolve(raw string) (r Ref, ok bool) {
	if !p.own || !everywhere(raw) {
		return p.resolve(raw)
	}
	if c, hit := p.site.same.Load(raw); hit {
		return c.(cached).ref, c.(cached).ok
	}
	r, ok = p.resolve(raw)
	p.site.same.Store(raw, cached{r, ok})
	return r, ok
}

// Plain reports whether the base is the page itself, on the site's host: a URL that
// begins with "/" then means the same on all such pages.
func (p Page) Plain() bool { return p.own }

// everywhere reports whether a URL means the same on every page of the site:
// it is absolute, or begins with "/". Long ones are not worth keeping.
func everywhere(raw string) bool {
	return len(raw) < 200 && (strings.HasPrefix(raw, "/") || strings.HasPrefix(raw, "http://") || strings.HasPrefix(raw, "https://"))
}

func (p Page) resolve(raw string) (r Ref, ok bool) {
	raw = strip(raw)
	u, err := p.base.Parse(raw)
	if err != nil {
		return r, false
	}
	if u.Scheme != "http" && u.Scheme != "https" {
		return Ref{URL: u.String(), Data: true}, true
	}
	r.Frag = u.Fragment
	u.Fragment, u.RawFragment = "", ""
	if strings.EqualFold(u.Host, p.site.base.Host) && strings.HasPrefix(u.Path, p.site.path) {
		r.Own = true
		r.Path = norm.NFC.String(u.Path[len(p.site.path):])
		if r.Path == "" || r.Path[0] != '/' {
			r.Path = "/" + r.Path
		}
		if clean := path.Clean(r.Path); clean != r.Path && clean+"/" != r.Path {
			r.Path = clean
		}
		r.URL = u.RequestURI()
		return r, true
	}
	r.URL = u.String()
	return r, true
}

// strip removes what the URL parser of browsers ignores (URL Standard, 4.4).
func strip(s string) string {
	s = strings.Trim(s, "\x00\x01\x02\x03\x04\x05\x06\x07\x08\t\n\v\f\r\x0e\x0f\x10\x11\x12\x13\x14\x15\x16\x17\x18\x19\x1a\x1b\x1c\x1d\x1e\x1f ")
	if strings.ContainsAny(s, "\t\n\r") {
		s = strings.NewReplacer("\t", "", "\n", "", "\r", "").Replace(s)
	}
	return s
}

// WithoutQuery is the URL without its query.
func (r Ref) WithoutQuery() string {
	u, _, _ := strings.Cut(r.URL, "?")
	return u
}

// Secure reports whether the page comes over https, as far as is known.
func (p Page) Secure() bool { return p.site.base.Scheme != "http" }

// Host is the host of the page's base, with its port.
func (p Page) Host() string { return p.base.Host }

// Trusts reports whether a host, in lower case, is among hosts; "*." stands for any name
// below one.
func Trusts(hosts []string, host string) bool {
	return slices.ContainsFunc(hosts, func(t string) bool {
		t = strings.ToLower(t)
		return host == t || strings.HasPrefix(t, "*.") && strings.HasSuffix(host, t[1:])
	})
}
