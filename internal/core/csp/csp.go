// Package csp reads a Content Security Policy and tells what of a page it stops (Content
// Security Policy Level 3): which directive decides about a load, an inline text or an event
// handler, and whether it lets it in.
package csp

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"net/url"
	"slices"
	"strings"
)

// A Policy is a list of directives, each with its sources.
type Policy struct {
	directives map[string][]string
}

// Parse reads a policy as it stands in a header or a meta element. The first directive of a
// name counts (2.2.1).
func Parse(text string) *Policy {
	p := &Policy{map[string][]string{}}
	for part := range strings.SplitSeq(text, ";") {
		words := strings.Fields(part)
		if len(words) == 0 {
			continue
		}
		name := strings.ToLower(words[0])
		if _, twice := p.directives[name]; !twice {
			p.directives[name] = words[1:]
		}
	}
	return p
}

// What is asked of a policy: the kinds of load.
const (
	Script = "script-src-elem"
	Style  = "style-src-elem"
	Image  = "img-src"
	Frame  = "frame-src"
	Media  = "media-src"
	Object = "object-src"
	Font   = "font-src"
	// Of texts in the page:
	Handler   = "script-src-attr"
	Attribute = "style-src-attr"
	Base      = "base-uri"
	Manifest  = "manifest-src"
)

// fallbacks are the directives that decide where the one before is not there (6.8.3).
var fallbacks = map[string][]string{
	Script: {
		"script-src",
		"default-src",
	}, Handler: {"script-src", "default-src"}, Style: {"style-src", "default-src"},
	Attribute: {"style-src", "default-src"},
	Image: {
		"default-src",
	}, Frame: {"child-src", "default-src"}, Media: {"default-src"}, Object: {"default-src"},
	Font: {"default-src"}, Manifest: {"default-src"},
}

// mostSources is how many sources a directive may have to be asked: no server sends so many.
const mostSources = 200

// sources are those of the directive that decides about a kind; ok is false where none does.
func (p *Policy) sources(kind string) (directive string, list []string, ok bool) {
	for _, name := range append([]string{kind}, fallbacks[kind]...) {
		if list, ok = p.directives[name]; ok {
			return name, list, true
		}
	}
	return "", nil, false
}

// A Request is something that a page asks for.
type Request struct {
	Kind string
	URL  *url.URL // whole
	Page *url.URL // the page's own address
	// Nonce and Integrity are those attributes of the element; Parsed is false for an element
	// that a script makes.
	Nonce, Integrity string
	Parsed           bool
}

// Stops names the directive that stops a load, as it stands in the policy; "" for none.
func (p *Policy) Stops(l Request) (directive string) {
	name, list, ok := p.sources(l.Kind)
	if !ok || len(list) > mostSources {
		return ""
	}
	if l.Kind == Script || l.Kind == Style {
		if nonced(list, l.Nonce) || l.Kind == Script && hashed(list, l.Integrity) {
			return ""
		}
		if l.Kind == Script && has(list, "'strict-dynamic'") {
			if l.Parsed {
				return name
			}
			return ""
		}
	}
	for _, source := range list {
		if matches(source, l.URL, l.Page) {
			return ""
		}
	}
	return name
}

// StopsText names the directive that stops an inline script, a style, a handler or a style
// attribute; "" for none.
func (p *Policy) StopsText(kind, text, nonce string) (directive string) {
	name, list, ok := p.sources(kind)
	if !ok || len(list) > mostSources {
		return ""
	}
	strict := kind == Script && has(list, "'strict-dynamic'")
	for _, s := range list { // a nonce or a digest makes 'unsafe-inline' void (6.7.3.2)
		lower := strings.ToLower(s)
		strict = strict || strings.HasPrefix(lower, "'nonce-") || strings.HasPrefix(lower, "'sha")
	}
	if has(list, "'unsafe-inline'") && !strict {
		return ""
	}
	attribute := kind == Handler || kind == Attribute
	if !attribute && nonced(list, nonce) {
		return ""
	}
	if !attribute || has(list, "'unsafe-hashes'") {
		for _, s := range list {
			if digestOf(s, text) {
				return ""
			}
		}
	}
	return name
}

func has(list []string, keyword string) bool {
	return slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, keyword) })
}

func nonced(list []string, nonce string) bool {
	return nonce != "" && slices.Contains(list, "'nonce-"+nonce+"'")
}

// hashed reports whether all digests of an integrity attribute are in the list (6.7.1.1).
func hashed(list []string, integrity string) bool {
	some := false
	for d := range strings.FieldsSeq(integrity) {
		if !slices.Contains(list, "'"+d+"'") {
			return false
		}
		some = true
	}
	return some
}

// digestOf reports whether a source is the digest of a text (6.7.3.3).
func digestOf(source, text string) bool {
	kind, sum, ok := strings.Cut(strings.Trim(source, "'"), "-")
	if !ok || len(source) < 3 || source[0] != '\'' {
		return false
	}
	var have []byte
	switch strings.ToLower(kind) {
	case "sha256":
		h := sha256.Sum256([]byte(text))
		have = h[:]
	case "sha384":
		h := sha512.Sum384([]byte(text))
		have = h[:]
	case "sha512":
		h := sha512.Sum512([]byte(text))
		have = h[:]
	default:
		return false
	}
	sum = strings.NewReplacer("-", "+", "_", "/").Replace(sum)
	return sum == base64.StdEncoding.EncodeToString(have)
}

// matches reports whether a source lets in a URL (6.7.2.8).
func matches(source string, u, page *url.URL) bool {
	if strings.HasPrefix(source, "'") {
		return strings.EqualFold(source, "'self'") && strings.EqualFold(u.Hostname(), page.Hostname()) &&
			port(u) == port(page) &&
			(u.Scheme == page.Scheme || u.Scheme == "https")
	}
	if source == "*" {
		return u.Scheme == "http" || u.Scheme == "https" || u.Scheme == page.Scheme
	}
	if scheme, is := strings.CutSuffix(source, ":"); is && !strings.Contains(scheme, "/") {
		return schemeFits(strings.ToLower(scheme), u.Scheme)
	}
	scheme, rest, written := strings.Cut(source, "://")
	if !written {
		scheme, rest = page.Scheme, source
	}
	if !schemeFits(strings.ToLower(scheme), u.Scheme) {
		return false
	}
	host, path, _ := strings.Cut(rest, "/")
	if strings.Contains(rest, "/") {
		path = "/" + path
	}
	wanted := ""
	if i := strings.LastIndexByte(host, ':'); i >= 0 {
		host, wanted = host[:i], host[i+1:]
	}
	host = strings.ToLower(host)
	have := strings.ToLower(u.Hostname())
	if below, any := strings.CutPrefix(host, "*"); any && host != "*" {
		if !strings.HasSuffix(have, below) {
			return false
		}
	} else if host != "*" && host != have {
		return false
	}
	if wanted != "*" && wanted != "" && wanted != port(u) || wanted == "" && port(u) != defaultPort(u.Scheme) {
		return false
	}
	return path == "" || path == "/" || strings.HasSuffix(path, "/") && strings.HasPrefix(u.EscapedPath(), path) ||
		path == u.EscapedPath()
}

func schemeFits(wanted, have string) bool {
	return wanted == have || wanted == "http" && have == "https"
}

func port(u *url.URL) string {
	if p := u.Port(); p != "" {
		return p
	}
	return defaultPort(u.Scheme)
}

func defaultPort(scheme string) string {
	return map[string]string{"http": "80", "https": "443"}[scheme]
}
