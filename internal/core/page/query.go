package page

import (
	"net/url"
	"strings"
)

// Pages by query: a site may say that some parameters make another page (site.query). The path of such a page has
// them, in the order in which they are named, and no others: "/plays/?p=2". A question mark that belongs to a path
// itself is written "%3F" there.

const escapedMark = "%3F"

// Identify brings a path with its query, as people and pages write it, into the form of Page.Path: Clean, with the
// parameters that names has. Others, marks of campaigns and the like, are the same page.
func Identify(address string, names []string) string {
	address, _, _ = strings.Cut(address, "#")
	_, query, _ := strings.Cut(address, "?")
	return Clean(address) + Query(query, names)
}

// Query is what of a query names has, in that order, each as the URL Standard writes it (5.2), with its "?"; "" for
// none.
func Query(query string, names []string) string {
	if query == "" || len(names) == 0 {
		return ""
	}
	var b strings.Builder
	for _, name := range names {
		eachParameter(query, func(key, value string) bool {
			if key == name {
				writeParameter(&b, key, value)
			}
			return true
		})
	}
	if b.Len() == 0 {
		return ""
	}
	return "?" + b.String()
}

// Path is a decoded path as Page.Path has it.
func Path(decoded string) string { return strings.ReplaceAll(decoded, "?", escapedMark) }

// IdentifyURL is Identify for a URL.
func IdentifyURL(u *url.URL, names []string) string {
	return Clean(u.EscapedPath()) + Query(u.RawQuery, names)
}

// NormalQuery is a query as Query writes one: all its parameters, in their order.
func NormalQuery(query string) string {
	var b strings.Builder
	eachParameter(query, func(key, value string) bool {
		writeParameter(&b, key, value)
		return true
	})
	return b.String()
}

func writeParameter(b *strings.Builder, key, value string) {
	if b.Len() > 0 {
		b.WriteByte('&')
	}
	b.WriteString(url.QueryEscape(key) + "=" + url.QueryEscape(value))
}

// parameter is the first value of a parameter in the page's path.
func (p *Page) parameter(name string) (value string) {
	_, query, _ := strings.Cut(p.Path, "?")
	eachParameter(query, func(key, v string) bool {
		if key == name {
			value = v
		}
		return key != name
	})
	return value
}

func eachParameter(query string, yield func(key, value string) bool) {
	for pair := range strings.SplitSeq(query, "&") {
		key, value, _ := strings.Cut(pair, "=")
		k, err := url.QueryUnescape(key)
		v, err2 := url.QueryUnescape(value)
		if key == "" || err != nil || err2 != nil {
			continue
		}
		if !yield(k, v) {
			return
		}
	}
}
