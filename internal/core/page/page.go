// Package page is what is known of one page before anything is decided: its
// path, what its source says of itself, and the facts given for it.
package page

import (
	"net/url"
	"path"
	"strconv"
	"strings"

	"golang.org/x/text/unicode/norm"
)

// A Page is one HTML document of the site.
type Page struct {
	Path string // as the site's visitors have it: /visit/, /about.html, /; with what its query names: /plays/?p=2
	File string // slash-separated, relative to the source folder: visit/index.html

	// What the source says. Absent is "".
	Title       string // the first title, references decoded, white space collapsed
	Heading     string // the text of the first h1
	Description string
	Lang        string
	Meta        map[string]string // content by lower-case name (or property), the first counts
	Redirect    bool              // an immediate meta refresh
	Whole       bool              // the gate file calls it a page, whatever tags it has

	// Answer is what the transport says of the page; nil for a file.
	Answer *Answer

	Facts map[string]string
	Lists map[string]any // facts that are lists: []any of maps, lists and scalars

	// Spots are the names of the items for which the source has a spot.
	Spots map[string]bool

	// Has tells, by the number that the gate gave each selector, whether an
	// element of the source matches.
	Has []bool

	// Later is told what was asked for and is not there; nil for a page that is known to its end.
	Later func(Asked)

	key *string // once Read
}

// Asked is what a query or a placeholder asks for, and what may come later in a page.
type Asked struct {
	Has     int    // the number of a selector, where nothing else is asked for
	Spot    string // the name of an item
	Heading bool
	Content string // what a placeholder asks of the page's content: page.text(h1)
}

// Comes reports whether what is asked for is a text that comes with the page.
func (a Asked) Comes() bool { return a.Heading || a.Content != "" }

// Bare is the page as it is known before its source is read.
func (p *Page) Bare() Page {
	return Page{
		Path: p.Path, File: p.File, Whole: p.Whole, Answer: p.Answer, Facts: p.Facts, Lists: p.Lists,
	}
}

// Called gives the page the address of an answer that is another spelling of its own: a site says itself whether
// it writes /visit or /visit/.
func (p *Page) Called(a *Answer) {
	if a != nil && a.Path != "" && (Key(a.Path) == p.Key() || strings.Contains(a.Path, "?")) {
		p.Path, p.key = a.Path, nil
	}
}

// Key is the path by which pages are told apart: without the trailing slash,
// "" for the home page.
func (p *Page) Key() string {
	if p.key != nil {
		return *p.key
	}
	return Key(p.Path)
}

// Status is the status code with which a server answers with the page (RFC 9110, 15): what it said, and of a file
// 404 for 404.html, which servers send in place of what is not there.
func (p *Page) Status() int {
	switch {
	case p.Answer != nil && p.Answer.Status > 0:
		return p.Answer.Status
	case p.File == "404.html":
		return 404
	}
	return 200
}

// Field returns the value of a field of the query language: path, title,
// heading, description, lang, file, status, query.NAME, meta.NAME or fact.NAME.
func (p *Page) Field(name string) string {
	switch name {
	case "path":
		path, _, _ := strings.Cut(p.Path, "?")
		return path
	case "title":
		return p.Title
	case "heading":
		if p.Heading == "" && p.Later != nil {
			p.Later(Asked{Heading: true})
		}
		return p.Heading
	case "description":
		return p.Description
	case "lang":
		return p.Lang
	case "file":
		return p.File
	case "status":
		return strconv.Itoa(p.Status())
	}
	if key, ok := strings.CutPrefix(name, "meta."); ok {
		return p.Meta[strings.ToLower(key)]
	}
	if key, ok := strings.CutPrefix(name, "fact."); ok {
		return p.Facts[key]
	}
	if key, ok := strings.CutPrefix(name, "query."); ok {
		return p.parameter(key)
	}
	return ""
}

// A Spelling is how a site that is a folder writes the addresses of its pages.
type Spelling struct {
	Extensionless bool // about.html is /about
	Slashless     bool // about/index.html is /about
}

// PathOf returns the path of the page in a file below the source folder, in
// Unicode NFC. A folder's index file stands for the folder.
func (s Spelling) PathOf(file string) string {
	file = norm.NFC.String(file)
	dir, name := path.Split(file)
	switch {
	case name == "index.html" || name == "index.htm":
		if s.Slashless {
			dir = strings.TrimSuffix(dir, "/")
		}
		name = ""
	case s.Extensionless:
		name = strings.TrimSuffix(strings.TrimSuffix(name, ".html"), ".htm")
	}
	return Path("/" + dir + name)
}

// Clean brings a path as people write it into the form of Page.Path: percent
// escapes decoded, NFC, index.html left out, query and fragment cut off.
func Clean(p string) string {
	if i := strings.IndexAny(p, "?#"); i >= 0 {
		p = p[:i]
	}
	return Path(clean(p))
}

// GlobKey is Key for a glob on paths, in which "?" stands for a character.
func GlobKey(glob string) string { return strings.TrimSuffix(clean(glob), "/") }

func clean(p string) string {
	if d, err := url.PathUnescape(p); err == nil {
		p = d
	}
	p = norm.NFC.String(p)
	if !strings.HasPrefix(p, "/") {
		p = "/" + p
	}
	slash := strings.HasSuffix(p, "/")
	p = path.Clean(p)
	if base := path.Base(p); base == "index.html" || base == "index.htm" {
		p, slash = path.Dir(p), true
	}
	if slash && p != "/" {
		p += "/"
	}
	return p
}

// Key is the form in which two paths are the same page: Clean, without the trailing slash, and the query.
func Key(p string) string {
	path, query, has := strings.Cut(p, "?")
	key := strings.TrimSuffix(Clean(path), "/")
	if !has {
		return key
	}
	if key == "" {
		key = "/" // of the home page
	}
	return key + "?" + query
}

// URLPath is the path as it is written in a URL: percent-encoded.
func URLPath(p string) string {
	path, query, has := strings.Cut(p, "?")
	path = (&url.URL{Path: strings.ReplaceAll(path, escapedMark, "?")}).EscapedPath()
	if has {
		return path + "?" + query
	}
	return path
}
