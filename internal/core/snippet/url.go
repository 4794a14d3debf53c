package snippet

import (
	"fmt"
	"net/url"
	"regexp"
	"strings"

	"yellowgate/internal/core/placeholder"
)

// A urlValue is a URL in which placeholders stand. A value can only be data of the part
// that its placeholder stands in; what comes of it is looked at once more, as a whole.
type urlValue struct {
	literals []string // what stands before, between and after the placeholders, decoded
	parts    []urlPart
	link     bool // visitors follow it and nothing loads it: any host will do
	wide     bool // some placeholder may hold several segments of a path
}

// A urlPart is what of a URL a placeholder stands in (URL Standard, 4.1).
type urlPart uint8

const (
	inBeginning urlPart = iota // nothing is before it: the value says where the URL leads
	inSegment                  // of the path
	inPath                     // several segments
	inQuery
	inFragment
	inOpaque // of mailto: and the like
)

// newURLValue finds the parts that the placeholders of a URL stand in; where is not empty
// if no value can stand in one of them. The literals are one more than the placeholders.
func newURLValue(literals []string, holders []*placeholder.Placeholder, link bool) (u *urlValue, where string) {
	u = &urlValue{literals: literals, link: link, parts: make([]urlPart, len(holders))}
	before := ""
	for i := range holders {
		before += literals[i]
		part, why := partAfter(before)
		if why != "" {
			return u, why
		}
		if part == inSegment && isPath(holders[i]) {
			part, u.wide = inPath, true
		}
		u.parts[i] = part
		before += "x"
	}
	return u, ""
}

// isPath reports whether a placeholder may hold several segments of a path: its filter
// path says so, or it is the page's own path.
func isPath(p *placeholder.Placeholder) bool {
	for _, f := range p.Filters {
		if f.Name == "path" {
			return true
		}
	}
	for _, o := range p.Options {
		if o.Name != "page.path" {
			return false
		}
	}
	return true
}

var scheme = regexp.MustCompile(`^[a-zA-Z][a-zA-Z0-9+.-]*:`)

// cleanURL is a URL as the parser of browsers sees it: without control characters around
// it and line ends in it, backslashes as slashes.
func cleanURL(s string) string {
	s = strings.TrimFunc(s, func(r rune) bool { return r <= ' ' })
	return strings.NewReplacer("\t", "", "\n", "", "\r", "", `\`, "/").Replace(s)
}

// partAfter is the part of a URL that comes after a beginning of it; where says why no
// value can stand there.
func partAfter(before string) (part urlPart, where string) {
	s := cleanURL(before)
	if s == "" {
		return inBeginning, ""
	}
	if m := scheme.FindString(s); m != "" {
		switch name := strings.ToLower(m); name {
		case "http:", "https:":
			s = "//" + strings.TrimLeft(s[len(m):], "/")
		case "mailto:", "tel:", "sms:":
			return inOpaque, ""
		default:
			return 0, "in a URL that begins with " + name
		}
	}
	if strings.HasPrefix(s, "//") {
		rest := strings.TrimLeft(s, "/")
		i := strings.IndexAny(rest, "/?#")
		if i < 0 {
			return 0, "in the host of a URL"
		}
		s = rest[i:]
	}
	switch {
	case s == "/": // a slash after it would make a host of it
		return inSegment, ""
	case strings.Contains(s, "#"):
		return inFragment, ""
	case strings.Contains(s, "?"):
		return inQuery, ""
	}
	return inSegment, ""
}

// escape is a value percent-encoded for the part it stands in (URL Standard, 1.3).
func (p urlPart) escape(v string) string {
	var b strings.Builder
	for i := 0; i < len(v); i++ {
		c := v[i]
		bad := c <= ' ' || c >= 0x7F || strings.IndexByte("\"'<>`{}\\^|", c) >= 0
		switch p {
		case inSegment:
			bad = bad || strings.IndexByte("/?#:;", c) >= 0
		case inPath:
			bad = bad || strings.IndexByte("?#", c) >= 0 || c == ':' && strings.IndexByte(v[:i], '/') < 0
		case inQuery, inOpaque, inFragment:
			bad = bad || strings.IndexByte("&=#+?", c) >= 0
		}
		if bad || c == '%' && !isEscape(v[i:]) {
			fmt.Fprintf(&b, "%%%02X", c)
		} else {
			b.WriteByte(c)
		}
	}
	return b.String()
}

// shapeOf is what of a URL no value may change.
type urlShape struct {
	scheme, authority string
	segments, dots    int
	query, fragment   bool
}

func shapeOf(s string) urlShape {
	var u urlShape
	s = cleanURL(s)
	if m := scheme.FindString(s); m != "" {
		u.scheme, s = strings.ToLower(m), s[len(m):]
		if u.scheme == "http:" || u.scheme == "https:" {
			s = "//" + strings.TrimLeft(s, "/")
		}
	}
	s, _, u.fragment = strings.Cut(s, "#")
	s, _, u.query = strings.Cut(s, "?")
	if strings.HasPrefix(s, "//") {
		rest := strings.TrimLeft(s, "/")
		u.authority, s, _ = strings.Cut(rest, "/")
		u.authority = "//" + strings.ToLower(u.authority)
	}
	for seg := range strings.SplitSeq(s, "/") {
		u.segments++
		switch strings.ReplaceAll(strings.ToLower(seg), "%2e", ".") {
		case ".", "..":
			u.dots++
		}
	}
	return u
}

// check looks at the URL as a whole: why says what a value made of it that it must not.
// hosts reports whether values may lead to a host.
func (u *urlValue) check(values []string, hosts func(host string) bool) (why string) {
	var harmless, filled strings.Builder
	for i, l := range u.literals {
		harmless.WriteString(l)
		filled.WriteString(l)
		if i < len(values) {
			harmless.WriteString("x")
			filled.WriteString(values[i])
		}
	}
	h, f := shapeOf(harmless.String()), shapeOf(filled.String())
	if f.dots != h.dots {
		return `which would make "." or ".." of a part of the path`
	}
	if len(u.parts) > 0 && u.parts[0] == inBeginning {
		return u.checkBeginning(f, hosts)
	}
	switch {
	case f.scheme != h.scheme:
		return "which would change the scheme of the URL"
	case f.authority != h.authority:
		return "which would change the host of the URL"
	case f.segments != h.segments && !u.wide:
		return "which would change the depth of the path"
	case f.query != h.query || f.fragment != h.fragment:
		return "which would begin another part of the URL"
	}
	return ""
}

// checkBeginning looks at a URL that a value begins.
func (u *urlValue) checkBeginning(f urlShape, hosts func(string) bool) string {
	switch f.scheme {
	case "", "http:", "https:":
	case "mailto:", "tel:", "sms:":
		if u.link {
			return ""
		}
		return "and a URL here must not begin with " + f.scheme
	default:
		return "and a URL here must not begin with " + f.scheme
	}
	if f.authority == "" {
		return ""
	}
	p, err := url.Parse("https:" + f.authority)
	switch {
	case err != nil:
		return "which is not a URL"
	case p.User != nil || strings.Contains(f.authority, "@"):
		return "and a URL here must not name a user"
	case u.link || hosts != nil && hosts(strings.ToLower(p.Hostname())):
		return ""
	}
	return fmt.Sprintf("which leads to %s; values may lead to the site's own host and to those under site.trust",
		p.Hostname())
}

// FillURL fills in a template that is one URL which the browser loads: the values are
// percent-encoded for the parts they stand in, and the whole is looked at. why says what is
// wrong with a value; every placeholder has one.
func FillURL(t *placeholder.Template, lookup func(string) string, hosts func(string) bool) (text, why string) {
	contexts, bad := contextsOfURL(t)
	if bad != nil {
		return "", "and no value can stand " + bad.Where
	}
	var b strings.Builder
	var values []string
	for _, p := range t.Pieces {
		if p.Placeholder == nil {
			b.WriteString(p.Text)
			continue
		}
		v, failed := p.Placeholder.Value(lookup)
		if failed != nil {
			return "", failed.Error()
		}
		values = append(values, contexts[len(values)].part.escape(v.Text))
		b.WriteString(values[len(values)-1])
	}
	if len(values) > 0 {
		why = contexts[0].url.check(values, hosts)
	}
	return b.String(), why
}
