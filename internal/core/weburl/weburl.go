// Package weburl resolves the URLs that pages write, as a browser would (URL Standard, 4.4),
// and tells the site's own from third parties'.
package weburl

import (
	"encoding/hex"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"

	standard "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/text/unicode/norm"

	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/page"
)

// A SiteURL is where the pages stand.
type SiteURL struct {
	base  *url.URL // the site's address, or a stand-in where none is known
	path  string   // the path in it, without a trailing slash
	also  []string // other hosts, with their ports, that are the site as well
	query []string // parameters that make another page

	// Most URLs of a site mean the same on all its pages. They are resolved once.
	same memo.Map[string, cached] // by URL as written
}

type cached struct {
	ref Ref
	ok  bool
}

// NoSite stands for the address of a site that has none.
const NoSite = "https://site.invalid"

// NewSite returns the site at an absolute address, or at none (""), and at others besides: that of the server that
// makes its pages.
func NewSite(address string, also ...string) *SiteURL {
	u := parsed(address)
	if u == nil || u.Host == "" {
		u, _ = url.Parse(NoSite)
	}
	s := &SiteURL{base: u, path: strings.TrimSuffix(u.Path, "/")}
	s.same.Most = 50_000
	for _, a := range also {
		if u := parsed(a); u != nil && u.Host != "" {
			s.also = append(s.also, u.Host)
		}
	}
	return s
}

// parsed reads an absolute URL; nil for any that is none.
func parsed(address string) *url.URL {
	s, err := standard.Parse(address)
	if err != nil {
		return nil
	}
	u, err := url.Parse(s.Href(false))
	if err != nil {
		return nil
	}
	return u
}

// Naming gives the site the parameters that make another page of a path (page.Query).
func (s *SiteURL) Naming(parameters []string) *SiteURL {
	s.query = parameters
	return s
}

// BasePath is the path in the site's address, "" for none.
func (s *SiteURL) BasePath() string { return s.path }

// A Ref is one URL of a page, resolved.
type Ref struct {
	URL  string // absolute; for the site's own the path within the site
	Own  bool
	Path string // of an own URL: percent-decoded, NFC, without the site's base path
	// Page is the page that an own URL names, as page.Page.Path has it: the path, and what of the query makes a page.
	Page string
	Frag string
	Data bool // data:, blob:, javascript:, mailto: and the like: nothing is fetched
}

// Base is the base against which a page's URLs are resolved.
type Base struct {
	site *SiteURL
	base *url.URL
	own  bool // the base is the page itself, on the site's host
	long *longBase
}

// A longBase is a base as the standard's parser has it, once that is needed.
type longBase struct {
	once sync.Once
	url  *standard.Url
}

func (p Base) standard() *standard.Url {
	p.long.once.Do(func() { p.long.url, _ = standard.Parse(p.base.String()) })
	return p.long.url
}

// Page returns the base for the page at a site path; baseHref is the href of
// the page's base element, or "".
func (s *SiteURL) Page(pagePath, baseHref string) Base {
	u := *s.base
	pagePath, u.RawQuery, _ = strings.Cut(pagePath, "?")
	u.Path = s.path + pagePath
	u.RawPath = ""
	p := Base{s, &u, true, &longBase{}}
	if baseHref != "" {
		if b, err := standard.ParseRef(u.String(), baseHref); err == nil {
			if b := parsed(b.Href(false)); b != nil &&
				(b.Scheme == "http" || b.Scheme == "https") { // HTML, 4.2.3: no data: and javascript:
				p.base, p.own = b, false
			}
		}
	}
	return p
}

// Bases are the bases of one page: its own address, and from its base element on that
// element's, since a browser fetches what stands above before it knows (HTML, 2.4.2).
type Bases struct {
	above, below Base
	at           int
}

// Bases returns the bases for the page at a site path, whose base element with an href
// stands at an offset.
func (s *SiteURL) Bases(pagePath, baseHref string, at int) Bases {
	b := Bases{above: s.Page(pagePath, ""), at: at}
	b.below = b.above
	if baseHref != "" {
		b.below = s.Page(pagePath, baseHref)
	}
	return b
}

// At is the base for what stands at an offset.
func (b Bases) At(offset int) Base {
	if offset < b.at {
		return b.above
	}
	return b.below
}

// Below is the base of the page once it is read, for links that are followed.
func (b Bases) Below() Base { return b.below }

// Resolve resolves a URL as written. ok is false where it is no URL.
func (p Base) Resolve(raw string) (r Ref, ok bool) {
	if !p.own || !everywhere(raw) {
		return p.resolve(raw)
	}
	c := p.site.same.Get(raw, func() cached {
		r, ok := p.resolve(raw)
		return cached{r, ok}
	})
	return c.ref, c.ok
}

// Plain reports whether the base is the page itself, on the site's host: a URL that
// begins with "/" then means the same on all such pages.
func (p Base) Plain() bool { return p.own }

// everywhere reports whether a URL means the same on every page of the site:
// it is absolute, or begins with "/". Long ones are not worth keeping.
func everywhere(raw string) bool {
	return len(raw) < 200 &&
		(strings.HasPrefix(raw, "/") || strings.HasPrefix(raw, "http://") || strings.HasPrefix(raw, "https://"))
}

func (p Base) resolve(raw string) (r Ref, ok bool) {
	if isPlain(raw) {
		return p.plainly(raw)
	}
	base := p.standard()
	if len(raw) > longest { // the standard's parser takes its time
		if scheme, _, ok := strings.Cut(strings.TrimLeft(raw, " \t\r\n\f"), ":"); ok &&
			otherScheme[strings.ToLower(scheme)] {
			return Ref{URL: raw, Data: true}, true
		}
		return p.plainly(strings.ReplaceAll(strings.TrimSpace(raw), "\\", "/"))
	}
	if base == nil {
		return r, false
	}
	u, err := base.Parse(raw)
	if err != nil {
		return r, false
	}
	if u.Scheme() != "http" && u.Scheme() != "https" {
		return Ref{URL: u.Href(false), Data: true}, true
	}
	r.Frag = decoded(u.Fragment())
	if p.site.has(u.Host(), u.Pathname()) {
		r.URL = u.Pathname() + u.Search()
		return p.site.own(r, decoded(u.Pathname())), true
	}
	r.URL = u.Href(true)
	return r, true
}

// longest is how many bytes a URL may have to be read in all its ways of writing.
const longest = 1000

// otherScheme are schemes of long URLs that make a browser ask no server.
var otherScheme = map[string]bool{"data": true, "blob": true, "javascript": true, "mailto": true}

// isPlain reports whether a URL holds nothing that parsers read in different ways: a path of
// letters, digits and a few signs, perhaps with a query and a fragment, or an absolute one.
func isPlain(raw string) bool {
	for _, scheme := range []string{"https://", "http://"} {
		if rest, is := strings.CutPrefix(raw, scheme); is {
			if raw = rest; raw == "" || !isHostByte(raw[0]) {
				return false
			}
			host, _, _ := strings.Cut(raw, "/")
			if strings.Trim(host, "abcdefghijklmnopqrstuvwxyz-.") != "" || strings.ContainsAny(host, "0123456789?#") ||
				strings.HasPrefix(host, "xn--") ||
				strings.Contains(host, ".xn--") {
				return false // numbers are addresses, and a host may be written in many ways
			}
			break
		}
	}
	for i := range len(raw) {
		if raw[i] == '%' && i+2 < len(raw) && isHex(raw[i+1]) && isHex(raw[i+2]) &&
			!strings.EqualFold(raw[i:i+3], "%2e") {
			continue
		}
		if !plainBytes[raw[i]] {
			return false
		}
	}
	return raw != "" && !strings.HasPrefix(raw, "//") && !strings.HasSuffix(raw, "?") && !strings.Contains(raw, "?#")
}

func isHex(c byte) bool { return '0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'f' }

func isHostByte(c byte) bool { return 'a' <= c && c <= 'z' }

var plainBytes = func() (set [256]bool) {
	for _, c := range []byte("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-._~/?#=&+,;!$()*@") {
		set[c] = true
	}
	return set
}()

// plainly resolves a URL about which all parsers agree.
func (p Base) plainly(raw string) (r Ref, ok bool) {
	u, err := p.base.Parse(raw)
	if err != nil {
		return r, false
	}
	r.Frag = u.Fragment
	u.Fragment, u.RawFragment = "", ""
	if p.site.has(u.Host, u.Path) {
		r.URL = u.RequestURI()
		return p.site.own(r, u.Path), true
	}
	if u.Path == "" {
		u.Path = "/"
	}
	r.URL = u.String()
	return r, true
}

// has reports whether a path of a host is within the site.
func (s *SiteURL) has(host, path string) bool {
	return (host == s.base.Host || slices.Contains(s.also, host)) && strings.HasPrefix(path, s.path)
}

// own makes a reference one to a path of the site.
func (s *SiteURL) own(r Ref, decodedPath string) Ref {
	r.Own = true
	r.Path = norm.NFC.String(strings.TrimPrefix(decodedPath, s.path))
	if r.Path == "" || r.Path[0] != '/' {
		r.Path = "/" + r.Path
	}
	if clean := path.Clean(r.Path); clean != r.Path && clean+"/" != r.Path {
		r.Path = clean
	}
	r.Page = page.Path(r.Path)
	if _, query, has := strings.Cut(r.URL, "?"); has {
		r.Page += page.Query(query, s.query)
	}
	return r
}

// decoded is a path with its percent signs decoded; what is none of them stays
// (URL Standard, 1.3).
func decoded(s string) string {
	if !strings.Contains(s, "%") {
		return s
	}
	return percent.ReplaceAllStringFunc(s, func(x string) string {
		b, _ := hex.DecodeString(x[1:])
		return string(b)
	})
}

var percent = regexp.MustCompile(`%[0-9a-fA-F]{2}`)

// WithoutQuery is the URL without its query.
func (r Ref) WithoutQuery() string {
	u, _, _ := strings.Cut(r.URL, "?")
	return u
}

// Secure reports whether the page comes over https, as far as is known.
func (p Base) Secure() bool { return p.site.base.Scheme != "http" }

// Address is the address of the site, or of a stand-in for it, with a path of the site's.
func (p Base) Address(path string) *url.URL {
	u := *p.site.base
	u.Path = p.site.path + path
	return &u
}

// Host is the host of the page's base, with its port.
func (p Base) Host() string { return p.base.Host }

// Trusts reports whether a host, in lower case, is among hosts; "*." stands for any name
// below one.
func Trusts(hosts []string, host string) bool {
	return slices.ContainsFunc(hosts, func(t string) bool {
		t = strings.ToLower(t)
		return host == t || strings.HasPrefix(t, "*.") && strings.HasSuffix(host, t[1:])
	})
}

var scheme = regexp.MustCompile(`^[a-zA-Z][a-zA-Z0-9+.-]*:`)

// IsAbsolute reports whether a URL, as written, begins with a scheme, and so means the same wherever it stands
// (URL Standard, 4.3).
func IsAbsolute(raw string) bool {
	return scheme.MatchString(strings.TrimLeftFunc(raw, func(r rune) bool { return r <= ' ' }))
}

// IsBare reports whether a module specifier is a name that only an import map resolves: neither a URL nor a
// path that begins with /, ./ or ../ (HTML, 8.1.6.2).
func IsBare(specifier string) bool {
	for _, begin := range []string{"/", "./", "../"} {
		if strings.HasPrefix(specifier, begin) {
			return false
		}
	}
	return !IsAbsolute(specifier)
}
