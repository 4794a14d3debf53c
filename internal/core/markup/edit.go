package markup

import (
	"bytes"
	"fmt"
	"slices"
	"sort"
	"strings"
)

// An Edit replaces the bytes [Start, End) of a page's text by New. With Start
// equal to End it is an insertion. Several insertions at one offset come out in
// the order given.
type Edit struct {
	Start, End int
	New        string
}

// An OverlapError says that two edits touch the same bytes.
type OverlapError struct{ A, B Edit }

func (e *OverlapError) Error() string {
	return fmt.Sprintf("two changes meet at bytes %d to %d and %d to %d of the page", e.A.Start, e.A.End, e.B.Start,
		e.B.End)
}

// inOrder are the edits in the order of their places, insertions before what is replaced at the same one.
func inOrder(edits []Edit) []Edit {
	sorted := slices.Clone(edits)
	sort.SliceStable(sorted, func(i, j int) bool {
		a, b := sorted[i], sorted[j]
		if a.Start != b.Start {
			return a.Start < b.Start
		}
		return a.Start == a.End && b.Start != b.End
	})
	return sorted
}

// Apply applies edits, given as ranges of src.Text in any order, to the file in
// one copy. It returns the new file and the inverse: edits of the new file's
// bytes that give the old file back. Without edits the file itself is returned.
// An insertion may touch a replacement at either end, not stand within it.
func (s *Source) Apply(edits []Edit) (file []byte, inverse []Edit, err error) {
	if len(edits) == 0 {
		return s.File, nil, nil
	}
	sorted := inOrder(edits)
	grown := 0
	ends := make([]int, 0, 2*len(sorted))
	for i, e := range sorted {
		if e.Start < 0 || e.End < e.Start || e.End > len(s.Text) {
			return nil, nil, fmt.Errorf("a change at bytes %d to %d lies outside the page of %d", e.Start, e.End,
				len(s.Text))
		}
		if i > 0 && e.Start < sorted[i-1].End {
			return nil, nil, &OverlapError{sorted[i-1], e}
		}
		grown += len(e.New)
		ends = append(ends, e.Start, e.End)
	}
	ends = s.FileOffsets(ends)
	out := make([]byte, 0, len(s.File)+grown*2)
	inverse = make([]Edit, 0, len(sorted))
	last := 0
	for i, e := range sorted {
		from, to := ends[2*i], ends[2*i+1]
		out = append(out, s.File[last:from]...)
		at := len(out)
		out = append(out, s.Encode(e.New)...)
		inverse = append(inverse, Edit{at, len(out), string(s.File[from:to])})
		last = to
	}
	return append(out, s.File[last:]...), inverse, nil
}

// Undo applies inverse edits, as Apply returns them, to the bytes of a file.
func Undo(file []byte, inverse []Edit) []byte {
	var out []byte
	last := 0
	for _, e := range inverse {
		out = append(out, file[last:e.Start]...)
		out = append(out, e.New...)
		last = e.End
	}
	return append(out, file[last:]...)
}

// EditText applies edits to a piece of a text that begins at an offset of it.
func EditText(piece string, offset int, edits []Edit) string {
	var b strings.Builder
	last := 0
	for _, e := range inOrder(edits) {
		b.WriteString(piece[last : e.Start-offset])
		b.WriteString(e.New)
		last = e.End - offset
	}
	b.WriteString(piece[last:])
	return b.String()
}

// HTMLBegin is where an html tag goes that the page leaves out: before its first
// tag that is no doctype, else before its text.
func (p *Document) HTMLBegin() int {
	s := scanner{src: p.Src, page: &Document{}, unclosed: -1, messy: -1}
	if bytes.HasPrefix(p.Src, byteOrderMark) {
		s.pos = len(byteOrderMark)
	}
	for {
		t := s.next()
		blank := t.kind == textRun && len(bytes.TrimSpace(p.Src[t.start:t.end])) == 0
		if t.kind != comment && t.kind != doctype && !blank {
			return t.start
		}
	}
}

// A Region is what stands between a mark and its closing mark, both included.
type Region struct {
	Span
	Name string
	// Content is what the pair encloses.
	Content Span
}

// Regions returns the outermost marked regions of a page, in order. A mark
// without its partner is no region.
func (p *Document) Regions() []Region {
	var out []Region
	closing := map[string][]int{} // the numbers of closing marks, by text
	for i, m := range p.Marks {
		if text := p.Src[m.Start:m.End]; bytes.HasPrefix(text, closePrefix) {
			closing[string(text)] = append(closing[string(text)], i)
		}
	}
	for i := 0; i < len(p.Marks); i++ {
		open := p.Marks[i]
		name, ok := MarkName(p.Src[open.Start:open.End])
		if !ok {
			continue
		}
		list := closing[CloseMark(name)]
		if n := sort.SearchInts(list, i); n < len(list) {
			c := p.Marks[list[n]]
			out = append(out, Region{Span{open.Start, c.End}, name, Span{open.End, c.Start}})
			i = list[n]
		}
	}
	return out
}

// OpenMark and CloseMark are the comments around what an item inserted.
func OpenMark(name string) string  { return "<!--yg:" + name + "-->" }
func CloseMark(name string) string { return "<!--/yg:" + name + "-->" }

// MarkName returns the name in an opening mark.
func MarkName(comment []byte) (string, bool) {
	if !bytes.HasPrefix(comment, markPrefix) || !bytes.HasSuffix(comment, arrowEnd) {
		return "", false
	}
	name := comment[len(markPrefix) : len(comment)-len(arrowEnd)]
	for _, c := range name {
		if class[c]&isNameByte == 0 {
			return "", false
		}
	}
	return string(name), len(name) > 0
}

// ReloadMark is the mark of what a preview adds to a page for loading it again. No item can have it,
// and no inventory counts what stands in it.
const ReloadMark = "serve-reload"

// Unmark takes the marked regions out of a file, so that an output can serve as
// a source. Without any, the file itself is returned. p is a scan of src.Text.
func Unmark(src *Source, p *Document) []byte {
	var cuts []Edit
	for _, r := range p.Regions() {
		cuts = append(cuts, Edit{r.Start, r.End, ""})
	}
	out, _, err := src.Apply(cuts)
	if err != nil {
		return src.File // regions never overlap
	}
	return out
}

// SetAttr is the edit that gives the start tag [start, tagEnd) an attribute, or
// another value for one. The quotes stay as they are where there are any.
func SetAttr(src []byte, start, tagEnd int, name, value string, ascii bool) Edit {
	quoted := func(q byte) string {
		v := strings.ReplaceAll(value, "&", "&amp;")
		if q == '\'' {
			v = strings.ReplaceAll(v, "'", "&#39;")
		} else {
			v = strings.ReplaceAll(v, `"`, "&#34;")
		}
		return Fit(v, "\n", ascii)
	}
	a, ok := FindAttr(src, start, name)
	switch {
	case ok && a.Quote != 0:
		return Edit{a.Value.Start, a.Value.End, quoted(a.Quote)}
	case ok && !a.Value.None():
		return Edit{a.Value.Start, a.Value.End, `"` + quoted('"') + `"`}
	case ok:
		return Edit{a.Name.End, a.Name.End, `="` + quoted('"') + `"`}
	}
	_, at := readName(src, start+1)
	return Edit{at, at, " " + name + `="` + quoted('"') + `"`}
}

// RemoveAttr is the edit that takes an attribute out of the start tag at the
// offset; ok is false where it has none.
func RemoveAttr(src []byte, start int, name string) (e Edit, ok bool) {
	a, ok := FindAttr(src, start, name)
	if !ok {
		return e, false
	}
	from, to := a.Name.Start, a.Name.End
	if !a.Value.None() {
		to = a.Value.End
		if a.Quote != 0 {
			to++
		}
	}
	for from > start && isSpace(src[from-1]) {
		from--
	}
	return Edit{Start: from, End: to}, true
}

// A TagChange is what is to become of one start tag.
type TagChange struct {
	Set     []NewAttr
	Remove  []string
	Classes []string // class names that it shall have besides its own
}

// A NewAttr is an attribute with its value, or a bare one.
type NewAttr struct {
	Name, Value string
	Bare        bool
}

// Edits are the edits that change the start tag [start, tagEnd), in order.
func (c *TagChange) Edits(src *Source, start, tagEnd int) (out []Edit) {
	ascii := !src.UTF8()
	for _, name := range c.Remove {
		if e, ok := RemoveAttr(src.Text, start, name); ok {
			out = append(out, e)
		}
	}
	set := c.Set
	if len(c.Classes) > 0 {
		have, _ := src.Attr(start, "class")
		tokens := strings.Fields(have)
		all := strings.TrimSpace(have)
		for _, name := range c.Classes {
			if !slices.Contains(tokens, name) {
				tokens = append(tokens, name)
				all = strings.TrimLeft(all+" "+name, " ")
			}
		}
		if len(tokens) > len(strings.Fields(have)) {
			set = append(slices.Clone(set), NewAttr{Name: "class", Value: all})
		}
	}
	for _, a := range set {
		have, ok := FindAttr(src.Text, start, a.Name)
		switch {
		case ok && (a.Bare || src.AttrText(have) == a.Value):
		case a.Bare:
			_, at := readName(src.Text, start+1)
			out = append(out, Edit{at, at, " " + a.Name})
		default:
			out = append(out, SetAttr(src.Text, start, tagEnd, a.Name, a.Value, ascii))
		}
	}
	return out
}

// Tag writes a start tag that the source leaves out, with the changes.
func (c *TagChange) Tag(name string) string {
	src := Read([]byte("<" + name + ">"))
	out, _, err := src.Apply(c.Edits(src, 0, len(src.Text)))
	if err != nil {
		return "<" + name + ">"
	}
	return string(out)
}

// TagEnd is where the start tag at the offset ends.
func TagEnd(src []byte, at int) int {
	_, nameEnd := readName(src, at+1)
	end, _ := tagEnd(src, nameEnd)
	return end
}

// TakesChildren reports whether an element can be put into the one whose start
// tag stands at the offset: it is not void, and its content is not text.
func (p *Document) TakesChildren(at int) bool {
	tag, end := readName(p.Src, at+1)
	return !tag.rawText() && tag != TagPlaintext && !voidElement(p.Src[at+1:end])
}

// BelongsToHead reports whether a piece of HTML begins with something that
// would stay in the head where no body tag opens the body.
func BelongsToHead(code []byte) bool {
	f := ScanFragment(code)
	return f.EndsHead < 0 || len(f.Page.Elements) > 0 && f.Page.Elements[0].Start < f.EndsHead
}

// RegionNames lists the names of the marked regions of a page, in order.
func (p *Document) RegionNames() (names []string) {
	for _, r := range p.Regions() {
		names = append(names, r.Name)
	}
	return names
}
