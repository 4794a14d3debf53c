package inventory

import (
	"bytes"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/syntax"
	"yellowgate/internal/core/weburl"
)

// What a page shows and plays: pictures, films, sounds, embedded objects. They make requests,
// and no gate is about them; but for pictures that nobody sees, which are there to count.

// A kind is what a media element shows.
const (
	Pictures = "pictures"
	Playing  = "film and sound"
	Embedded = "embedded objects"
	// What stylesheets name with url(): a browser asks for it once a rule matches.
	NamedPictures = "pictures that stylesheets name"
	NamedFonts    = "fonts that stylesheets name"
)

// mediaKinds are the elements that load something to show (HTML, 4.8; SVG 2, 5.6 and 12.6).
var mediaKinds = map[string]string{
	"img": Pictures, "source": Pictures, "input": Pictures, "image": Pictures, "use": Pictures,
	"video": Playing, "audio": Playing, "track": Playing, "object": Embedded, "embed": Embedded, "frame": Embedded,
}

// Kind is what an element of Record.Media shows: one of Pictures, Playing, Embedded.
func (e *Element) Kind() string {
	switch {
	case e.Label == "style":
		return Pictures
	case e.Tag == "source" && e.Label == "playing":
		return Playing
	}
	return mediaKinds[e.Tag]
}

// media lists what the page shows and plays. Pixels go among the elements, the rest into Media.
func (r *Record) media(weights Weights) {
	m := &mediaReader{record: r, weights: weights, locate: markup.NewLocator(r.Source.Text)}
	for i := range r.Elements {
		if t := r.Elements[i].El.Tag; t == markup.TagTemplate || t == markup.TagNoscript {
			m.inert = append(m.inert, r.Elements[i].El)
		}
	}
	text := r.Source.Text
	for _, t := range r.Scan.Tags {
		name := text[t.Start+1 : t.NameEnd]
		kind := ""
		switch len(name) {
		case 3, 5, 6:
			var lower [6]byte
			for i, c := range name {
				if 'A' <= c && c <= 'Z' {
					c += 'a' - 'A'
				}
				lower[i] = c
			}
			kind = string(lower[:len(name)])
			if mediaKinds[kind] == "" {
				kind = ""
			}
		case 7:
			if bytes.EqualFold(name, []byte("picture")) {
				m.sources = false
			}
		}
		if kind != "" {
			m.element(kind, t)
		}
		if t.End-t.NameEnd > 14 {
			if tag := text[t.NameEnd:t.End]; bytes.Contains(tag, []byte("url(")) ||
				bytes.Contains(tag, []byte("URL(")) {
				m.style(t)
			}
		}
	}
	m.done()
}

// mostChoices is how many candidates of one picture are listed: nobody writes more.
const mostChoices = 64

type mediaReader struct {
	record  *Record
	weights Weights
	locate  *markup.Locator
	inert   []markup.Element // templates and noscripts, in order
	inside  []markup.Element // of these, those around the tag
	sources bool             // what comes are sources of a film or sound, not of a picture
	open    bool             // it has none yet
	silent  bool             // it loads nothing until somebody plays it
	pixels  []Element
	media   []Element
}

// begin makes the element of a tag.
func (m *mediaReader) begin(name string, t markup.Tagged) *Element {
	r := m.record
	start, end := int(t.Start), int(t.End)
	el := markup.Element{Start: start, TagEnd: end, ContentEnd: end, End: end}
	if r.Scan.BodySeen && start >= r.Scan.BodyBegin {
		el.Area = markup.Body
	}
	m.leave(start)
	for len(m.inert) > 0 && m.inert[0].Start < start {
		if m.inert[0].End > start {
			m.inside = append(m.inside, m.inert[0])
			m.leave(start)
		}
		m.inert = m.inert[1:]
	}
	// A template around, at whatever depth, is among the outermost.
	for _, around := range m.inside[:min(len(m.inside), 8)] {
		switch {
		case around.Tag == markup.TagTemplate || around.Inside == markup.InTemplate:
			el.Inside = markup.InTemplate
		case el.Inside == markup.InPage:
			el.Inside = markup.InNoscript
		}
	}
	e := &Element{
		Tag:    name,
		Area:   el.Area.String(),
		Inside: el.Inside.String(),
		El:     el,
		Party:  "inline",
		Offset: start,
		Length: end - start,
	}
	e.Line, e.Column = m.locate.Locate(start)
	if len(r.Source.Text) != len(r.Source.File) { // UTF-16
		from, to := r.Source.FileOffset(start), r.Source.FileOffset(end)
		e.Offset, e.Length = from, to-from
	}
	return e
}

// leave forgets the templates and noscripts that end before an offset.
func (m *mediaReader) leave(offset int) {
	for len(m.inside) > 0 && m.inside[len(m.inside)-1].End <= offset {
		m.inside = m.inside[:len(m.inside)-1]
	}
}

func (m *mediaReader) element(name string, t markup.Tagged) {
	attr := func(key string) string {
		v, _ := m.record.Source.Attr(int(t.Start), key)
		return strings.TrimSpace(v)
	}
	url, choices, loads, ok := m.files(name, t, attr)
	poster := ""
	if name == "video" {
		poster = attr("poster")
	}
	if !ok || url == "" && len(choices) == 0 && poster == "" && name != "video" && name != "audio" {
		return
	}
	e := m.begin(name, t)
	switch {
	case name == "video" || name == "audio":
		m.silent = strings.EqualFold(attr("preload"), "none")
		if _, auto := markup.AttrValue(m.record.Source.Text, int(t.Start), "autoplay"); auto {
			m.silent = false
		}
		loads, m.sources, m.open = !m.silent, true, url == ""
	case name == "source" && m.sources:
		e.Label = "playing"
		loads, m.open = !m.silent && m.open, false // the first that a browser can play
	}
	if !loads {
		e.Runs = OnDemand
	}
	if url == "" && len(choices) > 0 {
		url, choices = choices[0], choices[1:]
	}
	if strings.EqualFold(attr("loading"), "lazy") {
		e.Runs = "lazy"
	}
	e.load(m.record, url, loads)
	for _, c := range choices[:min(len(choices), mostChoices)] {
		m.also(e, c, true)
	}
	if poster != "" {
		m.also(e, poster, false)
	}
	e.weighFile(m.weights)
	if name == "img" && e.Loads && m.pixel(e, attr) {
		e.Label, e.Pixel, e.Runs = "pixel", true, ""
		m.pixels = append(m.pixels, *e)
		return
	}
	m.media = append(m.media, *e)
}

// files are what an element shows or plays: a URL, and others that may come in its place. loads: it does so by
// itself. It is not ok where the element is for something else.
func (m *mediaReader) files(name string, t markup.Tagged,
	attr func(string) string) (url string, choices []string, loads, ok bool) {
	url, loads = attr("src"), true
	switch name {
	case "img":
		choices = candidates(attr("srcset"))
	case "source":
		choices = candidates(attr("srcset"))
		loads = false
	case "input":
		if !strings.EqualFold(attr("type"), "image") {
			return "", nil, false, false
		}
	case "use", "image":
		if url = attr("href"); url == "" {
			url = attr("xlink:href")
		}
		if strings.HasPrefix(url, "#") {
			return "", nil, false, false
		}
	case "object":
		url = attr("data")
	case "track":
		_, loads = markup.AttrValue(m.record.Source.Text, int(t.Start), "default")
	}
	return url, choices, loads, true
}

// also adds a file that an element may ask for, or does besides.
func (m *mediaReader) also(e *Element, raw string, instead bool) {
	ref, ok := m.record.bases.At(e.El.Start).Resolve(raw)
	if !ok || ref.Data {
		return
	}
	i := reached(ref)
	i.Tag, i.Line, i.Later, i.Instead = "img", e.Line, instead, instead
	if ref.Own && m.weights != nil {
		i.Bytes, i.Gzip, ok = m.weights.File(ref.Path)
		i.Dead = !ok
	}
	if i.Target != e.Target && !slices.ContainsFunc(e.Brings, func(x Import) bool { return x.Target == i.Target }) {
		e.Brings = append(e.Brings, i)
	}
}

// pixel reports whether a picture is there to be asked for and not to be seen: it has the size
// of a point, or is a third party's and has neither a text nor a size.
func (m *mediaReader) pixel(e *Element, attr func(string) string) bool {
	point := func(s string) bool { return s == "0" || s == "1" || s == "0px" || s == "1px" }
	if point(attr("width")) && point(attr("height")) {
		return true
	}
	style := strings.ToLower(strings.ReplaceAll(attr("style"), " ", ""))
	has := func(property string) bool {
		return strings.Contains(";"+style+";", ";"+property+":1px;") ||
			strings.Contains(";"+style+";", ";"+property+":0;")
	}
	if has("width") && has("height") {
		return true
	}
	return e.Party == "third" && len(e.Brings) == 0 && attr("alt") == "" && attr("width") == "" &&
		attr("height") == "" &&
		attr("class") == "" &&
		attr("id") == "" &&
		attr("title") == "" &&
		(style == "" || strings.Contains(style, "display:none") || strings.Contains(style, "visibility:hidden")) &&
		!pictureFile(e.Target)
}

// pictureFile reports whether a URL names a file that is a picture to look at.
func pictureFile(target string) bool {
	path, query, _ := strings.Cut(target, "?")
	for _, ending := range []string{".png", ".jpg", ".jpeg", ".webp", ".avif", ".svg"} {
		if strings.HasSuffix(strings.ToLower(path), ending) && query == "" {
			return true
		}
	}
	return false
}

// style lists the pictures that a style attribute names.
func (m *mediaReader) style(t markup.Tagged) {
	value, ok := m.record.Source.Attr(int(t.Start), "style")
	if !ok {
		return
	}
	var e *Element
	for _, u := range syntax.StyleURLs([]byte(value)) {
		if e == nil {
			e = m.begin(strings.ToLower(string(m.record.Source.Text[t.Start+1:t.NameEnd])), t)
			e.Label = "style"
			e.load(m.record, u.URL, true)
			e.weighFile(m.weights)
			continue
		}
		if len(e.Brings) < mostChoices {
			m.also(e, u.URL, false)
		}
	}
	if e != nil {
		m.media = append(m.media, *e)
	}
}

// done puts the pixels among the elements, in document order.
func (m *mediaReader) done() {
	r := m.record
	r.Media = m.media
	if len(m.pixels) == 0 {
		return
	}
	regions := r.Scan.Regions()
	for i := range m.pixels {
		e := &m.pixels[i]
		if at := sort.Search(len(regions), func(k int) bool { return regions[k].End > e.El.Start }); at < len(regions) &&
			regions[at].Start <= e.El.Start {
			e.Item = regions[at].Name
		}
	}
	r.Elements = append(r.Elements, m.pixels...)
	slices.SortStableFunc(r.Elements, func(a, b Element) int { return a.El.Start - b.El.Start })
}

// candidates are the URLs of a srcset (HTML, 4.8.4.2.2).
func candidates(srcset string) (urls []string) {
	for {
		srcset = strings.TrimLeft(srcset, " \t\n\f\r,")
		if srcset == "" {
			return urls
		}
		end := strings.IndexAny(srcset, " \t\n\f\r")
		if end < 0 {
			end = len(srcset)
		}
		url := srcset[:end]
		srcset = srcset[end:]
		if trimmed := strings.TrimRight(url, ","); trimmed != url {
			urls = append(urls, trimmed)
			continue
		}
		urls = append(urls, url)
		depth, i := 0, 0
		for ; i < len(srcset) && (srcset[i] != ',' || depth > 0); i++ {
			switch srcset[i] {
			case '(':
				depth++
			case ')':
				depth = max(depth-1, 0)
			}
		}
		srcset = srcset[i:]
	}
}

// StyleFiles lists what stylesheets of the site name with url(): the pictures and fonts that a
// page with a matching rule gets. It may be used from several goroutines.
func (m *Imports) StyleFiles(site *weburl.SiteURL, path string) []Import {
	return m.files.Get(path, func() (list []Import) {
		if text, ok := m.Read(path); ok {
			list = m.styleFiles(site.Page(path, ""), path, text, 0)
		}
		return list
	})
}

// TextFiles implements Follower.
func (m *Imports) TextFiles(base weburl.Base, text []byte, line int) []Import {
	return m.styleFiles(base, "", text, line-1)
}

func (m *Imports) styleFiles(base weburl.Base, by string, text []byte, before int) (out []Import) {
	seen := map[string]bool{}
	lines := lineCounter{text: text, line: before + 1}
	faces := map[int][]int{} // the files of each font
	for _, u := range syntax.StyleURLs(text) {
		ref, ok := base.Resolve(u.URL)
		if !ok || ref.Data {
			continue
		}
		i := reached(ref)
		i.By, i.Tag, i.Later, i.Named, i.Line = by, "img", true, true, lines.at(u.Offset)
		if u.Face > 0 {
			i.Tag = "font"
		}
		if seen[i.Target] {
			continue
		}
		seen[i.Target] = true
		if ref.Own {
			i.Bytes, i.Gzip, ok = m.Weights.File(ref.Path)
			i.Dead = !ok
		}
		if u.Face > 0 {
			faces[u.Face] = append(faces[u.Face], len(out))
		}
		out = append(out, i)
	}
	for _, files := range faces { // of a font a browser asks for one file
		for k, i := range files {
			if k > 0 || slices.ContainsFunc(files, func(j int) bool { return !out[j].Dead }) {
				out[i].Dead = false
			}
		}
	}
	return out
}
