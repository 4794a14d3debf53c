// Package sitefacts reads what the files of a folder say of its site: how it is addressed, which pages its sitemap
// lists, what a capture kept of the addresses that it requested.
package sitefacts

import (
	"net/url"

	"golang.org/x/text/unicode/norm"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/page"
	"yellowgate/internal/site"
)

// Addresses are what a capture kept of the addresses that it requested, as the checks take them; nil
// for a folder of files alone.
func Addresses(lines []site.Captured) *check.Addresses {
	if len(lines) == 0 {
		return nil
	}
	files := map[string]string{} // by address
	for i := range lines {
		files[lines[i].URL] = lines[i].File
	}
	list := make([]check.Address, 0, len(lines))
	for i := range lines {
		l := &lines[i]
		u, err := url.Parse(l.URL)
		if err != nil {
			continue
		}
		x := check.Address{Path: pathOf(u), Page: l.Asked == "page", Status: l.Status, Why: l.Why, Links: l.Links,
			File: l.File, Wire: l.Wire, Bytes: l.Bytes, Answer: &page.Answer{Status: l.Status, Fields: l.Fields}}
		if to, err := url.Parse(l.Final); err == nil && l.Final != "" {
			if x.To = l.Final; to.Host == u.Host && to.Scheme == u.Scheme {
				x.To = pathOf(to)
			}
		}
		for _, from := range l.From {
			at := check.PageAt{File: files[from]}
			if f, err := url.Parse(from); err == nil && site.IsPage(at.File) {
				at.Path = page.Clean(f.EscapedPath())
			}
			if at.File != "" {
				x.From = append(x.From, at)
			}
		}
		list = append(list, x)
	}
	return check.NewAddresses(list)
}

// pathOf is the path of an address, percent escapes decoded, with its query.
func pathOf(u *url.URL) string {
	p := norm.NFC.String(u.Path)
	if p == "" {
		p = "/"
	}
	if u.RawQuery != "" {
		p += "?" + u.RawQuery
	}
	return p
}
