package itemmatch

import (
	"slices"
	"sort"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// Whose the elements of the page are.

// name gives elements that stand in a copy of an item its name.
func (h *holder) name() {
	var spans []markup.Span
	names := map[markup.Span]string{}
	for i := range h.Items {
		for k := range h.Items[i].Parts {
			pp := &h.Items[i].Parts[k]
			for _, list := range [][]Occurrence{pp.At, pp.Differs, pp.Surplus} {
				for _, o := range list {
					if pp.Kind != gatefile.Classes && names[o.Span] == "" {
						names[o.Span] = h.Gate.File.Items[i].Name
						spans = append(spans, o.Span)
					}
				}
			}
		}
	}
	slices.SortFunc(spans, func(a, b markup.Span) int { return a.Start - b.Start })
	k := 0
	for i := range h.r.Elements {
		e := &h.r.Elements[i]
		for k < len(spans) && spans[k].End <= e.El.Start {
			k++
		}
		if k < len(spans) && spans[k].Start <= e.El.Start && e.Item == "" {
			e.Item = names[spans[k]]
		}
	}
}

// owned finds the elements of the page that items are found by: a second look, at the
// page itself.
func (h *holder) owned() {
	if !slices.ContainsFunc(h.Gate.File.Items,
		func(it *gatefile.Item) bool { return len(it.Found)+len(it.Replaces) > 0 }) {
		return
	}
	owners := h.Gate.Owners(h.r.Source, h.r.Scan, page.Page{Path: h.r.Path, File: h.r.File})
	at := map[int]int{}
	for i := range h.r.Elements {
		at[h.r.Elements[i].El.Start] = i
	}
	starts := make([]int, 0, len(owners))
	for start := range owners {
		starts = append(starts, start)
	}
	sort.Ints(starts)
	for _, start := range starts {
		owner := owners[start]
		i, listed := at[start]
		switch {
		case !listed:
			i = -1
			if h.regionAt(start) != nil {
				continue // a mark says whose it is
			}
		case h.r.Elements[i].Item != "":
			continue // a mark, a URL or its text says whose it is
		default:
			h.r.Elements[i].Item = h.Gate.File.Items[owner.Item].Name
		}
		p := &h.Items[owner.Item]
		if owner.Replaced {
			if !h.claimed.touches(markup.Span{Start: start, End: start + 1}) {
				p.Replaced = append(p.Replaced, i)
			}
			continue
		}
		p.Found = append(p.Found, i)
	}
}

// retagged finds the elements that their item no longer matches since its own attrs changed their tags: as
// the gate leaves them.
func (h *holder) retagged() {
	lost := map[int]bool{}
	for i, it := range h.Gate.File.Items {
		if h.Result.Verdicts[i].In && len(it.Found) > 0 && len(it.Attrs) > 0 && len(h.Items[i].Found) == 0 {
			lost[i] = true
		}
	}
	if len(lost) == 0 {
		return
	}
	looked := map[string]bool{}
	for _, w := range h.remaining() {
		if !lost[w.Item] || looked[w.Text] {
			continue
		}
		looked[w.Text] = true
		for _, s := range h.haystack().find(h.needle(w.Text)) {
			if !h.realFound(s) {
				continue
			}
			n := sort.Search(len(h.r.Elements), func(k int) bool { return h.r.Elements[k].El.Start >= s.Start })
			if n == len(h.r.Elements) || h.r.Elements[n].El.Start != s.Start {
				n = -1
			} else if e := &h.r.Elements[n]; e.Item == "" {
				e.Item = h.Gate.File.Items[w.Item].Name
			}
			h.Items[w.Item].Found = append(h.Items[w.Item].Found, n)
		}
	}
}

// claim gives the elements that no mark and no matcher claims to the items whose
// URL they load: to the last that is in on the page, else to the first.
func (h *holder) claim() {
	items := h.Gate.Loaders(h.r.Base)
	for i := range h.r.Elements {
		e := &h.r.Elements[i]
		if e.Item != "" || e.Target == "" {
			continue
		}
		for k, item := range items[e.Target] {
			if k == 0 || h.Result.Verdicts[item].In {
				e.Item = h.Gate.File.Items[item].Name
			}
		}
	}
}
