// Package inventory lists what a page really outputs: every element that loads
// or describes something, in order, in the area where a browser would have it,
// with its weight and the item it belongs to. It does not ask what the gate
// wanted.
package inventory

import (
	"encoding/hex"
	"maps"
	"slices"
	"sort"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/weburl"
)

// Format is the version of the page record.
const Format = "yellowgate.page/1"

// A Record is the inventory of one page.
type Record struct {
	Format   string       `json:"format"`
	Path     string       `json:"path"`
	File     string       `json:"file"`
	Bytes    int          `json:"bytes"` // of the file
	Encoding string       `json:"encoding"`
	Title    string       `json:"title"`
	Digest   string       `json:"digest"` // of the file: XXH3, 128 bits, in hexadecimal
	Fragment bool         `json:"fragment,omitempty"`
	Frameset bool         `json:"frameset,omitempty"`
	Answer   *page.Answer `json:"answer,omitempty"` // what the server said of it, where a capture keeps that
	// Header is what the answer's head says in place of elements; see HeaderArea.
	Header   []Element `json:"header,omitempty"`
	Elements []Element `json:"elements"`
	// Media are the pictures, films, sounds and embedded objects, in document order.
	Media []Element `json:"media,omitempty"`
	// Again are scripts that inline code loads though other code of the page has loaded them.
	Again []Import `json:"-"`
	// Extras are elements of items that load and describe nothing, such as a container:
	// they are compared, and no part of the inventory.
	Extras []Element        `json:"-"`
	Source *markup.Source   `json:"-"`
	Scan   *markup.Document `json:"-"`
	Page   page.Page        `json:"-"`
	Base   weburl.Base      `json:"-"`

	bases    weburl.Bases
	imported map[string]bool // targets that are listed already
}

// An Element is one element of a page that loads or describes something.
type Element struct {
	Tag    string `json:"tag"`
	Area   string `json:"area"`   // head or body; header for what the server sent before the page
	Inside string `json:"inside"` // "", svg, math, template, noscript
	Offset int    `json:"offset"` // byte offset of its "<" in the file
	Length int    `json:"length"` // bytes up to the end of its end tag
	Line   int    `json:"line"`
	Column int    `json:"column"`
	URL    string `json:"url"`              // as written
	Target string `json:"target"`           // resolved: the path within the site, or an absolute URL
	Party  string `json:"party"`            // own, third, inline
	Runs   string `json:"runs"`             // blocking, defer, async, module; "" for what neither runs nor blocks
	Bytes  int    `json:"bytes"`            // of the file it loads, or of its text
	Gzip   int    `json:"gzip"`             // the same, compressed
	Digest string `json:"digest,omitempty"` // of an inline text, as that of the page
	Dead   bool   `json:"dead,omitempty"`   // it loads a file of the site, which has none such
	Item   string `json:"item"`             // the item it belongs to, or ""

	// What a meta, link or style says, as its attributes have it.
	Name     string `json:"name,omitempty"`
	Property string `json:"property,omitempty"`
	Rel      string `json:"rel,omitempty"`
	Media    string `json:"media,omitempty"`
	Content  string `json:"content,omitempty"`

	Imports []Import `json:"imports,omitempty"` // what its file or text imports
	Brings  []Import `json:"loads,omitempty"`   // what its code loads as it runs, or a picture besides its URL
	Pixel   bool     `json:"pixel,omitempty"`   // a picture that nobody sees
	// Files are what a stylesheet names with url(): a page with a rule that matches gets them.
	Files []Import `json:"-"`

	El    markup.Element `json:"-"` // the same in the scan, offsets in the scanned text
	Label string         `json:"-"` // what it says: a title's text, a meta's name and content
	Ref   weburl.Ref     `json:"-"`
	Loads bool           `json:"-"` // a browser fetches its URL

	Extra bool `json:"-"` // one of Record.Extras

	module bool
}

// Lean drops what only a reader of the inventory asks for: metadata, links that load
// nothing, what is known of the page besides. What loads, runs or belongs to an item stays.
func (r *Record) Lean() {
	kept := make([]Element, 0, len(r.Elements))
	for _, e := range r.Elements {
		if e.Loads || e.Tag == "script" || e.Tag == "style" || e.Tag == "dialog" || e.Item != "" {
			kept = append(kept, e)
		}
	}
	r.Elements = slices.Clip(kept)
	r.Page, r.Base, r.bases, r.imported = page.Page{}, weburl.Base{}, weburl.Bases{}, nil
}

// LocateExtras gives Extras their lines and columns, and their order.
func (r *Record) LocateExtras() {
	if len(r.Extras) == 0 {
		return
	}
	slices.SortFunc(r.Extras, func(a, b Element) int { return a.Offset - b.Offset })
	starts := make([]int, len(r.Extras))
	for i := range r.Extras {
		starts[i] = r.Extras[i].Offset
	}
	starts = r.Source.TextOffsets(starts)
	locate := markup.NewLocator(r.Source.Text)
	for i := range r.Extras {
		e := &r.Extras[i]
		e.Line, e.Column = locate.Locate(starts[i])
		if !r.Source.UTF16() {
			e.Label = r.Source.String(e.Offset, e.Offset+e.Length)
		}
	}
}

// NoteExtras lists elements of items that load nothing: marked regions without an element
// of the inventory, and the elements that start at the offsets, which belong to the items
// given.
func (r *Record) NoteExtras(owned map[int]string) {
	add := func(tag, item string, span markup.Span) {
		text := r.Source.Text[span.Start:span.End]
		e := Element{Tag: tag, Item: item, Extra: true, Area: "head", Digest: digest(text), Bytes: len(text)}
		if r.Scan.BodySeen && span.Start >= r.Scan.BodyBegin {
			e.Area = "body"
		}
		from, to := span.Start, span.End
		if len(r.Source.Text) != len(r.Source.File) { // UTF-16
			from, to = r.Source.FileOffset(from), r.Source.FileOffset(to)
		}
		e.Offset, e.Length = from, to-from
		r.Extras = append(r.Extras, e)
	}
	listed := map[int]bool{}
	for i := range r.Elements {
		listed[r.Elements[i].El.Start] = true
	}
	for _, region := range r.Scan.Regions() {
		first := sort.Search(len(r.Elements), func(i int) bool { return r.Elements[i].El.Start >= region.Start })
		if first == len(r.Elements) || r.Elements[first].El.Start >= region.End {
			add("code", region.Name, region.Span)
		}
	}
	for _, at := range slices.Sorted(maps.Keys(owned)) {
		if listed[at] {
			continue
		}
		end := markup.TagEnd(r.Source.Text, at)
		if _, to, err := r.Scan.Extent(at); err == nil {
			end = to
		}
		name := at + 1
		for name < end && r.Source.Text[name] > ' ' && r.Source.Text[name] != '>' && r.Source.Text[name] != '/' {
			name++
		}
		add(strings.ToLower(string(r.Source.Text[at+1:name])), owned[at], markup.Span{Start: at, End: end})
	}
}

// Weights tells what a file or a text weighs.
type Weights interface {
	// File returns the size of a file of the site, and its size compressed; ok
	// is false where the site has no such file.
	File(path string) (bytes, gzip int, ok bool)
	// Text returns the compressed size of an inline text.
	Text(text []byte) int
}

// Take reads a page. known holds its path and file; weights may be nil.
func Take(file []byte, known page.Page, site *weburl.SiteURL, weights Weights) *Record {
	src := markup.ReadAs(file, known.Answer.Charset())
	return TakeScanned(src, markup.ScanTags(src.Text, nil), known, site, weights)
}

// TakeScanned is Take for a page that was read already.
func TakeScanned(src *markup.Source, scan *markup.Document, known page.Page, site *weburl.SiteURL,
	weights Weights) *Record {
	r := &Record{
		Format:   Format,
		Path:     known.Path,
		File:     known.File,
		Bytes:    len(src.File),
		Digest:   digest(src.File),
		Encoding: src.Encoding,
		Fragment: scan.Fragment() &&
			!known.Whole,
		Frameset: scan.Frameset, Answer: known.Answer, Source: src, Scan: scan, Page: known,
	}
	r.Page.Read(src, scan)
	r.Title = r.Page.Title
	href, from := markup.BaseHref(src, scan)
	r.bases = site.Bases(known.Path, href, from)
	r.Base = r.bases.Below()
	r.Elements = make([]Element, 0, len(scan.Elements))
	regions := scan.Regions()
	locate := markup.NewLocator(src.Text)
	ends := make([]int, 0, 2*len(scan.Elements))
	for _, el := range scan.Elements {
		if el.End == 0 { // a dialog
			el.ContentEnd, el.End = el.TagEnd, el.TagEnd
			if content, end, err := scan.Extent(el.Start); err == nil {
				el.ContentEnd, el.End = content.End, end
			}
		}
		e := Element{Tag: el.Tag.String(), Area: el.Area.String(), Inside: el.Inside.String(), El: el, Party: "inline"}
		e.Line, e.Column = locate.Locate(el.Start)
		for len(regions) > 0 && regions[0].End <= el.Start {
			regions = regions[1:]
		}
		if len(regions) > 0 && el.Start >= regions[0].Start {
			if e.Item = regions[0].Name; e.Item == markup.ReloadMark {
				continue
			}
		}
		r.describe(&e, weights)
		r.follow(&e, site, weights)
		r.Elements = append(r.Elements, e)
		ends = append(ends, el.Start, el.End)
	}
	r.offsets(ends)
	r.once()
	r.media(weights)
	r.header(known.Answer, weights)
	return r
}

// digest tells two texts apart; it is no protection against somebody who wants
// them to be taken for one.
func digest(text []byte) string {
	sum := xxh3.Hash128(text).Bytes()
	return hex.EncodeToString(sum[:])
}

// offsets writes offsets and lengths as bytes of the file.
func (r *Record) offsets(ends []int) {
	for i := range r.Elements {
		from, to := ends[2*i], ends[2*i+1]
		if len(r.Source.Text) != len(r.Source.File) { // UTF-16
			from, to = r.Source.FileOffset(from), r.Source.FileOffset(to)
		}
		r.Elements[i].Offset, r.Elements[i].Length = from, to-from
	}
}

// describe fills in what kind of element it is.
func (r *Record) describe(e *Element, weights Weights) {
	src := r.Source.Text
	el := e.El
	attr := func(name string) string {
		v, _ := r.Source.Attr(el.Start, name)
		return v
	}
	switch el.Tag {
	case markup.TagTitle:
		e.Label = markup.CollapseSpace(
			markup.DecodeText([]byte(r.Source.String(el.TagEnd, max(el.ContentEnd, el.TagEnd)))))
	case markup.TagMeta:
		e.Label = metaLabel(attr)
		e.Name, e.Property, e.Content = attr("name"), attr("property"), attr("content")
	case markup.TagLink:
		e.Label, e.Media = attr("rel"), attr("media")
		e.Rel = e.Label
		e.load(r, attr("href"), markup.LinkLoads(src, el.Start))
		if isStylesheet(e.Label) && r.live(el) {
			if blocksPaint(e.Media) {
				e.Runs = "blocking"
			}
		}
	case markup.TagBase:
		e.URL = attr("href")
		e.Label = attr("target")
	case markup.TagScript:
		r.script(e, attr)
	case markup.TagStyle:
		e.Media = attr("media")
		if r.live(el) {
			e.Runs = "blocking"
		}
	case markup.TagIframe:
		e.load(r, attr("src"), true)
		e.Label = attr("title")
	case markup.TagDialog, markup.TagTemplate:
		e.Label = attr("id")
	}
	r.weigh(e, weights)
}

func metaLabel(attr func(string) string) string {
	if v := attr("charset"); v != "" {
		return "charset = " + v
	}
	for _, key := range []string{"name", "property", "http-equiv", "itemprop"} {
		if name := attr(key); name != "" {
			return name + " = " + attr("content")
		}
	}
	return attr("content")
}

func (r *Record) script(e *Element, attr func(string) string) {
	src := r.Source.Text
	kind := markup.ScriptType(src, e.El.Start)
	raw, external := r.Source.Attr(e.El.Start, "src")
	if external && kind != markup.DataBlock {
		e.load(r, raw, true)
	}
	if kind == markup.DataBlock {
		e.Label = attr("type")
		return
	}
	if !r.live(e.El) {
		return
	}
	e.module = kind == markup.Module
	_, nomodule := r.Source.Attr(e.El.Start, "nomodule")
	switch phase, _ := markup.ScriptPhase(src, e.El.Start); {
	case phase == markup.Async:
		e.Runs = "async"
	case e.module:
		e.Runs = "module"
	case nomodule:
		e.Runs = "nomodule" // no browser of today runs it
	case phase == markup.Deferred:
		e.Runs = "defer"
	default:
		e.Runs = "blocking"
	}
}

// live reports whether a browser with scripting on acts on an element: it is
// not inert.
func (r *Record) live(el markup.Element) bool {
	return el.Inside != markup.InTemplate && el.Inside != markup.InNoscript
}

func isStylesheet(rel string) bool {
	sheet, alternate := false, false
	for w := range strings.FieldsSeq(strings.ToLower(rel)) {
		sheet = sheet || w == "stylesheet"
		alternate = alternate || w == "alternate"
	}
	return sheet && !alternate
}

// blocksPaint reports whether a stylesheet of this media holds up the first
// paint on a screen. Media that need a browser to decide count as blocking.
func blocksPaint(media string) bool {
	m := strings.ToLower(strings.TrimSpace(media))
	return m != "print" && m != "speech" && m != "not all"
}

func (e *Element) load(r *Record, raw string, loads bool) {
	e.URL = raw
	if raw == "" {
		return
	}
	ref, ok := r.bases.At(e.El.Start).Resolve(raw)
	if !ok {
		e.Party = "third"
		return
	}
	e.Ref, e.Loads = ref, loads && !ref.Data
	switch {
	case ref.Data:
		e.Target = ref.URL
		if len(e.Target) > 64 {
			e.Target = e.Target[:64] + "…"
		}
	case ref.Own:
		e.Target, e.Party = ref.Path, "own"
	default:
		e.Target, e.Party = ref.URL, "third"
	}
}

// weighFile weighs the file of the site that the element loads. A frame or an object may be a page.
func (e *Element) weighFile(weights Weights) {
	if !e.Loads || e.Party != "own" || weights == nil {
		return
	}
	ok := false
	e.Bytes, e.Gzip, ok = weights.File(e.Ref.Path)
	e.Dead = !ok && e.Tag != "iframe" && e.Tag != "object" && e.Tag != "embed"
}

func (r *Record) weigh(e *Element, weights Weights) {
	switch {
	case e.Loads && e.Party == "own":
		e.weighFile(weights)
	case e.URL == "" && (e.El.Tag == markup.TagScript || e.El.Tag == markup.TagStyle) && e.El.ContentEnd > e.El.TagEnd:
		text := r.Source.Text[e.El.TagEnd:e.El.ContentEnd]
		e.Bytes, e.Digest = len(text), digest(text)
		if weights != nil {
			e.Gzip = weights.Text(text)
		}
	}
}

// IsStylesheet reports whether the element is a stylesheet that applies.
func (e *Element) IsStylesheet() bool { return e.El.Tag == markup.TagLink && isStylesheet(e.Label) }

// Module reports whether the element is a module script.
func (e *Element) Module() bool { return e.module }

// IsScript reports whether the element is a script that runs.
func (e *Element) IsScript() bool { return e.El.Tag == markup.TagScript && e.Runs != "" }
