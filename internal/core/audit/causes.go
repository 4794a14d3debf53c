package audit

import (
	"cmp"
	"iter"
	"path"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
)

// A Cause is what findings of one check about one thing have in common: mended once, they are gone.
type Cause struct {
	First  check.Finding // in the order of pages and lines
	Pages  int           // that have it
	Places int           // findings
	Folder string        // that all these pages are in: "/" or "/events/"
	Alike  bool          // all its findings say the same
	Spared []string      // where all pages but a few have it, those few

	last string // the page that was counted last
}

// fewSpared is how many pages without a cause are named.
const fewSpared = 3

// mostCauses bounds what is kept: what comes after them is counted with the others of its check.
const mostCauses = 50_000

type causeKey struct{ check, about string }

// Causes gathers findings by their causes, those that do the most harm first: the severity and what the check
// looks for, times the pages. The findings of a page follow each other. pages are those of the site.
func Causes(findings iter.Seq[check.Finding], pages []PageSum) []*Cause {
	by := map[causeKey]*Cause{}
	var all []*Cause
	for f := range findings {
		key := causeKey{f.Check, f.About}
		c := by[key]
		if c == nil && len(all) >= mostCauses {
			key.about = "\x00"
			c = by[key]
		}
		if c == nil {
			c = &Cause{First: f, Alike: true, Folder: folderOf(f.Page)}
			by[key] = c
			all = append(all, c)
		}
		c.add(&f)
	}
	spare(all, by, findings, pages)
	slices.SortStableFunc(all, func(a, b *Cause) int {
		if first := check.First(&a.First); first != check.First(&b.First) {
			return map[bool]int{true: -1, false: 1}[first]
		}
		return cmp.Compare(b.rank(), a.rank())
	})
	return all
}

// add takes a finding in.
func (c *Cause) add(f *check.Finding) {
	c.Places++
	c.Alike = c.Alike && f.Message == c.First.Message
	switch {
	case f.Pages > 0:
		c.Pages += f.Pages
		c.Folder = "/"
	case f.Page != c.last || c.Pages == 0:
		if c.last = f.Page; f.Page != "" {
			c.Pages++
			c.Folder = common(c.Folder, folderOf(f.Page))
		}
	}
}

func (c *Cause) rank() int { return checks.Weight(c.First.Check, c.First.Severity) * max(c.Pages, 1) }

// spare names the pages without a cause that nearly all have.
func spare(all []*Cause, by map[causeKey]*Cause, findings iter.Seq[check.Finding], pages []PageSum) {
	missing := map[*Cause]map[string]bool{}
	for _, c := range all {
		if n := len(pages) - c.Pages; n > 0 && n <= fewSpared && c.Pages > 5*n {
			missing[c] = make(map[string]bool, len(pages))
			for i := range pages {
				missing[c][pages[i].Path] = true
			}
		}
	}
	if len(missing) == 0 {
		return
	}
	for f := range findings {
		if of := missing[by[causeKey{f.Check, f.About}]]; of != nil {
			delete(of, f.Page)
		}
	}
	for c, left := range missing {
		for i := range pages {
			if left[pages[i].Path] {
				c.Spared = append(c.Spared, pages[i].Path)
			}
		}
	}
}

// folderOf is the folder of a page.
func folderOf(page string) string {
	if strings.HasSuffix(page, "/") {
		return page
	}
	dir := path.Dir("/" + strings.TrimPrefix(page, "/"))
	return strings.TrimSuffix(dir, "/") + "/"
}

// common is the folder that two folders are in.
func common(a, b string) string {
	for !strings.HasPrefix(b, a) {
		a = a[:strings.LastIndexByte(strings.TrimSuffix(a, "/"), '/')+1]
	}
	return a
}
