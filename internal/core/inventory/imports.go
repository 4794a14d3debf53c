package inventory

import (
	"bytes"
	"path"
	"slices"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/memo"
	"yellowgate/internal/core/syntax"
	"yellowgate/internal/core/weburl"
)

// An Import is a file that a page gets because another file asks for it: by
// @import in a stylesheet, by a static import in a module script, or by a script that makes
// an element for it.
type Import struct {
	Target string `json:"target"` // the path within the site, or an absolute URL
	Party  string `json:"party"`  // own, third
	By     string `json:"by"`     // the file that imports it; "" for the page's own text
	Bytes  int    `json:"bytes"`
	Gzip   int    `json:"gzip"`
	Dead   bool   `json:"dead,omitempty"` // the site has no such file

	// Of what a script asks for as it runs:
	Tag   string `json:"tag,omitempty"`   // of the element that it makes: script, link, img, iframe; "import" for a module
	Line  int    `json:"line,omitempty"`  // of the page where By is "", else of the file
	Later bool   `json:"later,omitempty"` // only once somebody clicks or calls
	Open  bool   `json:"open,omitempty"`  // the end of the URL is put together as it runs
	// Instead: a browser may choose it in place of the element's own URL.
	Instead bool `json:"instead,omitempty"`

	// Named: by url() in a stylesheet.
	Named bool `json:"-"`
}

// A Follower follows imports through the files of a site. Weights that are one
// have them listed.
type Follower interface {
	// Follow returns what a file of the site imports, itself or through others,
	// in the order in which a browser learns of it.
	Follow(site *weburl.SiteURL, path string, module bool) []Import
	// FollowText does the same for an inline text of a page.
	FollowText(base weburl.Base, site *weburl.SiteURL, text []byte, module bool) []Import
	// FollowScript returns what a script asks for as it runs: the file at a path, or an
	// inline text that begins in a line of the page. What it gets by that is followed too.
	FollowScript(base weburl.Base, site *weburl.SiteURL, path string, text []byte, line int) []Import
	// StyleFiles returns what a stylesheet of the site names with url().
	StyleFiles(site *weburl.SiteURL, path string) []Import
	// TextFiles does the same for an inline text that begins in a line of the page.
	TextFiles(base weburl.Base, text []byte, line int) []Import
}

// Imports follows imports, each file once. It may be used from several goroutines.
type Imports struct {
	Read    func(path string) ([]byte, bool) // a file of the site
	Weights Weights

	written memo.All[importKey, []string] // URLs as a file writes them
	reached memo.All[importKey, []Import]
	files   memo.All[string, []Import]      // by path
	asks    memo.All[string, []asked]       // by path
	same    memo.All[xxh3.Uint128, []asked] // by the digest of a file: sites have copies of one in many folders
}

// An asked is what a script asks for, and the line of its file.
type asked struct {
	syntax.Request
	line int
}

// MaxScript is how many bytes a script may have to be read for what it asks for: a larger one,
// such as a search index, takes longer than all the rest of a site.
const MaxScript = 1 << 20

type importKey struct {
	path   string
	module bool
}

// Follow implements Follower.
func (m *Imports) Follow(site *weburl.SiteURL, path string, module bool) []Import {
	key := importKey{path, module}
	return m.reached.Get(key, func() (out []Import) {
		if urls := m.of(key); len(urls) > 0 {
			out = m.follow(site, site.Page(path, ""), path, urls, module)
		}
		return out
	})
}

// FollowText implements Follower.
func (m *Imports) FollowText(base weburl.Base, site *weburl.SiteURL, text []byte, module bool) []Import {
	urls := written(text, module)
	if len(urls) == 0 {
		return nil
	}
	return m.follow(site, base, "", urls, module)
}

func written(text []byte, module bool) []string {
	if module {
		return syntax.ModuleImports(text)
	}
	return syntax.StyleImports(text)
}

// of reads what a file imports.
func (m *Imports) of(key importKey) []string {
	return m.written.Get(key, func() (urls []string) {
		if text, ok := m.Read(key.path); ok {
			urls = written(text, key.module)
		}
		return urls
	})
}

// follow goes breadth first, each file once: circles are allowed.
func (m *Imports) follow(site *weburl.SiteURL, base weburl.Base, by string, urls []string, module bool) (out []Import) {
	seen := map[string]bool{by: true}
	type asked struct {
		base weburl.Base
		by   string
		urls []string
	}
	for queue := []asked{{base, by, urls}}; len(queue) > 0; queue = queue[1:] {
		for _, raw := range queue[0].urls {
			if module && weburl.IsBare(raw) {
				continue // a bare name: only an import map or a bundler knows
			}
			ref, ok := queue[0].base.Resolve(raw)
			if !ok || ref.Data {
				continue
			}
			i := reached(ref)
			i.By = queue[0].by
			if seen[i.Target] {
				continue
			}
			seen[i.Target] = true
			if ref.Own {
				i.Bytes, i.Gzip, ok = m.Weights.File(ref.Path)
				i.Dead = !ok
				if ok && path.Ext(ref.Path) != ".json" {
					queue = append(queue, asked{site.Page(ref.Path, ""), ref.Path, m.of(importKey{ref.Path, module})})
				}
			}
			out = append(out, i)
		}
	}
	return out
}

// FollowScript implements Follower.
func (m *Imports) FollowScript(base weburl.Base, site *weburl.SiteURL, path string, text []byte,
	line int) (out []Import) {
	seen := map[string]bool{path: true}
	type script struct {
		path  string
		asked []asked
		later bool
	}
	queue := []script{{path: path}}
	if text != nil {
		queue[0].asked = askedBy(text, line-1)
	} else {
		queue[0].asked = m.askedByFile(path)
	}
	for ; len(queue) > 0; queue = queue[1:] {
		for _, a := range queue[0].asked {
			from := base
			if a.Tag == "import" { // relative to the script (HTML, 8.1.3.10), any other to the page
				if queue[0].path != "" {
					from = site.Page(queue[0].path, "")
				}
				if weburl.IsBare(a.URL) {
					continue
				}
			}
			ref, ok := from.Resolve(a.URL)
			if !ok || ref.Data {
				continue
			}
			i := reached(ref)
			i.By, i.Tag, i.Line, i.Later, i.Open = queue[0].path, a.Tag, a.line, a.Later || queue[0].later, a.Open
			if seen[i.Target] {
				continue
			}
			seen[i.Target] = true
			if ref.Own {
				i.Bytes, i.Gzip, ok = m.Weights.File(ref.Path)
				i.Dead = !ok && !a.Open && a.Tag != "iframe"
				if ok && (a.Tag == "script" || a.Tag == "import") {
					queue = append(queue, script{ref.Path, m.askedByFile(ref.Path), i.Later})
				}
			}
			out = append(out, i)
		}
	}
	return out
}

// reached is an import of what a URL leads to.
func reached(ref weburl.Ref) Import {
	if ref.Own {
		return Import{Target: ref.Path, Party: "own"}
	}
	return Import{Target: ref.URL, Party: "third"}
}

// askedBy lists what a script asks for, with the lines where the first has a number.
func askedBy(text []byte, before int) (out []asked) {
	if len(text) > MaxScript {
		return nil
	}
	list := syntax.ScriptAsks(text).List
	slices.SortStableFunc(list, func(a, b syntax.Request) int { return a.Offset - b.Offset })
	lines := lineCounter{text: text, line: before + 1}
	for _, a := range list {
		out = append(out, asked{a, lines.at(a.Offset)})
	}
	return out
}

// A lineCounter tells the lines of offsets that are asked for in order.
type lineCounter struct {
	text   []byte
	offset int
	line   int // at the offset
}

func (c *lineCounter) at(offset int) int {
	c.line += bytes.Count(c.text[c.offset:max(offset, c.offset)], []byte("\n"))
	c.offset = max(offset, c.offset)
	return c.line
}

func (m *Imports) askedByFile(path string) []asked {
	return m.asks.Get(path, func() (list []asked) {
		if text, ok := m.Read(path); ok {
			list = m.same.Get(xxh3.Hash128(text), func() []asked { return askedBy(text, 0) })
		}
		return list
	})
}

// How says how the page gets it: "imports", "loads", "loads later", "or" for one of several
// pictures, "names" for what a stylesheet has in url().
func (m *Import) How() string {
	switch {
	case m.Tag == "":
		return "imports"
	case m.Named:
		return "names"
	case m.Instead:
		return "or"
	case m.Later:
		return "loads later"
	}
	return "loads"
}

// Written is the target; "…" stands for what is put together as the script runs.
func (m *Import) Written() string {
	if m.Open {
		return m.Target + "…"
	}
	return m.Target
}

// Gets lists what a page gets because this element asks for it: imports, and what a script
// loads as it runs.
func (e *Element) Gets() []Import {
	if len(e.Brings) == 0 {
		return e.Imports
	}
	return slices.Concat(e.Imports, e.Brings)
}

// once leaves out the imports of files that an element of the page loads by itself.
func (r *Record) once() {
	if r.imported == nil {
		return
	}
	loaded := map[string]bool{}
	for i := range r.Elements {
		if e := &r.Elements[i]; e.Loads && e.Inside == "" {
			loaded[e.Target] = true
		}
	}
	for i := range r.Elements {
		e := &r.Elements[i]
		e.Imports = slices.DeleteFunc(e.Imports, func(m Import) bool { return loaded[m.Target] })
		e.Brings = slices.DeleteFunc(e.Brings, func(m Import) bool { return loaded[m.Target] })
	}
}

// follow lists what an element's file or text imports. A file that the page
// imports by another element already is fetched once.
func (r *Record) follow(e *Element, site *weburl.SiteURL, weights Weights) {
	f, ok := weights.(Follower)
	if !ok || !r.live(e.El) {
		return
	}
	switch {
	case !e.IsStylesheet() && e.El.Tag != markup.TagStyle:
	case e.Loads && e.Party == "own":
		e.Files = f.StyleFiles(site, e.Ref.Path)
	case e.Party == "inline" && e.Bytes > 0:
		e.Files = f.TextFiles(r.Base, r.Source.Text[e.El.TagEnd:e.El.ContentEnd],
			e.Line+bytes.Count(r.Source.Text[e.El.Start:e.El.TagEnd], []byte("\n")))
	}
	module := e.Runs == "module" || e.Runs == "async" && e.module
	var list []Import
	switch {
	case !module && !e.IsStylesheet() && e.El.Tag != markup.TagStyle:
	case e.Loads && e.Party == "own":
		list = f.Follow(site, e.Ref.Path, module)
	case e.Party == "inline" && e.Bytes > 0:
		list = f.FollowText(r.Base, site, r.Source.Text[e.El.TagEnd:e.El.ContentEnd], module)
	}
	e.Imports = r.fresh(list)
	if len(e.Files) > 0 || len(e.Imports) > 0 && e.Tag != "script" {
		e.Files = slices.Clip(e.Files)
		for _, i := range e.Imports {
			if i.Party == "own" && !i.Dead && e.Tag != "script" {
				e.Files = append(e.Files, f.StyleFiles(site, i.Target)...)
			}
		}
	}
	list = nil
	switch {
	case !e.IsScript():
	case e.Loads && e.Party == "own":
		list = f.FollowScript(r.Base, site, e.Ref.Path, nil, 0)
	case e.Party == "inline" && e.Bytes > 0:
		list = f.FollowScript(r.Base, site, "", r.Source.Text[e.El.TagEnd:e.El.ContentEnd],
			e.Line+bytes.Count(r.Source.Text[e.El.Start:e.El.TagEnd], []byte("\n")))
	}
	if module {
		for _, i := range e.Imports {
			if i.Party == "own" && !i.Dead {
				list = append(list, f.FollowScript(r.Base, site, i.Target, nil, 0)...)
			}
		}
	}
	e.Brings = r.fresh(list)
}

// fresh keeps what the page did not get before, and remembers it.
func (r *Record) fresh(list []Import) (out []Import) {
	for _, i := range list {
		if r.imported == nil {
			r.imported = map[string]bool{}
		}
		if !r.imported[i.Target] {
			r.imported[i.Target] = true
			out = append(out, i)
		} else if i.Tag == "script" && i.By == "" && !i.Later && !i.Open {
			r.Again = append(r.Again, i)
		}
	}
	return out
}
