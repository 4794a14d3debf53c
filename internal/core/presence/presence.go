// Package presence tells what of each item a page really has: it looks at the page, not
// at what was put there. An item is recognised by its mark, by the URLs that it loads,
// by the text that the gate writes on that page, by the same with white space, quoting
// and the order of attributes folded, and by its outline or its elements where the values
// or the texts in it are others. docs/audit.md has the order of trust.
//
// It reports no findings: checks do.
package presence

import (
	"bytes"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

// A Page is a page compared with what the gate says of it.
type Page struct {
	Gate   *gating.Gate
	Result *gating.Result // the source page after the gate
	Items  []Presence     // by item
	// Same: the page is byte for byte what the gate writes now.
	Same bool
	// Runtimes are the copies of the popups' runtime, and RuntimeDiffers where one
	// stands whose text is another.
	Runtimes       int
	RuntimeDiffers *Occurrence
}

// An Occurrence is a copy of a part, or of some of it, on the page.
type Occurrence struct {
	markup.Span      // in the page's text
	Line, Column int // from 1
	Area         string
	Exact        bool // it is what the gate writes on this page, folded at most
}

// Presence is what a page has of one item.
type Presence struct {
	Parts []Part // the item's own parts, in order
	Found []int  // elements of the page, by number, that the item is found by; -1 for one that loads nothing
	// Replaced are elements of the page, by number, that the item stands in for
	// and that are there all the same.
	Replaced []int

	Marks []Occurrence // where marks of the item open
	// ExtraMarks are regions that the gate does not write, where the item is in.
	ExtraMarks []Occurrence
	// Altered are marked regions that hold something else than the gate writes,
	// though all parts of the item are there.
	Altered []Occurrence

	Gone      []Element    // found elements that the gate lets stay and the page lacks
	Changed   []Occurrence // found elements whose tag or text is another than the gate leaves
	Doubled   []Occurrence // copies of found elements
	Displaced []Displaced  // found elements in the other half of the page
}

// An Element is an element that is not on the page.
type Element struct {
	Tag  string
	Text string // its start tag
}

// Displaced is an element that is in another half of the page than it belongs into.
type Displaced struct {
	Occurrence
	Area string // where it belongs
}

// Part is what a page has of one part of an item.
type Part struct {
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
func (p *Part) First() *Occurrence {
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
		if n := (p.Parts[i].Copies + len(p.Parts[i].Differs)) / max(p.Parts[i].Wanted, 1); p.Parts[i].Known && (least < 0 || n < least) {
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
func (g *Page) Number(item string) int {
	return slices.IndexFunc(g.Gate.File.Items, func(it *gatefile.Item) bool { return it.Name == item })
}

// ItemAt is the item of which a copy stands at an offset of the page, or "".
func (g *Page) ItemAt(at int) string {
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
	anchors    int // how often the anchor stands in the page
	folded     folded
}

// A tag is one that loads a URL.
type tag struct {
	name, target string
	attrs        string // folded, without the URL
	at           []Occurrence
}

// holder is what Hold needs on the way.
type holder struct {
	*Page
	r       *inventory.Record
	regions []markup.Region
	pieces  []*piece
	inert   []markup.Span // the contents of templates and noscripts
	tags    []markup.Tagged
	claimed []markup.Span // of items that are in
	hay     *haystack     // of the page, once asked for

	expected     *markup.Source // what the gate writes, read
	expectedScan *markup.Page
	expectedHay  *haystack
}

// Hold looks for the items of a gate on a page. The record is of a scan by
// gate.ScanAll or gate.ScanForOwners; source is the source page as the gate saw it.
// Elements of the record that belong to an item are given its name.
func Hold(r *inventory.Record, gate *gating.Gate, source *gating.Result) *Page {
	h := &holder{Page: &Page{Gate: gate, Result: source, Items: make([]Presence, len(gate.File.Items))}, r: r}
	h.Same = bytes.Equal(r.Source.File, source.File)
	h.marks()
	h.expect()
	h.search()
	h.loads()
	h.fold()
	h.count()
	h.name()
	h.owned()
	h.claim()
	if !h.Same {
		h.compareRegions()
		h.compareFound()
	}
	return h.Page
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

func (h *holder) occurrence(s markup.Span, exact bool) Occurrence {
	o := Occurrence{Span: s, Exact: exact, Area: "head"}
	o.Line, o.Column = markup.NewLocator(h.r.Source.Text).Locate(s.Start)
	if h.r.Scan.BodySeen && s.Start >= h.r.Scan.BodyBegin {
		o.Area = "body"
	}
	return o
}

// expect lists what to look for: what the gate writes on this page, and what items
// that are out would write.
func (h *holder) expect() {
	written := map[[2]int][]gating.Written{}
	for _, w := range h.Result.Written {
		if w.Part != gating.FoundPart {
			written[[2]int{w.Item, w.Part}] = append(written[[2]int{w.Item, w.Part}], w)
		}
	}
	for i, it := range h.Gate.File.Items {
		p := &h.Items[i]
		for k, part := range it.Parts {
			pp := Part{Part: part, Place: it.PlaceOf(part)}
			put := written[[2]int{i, k}]
			switch {
			case part.Kind == gatefile.Classes:
				h.classes(&pp, h.Result.Verdicts[i].In)
			case len(put) > 0:
				pp.Known, pp.Wanted, pp.Place = true, len(put), put[0].Place
				if pp.Place.Name == gatefile.AtReplaced {
					pp.Place = gatefile.Place{Name: pp.Place.Name}
				}
				at := map[string]*piece{}
				for _, w := range put {
					pp.Areas = append(pp.Areas, w.Area.String())
					if at[w.Text] == nil {
						at[w.Text] = h.add(i, k, w.Text)
					}
					at[w.Text].want++
				}
			case !h.Result.Verdicts[i].In:
				text, ok, err := h.Gate.Render(h.Result.View, i, k)
				if pp.Known = ok && err == nil; pp.Known {
					h.add(i, k, text)
				}
			}
			p.Parts = append(p.Parts, pp)
		}
	}
	if h.Gate.Popups() {
		x := h.add(-1, 0, compose.Runtime())
		if len(h.Result.Popups) > 0 {
			x.want = 1
		}
	}
}

func (h *holder) add(item, part int, text string) *piece {
	x := &piece{item: item, part: part, text: markup.Fit(text, h.r.Scan.LineEnd(), !h.r.Source.UTF8())}
	h.pieces = append(h.pieces, x)
	if item >= 0 {
		if kind := h.Gate.File.Items[item].Parts[part].Kind; kind.Tagged() {
			x.tags = h.tagsOf(text, kind)
		}
	}
	return x
}

// tagsOf lists the tags that a script or stylesheet comes to.
func (h *holder) tagsOf(text string, kind gatefile.Kind) (out []tag) {
	name, attr := "script", "src"
	if kind == gatefile.Stylesheet {
		name, attr = "link", "href"
	}
	for _, t := range h.Gate.Tags(text, attr) {
		ref, ok := h.r.Base.Resolve(t.URL)
		if !ok {
			return nil
		}
		target := ref.URL
		if ref.Own {
			target = ref.Path
		}
		out = append(out, tag{name: name, target: target, attrs: foldTag([]byte(t.Text), 0, asIs, attr)})
	}
	return out
}

func asIs(s string) string { return s }

// search finds the texts as they are written.
func (h *holder) search() {
	var texts search
	var whose []*piece
	for _, x := range h.pieces {
		if x.tags != nil {
			continue
		}
		texts.add([]byte(x.text))
		whose = append(whose, x)
	}
	n := len(whose)
	anchored := whose
	if h.Same { // otherwise the page is folded anyway
		for _, x := range whose {
			if x.anchor = h.Gate.Once(x.text, func() any { return anchor(x.text) }).(string); x.anchor != "" {
				texts.add([]byte(x.anchor))
				anchored = append(anchored, x)
			}
		}
	}
	for k, at := range texts.run(h.r.Source.Text) {
		x := anchored[k]
		if k >= n {
			x.anchors = len(at)
			continue
		}
		for _, from := range at {
			if s := (markup.Span{Start: from, End: from + len(x.text)}); h.real(s) {
				x.found = append(x.found, h.occurrence(s, true))
			}
		}
	}
}

// real reports whether what stands at a span is read as HTML there: it is in no
// comment, script, template or noscript.
func (h *holder) real(s markup.Span) bool {
	src := h.r.Source.Text
	if src[s.Start] == '<' && s.Start+1 < len(src) && src[s.Start+1] != '!' {
		tags := h.startTags()
		i := sort.Search(len(tags), func(i int) bool { return int(tags[i].Start) >= s.Start })
		if i >= len(tags) || int(tags[i].Start) != s.Start {
			return false
		}
	} else if open := bytes.LastIndex(src[:s.Start], []byte("<!--")); open >= 0 && bytes.LastIndex(src[:s.Start], []byte("-->")) < open {
		return false
	}
	return !within(h.inertSpans(), s)
}

func within(list []markup.Span, s markup.Span) bool {
	return slices.ContainsFunc(list, func(x markup.Span) bool { return s.Start >= x.Start && s.End <= x.End })
}

// realFound is real for a found element: that may stand in a noscript.
func (h *holder) realFound(s markup.Span) bool {
	if h.real(s) {
		return true
	}
	for i := range h.r.Elements {
		if e := &h.r.Elements[i]; e.Tag == "noscript" && e.Inside == "" && s.Start >= e.El.TagEnd && s.End <= e.El.ContentEnd {
			return true
		}
	}
	return false
}

func (h *holder) startTags() []markup.Tagged {
	if h.tags == nil {
		if h.tags = h.r.Scan.Tags; h.tags == nil {
			h.tags = markup.ScanTags(h.r.Source.Text, nil).Tags
		}
	}
	return h.tags
}

func (h *holder) inertSpans() []markup.Span {
	if h.inert == nil {
		h.inert = []markup.Span{}
		for i := range h.r.Elements {
			if e := &h.r.Elements[i]; (e.Tag == "template" || e.Tag == "noscript") && e.Inside == "" && e.El.ContentEnd > e.El.TagEnd {
				h.inert = append(h.inert, markup.Span{Start: e.El.TagEnd, End: e.El.ContentEnd})
			}
		}
	}
	return h.inert
}

// loads finds the tags of scripts and stylesheets by what they load.
func (h *holder) loads() {
	urls := map[string][]int{}
	for i := range h.r.Elements {
		if e := &h.r.Elements[i]; e.Inside == "" && (e.Tag == "script" || e.IsStylesheet()) && e.Target != "" {
			urls[e.Tag+" "+e.Target] = append(urls[e.Tag+" "+e.Target], i)
		}
	}
	for _, x := range h.pieces {
		for k := range x.tags {
			t := &x.tags[k]
			for _, i := range urls[t.name+" "+t.target] {
				e := &h.r.Elements[i]
				if e.Item != "" && e.Item != h.Gate.File.Items[x.item].Name && h.Number(e.Item) >= 0 {
					continue // another item's mark claims it
				}
				attr := "src"
				if t.name == "link" {
					attr = "href"
				}
				exact := h.Same || foldTag(h.r.Source.Text, e.El.Start, h.r.Source.Decode, attr) == t.attrs
				t.at = append(t.at, Occurrence{markup.Span{Start: e.El.Start, End: e.El.End}, e.Line, e.Column, e.Area, exact})
			}
		}
	}
}

// fold looks again for pieces in the folded page, where that may hold more of them.
func (h *holder) fold() {
	for _, x := range h.pieces {
		if x.tags != nil || h.Same && (x.anchor == "" || x.anchors <= len(x.found)*strings.Count(x.text, x.anchor)) {
			continue
		}
		for _, s := range h.haystack().find(h.foldedPiece(x)) {
			if !slices.ContainsFunc(x.found, func(o Occurrence) bool { return o.Start < s.End && s.Start < o.End }) && h.real(s) {
				x.found = append(x.found, h.occurrence(s, true))
			}
		}
		slices.SortFunc(x.found, func(a, b Occurrence) int { return a.Start - b.Start })
	}
}

func (h *holder) haystack() *haystack {
	if h.hay == nil {
		h.hay = newHaystack(fold(h.r.Source.Text, h.r.Source.Decode))
	}
	return h.hay
}

func (h *holder) foldedPiece(x *piece) folded {
	if x.folded == nil {
		x.folded = fold([]byte(x.text), asIs)
	}
	return x.folded
}

// expectation reads what the gate writes.
func (h *holder) expectation() (*markup.Source, *markup.Page, *haystack) {
	if h.expected == nil {
		h.expected = markup.Read(h.Result.File)
		h.expectedScan = markup.Scan(h.expected.Text, nil)
		h.expectedHay = newHaystack(fold(h.expected.Text, h.expected.Decode))
	}
	return h.expected, h.expectedScan, h.expectedHay
}

// count settles how often each part is there, and in what form.
func (h *holder) count() {
	for _, x := range h.pieces { // what items that are in have
		if x.want > 0 {
			h.take(x)
		}
	}
	for _, x := range h.pieces { // what is there of items that are out
		if x.want == 0 {
			h.take(x)
		}
	}
	if h.Same {
		return
	}
	for i := range h.Gate.File.Items {
		for k := range h.Items[i].Parts {
			h.otherwise(i, k)
		}
	}
}

// take counts the copies of a piece that are what the gate writes.
func (h *holder) take(x *piece) {
	if x.item < 0 {
		h.Runtimes = len(x.found)
		return
	}
	pp := &h.Items[x.item].Parts[x.part]
	if x.tags != nil {
		h.takeTags(x, pp)
		return
	}
	var at []Occurrence
	for _, o := range x.found {
		if x.want > 0 || !overlaps(h.claimed, o.Span) {
			at = append(at, o)
		}
	}
	for _, o := range at {
		h.claimed = append(h.claimed, o.Span)
	}
	pp.add(at, x.want, h.wantedBy(func(y *piece) bool { return y.text == x.text }))
}

// add counts copies of one text of a part. all is how often any item writes it.
func (p *Part) add(at []Occurrence, want, all int) {
	if want == 0 {
		p.At, p.Copies = append(p.At, at...), p.Copies+len(at)
		return
	}
	if len(at) > max(want, all) {
		p.Surplus = append(p.Surplus, at[max(want, all):]...)
	}
	p.Lacking += max(want-len(at), 0)
	p.At = append(p.At, at[:min(len(at), want)]...)
	p.Copies += min(len(at), want)
}

// takeTags counts those of a script or stylesheet. One whose other attributes are not
// as the gate writes them is there all the same, and differs.
func (h *holder) takeTags(x *piece, pp *Part) {
	least := -1 // a built name may come out as several tags
	for k := range x.tags {
		t := &x.tags[k]
		slices.SortStableFunc(t.at, func(a, b Occurrence) int {
			switch {
			case a.Exact == b.Exact:
				return 0
			case a.Exact:
				return -1
			}
			return 1
		})
		if least < 0 || len(t.at) < least {
			least = len(t.at)
		}
		for _, o := range t.at {
			if x.want > 0 {
				h.claimed = append(h.claimed, o.Span)
			}
		}
	}
	if x.want == 0 {
		var at []Occurrence
		for _, t := range x.tags {
			for _, o := range t.at {
				if !overlaps(h.claimed, o.Span) && (least > 0 || len(x.tags) > 1) {
					at = append(at, o)
				}
			}
		}
		if len(at) > 0 {
			pp.add(at, 0, 0)
			pp.Copies = min(pp.Copies, max(least, 1))
		}
		return
	}
	all := h.wantedBy(func(y *piece) bool { return len(y.tags) > 0 && y.tags[0].target == x.tags[0].target })
	for k := range x.tags {
		t := &x.tags[k]
		n := min(len(t.at), x.want)
		for _, o := range t.at[:n] {
			if o.Exact {
				pp.At = append(pp.At, o)
			} else {
				pp.Differs = append(pp.Differs, o)
			}
		}
		if len(t.at) > max(x.want, all) {
			pp.Surplus = append(pp.Surplus, t.at[max(x.want, all):]...)
		}
	}
	least = max(least, 0)
	pp.Lacking += max(x.want-least, 0)
	pp.Copies += max(min(least, x.want)-len(pp.Differs), 0)
}

// wantedBy is how often the gate writes pieces of a kind, all items together.
func (h *holder) wantedBy(which func(*piece) bool) (n int) {
	for _, y := range h.pieces {
		if y.want > 0 && which(y) {
			n += y.want
		}
	}
	return n
}

// otherwise looks for copies of a part whose values or texts are other than those that
// the gate writes on this page: by its outline, then by its elements. What the gate
// itself writes in that form, for other items or as the page's own, does not count.
func (h *holder) otherwise(i, k int) {
	pp := &h.Items[i].Parts[k]
	if pp.Kind == gatefile.Classes || pp.Kind.Tagged() && pp.Template.Plain() {
		return
	}
	in := h.Result.Verdicts[i].In
	outline := h.Gate.Outline(i, k)
	if outline == "" {
		return
	}
	needle := h.Gate.Once("\x00"+outline, func() any { return fold([]byte(outline), asIs) }).(folded)
	var at []markup.Span
	if strings.Contains(outline, compose.Hole) && needle.literal() >= mostVague {
		at = h.beyond(func(y *haystack) []markup.Span { return y.find(needle) })
	}
	if len(at) == 0 {
		at = h.beyond(func(y *haystack) []markup.Span { return y.findTags(needle) })
	}
	if len(at) == 0 && (!in || pp.Lacking == 0) {
		for _, one := range needle.loading() {
			at = append(at, h.beyond(func(y *haystack) []markup.Span { return y.find(one) })...)
		}
	}
	for _, s := range at {
		o := h.occurrence(s, false)
		h.claimed = append(h.claimed, s)
		switch {
		case !in:
			pp.Known = true
			pp.Differs = append(pp.Differs, o)
		case pp.Lacking > 0:
			pp.Lacking--
			pp.Differs = append(pp.Differs, o)
		default:
			pp.Surplus = append(pp.Surplus, o)
		}
	}
	if in && pp.Lacking > 0 { // its own region says that it was there
		for _, r := range h.regions {
			if r.Name == h.Gate.File.Items[i].Name && !overlaps(h.claimed, r.Content) && pp.Lacking > 0 && len(bytes.TrimSpace(h.r.Source.Text[r.Content.Start:r.Content.End])) > 0 {
				h.claimed = append(h.claimed, r.Content)
				pp.Lacking--
				pp.Differs = append(pp.Differs, h.occurrence(r.Content, false))
			}
		}
	}
}

// mostVague is how many characters of an outline that are no holes tell it from others.
const mostVague = 12

// beyond lists what is found in the page and not claimed yet, beyond what is found in
// the same way in what the gate writes.
func (h *holder) beyond(find func(*haystack) []markup.Span) (out []markup.Span) {
	all := find(h.haystack())
	if len(all) == 0 {
		return nil
	}
	src, _, hay := h.expectation()
	known := map[string]int{}
	for _, s := range find(hay) {
		known[fold(src.Text[s.Start:s.End], src.Decode).key()]++
	}
	for _, s := range all {
		key := fold(h.r.Source.Text[s.Start:s.End], h.r.Source.Decode).key()
		if known[key] > 0 {
			known[key]--
			continue
		}
		if !overlaps(h.claimed, s) && h.real(s) {
			out = append(out, s)
		}
	}
	return out
}

func overlaps(list []markup.Span, s markup.Span) bool {
	return slices.ContainsFunc(list, func(x markup.Span) bool { return x.Start < s.End && s.Start < x.End })
}

// classes looks whether the elements that get class names have them and, where the item
// is out, whether elements have them to which the gate gives none.
func (h *holder) classes(pp *Part, in bool) {
	if !in {
		pp.Known = true
		if h.Same || !bytes.Contains(h.r.Source.Text, []byte(strings.Fields(pp.Text)[0])) {
			return
		}
		have := classed(h.r.Source.Text, h.r.Scan, pp.Part)
		src, scan, _ := h.expectation()
		if n := len(classed(src.Text, scan, pp.Part)); len(have) > n {
			for _, at := range have[n:] {
				pp.At = append(pp.At, h.occurrence(markup.Span{Start: at, End: at + 1}, true))
			}
			pp.Copies = 1
		}
		return
	}
	if s := pp.Selector.String(); len(h.Result.Matches(pp.Selector)) == 0 && s != "body" && s != "html" {
		return // the source has no such element
	}
	pp.Known, pp.Wanted, pp.Copies = true, 1, 1
	elements := matching(h.r.Source.Text, h.r.Scan, pp.Part)
	if elements == nil || len(classed(h.r.Source.Text, h.r.Scan, pp.Part)) < len(elements) {
		pp.Copies, pp.Lacking = 0, 1
	}
}

// matching lists the elements that a part gives class names to.
func matching(src []byte, scan *markup.Page, part *gatefile.Part) []int {
	switch part.Selector.String() { // no tree for these
	case "body":
		if !scan.BodyTag.None() {
			return []int{scan.BodyTag.Start}
		} // else a later tag gives its attributes to the body that something opened before
	case "html":
		if scan.HTMLTag.None() {
			return nil
		}
		return []int{scan.HTMLTag.Start}
	}
	return markup.Matches(src, part.Selector)
}

// classed lists those of them that have the names.
func classed(src []byte, scan *markup.Page, part *gatefile.Part) (out []int) {
	for _, at := range matching(src, scan, part) {
		value, _ := markup.AttrValue(src, at, "class")
		have := strings.Fields(value)
		if !slices.ContainsFunc(strings.Fields(part.Text), func(name string) bool { return !slices.Contains(have, name) }) {
			out = append(out, at)
		}
	}
	return out
}

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
	if !slices.ContainsFunc(h.Gate.File.Items, func(it *gatefile.Item) bool { return len(it.Found)+len(it.Replaces) > 0 }) {
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
			if !overlaps(h.claimed, markup.Span{Start: start, End: start + 1}) {
				p.Replaced = append(p.Replaced, i)
			}
			continue
		}
		p.Found = append(p.Found, i)
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
