// Package itemmatch tells what of each item a page really has: it looks at the page, not
// at what was put there. An item is recognised by its mark, by the URLs that it loads,
// by the text that the gate writes on that page, by the same with white space, quoting
// and the order of attributes folded, and by its outline or its elements where the values
// or the texts in it are others. docs/audit.md has the order of trust.
//
// It reports no findings: checks do.
package itemmatch

import (
	"bytes"
	"slices"
	"sort"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
)

// A Comparison is a page compared with what the gate says of it.
type Comparison struct {
	Gate   *pageedit.Gate
	Result *pageedit.Result  // the source page after the gate
	Record *inventory.Record // of the page; only Read sets it
	Items  []Presence        // by item
	// Same: the page is byte for byte what the gate writes now.
	Same bool
	// Runtimes are the copies of the popups' runtime, and RuntimeDiffers where one
	// stands whose text is another.
	Runtimes       int
	RuntimeDiffers *Occurrence
}

// An Occurrence is a copy of a part, or of some of it, on the page.
type Occurrence struct {
	markup.Span // in the page's text
	Area        string
	Exact       bool // it is what the gate writes on this page, folded at most
	Marked      bool // it stands in a marked region of the item
}

// Presence is what a page has of one item.
type Presence struct {
	Parts []PartFound // the item's own parts, in order
	Found []int       // elements of the page, by number, that the item is found by; -1 for one that loads nothing
	// Replaced are elements of the page, by number, that the item stands in for
	// and that are there all the same.
	Replaced []int

	Marks []Occurrence // where marks of the item open
	// ExtraMarks are regions that the gate does not write, where the item is in.
	ExtraMarks []Occurrence
	// Altered are marked regions that hold something else than the gate writes,
	// though all parts of the item are there.
	Altered []Occurrence

	Gone      []MissingElement // found elements that the gate lets stay and the page lacks
	Changed   []Occurrence     // found elements whose tag or text is another than the gate leaves
	Doubled   []Occurrence     // copies of found elements
	Displaced []Displaced      // found elements in the other half of the page
}

// A MissingElement is an element that is not on the page.
type MissingElement struct {
	Tag  string
	Text string // its start tag
}

// Displaced is an element that is in another half of the page than it belongs into.
type Displaced struct {
	Occurrence
	Area string // where it belongs
}

// PartFound is what a page has of one part of an item.
type PartFound struct {
	*gatefile.Part
	Place  gatefile.Place
	Known  bool // whether the part can be recognised on this page
	Wanted int  // how often the gate writes it
	Copies int  // whole ones that are what the gate writes; where it is out, all
	// At are those copies, and Differs those that are recognised and are not what the
	// gate writes. Areas are where the wanted ones belong: head, body.
	At, Differs []Occurrence
	Areas       []string
	Lacking     int // wanted copies that are neither there nor there in another form
	Surplus     []Occurrence
}

// First is the first copy of the part, or nil.
func (p *PartFound) First() *Occurrence {
	switch {
	case len(p.At) > 0:
		return &p.At[0]
	case len(p.Differs) > 0:
		return &p.Differs[0]
	}
	return nil
}

// Copies is the number of complete copies of the item on the page.
func (p *Presence) Copies() int {
	least := -1
	for i := range p.Parts {
		if n := (p.Parts[i].Copies + len(p.Parts[i].Differs)) / max(p.Parts[i].Wanted, 1); p.Parts[i].Known &&
			(least < 0 || n < least) {
			least = n
		}
	}
	switch {
	case least >= 0:
		return least
	case len(p.Found) > 0, len(p.Changed) > 0:
		return 1
	}
	return 0
}

// Number is the number of an item, or -1.
func (g *Comparison) Number(item string) int {
	return slices.IndexFunc(g.Gate.File.Items, func(it *gatefile.Item) bool { return it.Name == item })
}

// ItemAt is the item of which a copy stands at an offset of the page, or "".
func (g *Comparison) ItemAt(at int) string {
	for i := range g.Items {
		for _, pp := range g.Items[i].Parts {
			for _, o := range slices.Concat(pp.At, pp.Differs, pp.Surplus) {
				if pp.Kind != gatefile.Classes && o.Start <= at && at < o.End {
					return g.Gate.File.Items[i].Name
				}
			}
		}
	}
	return ""
}

// A piece is one text that a part of an item comes to, to be looked for.
type piece struct {
	item, part int
	text       string // in the page's line ends and encoding
	want       int    // how often the gate writes it on this page
	tags       []tag  // of a script or stylesheet: its tags
	found      []Occurrence
	anchor     string
	anchors    []int // where the anchor stands in the page
	folded     folded
}

// A tag is one that loads a URL.
type tag struct {
	name, target string
	attrs        string // folded, without the URL
	at           []Occurrence
}

// holder is what Compare needs on the way.
type holder struct {
	*Comparison
	r       *inventory.Record
	regions []markup.Region
	pieces  []*piece
	inert   cover // the contents of templates and noscripts, and those of noscripts alone
	without cover
	unread  cover // comments and texts of scripts and styles, once asked for
	tags    []markup.Tagged
	claimed cover     // what is known to be of an item
	hay     *haystack // of the page, once asked for
	around  int       // start tags that were compared around anchors
	copies  []copied  // as they are written, in order, once asked for

	folds map[string]string // tags, folded: the page and what is expected share most

	expected     *markup.Source // what the gate writes, read
	expectedScan *markup.Document
	expectedHay  *haystack
}

// A Scanned is the record of a page that was scanned for the items of a gate.
type Scanned struct {
	*inventory.Record
	gate *pageedit.Gate
}

// Take reads a page so that it can be compared with what a gate says of it. known holds its path
// and file; weights may be nil.
func Take(file []byte, known page.Page, gate *pageedit.Gate, weights inventory.Weights) Scanned {
	src := markup.ReadAs(file, known.Answer.Charset())
	return Scanned{inventory.TakeScanned(src, gate.ScanAll(src), known, gate.Site, weights), gate}
}

// Compare looks for the items of the gate on a page; source is the source page as the gate saw
// it. Elements of the record that belong to an item are given its name.
func Compare(record Scanned, source *pageedit.Result) *Comparison {
	r, gate := record.Record, record.gate
	h := &holder{
		Comparison: &Comparison{Gate: gate, Result: source, Items: make([]Presence, len(gate.File.Items))},
		r:          r,
		folds:      map[string]string{},
		claimed:    newCover(len(r.Source.Text)),
	}
	h.Same = bytes.Equal(r.Source.File, source.File)
	h.marks()
	h.expect()
	h.search()
	h.loads()
	h.fold()
	h.count()
	h.name()
	h.owned()
	h.retagged()
	h.claim()
	if !h.Same {
		h.compareRegions()
		h.compareFound()
	}
	return h.Comparison
}

// marks notes where regions of items stand.
func (h *holder) marks() {
	h.regions = h.r.Scan.Regions()
	for _, m := range h.r.Scan.Marks {
		if name, ok := markup.MarkName(h.r.Source.Text[m.Start:m.End]); ok && m.Inside != markup.InTemplate {
			if n := h.Number(name); n >= 0 {
				h.Items[n].Marks = append(h.Items[n].Marks, h.occurrence(m.Span, true))
			}
		}
	}
}

// regionAt is the marked region that holds an offset, or nil.
func (h *holder) regionAt(at int) *markup.Region {
	i := sort.Search(len(h.regions), func(i int) bool { return h.regions[i].End > at })
	if i < len(h.regions) && h.regions[i].Start <= at {
		return &h.regions[i]
	}
	return nil
}

// marked reports whether an offset stands in a marked region of an item.
func (h *holder) marked(item, at int) bool {
	r := h.regionAt(at)
	return item >= 0 && r != nil && r.Name == h.Gate.File.Items[item].Name
}

func (h *holder) occurrence(s markup.Span, exact bool) Occurrence {
	o := Occurrence{Span: s, Exact: exact, Area: "head"}
	if h.r.Scan.BodySeen && s.Start >= h.r.Scan.BodyBegin {
		o.Area = "body"
	}
	return o
}
