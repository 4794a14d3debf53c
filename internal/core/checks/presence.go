package checks

import (
	"bytes"
	"strings"

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
}

// PartPresence is what a page has of one part.
type PartPresence struct {
	Part   *gatefile.Part
	Place  gatefile.Place
	Known  bool // whether the part can be recognised on this page
	Copies int
	// Of the first copy:
	Line, Column int
	Area         string
}

// Copies is the number of complete copies of the item on the page.
func (p *Presence) Copies() int {
	least := -1
	for i := range p.Parts {
		if p.Parts[i].Known && (least < 0 || p.Parts[i].Copies < least) {
			least = p.Parts[i].Copies
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
	for i, it := range gate.File.Items {
		p := &g.Items[i]
		p.Marks = marks[it.Name]
		if len(it.Parts) == 0 {
			continue
		}
		rendered, err := gate.Render(i, source.Lookup)
		for k, part := range it.Parts {
			pp := PartPresence{Part: part, Place: it.PlaceOf(part), Known: err == nil}
			if err == nil {
				g.count(r, &pp, rendered[k], urls, it)
			}
			p.Parts = append(p.Parts, pp)
		}
	}
	g.found(r)
	g.claim(r)
	return g
}

// count counts one part on the page.
func (g *Gated) count(r *inventory.Record, pp *PartPresence, text string, urls map[string][]int, it *gatefile.Item) {
	if pp.Part.Kind == gatefile.Code {
		g.countText(r, pp, markup.Fit(text, r.Scan.LineEnd(), !r.Source.UTF8()))
		return
	}
	frag := markup.Scan([]byte(text), nil)
	if len(frag.Elements) == 0 {
		return
	}
	tag, attr := "script", "src"
	if pp.Part.Kind == gatefile.Stylesheet {
		tag, attr = "link", "href"
	}
	raw, _ := markup.AttrValue(frag.Src, frag.Elements[0].Start, attr)
	ref, ok := r.Base.Resolve(raw)
	if !ok {
		pp.Known = false
		return
	}
	target := ref.URL
	if ref.Own {
		target = ref.Path
	}
	for _, i := range urls[tag+" "+target] {
		e := &r.Elements[i]
		if e.Item != "" && e.Item != it.Name { // another item's mark claims it
			continue
		}
		pp.Copies++
		if pp.Copies == 1 {
			pp.Line, pp.Column, pp.Area = e.Line, e.Column, e.Area
		}
	}
}

// countText counts the composed text of code in the page.
func (g *Gated) countText(r *inventory.Record, pp *PartPresence, text string) {
	src, want := r.Source.Text, []byte(text)
	for at := 0; ; {
		n := indexLong(src[at:], want)
		if n < 0 {
			return
		}
		at += n
		pp.Copies++
		if pp.Copies == 1 {
			pp.Line, pp.Column = markup.NewLocator(src).Locate(at)
			pp.Area = "head"
			if r.Scan.BodySeen && at >= r.Scan.BodyBegin {
				pp.Area = "body"
			}
		}
		at += len(want)
	}
}

// indexLong is bytes.Index for texts of any length: it looks for a piece as long
// as the processor compares at once, and then at what is around it.
func indexLong(src, want []byte) int {
	const piece = 32
	if len(want) <= piece {
		return bytes.Index(src, want)
	}
	k := (len(want) - piece) / 2
	for at := k; at+len(want)-k <= len(src); at++ {
		n := bytes.Index(src[at:], want[k:k+piece])
		if n < 0 || at+n-k+len(want) > len(src) {
			return -1
		}
		if at += n; bytes.Equal(src[at-k:at-k+len(want)], want) {
			return at - k
		}
	}
	return -1
}

// found finds the elements of the page that items are found by: a second look,
// at the page itself.
func (g *Gated) found(r *inventory.Record) {
	any := false
	for _, it := range g.Gate.File.Items {
		any = any || len(it.Found) > 0
	}
	if !any {
		return
	}
	owners := g.Gate.Owners(r.Source, r.Scan, page.Page{Path: r.Path, File: r.File})
	at := map[int]int{}
	for i := range r.Elements {
		at[r.Elements[i].El.Start] = i
	}
	for start, item := range owners {
		i, listed := at[start]
		if !listed {
			i = -1
		} else if r.Elements[i].Item != "" {
			continue // a mark says whose it is
		} else {
			r.Elements[i].Item = g.Gate.File.Items[item].Name
		}
		g.Items[item].Found = append(g.Items[item].Found, i)
	}
}

// claim gives the elements that no mark and no matcher claims to the items whose
// URL they load.
func (g *Gated) claim(r *inventory.Record) {
	byURL := map[string]string{}
	for i, it := range g.Gate.File.Items {
		for _, p := range it.Parts {
			if p.Kind == gatefile.Code || !p.Template.Plain() {
				continue
			}
			ref, ok := r.Base.Resolve(g.Gate.Site.BasePath() + p.Text)
			if !ok || !strings.HasPrefix(p.Text, "/") {
				ref, ok = r.Base.Resolve(p.Text)
			}
			target := ref.URL
			if ref.Own {
				target = ref.Path
			}
			if _, taken := byURL[target]; ok && (!taken || g.Result.Verdicts[i].In) {
				byURL[target] = it.Name
			}
		}
	}
	for i := range r.Elements {
		if e := &r.Elements[i]; e.Item == "" && e.Target != "" {
			e.Item = byURL[e.Target]
		}
	}
}
