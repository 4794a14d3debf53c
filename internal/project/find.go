package project

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/site"
)

// Find returns the page that a name on the command line means: a path, a file or
// a full URL of the site.
func (p *Project) Find(name string) (*page.Page, error) {
	site := &p.Gate.File.Site
	if path, query, has := strings.Cut(name, "?"); has { // what makes no page is left out
		if pg, err := FindPage(p.Pages, path+page.Query(query, site.Query), site.URL.Value, p.Source, p.Output); err == nil {
			return pg, nil
		}
	}
	return FindPage(p.Pages, name, site.URL.Value, p.Source, p.Output)
}

// FindPage is Project.Find for any list of pages.
func FindPage(pages []page.Page, name, siteURL string, folders ...string) (*page.Page, error) {
	asked := name
	if rest, ok := strings.CutPrefix(name, siteURL); ok && siteURL != "" &&
		(rest == "" || rest[0] == '/' || rest[0] == '?' || rest[0] == '#') {
		asked = rest
		if asked == "" {
			asked = "/"
		}
	} else if strings.Contains(name, "://") {
		hint := ""
		if siteURL != "" {
			hint = "the site's address is " + siteURL
		}
		return nil, &failure.Usage{Message: fmt.Sprintf("%s is not a page of this site", name), Remedy: hint}
	} else if abs, err := filepath.Abs(name); err == nil {
		for _, f := range folders {
			if f == "" {
				continue
			}
			rel, in := fsys.Within(fsys.Real(f), fsys.Real(abs))
			if !in {
				continue
			}
			rel = site.Normal(rel)
			for i := range pages {
				if site.Normal(pages[i].File) == rel {
					return &pages[i], nil
				}
			}
		}
	}
	asked, _, _ = strings.Cut(asked, "#")
	paths := make([]string, len(pages))
	for i := range pages {
		paths[i] = pages[i].Path
	}
	file := site.Normal(strings.TrimPrefix(asked, "/"))
	for _, key := range []string{page.Key(asked), page.Key(page.Clean(asked))} { // a query that makes no page is nothing
		for i := range pages {
			if pages[i].Key() == key || site.Normal(pages[i].File) == file {
				return &pages[i], nil
			}
		}
	}
	return nil, &failure.Usage{
		Message: fmt.Sprintf("no page %q%s", name, didyoumean.Suggest(name, paths)),
		Remedy:  "yellowgate pages lists the pages there are",
	}
}

// FindQuick is Find for the usual ways to name a page, without listing the site;
// nil where only a full listing can tell.
func (p *Project) FindQuick(name string) *page.Page {
	if p.Source == "" || !strings.HasPrefix(name, "/") || p.Gate.File.NamesSiblings() {
		return nil
	}
	if _, err := os.Lstat(filepath.Join(p.Source, site.CaptureName)); err == nil {
		return nil // a server said what its pages are called
	}
	for _, b := range p.Gate.File.Blank {
		if page.Key(b.Path.Value) == page.Key(name) {
			return nil
		}
	}
	clean := page.Clean(name)
	trimmed := strings.Trim(clean, "/")
	candidates := []string{strings.TrimPrefix(trimmed+"/index.html", "/")}
	if site.IsPage(trimmed) {
		candidates = []string{trimmed}
	} else if p.Gate.File.Site.Spelling.Extensionless && trimmed != "" {
		candidates = append(candidates, trimmed+".html")
	}
	var hit *page.Page
	for _, c := range candidates {
		info, err := os.Lstat(filepath.Join(p.Source, filepath.FromSlash(c)))
		if err != nil || !info.Mode().IsRegular() || p.Skip(c, false) {
			continue
		}
		for dir := c; strings.Contains(dir, "/"); {
			dir = dir[:strings.LastIndexByte(dir, '/')]
			if p.Skip(dir, true) {
				return nil
			}
		}
		if hit != nil {
			return nil // two files, one path: the full listing tells
		}
		hit = &page.Page{
			Path:  p.Gate.File.Site.Spelling.PathOf(c),
			File:  c,
			Whole: matchesAny(p.Gate.File.Site.Pages, c),
		}
	}
	if hit != nil {
		p.giveFacts(hit)
	}
	return hit
}
