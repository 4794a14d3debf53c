package visits

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/parallel"
	"yellowgate/internal/result"
)

// What a browser has, for where and survey.

// namesOf are the screens as people write them.
func namesOf(screens []browser.Screen) (names []string) {
	for _, s := range screens {
		names = append(names, s.String())
	}
	return names
}

// seenOn visits what a browser made of each page: that screen on which it has an item counts, or the
// first.
func (r *Visitor) seenOn(ctx context.Context, screens []browser.Screen, progress parallel.Progress,
	each func(path string, unread bool, all []*result.Opened)) error {
	pages := r.project.Pages
	return r.openAll(ctx, pages, screens, progress, func(i int, all []*result.Opened) {
		unread := slices.ContainsFunc(all, func(o *result.Opened) bool { return o.Unread != "" })
		each(pages[i].Path, unread, all)
	})
}

// has reports whether a browser has an item on any screen, and who brings it in.
func has(all []*result.Opened, item string) (by string, ok bool) {
	for _, o := range all {
		if o.Unread == "" && o.Has(item) {
			return o.Brought(item), true
		}
	}
	return "", false
}

// WhereItem adds to an item's pages where a browser has it.
func WhereItem(ctx context.Context, w *result.WhereItem, r *Visitor, screens []browser.Screen,
	progress parallel.Progress) error {
	b := &result.InBrowser{
		Screens: namesOf(screens),
		Unread:  []string{},
		Has:     []string{},
		Lacks:   []string{},
		Leaks:   []result.Brought{},
	}
	says := map[string]bool{}
	for _, p := range w.In {
		says[p.Page] = true
	}
	out := map[string]bool{}
	for _, p := range w.Out {
		out[p.Page] = true
	}
	w.Browser = b
	return r.seenOn(ctx, screens, progress, func(path string, unread bool, all []*result.Opened) {
		by, has := has(all, w.Item)
		switch {
		case has:
			b.Has = append(b.Has, path)
			if out[path] {
				b.Leaks = append(b.Leaks, result.Brought{Page: path, By: by})
			}
		case unread:
			b.Unread = append(b.Unread, path)
		case says[path]:
			b.Lacks = append(b.Lacks, path)
		}
	})
}

// Where adds to each item on how many pages a browser has it. unread are the pages that were
// not read.
func Where(ctx context.Context, lines []result.WhereLine, r *Visitor, screens []browser.Screen,
	progress parallel.Progress) (unread int, err error) {
	for i := range lines {
		lines[i].Browser = new(int)
	}
	err = r.seenOn(ctx, screens, progress, func(_ string, failed bool, all []*result.Opened) {
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

// Survey adds what a browser asks for on the pages of a survey.
func Survey(ctx context.Context, s *result.Survey, r *Visitor, screens []browser.Screen,
	progress parallel.Progress) error {
	b := &result.SurveyBrowser{
		Screens: namesOf(screens),
		Unread:  []string{},
		Scripts: []*result.Requested{},
		Failed:  []*result.Requested{},
		Never:   []string{},
	}
	s.Browser = b
	asked := map[string]bool{}
	scripts, failed := map[string]*result.Requested{}, map[string]*result.Requested{}
	err := r.seenOn(ctx, screens, progress, func(path string, unread bool, all []*result.Opened) {
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
	for _, list := range [][]*result.Requested{b.Scripts, b.Failed} {
		slices.SortFunc(list, func(a, b *result.Requested) int {
			return cmp.Or(b.Pages-a.Pages, cmp.Compare(b.Wire, a.Wire), strings.Compare(a.Target, b.Target))
		})
	}
	return err
}

// note counts a request.
func note(seen map[string]*result.Requested, list *[]*result.Requested, x *pageload.Request, path, by, why string) {
	a := seen[x.Target+"\x00"+why]
	if a == nil {
		a = &result.Requested{Target: x.Target, Kind: x.Kind, Party: x.Party, Item: x.Item, By: by, Why: why}
		seen[x.Target+"\x00"+why] = a
		*list = append(*list, a)
	}
	a.Wire = max(a.Wire, x.Wire)
	if a.Last != path {
		a.Last = path
		a.Pages++
	}
}
