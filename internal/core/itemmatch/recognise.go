package itemmatch

import (
	"bytes"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/textsearch"
)

// How items are recognised: what is looked for on a page, and where it is found.

// expect lists what to look for: what the gate writes on this page, and what items
// that are out would write.
func (h *holder) expect() {
	written := map[[2]int][]pageedit.Written{}
	for _, w := range h.Result.Written {
		if w.Part != pageedit.FoundPart {
			written[[2]int{w.Item, w.Part}] = append(written[[2]int{w.Item, w.Part}], w)
		}
	}
	for i, it := range h.Gate.File.Items {
		p := &h.Items[i]
		for k, part := range it.Parts {
			pp := PartFound{Part: part, Place: it.PlaceOf(part)}
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
		x := h.add(-1, 0, snippet.Runtime())
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
		x := tag{name: name, target: target}
		if !h.Same { // else they are as the gate writes them
			x.attrs = foldTag([]byte(t.Text), 0, asIs, attr)
		}
		out = append(out, x)
	}
	return out
}

func asIs(s string) string { return s }

// search finds the texts as they are written.
func (h *holder) search() {
	var texts textsearch.Search
	var whose []*piece
	for _, x := range h.pieces {
		if x.tags != nil {
			continue
		}
		texts.Add([]byte(x.text))
		whose = append(whose, x)
	}
	n := len(whose)
	anchored := slices.Clone(whose)
	for _, x := range whose {
		if x.anchor = h.Gate.Once(x.text, func() any { return anchor(x.text) }).(string); x.anchor != "" {
			texts.Add([]byte(x.anchor))
			anchored = append(anchored, x)
		}
	}
	for k, at := range texts.Run(h.r.Source.Text) {
		x := anchored[k]
		if k >= n {
			x.anchors = at
			continue
		}
		for _, from := range at {
			if s := (markup.Span{Start: from, End: from + len(x.text)}); h.real(s) {
				x.found = append(x.found, h.copyOf(x.item, s, true))
			}
		}
	}
}

// copyOf is an occurrence of something of an item.
func (h *holder) copyOf(item int, s markup.Span, exact bool) Occurrence {
	o := h.occurrence(s, exact)
	o.Marked = h.marked(item, s.Start)
	return o
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
	} else if h.unread == nil {
		h.readComments()
	}
	start := markup.Span{Start: s.Start, End: s.Start + 1}
	if h.unread != nil && h.unread.touches(start) {
		return false
	}
	if h.inert == nil {
		h.readInert()
	}
	return !h.inert.touches(start)
}

// realFound is real for a found element: that may stand in a noscript.
func (h *holder) realFound(s markup.Span) bool {
	return h.real(s) || h.without != nil && h.without.touches(markup.Span{Start: s.Start, End: s.Start + 1})
}

func (h *holder) startTags() []markup.Tagged {
	if h.tags == nil {
		if h.tags = h.r.Scan.Tags; h.tags == nil {
			h.tags = markup.ScanTags(h.r.Source.Text, nil).Tags
		}
	}
	return h.tags
}

// readComments notes what is read as no HTML: comments, and the texts of scripts, styles and
// their like.
func (h *holder) readComments() {
	h.unread = newCover(len(h.r.Source.Text))
	markup.Pieces(h.r.Source.Text, func(p markup.Piece) bool {
		switch p.Kind {
		case markup.PieceComment, markup.PieceScript, markup.PieceStyle, markup.PieceRaw:
			h.unread.add(markup.Span{Start: p.Start + 1, End: p.End}) // a mark may begin there
		}
		return true
	})
}

// readInert notes what a browser with scripting on does not act on.
func (h *holder) readInert() {
	h.inert, h.without = newCover(len(h.r.Source.Text)), newCover(len(h.r.Source.Text))
	for i := range h.r.Elements {
		e := &h.r.Elements[i]
		content := markup.Span{Start: e.El.TagEnd, End: e.El.ContentEnd}
		if e.Inside != "" {
			continue
		}
		switch e.Tag {
		case "template":
			h.inert.add(content)
		case "noscript":
			h.inert.add(content)
			h.without.add(content)
		}
	}
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
				t.at = append(t.at,
					Occurrence{markup.Span{Start: e.El.Start, End: e.El.End}, e.Area, exact,
						h.marked(x.item, e.El.Start)})
			}
		}
	}
}

// fold looks again for pieces that are not there as they are written, or of which the page
// has more words than the copies that were found account for: in the regions of their item,
// then in the whole page.
func (h *holder) fold() {
	for _, x := range h.pieces {
		if x.tags != nil || h.Same && x.anchor == "" || !x.more() && (h.Same || len(x.found) >= x.want) {
			continue
		}
		h.foldRegions(x)
		if !x.more() && (len(x.found) >= x.want || h.ownRegion(x.item)) {
			continue
		}
		spans, ok := h.findAround(x)
		if !ok && (h.hay != nil || h.hasWords(x)) {
			spans = h.haystack().find(h.foldedPiece(x))
		}
		h.note(x, spans)
	}
}

// findAround looks for a piece where its anchor stands, and folds no more of the page than that. ok is false where
// that cannot be done, or the whole page is folded for less: the piece begins with no tag, its anchor goes as it is
// folded, or pieces have anchors that the page is full of.
func (h *holder) findAround(x *piece) (spans []markup.Span, ok bool) {
	needle := h.foldedPiece(x)
	if h.hay != nil || x.anchor == "" || len(needle) == 0 || needle[0].kind != tagToken || needle[0].text[0] == '/' {
		return nil, false
	}
	first, before, at := strings.Index(x.text, x.anchor), -1, -1 // start tags of the piece before the anchor; its token
	for i, t := range needle {
		if t.kind == tagToken && t.text[0] != '/' && t.start <= first {
			before++
		}
		if t.start <= first && first+len(x.anchor) <= t.end {
			at = i
			break
		}
	}
	src, tags, f := h.r.Source.Text, h.startTags(), folder{h.r.Source.Decode, h.folds}
	if at < 0 {
		return nil, false
	}
	end := 0
	for _, p := range x.anchors {
		if y := h.foundAt(p); y != nil && y != x && y.text != x.text && len(h.foldedPiece(y)) == len(needle) {
			continue // all of another piece that is as long
		}
		if h.around += before + misread; h.around > len(tags)+fewAround {
			return nil, false
		}
		last := sort.Search(len(tags), func(i int) bool { return int(tags[i].Start) > p }) - 1
		for k := last; k >= 0 && k >= last-before-misread; k-- {
			from := int(tags[k].Start)
			if from < end {
				break
			}
			if f.tag(src, markup.Piece{Kind: markup.PieceStartTag, Start: from, End: int(tags[k].End)}) != needle[0].text {
				continue
			}
			if to := f.begins(src[from:], needle); to > 0 {
				end = from + to
				spans = append(spans, markup.Span{Start: from, End: end})
				break
			}
		}
	}
	return spans, true
}

// foundAt is the piece of which a copy was found, as it is written, that has an offset in it; or nil.
func (h *holder) foundAt(at int) *piece {
	if h.copies == nil {
		h.copies = []copied{}
		for _, x := range h.pieces {
			for _, o := range x.found {
				h.copies = append(h.copies, copied{o.Span, x})
			}
		}
		slices.SortFunc(h.copies, func(a, b copied) int { return a.Start - b.Start })
	}
	i := sort.Search(len(h.copies), func(i int) bool { return h.copies[i].Start > at }) - 1
	if i >= 0 && at < h.copies[i].End {
		return h.copies[i].of
	}
	return nil
}

// A copied is where a copy of a piece stands as it is written.
type copied struct {
	markup.Span
	of *piece
}

const (
	misread   = 4   // start tags that a scan of the page may list more than a piece by itself has
	fewAround = 100 // start tags that are compared on a page, however few it has
)

// hasWords reports whether the page has all words of a piece once more than in the copies that
// were found, without which no other copy can be there, however it is folded.
func (h *holder) hasWords(x *piece) bool {
	words := h.Gate.Once("words\x00"+x.text, func() any { return words(x.text) }).([]string)
	for _, w := range words {
		if bytes.Count(h.r.Source.Text, []byte(w)) < (len(x.found)+1)*strings.Count(x.text, w) {
			return false
		}
	}
	return true
}

// more reports whether the page has the word by which a piece is known more often than in
// its copies, or the piece has no such word.
func (x *piece) more() bool {
	return x.anchor == "" || len(x.anchors) > len(x.found)*strings.Count(x.text, x.anchor)
}

// foldRegions looks for a piece in the marked regions of its item.
func (h *holder) foldRegions(x *piece) {
	if x.item < 0 {
		return
	}
	name := h.Gate.File.Items[x.item].Name
	var spans []markup.Span
	for _, r := range h.regions {
		if r.Name != name {
			continue
		}
		f := folder{h.r.Source.Decode, h.folds}.fold(h.r.Source.Text[r.Content.Start:r.Content.End])
		for _, s := range newHaystack(f).find(h.foldedPiece(x)) {
			spans = append(spans, markup.Span{Start: s.Start + r.Content.Start, End: s.End + r.Content.Start})
		}
	}
	h.note(x, spans)
}

// note adds copies of a piece that were not found yet.
func (h *holder) note(x *piece, spans []markup.Span) {
	known := x.found
	for _, s := range spans {
		i := sort.Search(len(known), func(i int) bool { return known[i].End > s.Start })
		if (i == len(known) || known[i].Start >= s.End) && h.real(s) {
			x.found = append(x.found, h.copyOf(x.item, s, true))
		}
	}
	slices.SortFunc(x.found, func(a, b Occurrence) int { return a.Start - b.Start })
}

// ownRegion reports whether the page has a marked region of an item.
func (h *holder) ownRegion(item int) bool {
	return item >= 0 &&
		slices.ContainsFunc(h.regions, func(r markup.Region) bool { return r.Name == h.Gate.File.Items[item].Name })
}

func (h *holder) haystack() *haystack {
	if h.hay == nil {
		h.hay = newHaystack(folder{h.r.Source.Decode, h.folds}.fold(h.r.Source.Text))
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
func (h *holder) expectation() (*markup.Source, *markup.Document) {
	if h.expected == nil {
		h.expected = markup.ReadAs(h.Result.File, h.Result.Page.Answer.Charset())
		h.expectedScan = markup.Scan(h.expected.Text, nil)
	}
	return h.expected, h.expectedScan
}

// expectedHaystack is what the gate writes, folded.
func (h *holder) expectedHaystack() *haystack {
	if h.expectedHay == nil {
		src, _ := h.expectation()
		h.expectedHay = newHaystack(folder{src.Decode, h.folds}.fold(src.Text))
	}
	return h.expectedHay
}

// grown tells for anchors whether the page has them more often than what the gate writes.
func (h *holder) grown(anchors []string) []bool {
	var here, there textsearch.Search
	for _, a := range anchors {
		here.Add([]byte(a))
		there.Add([]byte(a))
	}
	src, _ := h.expectation()
	more := make([]bool, len(anchors))
	was := there.Run(src.Text)
	for i, at := range here.Run(h.r.Source.Text) {
		more[i] = len(at) > len(was[i])
	}
	return more
}
