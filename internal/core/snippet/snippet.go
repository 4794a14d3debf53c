// Package snippet turns the parts of items into markup: the tags of scripts and
// stylesheets, code with its placeholders filled in, every value escaped for
// where it lands.
//
// An item is prepared once, which finds what is wrong with its code, and then
// rendered for each page.
package snippet

import (
	"fmt"
	"html"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// A Prepared is an item prepared to be written.
type Prepared struct {
	*gatefile.Item
	parts []part
}

// A part's text is a URL where it is no code: its placeholders need no context.
type part struct {
	*gatefile.Part
	place    gatefile.Place
	load     string
	contexts []context // of the template's placeholders, in order
	constant string    // what it comes to on every page, or ""
	base     string    // the path of the site's address
}

// Values are what placeholders can name on one page.
type Values struct {
	// Lookup gives the names of the site, the page and its facts their values, ""
	// where there is none.
	Lookup func(name string) string
	Page   *page.Page
	// Content is the page, for what placeholders ask of what stands in it.
	Content Content
	// Param gives a parameter its value on this page or at this spot, and whether
	// that is a number or a truth value.
	Param func(p *gatefile.Param) (value string, bare bool)
	// IsList reports whether a fact is a list on some page.
	IsList func(fact string) bool
	// Host reports whether a value may say that something is loaded from a host: the
	// site's own, and those that the gate file trusts. nil for none.
	Host func(host string) bool
	// Built finds built files; nil where there is no manifest.
	Built func(name string) (paths []string, ok bool)

	bares map[string]bool // parameters that are bare, once looked up
}

// Content is a page, or a row of it, in which texts and attributes stand.
type Content interface {
	// Said is what a name asks for, such as page.all(li), one entry an element; nil where there is none.
	Said(name string) []string
	// Rows are the elements in it that a selector matches.
	Rows(from *markup.Selector) []Content
	// Pairs are the questions in it, each with its answer.
	Pairs(p *gatefile.Pairs) [][2]string
}

// lookup is Lookup with the item's parameters.
func (v *Values) lookup(it *gatefile.Item) func(string) string {
	if len(it.Params) == 0 {
		return v.Lookup
	}
	return func(name string) string {
		p := it.Param(name)
		if p == nil {
			return v.Lookup(name)
		}
		value, bare := p.Value, p.Bare
		if v.Param != nil {
			value, bare = v.Param(p)
		}
		if v.bares == nil {
			v.bares = map[string]bool{}
		}
		v.bares[name] = bare
		return value
	}
}

func (v *Values) bare(name string) bool { return v.bares[name] }

// A ValueError says that a value cannot stand where a placeholder puts it, or
// that there is none.
type ValueError struct {
	Pos     problem.Position
	Message string
	Missing bool
}

func (e *ValueError) Error() string { return e.Message }

// failFunc reports a problem at an offset of a part's text.
type failFunc func(p *gatefile.Part, offset int, remedy, format string, args ...any)

// Prepare makes an item ready. Problems are placeholders where no value can be
// made safe, and code that does not parse, does not fit its place, or is left
// open.
func Prepare(it *gatefile.Item, basePath string) (*Prepared, []problem.Problem) {
	out := &Prepared{Item: it}
	var problems []problem.Problem
	fail := func(p *gatefile.Part, offset int, remedy, format string, args ...any) {
		problems = append(problems, problem.Problem{Severity: problem.Error, Pos: p.PositionAt(offset),
			Message: fmt.Sprintf(format, args...), Remedy: remedy, Line: p.LineAt(offset)})
	}
	for _, p := range it.Parts {
		own := *p
		p := &own
		ready := part{Part: p, base: basePath, place: it.PlaceOf(p), load: it.LoadOf(p)}
		switch p.Kind {
		case gatefile.Classes, gatefile.Structured:
		case gatefile.Script, gatefile.Stylesheet:
			if strings.HasPrefix(p.Text, gatefile.BuiltPrefix) {
				ready.contexts = make([]context, len(p.Template.Pieces)) // names of the manifest, not URLs
				break
			}
			p.Template = withBase(p.Template, basePath)
			var bad *ContextError
			if ready.contexts, bad = contextsOfURL(p.Template); bad != nil {
				fail(p, bad.Offset, "write that part of the URL out", "a placeholder cannot stand %s", bad.Where)
			}
		default:
			before := len(problems)
			checkCode(it, p, ready.place, fail)
			var bad *ContextError
			if ready.contexts, bad = contextsOf(p.Template, p.Kind); bad != nil && len(problems) == before {
				fail(p, bad.Offset, "put it where a value can stand, or write the text out",
					"a placeholder cannot stand %s", bad.Where)
			}
		}
		out.parts = append(out.parts, ready)
	}
	problems = append(problems, checkAttrs(it)...)
	if len(problems) == 0 {
		for i := range out.parts {
			if out.isConstant(i) {
				out.parts[i].constant, _, _ = out.Render(i, &Values{Lookup: func(string) string { return "" }})
			}
		}
	}
	return out, problems
}

// isConstant reports whether a part comes out the same on every page.
func (it *Prepared) isConstant(i int) bool {
	p := &it.parts[i]
	switch p.Kind {
	case gatefile.Classes, gatefile.Structured, gatefile.Popup:
		return false
	}
	for _, a := range it.Item.Attrs {
		if !a.Value.Plain() {
			return false
		}
	}
	return p.Template.Plain() && (it.Item.Media.Value == nil || it.Item.Media.Value.Plain()) &&
		!strings.HasPrefix(p.Text, gatefile.BuiltPrefix)
}

// checkAttrs refuses attributes without a tag, and placeholders in attributes in
// which no value is safe.
func checkAttrs(it *gatefile.Item) (problems []problem.Problem) {
	if len(it.Attrs) > 0 && !hasTags(it) {
		problems = append(problems, problem.Problem{Severity: problem.Error, Pos: it.Attrs[0].Pos,
			Message: fmt.Sprintf("attrs of item %q have no tag to stand on", it.Name),
			Remedy:  "attrs are for scripts, styles and found parts; write attributes of code into the code"})
	}
	for _, a := range it.Attrs {
		if a.Value.Plain() {
			continue
		}
		kind, where := kindOfAttr("", a.Name, nil)
		switch kind {
		case attrStyle:
			where = "in " + a.Name
		case attrLoads, attrLinks:
			if _, bad := contextsOfURL(a.Value); bad != nil {
				where = bad.Where
			}
		}
		if where != "" {
			problems = append(problems, problem.Problem{Severity: problem.Error, Pos: a.Pos,
				Message: fmt.Sprintf("a placeholder cannot stand %s", where), Remedy: "write the text out"})
		}
	}
	return problems
}

// withBase is a URL's template with the path of the site's address before a
// site path.
func withBase(t *placeholder.Template, basePath string) *placeholder.Template {
	if basePath == "" || len(t.Pieces) == 0 || !strings.HasPrefix(t.Pieces[0].Text, "/") ||
		strings.HasPrefix(t.Pieces[0].Text, "//") {
		return t
	}
	pieces := append([]placeholder.Piece{{Text: basePath + t.Pieces[0].Text}}, t.Pieces[1:]...)
	return &placeholder.Template{Pieces: pieces}
}

func hasTags(it *gatefile.Item) bool {
	for _, p := range it.Parts {
		switch p.Kind {
		case gatefile.Script, gatefile.Stylesheet, gatefile.ScriptText, gatefile.StyleText:
			return true
		}
	}
	return len(it.Found) > 0
}

// Parts is the number of the item's parts.
func (it *Prepared) Parts() int { return len(it.parts) }

// Place is where part i goes.
func (it *Prepared) Place(i int) gatefile.Place { return it.parts[i].place }

// Part returns part i as the gate file has it.
func (it *Prepared) Part(i int) *gatefile.Part { return it.Item.Parts[i] }

// Render writes part i for one page. ok is false where it writes nothing there.
func (it *Prepared) Render(i int, v *Values) (text string, ok bool, err *ValueError) {
	p := &it.parts[i]
	if len(p.Only) > 0 && v.Page != nil && !gatefile.Any(p.Only, v.Page) {
		return "", false, nil
	}
	if p.constant != "" {
		return p.constant, true, nil
	}
	switch p.Kind {
	case gatefile.Classes:
		return "", false, nil
	case gatefile.Structured:
		return p.jsonLD(it.Item, v)
	case gatefile.Script, gatefile.Stylesheet:
		text, err = p.tags(it.Item, v)
		return text, true, err
	}
	text, err = fill(p.Template, p.contexts, p.Part, it.Item, v)
	if err != nil {
		return "", false, err
	}
	text = strings.TrimRight(text, "\r\n")
	attrs := ""
	if p.Kind == gatefile.ScriptText || p.Kind == gatefile.StyleText {
		if attrs, err = it.attrs(v); err != nil {
			return "", false, err
		}
	}
	switch p.Kind {
	case gatefile.Popup:
		text, err = it.dialog(text, v)
	case gatefile.ScriptText:
		if it.Item.Load.Value == "module" {
			attrs = ` type="module"` + attrs
		}
		text = "<script" + attrs + ">" + ownLines(text) + "</script>"
	case gatefile.StyleText:
		if attrs, err = it.media(attrs, v); err == nil {
			text = "<style" + attrs + ">" + ownLines(text) + "</style>"
		}
	}
	return text, err == nil, err
}

// ownLines puts a text of several lines on lines of its own.
func ownLines(text string) string {
	if strings.Contains(text, "\n") {
		return "\n" + text + "\n"
	}
	return text
}

// attrs writes the item's attributes.
func (it *Prepared) attrs(v *Values) (string, *ValueError) {
	out := ""
	for i := range it.Item.Attrs {
		a := &it.Item.Attrs[i]
		switch {
		case a.Remove:
		case a.Text == "":
			out += " " + a.Name
		default:
			value, err := it.Attr(a, v)
			if err != nil {
				return "", err
			}
			out += " " + a.Name + `="` + html.EscapeString(value) + `"`
		}
	}
	return out, nil
}

// Attr is the value of one of the item's attributes on a page.
func (it *Prepared) Attr(a *gatefile.Attr, v *Values) (string, *ValueError) {
	value, failed := a.Value.Fill(v.lookup(it.Item))
	if failed != nil {
		return "", failedValue(failed, a.Pos)
	}
	if !urlAttrs[a.Name] || a.Value.Plain() {
		return value, nil
	}
	text, why := FillURL(a.Value, v.lookup(it.Item), v.Host)
	if why != "" {
		return "", &ValueError{Pos: a.Pos, Message: fmt.Sprintf("%s is %q, %s", a.Name, value, why)}
	}
	return text, nil
}

// media adds the item's media.
func (it *Prepared) media(attrs string, v *Values) (string, *ValueError) {
	if it.Item.Media.Value == nil {
		return attrs, nil
	}
	value, failed := it.Item.Media.Value.Fill(v.lookup(it.Item))
	if failed != nil {
		return "", failedValue(failed, it.Item.Media.Pos)
	}
	return ` media="` + html.EscapeString(value) + `"` + attrs, nil
}

// tags writes the tag of a script or stylesheet, or those of what the build made
// of it.
func (p *part) tags(it *gatefile.Item, v *Values) (string, *ValueError) {
	item := &Prepared{Item: it}
	attrs, err := item.attrs(v)
	if err != nil {
		return "", err
	}
	url, err := fill(p.Template, p.contexts, p.Part, it, v)
	if err != nil {
		return "", err
	}
	urls := []string{url}
	if name, built := strings.CutPrefix(html.UnescapeString(url), gatefile.BuiltPrefix); built {
		paths, ok := []string(nil), false
		if v.Built != nil {
			paths, ok = v.Built(name)
		}
		if !ok {
			return "", &ValueError{Pos: p.Pos, Message: fmt.Sprintf("the build manifest has no %q", name)}
		}
		urls = nil
		for _, path := range paths {
			if strings.HasPrefix(path, "/") && !strings.HasPrefix(path, "//") {
				path = p.base + path
			}
			urls = append(urls, html.EscapeString(path))
		}
	}
	if p.Integrity != "" {
		attrs = ` integrity="` + html.EscapeString(p.Integrity) + `"` + attrs
		if third := strings.Contains(url, "//"); third && !hasAttr(it, "crossorigin") {
			attrs += ` crossorigin="anonymous"` // or the browser may not compare (Subresource Integrity, 3.2)
		}
	}
	if p.Kind == gatefile.Stylesheet {
		if attrs, err = item.media(attrs, v); err != nil {
			return "", err
		}
	}
	var lines []string
	for _, u := range urls {
		lines = append(lines, p.tag(u, attrs))
	}
	return strings.Join(lines, "\n"), nil
}

func hasAttr(it *gatefile.Item, name string) bool {
	for _, a := range it.Attrs {
		if a.Name == name {
			return true
		}
	}
	return false
}

// tag writes the tag for one URL, escaped already.
func (p *part) tag(url, attrs string) string {
	if p.Kind == gatefile.Stylesheet {
		return `<link rel="stylesheet" href="` + url + `"` + attrs + ">"
	}
	switch p.load {
	case "defer", "async":
		attrs = " " + p.load + attrs
	case "module":
		attrs = ` type="module"` + attrs
	}
	return `<script src="` + url + `"` + attrs + "></script>"
}

func failedValue(f *placeholder.Failure, pos problem.Position) *ValueError {
	return &ValueError{Pos: pos, Missing: f.Missing(), Message: f.Error()}
}

// Mark puts a piece between the marks of its item. before is the line end and
// indentation of the place.
func Mark(name string, lines []string, before string, marks bool) string {
	var b strings.Builder
	if marks {
		b.WriteString(markup.OpenMark(name))
	}
	for _, l := range lines {
		b.WriteString(before)
		b.WriteString(l)
	}
	if marks {
		b.WriteString(markup.CloseMark(name))
	}
	return b.String()
}
