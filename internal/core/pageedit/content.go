package pageedit

import (
	"fmt"
	"net/url"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/snippet"
)

// What placeholders ask of the content of a page: the text and the attributes of its elements.

// content reads what stands in a page, once a placeholder asks for it.
type content struct {
	view  *View // the page, in UTF-8
	texts *markup.Texts
	found map[string][]markup.Passage // by selector
	said  map[string][]string         // by the name of what is asked of the page
	left  int                         // bytes that may still be read
}

// mostRead is how many times its own length of a page is read: elements that stand in one another are read again.
const mostRead = 100

// newContent reads a page.
func newContent(v *View) *content {
	c := &content{view: v, found: map[string][]markup.Passage{}, said: map[string][]string{}}
	c.left = mostRead*len(v.Source.Text) + 1<<16
	if nest := v.plainNest(); nest != nil {
		c.texts = markup.NewTexts(v.Source, nest, v.begun)
		return c
	}
	if v.begun { // what becomes of it, only its end says
		return c
	}
	if !v.Source.UTF8() {
		c.view = v.inUTF8()
		v = c.view
	}
	if v.tree == nil {
		v.tree = v.newTree()
	}
	c.texts = markup.TreeTexts(v.tree)
	return c
}

// inUTF8 is the page in UTF-8, for its texts: offsets in it are others.
func (v *View) inUTF8() *View {
	src := markup.ReadAs([]byte(v.Source.String(0, len(v.Source.Text))), "utf-8")
	return &View{gate: v.gate, look: v.look, Source: src, Page: v.Page, Scan: markup.Scan(src.Text, v.look.watch)}
}

// content is what stands in the page.
func (v *View) content() *content {
	if v.inside == nil {
		v.inside = newContent(v)
	}
	return v.inside
}

// find are the elements of the page that a selector matches, in the order of the page.
func (c *content) find(s *markup.Selector) []markup.Passage {
	list, ok := c.found[s.String()]
	if !ok && c.texts != nil {
		list = c.texts.Passages(s, c.view.find(s))
		c.found[s.String()] = list
	}
	return list
}

// first is find for the first element alone.
func (c *content) first(s *markup.Selector) []markup.Passage {
	if _, ok := c.found[s.String()]; ok || c.texts == nil || c.view.nest == nil {
		all := c.find(s)
		return all[:min(len(all), 1)]
	}
	hits := c.view.first(s)
	return c.texts.Passages(s, hits[:min(len(hits), 1)])
}

// Said is what a name of the gate file's placeholders asks of the page, one entry an element that has some.
func (v *View) Said(name string) []string {
	c := v.content()
	if said, ok := c.said[name]; ok {
		return said
	}
	ask := v.gate.File.Contents[name]
	if ask == nil || ask.Row {
		return nil
	}
	var found []markup.Passage
	if ask.What == "all" {
		found = c.find(ask.Selector)
	} else {
		found = c.first(ask.Selector)
	}
	// Of a page that is begun, more elements may come, or another first one, or more of that.
	if v.begun && (ask.What == "all" || !settles(ask.Selector) || len(found) == 0 ||
		ask.What == "text" && found[0].Open()) {
		if v.Page.Later != nil {
			v.Page.Later(page.Asked{Content: name})
		}
		return nil
	}
	said := c.read(ask, found)
	c.said[name] = said
	return said
}

// read reads what is asked of each of some elements.
func (c *content) read(ask *gatefile.Content, list []markup.Passage) (said []string) {
	for i := range list {
		text := ""
		if ask.What == "attr" {
			text, _ = c.view.Source.Attr(list[i].At, ask.Attr)
			if text = strings.TrimSpace(text); text != "" && snippet.TakesURL(ask.Attr) {
				text = c.view.absolute(text, list[i].At)
			}
		} else {
			text = c.text(&list[i])
		}
		if text != "" {
			said = append(said, text)
		}
	}
	return said
}

// absolute is a URL of the page resolved, as a browser has it (HTML, 2.4.1): with the site's address where that is
// known.
func (v *View) absolute(raw string, at int) string {
	href, from := markup.BaseHref(v.Source, v.Scan)
	ref, ok := v.gate.Site.Bases(v.Page.Path, href, from).At(at).Resolve(raw)
	if !ok || ref.Data {
		return raw
	}
	out := ref.URL
	if site, err := url.Parse(v.gate.File.Site.URL.Value); err == nil && site.Host != "" && ref.Own {
		out = site.Scheme + "://" + site.Host + out
	}
	if _, fragment, has := strings.Cut(raw, "#"); has {
		out += "#" + fragment
	}
	return out
}

// text is what an element says.
func (c *content) text(p *markup.Passage) string {
	if c.left -= p.Size(); c.left < 0 {
		if c.view.Unread == "" {
			c.view.Unread = "placeholders read its elements again and again: elements that their selectors match " +
				"stand in one another"
		}
		return ""
	}
	return p.Text()
}

// A row is an element of the page in which placeholders ask again.
type row struct {
	view *View
	at   *markup.Passage
}

// Rows are the elements of the page that a selector matches.
func (v *View) Rows(from *markup.Selector) []snippet.Content { return v.rows(from, nil) }

func (v *View) rows(from *markup.Selector, in *markup.Passage) (out []snippet.Content) {
	if v.asksWhole(from) {
		return nil
	}
	list := v.content().find(from)
	if in != nil {
		list = in.Within(list)
	}
	for i := range list {
		out = append(out, &row{v, &list[i]})
	}
	return out
}

// asksWhole reports that what is asked takes the whole page, where that is not there.
func (v *View) asksWhole(s *markup.Selector) bool {
	if v.begun && v.Page.Later != nil {
		v.Page.Later(page.Asked{Content: fmt.Sprintf("what %s matches", s)})
	}
	return v.begun
}

// Pairs are the questions of the page, each with its answer.
func (v *View) Pairs(p *gatefile.Pairs) [][2]string {
	if v.asksWhole(p.From) {
		return nil
	}
	var out [][2]string
	for _, in := range markup.Outermost(v.content().find(p.From)) {
		out = append(out, v.pairs(p, &in)...)
	}
	return out
}

func (v *View) pairs(p *gatefile.Pairs, in *markup.Passage) (out [][2]string) {
	c := v.content()
	asks := in.Within(c.find(p.Ask))
	for i, answers := range markup.Behind(asks, in.Within(c.find(p.Answer))) {
		var said []string
		for k := range answers {
			if text := c.text(&answers[k]); text != "" {
				said = append(said, text)
			}
		}
		if ask := c.text(&asks[i]); ask != "" && len(said) > 0 {
			out = append(out, [2]string{ask, strings.Join(said, " ")})
		}
	}
	return out
}

// Said is what a name asks of the row: row.text(td).
func (r *row) Said(name string) []string {
	ask := r.view.gate.File.Contents[name]
	if ask == nil || !ask.Row {
		return nil
	}
	c := r.view.content()
	list := []markup.Passage{*r.at}
	if ask.Selector != nil {
		list = r.at.Within(c.find(ask.Selector))
	}
	if len(list) > 1 {
		list = list[:1]
	}
	return c.read(ask, list)
}

// Rows are the elements of the row that a selector matches.
func (r *row) Rows(from *markup.Selector) []snippet.Content { return r.view.rows(from, r.at) }

// Pairs are the questions of the row, each with its answer.
func (r *row) Pairs(p *gatefile.Pairs) [][2]string { return r.view.pairs(p, r.at) }
