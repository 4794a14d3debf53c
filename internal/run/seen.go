package run

import (
	"cmp"
	"slices"
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/pageload"
)

// What a browser has, for where and survey.

// InBrowser is where a browser has an item, held against the gate.
type InBrowser struct {
	Screens []string `json:"screens"`
	Unread  []string `json:"unread"` // pages that were not read
	Has     []string `json:"has"`    // pages
	Lacks   []string `json:"lacks"`  // pages where the gate says in, and the browser has none of it
	// Leaks are the pages where the gate says out, and the browser has it all the same.
	Leaks []Brought `json:"leaks"`
}

// Brought is a page with who brings something in there.
type Brought struct {
	Page string `json:"page"`
	By   string `json:"by"` // the script, and what brought that; "" for the page itself
}

// namesOf are the screens as people write them.
func namesOf(screens []browser.Screen) (names []string) {
	for _, s := range screens {
		names = append(names, s.String())
	}
	return names
}

// seenOn visits what a browser made of each page: that screen on which it has an item counts, or the
// first.
func (r *Rendering) seenOn(screens []browser.Screen, progress Progress, each func(path string, unread bool, all []*Opened)) error {
	pages := r.project.Pages
	return r.OpenAll(pages, screens, progress, func(i int, all []*Opened) {
		unread := slices.ContainsFunc(all, func(o *Opened) bool { return o.Unread != "" })
		each(pages[i].Path, unread, all)
	})
}

// has reports whether a browser has an item on any screen, and who brings it in.
func has(all []*Opened, item string) (by string, ok bool) {
	for _, o := range all {
		if o.Unread == "" && o.Has(item) {
			return o.Brought(item), true
		}
	}
	return "", false
}

// InBrowser adds to an item's pages where a browser has it.
func (w *WhereItem) InBrowser(r *Rendering, screens []browser.Screen, progress Progress) error {
	b := &InBrowser{Screens: namesOf(screens), Unread: []string{}, Has: []string{}, Lacks: []string{}, Leaks: []Brought{}}
	says := map[string]bool{}
	for _, p := range w.In {
		says[p.Page] = true
	}
	out := map[string]bool{}
	for _, p := range w.Out {
		out[p.Page] = true
	}
	w.Browser = b
	return r.seenOn(screens, progress, func(path string, unread bool, all []*Opened) {
		by, has := has(all, w.Item)
		switch {
		case has:
			b.Has = append(b.Has, path)
			if out[path] {
				b.Leaks = append(b.Leaks, Brought{path, by})
			}
		case unread:
			b.Unread = append(b.Unread, path)
		case says[path]:
			b.Lacks = append(b.Lacks, path)
		}
	})
}

// WhereInBrowser adds to each item on how many pages a browser has it. unread are the pages that were
// not read.
func WhereInBrowser(lines []WhereLine, r *Rendering, screens []browser.Screen, progress Progress) (unread int, err error) {
	for i := range lines {
		lines[i].Browser = new(int)
	}
	err = r.seenOn(screens, progress, func(_ string, failed bool, all []*Opened) {
		if failed {
			unread++
		}
		for i := range lines {
			if _, ok := has(all, lines[i].Item); ok {
				*lines[i].Browser++
			}
		}
	})
	return unread, err
}

// SurveyBrowser is what a browser asks for on the pages of a survey.
type SurveyBrowser struct {
	Screens  []string `json:"screens"`
	Unread   []string `json:"unread"`
	Requests int      `json:"requests"` // of all visits
	Wire     int64    `json:"wire"`     // bytes that came
	// Scripts are what only scripts ask for: no element of a page's text names it.
	Scripts []*Asked `json:"scripts"`
	// Failed are those of all requests that brought nothing.
	Failed []*Asked `json:"failed"`
	// Never are files that the text of pages loads and that a browser asked for on none of them.
	Never []string `json:"never"`
}

// Asked is one thing that a browser asks for, over all pages.
type Asked struct {
	Target string `json:"target"`
	Kind   string `json:"kind"`
	Party  string `json:"party"`
	Item   string `json:"item"`
	Pages  int    `json:"pages"`
	Wire   int64  `json:"wire"` // bytes that came, once
	By     string `json:"by"`   // who asked first, and what brought that
	Why    string `json:"why,omitempty"`

	last string // the page that was counted last
}

// InBrowser adds what a browser asks for on the pages of a survey.
func (s *SurveyResult) InBrowser(r *Rendering, screens []browser.Screen, progress Progress) error {
	b := &SurveyBrowser{Screens: namesOf(screens), Unread: []string{}, Scripts: []*Asked{}, Failed: []*Asked{}, Never: []string{}}
	s.Browser = b
	asked := map[string]bool{}
	scripts, failed := map[string]*Asked{}, map[string]*Asked{}
	err := r.seenOn(screens, progress, func(path string, unread bool, all []*Opened) {
		if unread {
			b.Unread = append(b.Unread, path)
		}
		for _, o := range all {
			b.Requests, b.Wire = b.Requests+len(o.Requests), b.Wire+o.Wire()
			for i := 1; i < len(o.Requests); i++ {
				x := &o.Requests[i]
				asked[x.Target] = true
				if x.Unasked() {
					continue
				}
				if by := o.Asks(i); by != "" && (x.Asked.By == "script" || x.Asked.By == "redirect") {
					note(scripts, &b.Scripts, x, path, by, "")
				}
				if why := x.Lost(); why != "" {
					note(failed, &b.Failed, x, path, o.Asks(i), why)
				}
			}
		}
	})
	for _, l := range s.Loads {
		if l.Party != "inline" && l.Tag != "iframe" && !asked[l.Target] && l.By == "" {
			b.Never = append(b.Never, l.Target)
		}
	}
	slices.Sort(b.Never)
	b.Never = slices.Compact(b.Never)
	for _, list := range [][]*Asked{b.Scripts, b.Failed} {
		slices.SortFunc(list, func(a, b *Asked) int {
			return cmp.Or(b.Pages-a.Pages, cmp.Compare(b.Wire, a.Wire), strings.Compare(a.Target, b.Target))
		})
	}
	return err
}

// note counts a request.
func note(seen map[string]*Asked, list *[]*Asked, x *pageload.Request, path, by, why string) {
	a := seen[x.Target+"\x00"+why]
	if a == nil {
		a = &Asked{Target: x.Target, Kind: x.Kind, Party: x.Party, Item: x.Item, By: by, Why: why}
		seen[x.Target+"\x00"+why] = a
		*list = append(*list, a)
	}
	a.Wire = max(a.Wire, x.Wire)
	if a.last != path {
		a.last = path
		a.Pages++
	}
}
