// Package robots reads robots.txt (RFC 9309): what a crawler of a name may ask for, and which sitemaps there are.
package robots

import (
	"fmt"
	"net/url"
	"strings"
)

// Rules are what robots.txt says to one crawler. The zero value allows everything.
type Rules struct {
	Sitemaps []string // as written, for whatever crawler
	rules    []rule
}

// A rule allows or forbids the paths that its pattern matches.
type rule struct {
	pattern string // escaped as Allows has paths; "*" for anything, "$" at its end for the path's end
	allow   bool
}

// Of reads the response to a request for robots.txt, for a crawler. What a server does not have (4xx) forbids
// nothing; where it fails (5xx) everything is forbidden (2.3.1).
func Of(status int, text, crawler string) *Rules {
	switch {
	case status >= 500:
		return &Rules{rules: []rule{{pattern: "/"}}}
	case status >= 400:
		return &Rules{}
	}
	return Parse(text, crawler)
}

// Parse reads the text of a robots.txt for a crawler: the groups that name it, without its version, or else those
// for "*" (2.2.1).
func Parse(text, crawler string) *Rules {
	r := &Rules{}
	groups := map[string][]rule{} // by crawler, in lower case
	var names []string            // of the group that is being read
	begun := false                // it has rules already
	for line := range strings.FieldsFuncSeq(strings.TrimPrefix(text, "\ufeff"),
		func(c rune) bool { return c == '\n' || c == '\r' }) {
		line, _, _ = strings.Cut(line, "#")
		key, value, ok := strings.Cut(line, ":")
		if value = strings.TrimSpace(value); !ok {
			continue
		}
		switch strings.ToLower(strings.TrimSpace(key)) {
		case "user-agent":
			if begun {
				names, begun = nil, false
			}
			name, _, _ := strings.Cut(strings.ToLower(value), "/")
			if names = append(names, name); groups[name] == nil {
				groups[name] = []rule{} // that has no rule allows everything
			}
		case "allow", "disallow":
			begun = true
			if value == "" { // forbids nothing
				continue
			}
			x := rule{escaped(value), strings.EqualFold(strings.TrimSpace(key), "allow")}
			for _, name := range names {
				groups[name] = append(groups[name], x)
			}
		case "sitemap":
			r.Sitemaps = append(r.Sitemaps, value)
		}
	}
	crawler, _, _ = strings.Cut(crawler, "/")
	rules, named := groups[strings.ToLower(crawler)]
	if !named {
		rules = groups["*"]
	}
	r.rules = rules
	return r
}

// Allows reports whether a path, with its query, may be asked for: the longest pattern that matches it decides,
// and of two as long the one that allows (2.2.2).
func (r *Rules) Allows(path string) bool {
	allow, longest := true, -1
	path = escaped(path)
	for _, x := range r.rules {
		if n := len(x.pattern); n >= longest && matches(x.pattern, path) && (n > longest || x.allow) {
			allow, longest = x.allow, n
		}
	}
	return allow
}

// escaped writes a path so that two that mean the same are the same: what may stand as it is, is not escaped,
// and all else is, in upper case (2.2.2).
func escaped(path string) string {
	var b strings.Builder
	for i := 0; i < len(path); i++ {
		c, keep := path[i], path[i] > ' ' && path[i] < 0x7f
		if c == '%' && i+2 < len(path) {
			if s, err := url.PathUnescape(path[i : i+3]); err == nil {
				c, keep = s[0], isUnreserved(s[0])
				i += 2
			}
		}
		if keep {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

// isUnreserved reports whether a byte means the same escaped and not (RFC 3986, 2.3).
func isUnreserved(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-._~", c) >= 0
}

// matches reports whether a pattern matches the beginning of a path, in time linear in both for each "*".
func matches(pattern, path string) bool {
	whole := strings.HasSuffix(pattern, "$")
	pieces := strings.Split(strings.TrimSuffix(pattern, "$"), "*")
	if !strings.HasPrefix(path, pieces[0]) {
		return false
	}
	path = path[len(pieces[0]):]
	for i, piece := range pieces[1:] {
		if whole && i == len(pieces)-2 {
			return strings.HasSuffix(path, piece)
		}
		at := strings.Index(path, piece)
		if at < 0 {
			return false
		}
		path = path[at+len(piece):]
	}
	return !whole || path == ""
}
