package itemmatch

import (
	"bytes"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/snippet"
)

// How often each part is there, and in what form.

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
	h.others()
}

// others looks for what is there in another form. What the page has no more words of than
// the gate writes, and lacks nothing of, need not be looked for.
func (h *holder) others() {
	type other struct{ item, part, from, to int } // its words among the anchors
	var all []other
	var anchors []string
	for i := range h.Gate.File.Items {
		for k := range h.Items[i].Parts {
			if outline := h.Gate.Outline(i, k); outline != "" {
				words := h.Gate.Once("\x01"+outline, func() any { return outlineAnchors(outline) }).([]string)
				all = append(all, other{i, k, len(anchors), len(anchors) + len(words)})
				anchors = append(anchors, words...)
			}
		}
	}
	grown := h.grown(anchors)
	for _, x := range all {
		more := slices.Contains(grown[x.from:x.to], true) || slices.Contains(anchors[x.from:x.to], "")
		if more || h.Items[x.item].Parts[x.part].Lacking > 0 {
			h.otherwise(x.item, x.part, more)
		}
	}
}

// outlineAnchors are the words by which an outline is known, and each script, style and
// loading element in it that may be copied by itself; "" for one without such a word.
func outlineAnchors(outline string) []string {
	word := func(text string) string { return anchor(strings.ReplaceAll(text, snippet.Hole, " ")) }
	out := []string{word(outline)}
	markup.Pieces([]byte(outline), func(p markup.Piece) bool {
		text := outline[p.Start:p.End]
		switch {
		case p.Kind == markup.PieceScript || p.Kind == markup.PieceStyle,
			p.Kind == markup.PieceStartTag && (strings.Contains(text, "src=") || strings.Contains(text, "href=")):
			out = append(out, word(text))
		}
		return true
	})
	return out
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
		if x.want > 0 || !h.claimed.touches(o.Span) {
			at = append(at, o)
		}
	}
	for _, o := range at {
		h.claimed.add(o.Span)
	}
	all := x.want
	if x.want > 0 && len(at) > x.want { // another item may write the same
		all = h.wantedBy(func(y *piece) bool { return y.text == x.text })
	}
	pp.add(at, x.want, all)
}

// add counts copies of one text of a part. all is how often items write it, this one and
// others.
func (p *PartFound) add(at []Occurrence, want, all int) {
	if want == 0 {
		p.At, p.Copies = append(p.At, at...), p.Copies+len(at)
		return
	}
	if len(at) > all {
		p.Surplus = append(p.Surplus, at[all:]...)
	}
	p.Lacking += max(want-len(at), 0)
	p.At = append(p.At, at[:min(len(at), want)]...)
	p.Copies += min(len(at), want)
}

// takeTags counts those of a script or stylesheet. One whose other attributes are not
// as the gate writes them is there all the same, and differs.
func (h *holder) takeTags(x *piece, pp *PartFound) {
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
				h.claimed.add(o.Span)
			}
		}
	}
	if x.want == 0 {
		var at []Occurrence
		for _, t := range x.tags {
			for _, o := range t.at {
				if !h.claimed.touches(o.Span) {
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
	all := x.want
	if slices.ContainsFunc(x.tags, func(t tag) bool { return len(t.at) > x.want }) { // another item may load the same
		all = h.wantedBy(func(y *piece) bool { return len(y.tags) > 0 && y.tags[0].target == x.tags[0].target })
	}
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
		if len(t.at) > all {
			pp.Surplus = append(pp.Surplus, t.at[all:]...)
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
func (h *holder) otherwise(i, k int, more bool) {
	pp := &h.Items[i].Parts[k]
	if pp.Kind == gatefile.Classes || pp.Kind.Tagged() && pp.Template.Plain() {
		return
	}
	in := h.Result.Verdicts[i].In
	if in && pp.Lacking > 0 && !more { // its own region says that it was there
		if h.byRegion(i, pp); pp.Lacking == 0 {
			return
		}
	}
	outline := h.Gate.Outline(i, k)
	needle := h.Gate.Once("\x00"+outline, func() any { return fold([]byte(outline), asIs) }).(folded)
	var at []markup.Span
	if strings.Contains(outline, snippet.Hole) && needle.literal() >= mostVague {
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
		o := h.copyOf(i, s, false)
		h.claimed.add(s)
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
	if in && pp.Lacking > 0 {
		h.byRegion(i, pp)
	}
}

// byRegion takes marked regions of an item, in which nothing was recognised, for copies of
// a part that it lacks.
func (h *holder) byRegion(i int, pp *PartFound) {
	for _, r := range h.regions {
		if r.Name == h.Gate.File.Items[i].Name && !h.claimed.touches(r.Content) && pp.Lacking > 0 &&
			len(bytes.TrimSpace(h.r.Source.Text[r.Content.Start:r.Content.End])) > 0 {
			h.claimed.add(r.Content)
			pp.Lacking--
			pp.Differs = append(pp.Differs, h.copyOf(i, r.Content, false))
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
	src, _ := h.expectation()
	known := map[string]int{}
	for _, s := range find(h.expectedHaystack()) {
		known[fold(src.Text[s.Start:s.End], src.Decode).key()]++
	}
	for _, s := range all {
		key := fold(h.r.Source.Text[s.Start:s.End], h.r.Source.Decode).key()
		if known[key] > 0 {
			known[key]--
			continue
		}
		if !h.claimed.touches(s) && h.real(s) {
			out = append(out, s)
		}
	}
	return out
}

// classes looks whether the elements that get class names have them and, where the item
// is out, whether elements have them to which the gate gives none.
func (h *holder) classes(pp *PartFound, in bool) {
	if !in {
		pp.Known = true
		if h.Same || !bytes.Contains(h.r.Source.Text, []byte(strings.Fields(pp.Text)[0])) {
			return
		}
		have := classed(h.r.Source.Text, h.r.Scan, pp.Part)
		src, scan := h.expectation()
		if n := len(classed(src.Text, scan, pp.Part)); len(have) > n {
			for _, at := range have[n:] {
				pp.At = append(pp.At, h.occurrence(markup.Span{Start: at, End: at + 1}, true))
			}
			pp.Copies = 1
		}
		return
	}
	if s := pp.Selector.String(); s != "body" && s != "html" && len(h.Result.Matches(pp.Selector)) == 0 {
		return // the source has no such element
	}
	pp.Known, pp.Wanted, pp.Copies = true, 1, 1
	elements := matching(h.r.Source.Text, h.r.Scan, pp.Part)
	if elements == nil || len(classed(h.r.Source.Text, h.r.Scan, pp.Part)) < len(elements) {
		pp.Copies, pp.Lacking = 0, 1
	}
}

// matching lists the elements that a part gives class names to.
func matching(src []byte, scan *markup.Document, part *gatefile.Part) []int {
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
	hits, _ := markup.Matches(src, part.Selector) // what cannot be followed, the page's gating tells
	return hits
}

// classed lists those of them that have the names.
func classed(src []byte, scan *markup.Document, part *gatefile.Part) (out []int) {
	for _, at := range matching(src, scan, part) {
		value, _ := markup.AttrValue(src, at, "class")
		have := strings.Fields(value)
		if !slices.ContainsFunc(strings.Fields(part.Text), func(name string) bool { return !slices.Contains(have, name) }) {
			out = append(out, at)
		}
	}
	return out
}
