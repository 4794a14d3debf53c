package pagechange

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"github.com/zeebo/xxh3"
	"golang.org/x/net/html"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

// Reading a page into pieces that can be compared.

type pieceKind uint8

const (
	inTag   pieceKind = iota // a start tag
	inWords                  // with white space folded, but in scripts and stylesheets
	inItem                   // a marked region, or an element that belongs to an item
	inEnd                    // an end tag, comment or doctype
)

// A piece is one of those that a page consists of.
type piece struct {
	kind  pieceKind
	key   string // the same for pieces that say the same
	shape string // the same for pieces of which one may have become the other
	start int    // in the page's text
	depth int    // elements that it is in, within its region
	name  string // of the tag, of the item, or of the element that a text is in
	text  string // as it is written; of a region, what is in it
	attrs []html.Attribute
	inner []piece // of a region
	after string  // of a region: what stands before it
	spot  bool    // that is a spot
}

// A reading is a page as it is compared.
type reading struct {
	src    *markup.Source
	scan   *markup.Document
	lines  *markup.Lines // for positions; see at
	units  []Owned       // what belongs to items or to nobody, in order; none is in another
	tokens []token
	keys   []string // of metadata, in order
	values map[string][]string
}

// A token is a tag, a text, a comment, an element whose content is no markup, or a unit, as it stands in the page:
// most of a page is the same on both sides, and is not looked at any closer.
type token struct {
	start, end int
	hash       uint64
	closes     bool // an end tag
	run        bool // several tokens that both sides have, which nobody looked at
}

func read(side Side) *reading {
	src := markup.ReadAs(side.File, side.Charset)
	scan := markup.Scan(src.Text, nil)
	r := &reading{src: src, scan: scan, values: map[string][]string{}}
	units := r.metadata(scan)
	for _, m := range scan.Regions() {
		units = append(units, Owned{Span: m.Span, Item: m.Name})
	}
	for _, m := range markup.SpotsOf(src, scan) {
		units = append(units, Owned{Span: m.Span, Item: m.Name, spot: true})
	}
	units = append(units, inText(src, side.Owned)...)
	slices.SortStableFunc(units, func(a, b Owned) int { return cmp.Or(a.Start-b.Start, b.End-a.End) })
	last := 0
	for _, u := range units {
		if u.Start >= last {
			r.units = append(r.units, u)
			last = u.End
		}
	}
	return r
}

// tokenise lists the tokens of a range of the page, which begins where one does, and some more, without white space
// and what is of nobody. It returns where it ended, which is the end of a token.
func (r *reading) tokenise(from, upto, more int) int {
	z := html.NewTokenizer(bytes.NewReader(r.src.Text[from:]))
	first, _ := slices.BinarySearchFunc(r.units, from, func(u Owned, at int) int { return u.Start - at })
	units := r.units[first:]
	at, skip, whole := from, -1, ""
	put := func(start, end int, closes bool) {
		r.tokens = append(r.tokens,
			token{start: start, end: end, hash: xxh3.Hash(r.src.Text[start:end]), closes: closes})
	}
	for {
		if at >= max(upto, skip) && whole == "" {
			if more--; more < 0 {
				return at
			}
		}
		kind := z.Next()
		start := at
		at = min(at+len(z.Raw()), len(r.src.Text))
		for len(units) > 0 && units[0].Start <= start {
			u := units[0]
			units = units[1:]
			if skip = u.End; u.Item != "" {
				put(u.Start, u.End, false)
			}
		}
		switch {
		case start < skip || at == start:
		case whole != "" && kind != html.StartTagToken: // the text and the end tag of an element without markup
			r.tokens[len(r.tokens)-1].end = at
			t := &r.tokens[len(r.tokens)-1]
			t.hash = xxh3.Hash(r.src.Text[t.start:at])
		case kind == html.TextToken && len(bytes.TrimSpace(r.src.Text[start:at])) == 0:
		default:
			put(start, at, kind == html.EndTagToken)
		}
		switch kind {
		case html.ErrorToken:
			return at
		case html.StartTagToken:
			name, _ := z.TagName()
			if whole = ""; start >= skip && noMarkup[string(name)] {
				whole = string(name)
			}
		case html.EndTagToken:
			whole = ""
		}
	}
}

// noMarkup are the elements whose content is no markup (HTML, 13.2.5).
var noMarkup = map[string]bool{
	"script": true, "style": true, "title": true, "textarea": true, "iframe": true, "noembed": true, "noframes": true,
	"noscript": true, "plaintext": true, "xmp": true,
}

// pieces reads some of the tokens closer.
func (r *reading) pieces(from, to int) []piece {
	if from == to {
		return nil
	}
	start, end := r.tokens[from].start, r.tokens[to-1].end
	i, _ := slices.BinarySearchFunc(r.units, start, func(u Owned, at int) int { return u.Start - at })
	j, _ := slices.BinarySearchFunc(r.units, end, func(u Owned, at int) int { return u.Start - at })
	var before []piece
	if from > 0 {
		t := r.tokens[from-1]
		if t.run { // its last line is enough
			t.start = max(t.start, 1+bytes.LastIndexByte(bytes.TrimRight(r.src.Text[:t.end], " \t\r\n"), '\n'))
		}
		before = r.read(t.start, t.end, nil, "", nil)
	}
	return r.read(start, end, r.units[i:j], r.parent(from), before)
}

// parent is the element in which a token stands, as far as it is near.
func (r *reading) parent(n int) string {
	closed := 0
	for i := n - 1; i >= max(0, n-500); i-- {
		t := &r.tokens[i]
		if t.run {
			return ""
		}
		if t.closes {
			closed++
			continue
		}
		name := tagName(r.src.Text[t.start:t.end])
		if name == "" || void[name] || noMarkup[name] {
			continue
		}
		if closed--; closed < 0 {
			return name
		}
	}
	return ""
}

// tagName is the name in a start tag; "" for anything else.
func tagName(raw []byte) string {
	if len(raw) < 2 || raw[0] != '<' || raw[1] == '!' || raw[1] == '/' {
		return ""
	}
	n := bytes.IndexAny(raw[1:], " \t\r\n\f/>")
	if n < 0 {
		return ""
	}
	return strings.ToLower(string(raw[1 : n+1]))
}

// inText is what is owned, in spans of the text.
func inText(src *markup.Source, owned []Owned) []Owned {
	out, spans := slices.Clone(owned), make([]markup.Span, len(owned))
	for i := range owned {
		spans[i] = owned[i].Span
	}
	for i, span := range src.TextSpans(spans) {
		out[i].Span = span
	}
	return out
}

// unit is what belongs to an item.
func (r *reading) unit(u Owned, after string) piece {
	p := piece{kind: inItem, start: u.Start, name: u.Item, after: after, spot: u.spot}
	p.inner = r.read(u.Start, u.End, nil, "", nil)
	p.text = strings.TrimSpace(r.src.String(u.Start, u.End))
	if text, marked := strings.CutPrefix(p.text, markup.OpenMark(u.Item)); marked {
		p.text = strings.TrimSpace(strings.TrimSuffix(text, markup.CloseMark(u.Item)))
	}
	if p.key = "item " + u.Item; u.spot {
		p.key += " spot"
	} else if len(p.inner) > 0 {
		p.key += " " + p.inner[0].shape
	}
	if p.shape = p.key; len(p.inner) > 0 {
		p.start = p.inner[0].start
	}
	return p
}

// behind is the place behind some pieces, in words.
func behind(list []piece) string {
	if len(list) == 0 {
		return "at the start"
	}
	switch p := &list[len(list)-1]; p.kind {
	case inTag:
		if void[p.name] || isCode(p.name) {
			return "after " + p.label()
		}
		return "in " + p.label()
	case inEnd:
		return "after " + p.name
	case inItem:
		return "after item " + p.name
	default:
		return "after the text " + short(p.text)
	}
}

// short is the beginning of a text.
func short(text string) string {
	if r := []rune(text); len(r) > 30 {
		return `"` + string(r[:29]) + `…"`
	}
	return `"` + text + `"`
}

// metadata takes the metadata of a page, and says where it stands.
func (r *reading) metadata(scan *markup.Document) (spans []Owned) {
	put := func(key, value string) {
		if r.values[key] == nil {
			r.keys = append(r.keys, key)
		}
		r.values[key] = append(r.values[key], value)
	}
	if !scan.HTMLTag.None() {
		if lang, ok := r.src.Attr(scan.HTMLTag.Start, "lang"); ok {
			put("lang", lang)
		}
	}
	for i := range scan.Elements {
		el := &scan.Elements[i]
		key, value := r.describes(el)
		if key == "" || el.Inside != markup.InPage {
			continue
		}
		value += r.besides(el)
		if el.Area == markup.Body {
			value += " (in the body)"
		}
		put(key, value)
		spans = append(spans, Owned{Span: markup.Span{Start: el.Start, End: el.End}})
	}
	return spans
}

// besides are the attributes of an element of metadata that neither name it nor give its value.
func (r *reading) besides(el *markup.Element) (out string) {
	known := []string{"media", "sizes", "hreflang"}
	switch has := func(name string) bool { v, _ := r.src.Attr(el.Start, name); return strings.TrimSpace(v) != "" }; {
	case el.Tag == markup.TagLink:
		known = append(known, "rel", "href")
	case has("charset"):
		known = append(known, "charset")
	case has("property"):
		known = append(known, "property", "content")
	case has("http-equiv"):
		known = append(known, "http-equiv", "content")
	default:
		known = append(known, "name", "content")
	}
	markup.Attrs(r.src.Text, el.Start, func(a markup.Attr) bool {
		if name := strings.ToLower(string(r.src.Text[a.Name.Start:a.Name.End])); !slices.Contains(known, name) {
			out += fmt.Sprintf(" [%s=%q]", name, r.src.AttrText(a))
		}
		return true
	})
	return out
}

// describes is the key of an element of metadata, and its value; "" for any other.
func (r *reading) describes(el *markup.Element) (key, value string) {
	attr := func(name string) string { v, _ := r.src.Attr(el.Start, name); return strings.TrimSpace(v) }
	switch el.Tag {
	case markup.TagTitle:
		return "title", markup.CollapseSpace(markup.DecodeText([]byte(r.src.String(el.TagEnd, el.ContentEnd))))
	case markup.TagMeta:
		name, property := attr("name"), attr("property")
		switch {
		case attr("charset") != "":
			return "charset", attr("charset")
		case property == "" && attr("http-equiv") != "":
			key = "http-equiv." + strings.ToLower(attr("http-equiv"))
		default:
			if key = gatefile.MetaName(name, property); key == "" {
				return "", ""
			}
		}
		value = attr("content")
	case markup.TagLink:
		rel := strings.ToLower(attr("rel"))
		switch rel {
		case "canonical", "icon":
			key = rel
		case "alternate",
			"author",
			"license",
			"next",
			"prev",
			"search",
			"help",
			"me",
			"apple-touch-icon",
			"shortcut icon",
			"mask-icon",
			"manifest":
			key = "link." + rel
		default:
			return "", ""
		}
		value = attr("href")
	default:
		return "", ""
	}
	return key + gatefile.VariantOf(attr), value
}

// read reads a range of the page, in an element and behind some pieces. Of the units, those of no item are passed over.
func (r *reading) read(from, to int, units []Owned, in string, before []piece) (out []piece) {
	z := html.NewTokenizer(bytes.NewReader(r.src.Text[from:to]))
	at, skip := from, -1
	var open []string
	if in != "" {
		open = append(open, in)
	}
	for {
		kind := z.Next()
		start := at
		raw := r.src.String(start, min(start+len(z.Raw()), to))
		if at += len(z.Raw()); kind == html.ErrorToken && raw == "" {
			return out
		}
		for len(units) > 0 && units[0].Start <= start {
			if u := units[0]; u.Start >= skip {
				skip = u.End
				if u.Item != "" {
					if len(out) > 0 {
						before = out
					}
					if p := r.unit(u, behind(before)); len(p.inner) > 0 {
						out = append(out, p)
					}
				}
			}
			units = units[1:]
		}
		if start >= skip {
			out = r.add(out, z, kind, raw, start, &open)
		}
		if kind == html.ErrorToken {
			return out
		}
	}
}

// add adds what a token comes to: nothing for white space and marks. A script is one piece with its text.
func (r *reading) add(out []piece, z *html.Tokenizer, kind html.TokenType, raw string, start int,
	open *[]string) []piece {
	p := piece{kind: inEnd, start: start, text: raw, depth: len(*open)}
	switch kind {
	case html.StartTagToken, html.SelfClosingTagToken:
		token := z.Token()
		p.kind, p.name = inTag, token.Data
		for _, a := range token.Attr {
			a.Val = r.src.Decode(a.Val)
			if token.Data == "html" && a.Key == "lang" {
				continue // it is metadata
			}
			p.attrs = append(p.attrs, a)
		}
		p.shape, p.key = "<"+p.name, "<"+p.name+" "+attributesKey(p.attrs)
		if v := valuesOf(p.attrs); p.name == "script" || p.name == "link" {
			p.shape += " " + v["src"] + v["href"]
		}
		if isCode(p.name) {
			p.text = ""
		}
		if !void[p.name] {
			*open = append(*open, p.name)
		}
	case html.EndTagToken:
		name, _ := z.TagName()
		p.name = "</" + string(name) + ">"
		p.key, p.shape = p.name, p.name
		if k := lastIndex(*open, string(name)); k >= 0 {
			*open = (*open)[:k]
		}
		if p.depth = len(*open); isCode(string(name)) && len(out) > 0 && out[len(out)-1].name == string(name) {
			return out
		}
	case html.TextToken:
		inside := ""
		if n := len(*open); n > 0 {
			inside = (*open)[n-1]
		}
		if isCode(inside) && len(out) > 0 && out[len(out)-1].name == inside {
			code := &out[len(out)-1]
			code.text = strings.TrimSpace(raw)
			code.key += "\x00" + code.text
			return out
		}
		if p.text = markup.CollapseSpace(markup.DecodeText([]byte(raw))); p.text == "" {
			return out
		}
		if inside == "pre" || inside == "textarea" { // where white space is seen
			p.text = markup.DecodeText([]byte(raw))
		}
		p.kind, p.name, p.key, p.shape = inWords, inside, "text "+p.text, "text"
	case html.CommentToken:
		if _, isMark := markup.MarkName([]byte(raw)); isMark || strings.HasPrefix(raw, "<!--/yg:") {
			return out
		}
		p.name, p.key, p.shape = "a comment", raw, "comment"
	default:
		p.name, p.key, p.shape = "markup", raw, raw
	}
	return append(out, p)
}

// isCode reports whether an element has a text that is no markup.
func isCode(tag string) bool { return tag == "script" || tag == "style" }

func lastIndex(list []string, s string) int {
	for i := len(list) - 1; i >= 0; i-- {
		if list[i] == s {
			return i
		}
	}
	return -1
}

// attributesKey is the same for attributes that say the same.
func attributesKey(list []html.Attribute) string {
	v := valuesOf(list)
	names := make([]string, 0, len(v))
	for name := range v {
		names = append(names, name)
	}
	sort.Strings(names)
	var b strings.Builder
	for _, name := range names {
		b.WriteString(name + "=" + v[name] + "\x00")
	}
	return b.String()
}

// void are the elements that have no end tag (HTML, 13.1.2).
var void = map[string]bool{
	"area": true, "base": true, "br": true, "col": true, "embed": true, "hr": true, "img": true, "input": true,
	"link": true, "meta": true, "source": true, "track": true, "wbr": true,
}
