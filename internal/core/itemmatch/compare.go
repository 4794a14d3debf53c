package itemmatch

import (
	"bytes"
	"slices"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/snippet"
)

// Where a page is not byte for byte what the gate writes, its marked regions and its
// found elements are compared with those that the gate leaves there.

// compareRegions compares the marked regions of items that are in with those that the
// gate writes: what is too many, and what holds something else.
func (h *holder) compareRegions() {
	src, scan := h.expectation()
	type text struct{ name, key string } // of a region, folded
	want, left, others := map[text]int{}, map[string]int{}, []markup.Region{}
	for _, r := range scan.Regions() {
		want[text{r.Name, fold(src.Text[r.Content.Start:r.Content.End], src.Decode).key()}]++
		left[r.Name]++
	}
	extra := map[string][]markup.Region{}
	met := map[text]int{}
	for _, r := range h.regions {
		x := text{r.Name, fold(h.r.Source.Text[r.Content.Start:r.Content.End], h.r.Source.Decode).key()}
		met[x]++
		switch {
		case met[x] <= want[x]:
			left[r.Name]--
		case want[x] > 0: // a copy of one that is there
			extra[r.Name] = append(extra[r.Name], r)
		default:
			others = append(others, r)
		}
	}
	for _, r := range others { // that the gate does not write so
		if left[r.Name] > 0 {
			left[r.Name]--
			h.altered(r)
		} else {
			extra[r.Name] = append(extra[r.Name], r)
		}
	}
	for name, list := range extra {
		n := h.Number(name)
		if n < 0 || !h.Result.Verdicts[n].In {
			continue // where it is out, its marks are a leak
		}
		for _, r := range list {
			h.Items[n].ExtraMarks = append(h.Items[n].ExtraMarks, h.occurrence(r.Span, false))
		}
	}
}

// altered notes a region that holds something else than the gate writes.
func (h *holder) altered(r markup.Region) {
	o := h.occurrence(r.Content, false)
	if r.Name == snippet.RuntimeName {
		if h.Runtimes == 0 {
			h.RuntimeDiffers = &o
		}
		return
	}
	n := h.Number(r.Name)
	if n < 0 || !h.Result.Verdicts[n].In {
		return
	}
	p := &h.Items[n]
	for k := range p.Parts {
		pp := &p.Parts[k]
		if pp.Lacking > 0 || len(pp.Differs) > 0 || len(pp.Surplus) > 0 {
			return // that tells it
		}
	}
	p.Altered = append(p.Altered, o)
}

// compareFound compares the found elements that the gate leaves on the page, where they
// are or moved, with those that are there.
func (h *holder) compareFound() {
	left := slices.DeleteFunc(h.remaining(), h.untouched)
	if len(left) == 0 {
		return
	}
	expected := h.expectedHaystack()
	used := map[int]bool{} // start tags of the page that are accounted for
	var lacking []*foundKind
	for _, x := range h.kindsOf(left, expected) {
		for range h.comparePlaces(x, expected, used) {
			lacking = append(lacking, x)
		}
	}
	for _, x := range lacking {
		h.lackingFound(x.item, x.needle, x.text, used)
	}
}

// foundKind is what found elements of one item have in common that are written alike.
type foundKind struct {
	needle folded
	item   int
	areas  []string // of each of them, where it is expected
	text   string
}

// kindsOf gathers found elements that are written alike.
func (h *holder) kindsOf(left []pageedit.Written, expected *haystack) (kinds []*foundKind) {
	byKey := map[string]*foundKind{}
	for _, w := range left {
		text, needle := markup.Fit(w.Text, h.r.Scan.LineEnd(), false), h.needle(w.Text)
		if len(needle) == 0 {
			continue
		}
		if len(expected.find(needle)) == 0 { // what stands in it is edited, too
			needle = needle[:1]
		}
		key := h.Gate.File.Items[w.Item].Name + "\x00" + needle.key()
		x := byKey[key]
		if x == nil {
			x = &foundKind{needle: needle, item: w.Item, text: text}
			byKey[key] = x
			kinds = append(kinds, x)
		}
		x.areas = append(x.areas, w.Area.String())
	}
	return kinds
}

// comparePlaces compares where elements of a kind are with where they are expected, and returns how many are lacking.
func (h *holder) comparePlaces(x *foundKind, expected *haystack, used map[int]bool) (lacking int) {
	p := &h.Items[x.item]
	var at []Occurrence
	for _, s := range h.haystack().find(x.needle) {
		if h.realFound(s) {
			at = append(at, h.occurrence(s, true))
			used[s.Start] = true
		}
	}
	surplus := len(at) - max(len(x.areas), len(expected.find(x.needle)))
	p.Doubled = append(p.Doubled, at[len(at)-max(surplus, 0):]...)
	if surplus > 0 {
		return 0
	}
	areas := map[string]int{}
	for _, o := range at {
		areas[o.Area]++
	}
	for _, a := range x.areas {
		if areas[a]--; areas[a] >= 0 || len(at) < len(x.areas) {
			continue
		}
		if i := slices.IndexFunc(at, func(o Occurrence) bool { return o.Area != a }); i >= 0 {
			p.Displaced = append(p.Displaced, Displaced{at[i], a})
		}
	}
	return max(0, len(x.areas)-len(at))
}

// remaining are the found elements that the gate leaves on the page, where they are or moved.
func (h *holder) remaining() []pageedit.Written {
	left := h.Result.Stays()
	for _, w := range h.Result.Written {
		if w.Part == pageedit.FoundPart {
			left = append(left, w)
		}
	}
	return left
}

// needle is a text that the gate leaves on the page, to be looked for.
func (h *holder) needle(text string) folded {
	return fold([]byte(markup.Fit(text, h.r.Scan.LineEnd(), false)), h.r.Source.Decode)
}

// untouched reports whether a found element stands on the page once, as the gate leaves it.
func (h *holder) untouched(w pageedit.Written) bool {
	text := []byte(markup.Fit(w.Text, h.r.Scan.LineEnd(), false))
	src, _ := h.expectation()
	at := bytes.Index(h.r.Source.Text, text)
	if at < 0 || bytes.Count(src.Text, text) != 1 || bytes.Count(h.r.Source.Text, text) != 1 {
		return false
	}
	span := markup.Span{Start: at, End: at + len(text)}
	if a := anchor(w.Text); a == "" || bytes.Count(h.r.Source.Text, []byte(a)) != bytes.Count(src.Text, []byte(a)) {
		return false // a copy of it may stand there in another form
	}
	return h.realFound(span) && h.occurrence(span, true).Area == w.Area.String()
}

// lackingFound looks whether a found element that is not there as the gate leaves it is
// there in another form: another start tag that loads the same, or another element that
// the item is found by.
func (h *holder) lackingFound(item int, needle folded, text string, used map[int]bool) {
	p := &h.Items[item]
	name, _, _ := strings.Cut(needle[0].text, " ")
	for pass := range 2 {
		for _, n := range p.Found {
			if n < 0 {
				continue
			}
			e := &h.r.Elements[n]
			if used[e.El.Start] || e.Tag != name ||
				pass == 0 && (e.URL == "" || !strings.Contains(needle[0].text, e.URL)) ||
				pass == 1 && e.URL != "" {
				continue
			}
			used[e.El.Start] = true
			p.Changed = append(p.Changed, h.occurrence(markup.Span{Start: e.El.Start, End: e.El.End}, false))
			return
		}
	}
	end := markup.TagEnd([]byte(text), 0)
	if end == 0 {
		end = len(text)
	}
	p.Gone = append(p.Gone, MissingElement{Tag: name, Text: markup.CollapseSpace(text[:end])})
}
