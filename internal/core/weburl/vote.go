package weburl

import (
	"bytes"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/page"
)

// How a site that is a folder is addressed: its pages as /about or /about.html, as /about or /about/, and below
// which path of its host. Its links and its sitemap vote.

// A Vote counts what pages are called.
type Vote struct {
	as     page.Spelling     // by which the pages have their paths
	files  map[string]string // the file of a page, by its path
	asItIs map[string]bool   // paths that are written so
	other  map[page.Spelling]*Spelled
}

// A Spelled says that pages are called otherwise.
type Spelled struct {
	As page.Spelling
	// Written is how the site writes the address of one of them, and Path its path.
	Written, Path string
	Pages         map[string]bool // their paths
}

// NewVote begins a vote on pages that have their paths by a spelling.
func NewVote(as page.Spelling, pages []page.Page) *Vote {
	v := &Vote{
		as:     as,
		files:  make(map[string]string, len(pages)),
		asItIs: map[string]bool{},
		other:  map[page.Spelling]*Spelled{},
	}
	for i := range pages {
		v.files[pages[i].Path] = pages[i].File
	}
	return v
}

// most is how much of a page or a sitemap has a vote, in bytes.
const most = 256 << 10

// eachURL visits the values of href and, where src is true, of src in a page, and of loc in a sitemap.
func eachURL(text []byte, src bool, visit func(raw string)) {
	text = text[:min(len(text), most)]
	for at := 0; ; {
		i := bytes.IndexByte(text[at:], '=')
		if i < 0 {
			break
		}
		at += i + 1
		name := bytes.TrimRight(text[max(0, at-12):at-1], " \t\r\n")
		if !named(name, "href") && !(src && named(name, "src")) {
			continue
		}
		value := bytes.TrimLeft(text[at:], " \t\r\n")
		ends := " \t\r\n>"
		if len(value) > 0 && (value[0] == '"' || value[0] == '\'') {
			value, ends = value[1:], string(value[:1])
		}
		if end := bytes.IndexAny(value[:min(len(value), longest)], ends); end > 0 {
			visit(string(value[:end]))
		}
	}
	for _, x := range bytes.Split(text, []byte("<loc>"))[1:] {
		if loc, _, ok := bytes.Cut(x, []byte("</loc>")); ok {
			visit(strings.TrimSpace(string(loc)))
		}
	}
}

// named reports whether a text ends with the name of an attribute, with a space before it.
func named(text []byte, name string) bool {
	before := len(text) - len(name)
	return before > 0 && bytes.EqualFold(text[before:], []byte(name)) &&
		bytes.IndexByte([]byte(" \t\r\n\"'/"), text[before-1]) >= 0
}

// Add counts what the links of a page, or a sitemap, call the pages of the site.
func (v *Vote) Add(text []byte, base Base) {
	eachURL(text, false, func(raw string) {
		if ref, ok := base.Resolve(raw); ok && ref.Own {
			v.call(ref.Path)
		}
	})
}

// call counts one path by which the site calls something.
func (v *Vote) call(path string) {
	if path == "/" {
		return
	}
	if _, is := v.files[path]; is {
		v.asItIs[path] = true
		return
	}
	v.count(page.Spelling{Extensionless: true, Slashless: v.as.Slashless}, path, path+".html")
	v.count(page.Spelling{Extensionless: v.as.Extensionless, Slashless: true}, path, path+"/")
}

// count counts an address for a spelling, if that is what the page at a path is called then.
func (v *Vote) count(as page.Spelling, written, path string) {
	file, is := v.files[path]
	if !is || as.PathOf(file) != written {
		return
	}
	if v.other[as] == nil {
		v.other[as] = &Spelled{as, written, path, map[string]bool{}}
	}
	v.other[as].Pages[path] = true
}

// fewest is how many pages must be called otherwise before that counts.
const fewest = 2

// Results lists the spellings by which most pages that they concern are called otherwise than by their paths.
func (v *Vote) Results() (out []*Spelled) {
	for _, as := range []page.Spelling{
		{Extensionless: true, Slashless: v.as.Slashless}, {Extensionless: v.as.Extensionless, Slashless: true},
	} {
		r, so := v.other[as], 0
		if r == nil {
			continue
		}
		for path := range v.asItIs {
			if as.PathOf(v.files[path]) != path {
				so++
			}
		}
		if len(r.Pages) >= fewest && len(r.Pages) > 2*so {
			out = append(out, r)
		}
	}
	return out
}

// deepest is how many folders a base path may have.
const deepest = 3

// A BaseVote counts below which path of its host a folder is published: its pages load /base/site.css, and the folder
// has site.css.
type BaseVote struct {
	has   func(path string) bool
	plain map[string]bool            // URLs that are in the folder as they are
	below map[string]map[string]bool // and those that are without a base path
}

// NewBaseVote begins a vote. has reports whether the folder has a file or page at a path.
func NewBaseVote(has func(path string) bool) *BaseVote {
	return &BaseVote{has, map[string]bool{}, map[string]map[string]bool{}}
}

// Add counts the URLs of a page.
func (v *BaseVote) Add(text []byte) {
	eachURL(text, true, func(raw string) {
		if raw[0] != '/' || strings.HasPrefix(raw, "//") {
			return
		}
		raw, _, _ = strings.Cut(raw, "#")
		raw, _, _ = strings.Cut(raw, "?")
		if v.plain[raw] || raw == "/" {
			return
		}
		if v.has(raw) {
			v.plain[raw] = true
			return
		}
		base, rest := "", raw
		for range deepest {
			first, after, more := strings.Cut(rest[1:], "/")
			if !more {
				break
			}
			base, rest = base+"/"+first, "/"+after
			if rest != "/" && v.has(rest) {
				if v.below[base] == nil {
					v.below[base] = map[string]bool{}
				}
				v.below[base][raw] = true
				break
			}
		}
	})
}

// Result is the base path that most URLs have; "" for none.
func (v *BaseVote) Result() (base string) {
	votes := 0
	for _, b := range slices.Sorted(maps.Keys(v.below)) {
		if n := len(v.below[b]); n > votes {
			base, votes = b, n
		}
	}
	if votes < fewest || votes <= 2*len(v.plain) {
		return ""
	}
	return base
}
