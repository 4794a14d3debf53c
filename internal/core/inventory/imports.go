package inventory

import (
	"path"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/syntax"
	"yellowgate/internal/core/weburl"
)

// An Import is a file that a page gets because another file asks for it: by
// @import in a stylesheet, or by a static import in a module script.
type Import struct {
	Target string `json:"target"` // the path within the site, or an absolute URL
	Party  string `json:"party"`  // own, third
	By     string `json:"by"`     // the file that imports it; "" for the page's own text
	Bytes  int    `json:"bytes"`
	Gzip   int    `json:"gzip"`
	Dead   bool   `json:"dead,omitempty"` // the site has no such file
}

// A Follower follows imports through the files of a site. Weights that are one
// have them listed.
type Follower interface {
	// Follow returns what a file of the site imports, itself or through others,
	// in the order in which a browser learns of it.
	Follow(site *weburl.Site, path string, module bool) []Import
	// FollowText does the same for an inline text of a page.
	FollowText(base weburl.Page, site *weburl.Site, text []byte, module bool) []Import
}

// Imports follows imports, each file once. It may be used from several goroutines.
type Imports struct {
	Read    func(path string) ([]byte, bool) // a file of the site
	Weights Weights

	written sync.Map // importKey -> []string, URLs as a file writes them
	reached sync.Map // importKey -> []Import
}

type importKey struct {
	path   string
	module bool
}

// Follow implements Follower.
func (m *Imports) Follow(site *weburl.Site, path string, module bool) []Import {
	key := importKey{path, module}
	if v, ok := m.reached.Load(key); ok {
		return v.([]Import)
	}
	var out []Import
	if urls := m.of(key); len(urls) > 0 {
		out = m.follow(site, site.Page(path, ""), path, urls, module)
	}
	m.reached.Store(key, out)
	return out
}

// FollowText implements Follower.
func (m *Imports) FollowText(base weburl.Page, site *weburl.Site, text []byte, module bool) []Import {
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
func (m *Imports) of(key importKey) (urls []string) {
	if v, ok := m.written.Load(key); ok {
		return v.([]string)
	}
	if text, ok := m.Read(key.path); ok {
		urls = written(text, key.module)
	}
	m.written.Store(key, urls)
	return urls
}

// follow goes breadth first, each file once: circles are allowed.
func (m *Imports) follow(site *weburl.Site, base weburl.Page, by string, urls []string, module bool) (out []Import) {
	seen := map[string]bool{by: true}
	type asked struct {
		base weburl.Page
		by   string
		urls []string
	}
	for queue := []asked{{base, by, urls}}; len(queue) > 0; queue = queue[1:] {
		for _, raw := range queue[0].urls {
			if module && !strings.HasPrefix(raw, "/") && !strings.HasPrefix(raw, "./") && !strings.HasPrefix(raw, "../") && !strings.Contains(raw, "://") {
				continue // a bare name: only an import map or a bundler knows
			}
			ref, ok := queue[0].base.Resolve(raw)
			if !ok || ref.Data {
				continue
			}
			i := Import{Target: ref.URL, Party: "third", By: queue[0].by}
			if ref.Own {
				i.Target, i.Party = ref.Path, "own"
			}
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
	}
}

// follow lists what an element's file or text imports. A file that the page
// imports by another element already is fetched once.
func (r *Record) follow(e *Element, site *weburl.Site, weights Weights) {
	f, ok := weights.(Follower)
	if !ok || !r.live(e.El) {
		return
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
	for _, i := range list {
		if r.imported == nil {
			r.imported = map[string]bool{}
		}
		if !r.imported[i.Target] {
			r.imported[i.Target] = true
			e.Imports = append(e.Imports, i)
		}
	}
}
