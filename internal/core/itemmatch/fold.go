package itemmatch

import (
	"bytes"
	"slices"
	"strings"
	"unicode"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/snippet"
)

// Folding: what a tidy-up tool, a template or a browser changes in the writing of a
// piece of HTML and leaves in its meaning is taken away before two pieces are compared:
// the order and quoting of attributes, character references, white space, optional end
// tags, comments, quotes and white space in scripts and styles. Other end tags count.

// A token is a start tag or a text of a piece of HTML, folded.
type token struct {
	text       string
	start, end int // in the bytes that it was read from
	kind       tokenKind
}

type tokenKind uint8

const (
	tagToken tokenKind = iota
	textToken
	codeToken // the text of a script or style
)

// A folded piece of HTML.
type folded []token

// fold reads a piece of HTML. decode turns its bytes into text.
func fold(src []byte, decode func(string) string) (out folded) {
	return folder{decode: decode}.fold(src)
}

// A folder folds pieces and keeps the tags that it has met: most come again.
type folder struct {
	decode func(string) string
	tags   map[string]string // by start tag as written, where it is kept
}

func (f folder) fold(src []byte) (out folded) {
	out = make(folded, 0, len(src)/40+4)
	f.each(src, func(t token) bool {
		out = append(out, t)
		return true
	})
	return out
}

// begins is where a piece ends that a text begins with; 0 where it begins with another.
func (f folder) begins(src []byte, needle folded) (end int) {
	i := 0
	f.each(src, func(t token) bool {
		if t.kind != needle[i].kind || !fits(needle[i].text, t.text) {
			return false
		}
		if i++; i == len(needle) {
			end = t.end
		}
		return i < len(needle)
	})
	return end
}

// each calls yield for each token of a text, folded, until it returns false.
func (f folder) each(src []byte, yield func(token) bool) {
	decode := f.decode
	foreign := 0 // svg and math that are open: there tags may close themselves
	markup.Pieces(src, func(p markup.Piece) bool {
		t := token{start: p.Start, end: p.End}
		switch p.Kind {
		case markup.PieceStartTag:
			t.text = f.tag(src, p)
			if (strings.HasPrefix(t.text, "svg ") || strings.HasPrefix(t.text, "math ")) && src[p.End-2] != '/' {
				foreign++
			}
		case markup.PieceEndTag:
			name := f.endTag(src[p.Start:p.End])
			if name == "svg" || name == "math" {
				foreign = max(foreign-1, 0)
			}
			if foreign > 0 || leftOut[name] {
				return true
			}
			t.text = "/" + name
		case markup.PieceText:
			t.kind, t.text = textToken, foldText(src[p.Start:p.End], decode)
		case markup.PieceScript, markup.PieceStyle, markup.PieceRaw:
			t.kind, t.text = codeToken, foldCode(decode(string(src[p.Start:p.End])))
		default:
			return true
		}
		return t.text == "" || yield(t)
	})
}

// tag is foldTag, for a tag that was met before without reading it again.
func (f folder) tag(src []byte, p markup.Piece) string {
	raw := src[p.Start:p.End]
	if folded, ok := f.tags[string(raw)]; ok {
		return folded
	}
	folded := foldTag(src, p.Start, f.decode)
	if f.tags != nil {
		f.tags[string(raw)] = folded
	}
	return folded
}

func (f folder) endTag(raw []byte) string {
	if name, ok := f.tags[string(raw)]; ok {
		return name
	}
	name := strings.ToLower(strings.Trim(string(raw), "</> \t\r\n"))
	if f.tags != nil {
		f.tags[string(raw)] = name
	}
	return name
}

// foldText is a text with references decoded and white space collapsed.
func foldText(raw []byte, decode func(string) string) string {
	raw = bytes.TrimSpace(raw)
	plain, space := true, false
	for _, c := range raw {
		if c >= 0x80 || c == '&' || c < ' ' || c == ' ' && space {
			plain = false
			break
		}
		space = c == ' '
	}
	if plain {
		return string(raw)
	}
	return markup.CollapseSpace(markup.DecodeText([]byte(decode(string(raw)))))
}

// leftOut are the elements whose end tags may be left out (HTML, 13.1.2.4), or end a text.
var leftOut = map[string]bool{
	"p": true, "li": true, "dt": true, "dd": true, "rt": true, "rp": true, "optgroup": true, "option": true,
	"colgroup": true, "caption": true, "thead": true, "tbody": true, "tfoot": true, "tr": true, "td": true,
	"th": true, "html": true, "head": true, "body": true, "script": true, "style": true, "textarea": true,
	"title": true,
}

// foldTag writes a start tag with its attributes in order of their names.
func foldTag(src []byte, at int, decode func(string) string, without ...string) string {
	end := at + 1
	for end < len(src) && src[end] > ' ' && src[end] != '/' && src[end] != '>' {
		end++
	}
	name := strings.ToLower(string(src[at+1 : end]))
	var attrs, seen []string
	markup.Attrs(src, at, func(a markup.Attr) bool {
		key := strings.ToLower(string(src[a.Name.Start:a.Name.End]))
		value := markup.CollapseSpace(markup.DecodeAttr([]byte(decode(string(src[a.Value.Start:a.Value.End])))))
		switch {
		case slices.Contains(seen, key), slices.Contains(without, key): // the first counts
			return true
		case key == "style":
			value = strings.TrimSuffix(foldCode(value), ";")
		case strings.EqualFold(value, key): // defer="defer"
			value = ""
		case key == "type" && isDefaultType(name, value):
			return true
		case key == "nonce": // it is another in each answer
			value = ""
		}
		seen = append(seen, key)
		if value != "" {
			key += "=" + value
		}
		attrs = append(attrs, key)
		return true
	})
	slices.Sort(attrs)
	return name + " " + strings.Join(attrs, " ")
}

// isDefaultType reports whether a type attribute says what holds without it.
func isDefaultType(tag, value string) bool {
	switch strings.ToLower(value) {
	case "", "text/javascript", "application/javascript":
		return tag == "script"
	case "text/css":
		return tag == "style" || tag == "link"
	}
	return false
}

// foldCode takes white space and quotes out of a script or a style.
func foldCode(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) || r == '"' || r == '\'' || r == '`' {
			return -1
		}
		return r
	}, text)
}

// key is the piece as one text.
func (f folded) key() string {
	var b strings.Builder
	for _, t := range f {
		b.WriteString(t.text)
		b.WriteByte(0)
	}
	return b.String()
}

// A haystack is a folded page in which pieces are looked for.
type haystack struct {
	folded
	at   map[string][]int // by text: numbers of the tokens
	tags []int            // numbers of the tokens that are tags
	ord  []int            // by token: its number among the tags
}

func newHaystack(f folded) *haystack {
	h := &haystack{folded: f, at: make(map[string][]int, len(f)), ord: make([]int, len(f))}
	for i, t := range f {
		h.at[t.text] = append(h.at[t.text], i)
		h.ord[i] = len(h.tags)
		if t.kind == tagToken && t.text[0] != '/' {
			h.tags = append(h.tags, i)
		}
	}
	return h
}

// find returns where a piece stands, as spans of the page's bytes, without overlaps.
// Holes of the piece stand for any text.
func (h *haystack) find(needle folded) (out []markup.Span) {
	if len(needle) == 0 {
		return nil
	}
	pivot, longest := -1, -1
	for i, t := range needle {
		if !strings.Contains(t.text, snippet.Hole) && len(t.text) > longest {
			pivot, longest = i, len(t.text)
		}
	}
	candidates := []int(nil)
	if pivot >= 0 {
		candidates = h.at[needle[pivot].text]
	} else {
		pivot = 0
		candidates = make([]int, len(h.folded))
		for i := range candidates {
			candidates[i] = i
		}
	}
	next := 0
	for _, at := range candidates {
		from := at - pivot
		if from < next || from+len(needle) > len(h.folded) {
			continue
		}
		ok := true
		for i := range needle {
			t := h.folded[from+i]
			if t.kind != needle[i].kind || !fits(needle[i].text, t.text) {
				ok = false
				break
			}
		}
		if ok {
			next = from + len(needle)
			out = append(out, markup.Span{Start: h.folded[from].start, End: h.folded[next-1].end})
		}
	}
	return out
}

// findTags returns where the start tags of a piece stand one after the other, whatever
// texts are between them.
func (h *haystack) findTags(needle folded) (out []markup.Span) {
	var tags folded
	for _, t := range needle {
		if t.kind == tagToken && t.text[0] != '/' {
			tags = append(tags, t)
		}
	}
	if !tags.distinct() {
		return nil
	}
	next := 0
	for _, at := range h.at[tags[0].text] {
		from := h.ord[at]
		if from < next || from+len(tags) > len(h.tags) {
			continue
		}
		ok := true
		for i := range tags {
			if !fits(tags[i].text, h.folded[h.tags[from+i]].text) {
				ok = false
				break
			}
		}
		if ok {
			next = from + len(tags)
			last := h.tags[next-1] // with the texts that follow it
			for last+1 < len(h.folded) && h.folded[last+1].kind != tagToken {
				last++
			}
			out = append(out, markup.Span{Start: h.folded[at].start, End: h.folded[last].end})
		}
	}
	return out
}

// loading lists the scripts, styles and loading elements of a piece of HTML that is more
// than one of these, each a piece by itself.
func (f folded) loading() (out []folded) {
	for i, t := range f {
		name, attrs, _ := strings.Cut(t.text, " ")
		switch {
		case t.kind == codeToken && i > 0 && t.literal() >= mostVague && len(f) > 2:
			out = append(out, f[i-1:i+1])
		case t.kind == tagToken && len(f) > 1 && (strings.Contains(attrs, "src=") || name == "link") && folded{t}.distinct():
			out = append(out, folded{t})
		}
	}
	return out
}

func (t token) literal() int { return len(strings.ReplaceAll(t.text, snippet.Hole, "")) }

// distinct reports whether start tags tell one piece from others: one of them has an
// attribute that a name was made up for.
func (f folded) distinct() bool {
	if len(f) == 0 || strings.Contains(f[0].text, snippet.Hole) {
		return false
	}
	for _, t := range f {
		for _, a := range []string{" id=", " class=", " src=", " href=", " data-", " aria-label=", " alt=", " title=",
			" name="} {
			if strings.Contains(t.text, a) {
				return true
			}
		}
	}
	return false
}

// fits reports whether a text is one with holes.
func fits(pattern, text string) bool {
	first, rest, holed := strings.Cut(pattern, snippet.Hole)
	if !holed {
		return pattern == text
	}
	if !strings.HasPrefix(text, first) {
		return false
	}
	text = text[len(first):]
	for {
		piece, more, again := strings.Cut(rest, snippet.Hole)
		if !again {
			return strings.HasSuffix(text, piece)
		}
		i := strings.Index(text, piece)
		if i < 0 {
			return false
		}
		text, rest = text[i+len(piece):], more
	}
}

// literal is how many characters of a piece are no holes.
func (f folded) literal() int {
	n := 0
	for _, t := range f {
		n += t.literal()
	}
	return n
}

// anchor is the longest word of a piece that folding leaves as it is written, by which
// a page is ruled out before it is folded; "" where there is none that tells anything.
func anchor(text string) string {
	best, from := "", 0
	word := func(to int) {
		if to-from > len(best) {
			best = text[from:to]
		}
	}
	for i := 0; i < len(text); i++ {
		if isWord(text[i]) {
			continue
		}
		word(i)
		from = i + 1
	}
	word(len(text))
	if len(best) < 5 {
		return ""
	}
	return best
}

// words lists the words of a piece that folding leaves as they are written, wherever they stand:
// those of its texts and of the values of its attributes.
func words(text string) (out []string) {
	from := 0
	word := func(to int) {
		name := to < len(text) && text[to] == '=' || from > 0 && text[from-1] == '<' ||
			text[from] == '/' // of an attribute or a tag
		if to-from >= 3 && !name && len(out) < mostWords {
			out = append(out, text[from:to])
		}
	}
	for i := 0; i < len(text); i++ {
		if !isWord(text[i]) {
			word(i)
			from = i + 1
		}
	}
	if from < len(text) {
		word(len(text))
	}
	return out
}

// mostWords is how many words of a piece a page is looked through for.
const mostWords = 12

func isWord(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '_' || c == '.' ||
		c == '/'
}
