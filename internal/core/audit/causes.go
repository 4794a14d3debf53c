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
	Spared []string      // where all pages but a few have it, those few

	last string // the page that was counted last
}

// fewSpared is how many pages without a cause are named.
const fewSpared = 3

// mostWithSpared is of how many causes the pages without them are looked for.
const mostWithSpared = 40

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
			c = &Cause{First: f, Folder: folderOf(f.Page)}
			by[key] = c
			all = append(all, c)
		}
		c.add(&f)
	}
	slices.SortStableFunc(all, func(a, b *Cause) int {
		if first := check.First(&a.First); first != check.First(&b.First) {
			return map[bool]int{true: -1, false: 1}[first]
		}
		return cmp.Compare(b.rank(), a.rank())
	})
	spare(all[:min(len(all), mostWithSpared)], by, findings, pages)
	return all
}

// add takes a finding in.
func (c *Cause) add(f *check.Finding) {
	c.Places++
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
	has := map[*Cause][]bool{} // by the number of a page
	for _, c := range all {
		if n := len(pages) - c.Pages; n > 0 && n <= fewSpared && c.Pages > 5*n {
			has[c] = make([]bool, len(pages))
		}
	}
	if len(has) == 0 {
		return
	}
	number := make(map[string]int, len(pages))
	for i := range pages {
		number[pages[i].Path] = i
	}
	for f := range findings {
		if of := has[by[causeKey{f.Check, f.About}]]; of != nil {
			if i, ok := number[f.Page]; ok {
				of[i] = true
			}
		}
	}
	for c, of := range has {
		for i, there := range of {
			if !there {
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
