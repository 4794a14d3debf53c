package checks

import (
	"bytes"
	"slices"
	"strings"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// Presence is what a page really has of one item.
type Presence struct {
	Parts []PartPresence // the item's own parts, in order
	Found []int          // elements of the page, by number, that the item is found by
	Marks int            // marked regions
	// Replaced are elements of the page, by number, that the item stands in for
	// and that are there all the same.
	Replaced []int
}

// PartPresence is what a page has of one part.
type PartPresence struct {
	Part   *gatefile.Part
	Place  gatefile.Place
	Known  bool // whether the part can be recognised on this page
	Wanted int  // how often it should be there, where the item is in
	Copies int
	// Of the first copy:
	Line, Column int
	Area         string
}

// Copies is the number of complete copies of the item on the page.
func (p *Presence) Copies() int {
	least := -1
	for i := range p.Parts {
		if n := p.Parts[i].Copies / max(p.Parts[i].Wanted, 1); p.Parts[i].Known && (least < 0 || n < least) {
			least = n
		}
	}
	switch {
	case least >= 0:
		return least
	case len(p.Found) > 0:
		return 1
	}
	return 0
}

// Hold holds a page against the gate: it looks at the page alone for what is
// there of each item. The record is of a scan by gate.ScanForOwners; source is the source page as the gate saw it.
func Hold(r *inventory.Record, gate *gating.Gate, source *gating.Result) *Gated {
	g := &Gated{Gate: gate, Result: source, Items: make([]Presence, len(gate.File.Items))}
	marks := map[string]int{}
	for _, region := range r.Scan.Regions() {
		marks[region.Name]++
	}
	urls := map[string][]int{}
	for i := range r.Elements {
		if e := &r.Elements[i]; e.Inside == "" && (e.Tag == "script" || e.IsStylesheet()) && e.Target != "" {
			urls[e.Tag+" "+e.Target] = append(urls[e.Tag+" "+e.Target], i)
		}
	}
	g.runtimes = marks[compose.RuntimeName]
	written := map[[2]int][]gating.Written{}
	for _, w := range source.Written {
		written[[2]int{w.Item, w.Part}] = append(written[[2]int{w.Item, w.Part}], w)
	}
	var texts search
	var whose [][2]int // by text: the item's and the part's number
	count := func(i, k int, pp *PartPresence, text string) {
		if pp.Part.Kind.Tagged() {
			g.countTags(r, pp, text, urls, gate.File.Items[i])
			return
		}
		texts.add([]byte(markup.Fit(text, r.Scan.LineEnd(), !r.Source.UTF8())))
		whose = append(whose, [2]int{i, k})
	}
	for i, it := range gate.File.Items {
		p := &g.Items[i]
		p.Marks = marks[it.Name]
		for k, part := range it.Parts {
			pp := PartPresence{Part: part, Place: it.PlaceOf(part)}
			switch put := written[[2]int{i, k}]; {
			case part.Kind == gatefile.Classes:
				g.countClasses(r, &pp, source.Verdicts[i].In)
			case len(put) > 0:
				pp.Known, pp.Wanted, pp.Place = true, len(put), put[0].Place
				if pp.Place.Name == gatefile.AtReplaced {
					pp.Place = gatefile.Place{Name: pp.Place.Name}
				}
				seen := map[string]bool{}
				for _, w := range put {
					if !seen[w.Text] {
						seen[w.Text] = true
						count(i, k, &pp, w.Text)
					}
				}
			case !source.Verdicts[i].In:
				text, ok, err := gate.Render(source.View, i, k)
				if pp.Known = ok && err == nil; pp.Known {
					count(i, k, &pp, text)
				}
			}
			p.Parts = append(p.Parts, pp)
		}
	}
	for n, at := range texts.run(r.Source.Text) {
		if len(at) > 0 {
			g.foundText(r, &g.Items[whose[n][0]].Parts[whose[n][1]], at)
		}
	}
	g.found(r)
	g.claim(r)
	return g
}

// foundText notes where the composed text of a part stands in the page.
func (g *Gated) foundText(r *inventory.Record, pp *PartPresence, at []int) {
	pp.Copies += len(at)
	if pp.Line > 0 {
		return
	}
	pp.Line, pp.Column = markup.NewLocator(r.Source.Text).Locate(at[0])
	pp.Area = "head"
	if r.Scan.BodySeen && at[0] >= r.Scan.BodyBegin {
		pp.Area = "body"
	}
}

// countClasses looks whether the elements that get class names have them.
func (g *Gated) countClasses(r *inventory.Record, pp *PartPresence, in bool) {
	if !in || len(g.Result.Matches(pp.Part.Selector)) == 0 && pp.Part.Selector.String() != "body" && pp.Part.Selector.String() != "html" {
		return // whose they are where the item is out cannot be told
	}
	pp.Known, pp.Wanted, pp.Copies = true, 1, 1
	var elements []int
	switch name := pp.Part.Selector.String(); name {
	case "body", "html": // no tree for these
		tag := r.Scan.BodyTag
		if name == "html" {
			tag = r.Scan.HTMLTag
		}
		if tag.None() {
			pp.Copies = 0
			return
		}
		elements = []int{tag.Start}
	default:
		elements = markup.Matches(r.Source.Text, pp.Part.Selector)
	}
	for _, at := range elements {
		have, _ := markup.AttrValue(r.Source.Text, at, "class")
		for name := range strings.FieldsSeq(pp.Part.Text) {
			if !slices.Contains(strings.Fields(have), name) {
				pp.Copies = 0
			}
		}
	}
}

// countTags counts the tags of a script or stylesheet on the page.
func (g *Gated) countTags(r *inventory.Record, pp *PartPresence, text string, urls map[string][]int, it *gatefile.Item) {
	tag, attr := "script", "src"
	if pp.Part.Kind == gatefile.Stylesheet {
		tag, attr = "link", "href"
	}
	least := -1 // a built name may come out as several tags
	for _, raw := range g.Gate.TagURLs(text, attr) {
		ref, ok := r.Base.Resolve(raw)
		if !ok {
			pp.Known = false
			return
		}
		target := ref.URL
		if ref.Own {
			target = ref.Path
		}
		n := 0
		for _, i := range urls[tag+" "+target] {
			e := &r.Elements[i]
			if e.Item != "" && e.Item != it.Name { // another item's mark claims it
				continue
			}
			if n++; pp.Line == 0 {
				pp.Line, pp.Column, pp.Area = e.Line, e.Column, e.Area
			}
		}
		if least < 0 || n < least {
			least = n
		}
	}
	pp.Copies += max(least, 0)
}

// found finds the elements of the page that items are found by: a second look,
// at the page itself.
func (g *Gated) found(r *inventory.Record) {
	any := false
	for _, it := range g.Gate.File.Items {
		any = any || len(it.Found)+len(it.Replaces) > 0
	}
	if !any {
		return
	}
	owners := g.Gate.Owners(r.Source, r.Scan, page.Page{Path: r.Path, File: r.File})
	at := map[int]int{}
	for i := range r.Elements {
		at[r.Elements[i].El.Start] = i
	}
	for start, owner := range owners {
		item := owner.Item
		i, listed := at[start]
		if !listed {
			i = -1
		} else if r.Elements[i].Item != "" {
			continue // a mark says whose it is
		} else {
			r.Elements[i].Item = g.Gate.File.Items[item].Name
		}
		if owner.Replaced {
			if !g.ownPart(r, item, start) {
				g.Items[item].Replaced = append(g.Items[item].Replaced, i)
			}
			continue
		}
		g.Items[item].Found = append(g.Items[item].Found, i)
	}
}

// ownPart reports whether an element that an item's replaces matches is a part of
// the item itself: with marks left out, only its text tells.
func (g *Gated) ownPart(r *inventory.Record, item, start int) bool {
	for _, w := range g.Result.Written {
		if w.Item == item && bytes.HasPrefix(r.Source.Text[start:], []byte(markup.Fit(w.Text, r.Scan.LineEnd(), !r.Source.UTF8()))) {
			return true
		}
	}
	return false
}

// claim gives the elements that no mark and no matcher claims to the items whose
// URL they load: to the last that is in on the page, else to the first.
func (g *Gated) claim(r *inventory.Record) {
	items := g.Gate.Loaders(r.Base)
	for i := range r.Elements {
		e := &r.Elements[i]
		if e.Item != "" || e.Target == "" {
			continue
		}
		for k, item := range items[e.Target] {
			if k == 0 || g.Result.Verdicts[item].In {
				e.Item = g.Gate.File.Items[item].Name
			}
		}
	}
}
