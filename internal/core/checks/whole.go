package checks

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/wording"
)

// Whole makes one finding of those that all pages of the site have alike, for checks of what is decided once for all
// of them. The findings of a page follow each other. A page that another shows in a frame is asked for nothing that
// only matters to one that people come to.
func Whole(fs []check.Finding, pages *check.Gathered) []check.Finding {
	var alike Alike
	for i := range fs {
		alike.Add(&fs[i])
	}
	out := fs[:0:0]
	for _, f := range fs {
		if alike.Keeps(&f, pages) {
			out = append(out, f)
		}
	}
	return out
}

// Alike is Whole for findings that are seen twice and not kept.
type Alike struct {
	on    map[alikeKey]int    // pages
	first map[alikeKey]string // the first page
	last  map[alikeKey]string // the page that was counted last
	told  map[alikeKey]bool
}

type alikeKey struct{ check, message string }

// Add counts a finding, the first time.
func (a *Alike) Add(f *check.Finding) {
	if f.Page == "" || !IsWhole(f.Check) {
		return
	}
	if a.on == nil {
		a.on, a.first, a.last = map[alikeKey]int{}, map[alikeKey]string{}, map[alikeKey]string{}
	}
	k := alikeKey{f.Check, f.Message}
	if a.last[k] != f.Page {
		if a.on[k] == 0 {
			a.first[k] = f.Page
		}
		a.last[k] = f.Page
		a.on[k]++
	}
}

// Again begins the second time anew.
func (a *Alike) Again() { a.told = nil }

// Keeps reports whether a finding stays, the second time. The first of those that all pages have
// becomes the one of the site.
func (a *Alike) Keeps(f *check.Finding, pages *check.Gathered) bool {
	k := alikeKey{f.Check, f.Message}
	n := a.on[k]
	if n < 3 || n < pages.Sought || f.Page == "" {
		return !check.LoadFact.All(&check.SitePass{Gathered: pages}).Framed[f.Page] || !Named(f.Check).Sought
	}
	if a.told[k] || a.first[k] != f.Page {
		return false
	}
	if a.told == nil {
		a.told = map[alikeKey]bool{}
	}
	a.told[k] = true
	f.Pages, f.Page = n, ""
	f.Message = "on all " + wording.Count(n, "page") + ": " + f.Message
	return true
}

// IsWhole reports whether a check looks for what a site decides once for all its pages.
func IsWhole(name string) bool {
	c := Named(name)
	return c != nil && c.Whole
}
