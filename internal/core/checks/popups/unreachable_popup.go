package popups

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/weburl"
)

var unreachablePopup = &check.Check{
	Name: "unreachable-popup", Family: "popups", Severity: problem.Error,
	Title: "a link to a popup leads to a page that does not have it",
	Doc: `The link's fragment opens a popup, and on the page that it leads to the gate keeps the
popup out, so nothing happens for whoever follows it. Let the popup in there, or let
the link lead to a page that has it.`,
	Bad: "-- yellowgate.yaml --\nitems:\n" +
		"  night-letter: {popup: <p>The letter</p>, label: Letter, open: {fragment: night-letter}, pages: /}\n" +
		"-- site/index.html --\n<p>Tern Hill</p>\n-- site/visit/index.html --\n" +
		"<a href=\"#night-letter\">The night letter</a>",
	Good: "-- yellowgate.yaml --\nitems:\n" +
		"  night-letter: {popup: <p>The letter</p>, label: Letter, open: {fragment: night-letter}, pages: /}\n" +
		"-- site/index.html --\n<p>Tern Hill</p>\n-- site/visit/index.html --\n" +
		"<a href=\"/#night-letter\">The night letter</a>",
	Site: func(s *check.SitePass) {
		popupFact.All(s).unreachable(s.Report)
	},
}

// A Reach is what the pages of a site say of popups.
type Reach struct {
	pages []popupsOn
	kinds [][]fragment // what was kept of fragments, for pages on which they do the same
}

// Add takes a page in; popups may be nil.
func (r *Reach) Add(at check.PageAt, popups *Popups) {
	if popups == nil {
		return
	}
	idle := slices.DeleteFunc(slices.Clone(popups.Fragments), func(f fragment) bool { return f.Opens })
	if len(popups.Links)+len(idle) == 0 {
		return
	}
	i := slices.IndexFunc(r.kinds, func(kind []fragment) bool { return slices.Equal(kind, idle) })
	if i < 0 && len(r.kinds) < mostKinds {
		i, r.kinds = len(r.kinds), append(r.kinds, idle)
	}
	if i >= 0 {
		idle = r.kinds[i]
	}
	r.pages = append(r.pages, popupsOn{at, popups.Links, idle})
}

// mostKinds keeps the search among kinds short.
const mostKinds = 64

// unreachable reports the links to fragments that open nothing where they lead.
func (r *Reach) unreachable(report func(at check.PageAt, line, column int, message, remedy string) *check.Finding) {
	at := map[string]*popupsOn{}
	for i := range r.pages {
		at[page.Key(r.pages[i].Path)] = &r.pages[i]
	}
	for i := range r.pages {
		from := &r.pages[i]
		for _, l := range from.links {
			target := at[page.Key(l.Path)]
			if target == nil {
				continue // a link to nowhere is another matter
			}
			for _, f := range target.idle {
				if f.Name != l.Fragment {
					continue
				}
				where := "this page"
				if target != from {
					where = target.Path
				}
				report(from.PageAt, l.Line, l.Column,
					fmt.Sprintf("the link to #%s opens nothing: on %s, item %q is %s", l.Fragment, where, f.Item,
						f.Why),
					fmt.Sprintf("let %q in there, or link to a page that has it; yellowgate where %s lists them",
						f.Item, f.Item)).Of(f.Item)
			}
		}
	}
}

// Popups is what a page says of popups that a fragment of a URL opens.
type Popups struct {
	Links     []popupLink `json:"links,omitempty"`
	Fragments []fragment  `json:"fragments,omitempty"`
}

// A popupLink is a link of a page to a fragment that opens a popup somewhere.
type popupLink struct {
	Path     string `json:"path"`
	Fragment string `json:"fragment"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
}

// A fragment is what a fragment does on a page.
type fragment struct {
	Name  string `json:"name"`
	Item  string `json:"item"`
	Opens bool   `json:"opens,omitempty"`
	Why   string `json:"why,omitempty"` // it does not
}

type popupsOn struct {
	check.PageAt
	links []popupLink
	idle  []fragment // those that open nothing
}

var popupFact = &check.Kind[Popups, Reach]{ID: "popups", Of: popupsOf, Add: (*Reach).Add}

// popupsOf takes from a page what it says of popups; nil where that is nothing.
func popupsOf(p *check.Pass) *Popups {
	if p.Gated == nil {
		return nil
	}
	fact := &Popups{}
	names := fact.open(p.Gated.Gate, p.Gated.Result, func(item int) bool { return p.Gated.Items[item].Copies() > 0 })
	fact.follow(names, p.Path, p.Source, func() weburl.Base { return p.Base }, p.Locate)
	return fact.orNone()
}

// PopupsAsWritten is PopupsOf for a page as apply would write it.
func PopupsAsWritten(g *pageedit.Gate, page *pageedit.Result) *Popups {
	fact := &Popups{}
	names := fact.open(g, page, func(item int) bool {
		return slices.ContainsFunc(page.Written, func(w pageedit.Written) bool { return w.Item == item })
	})
	if len(names) > 0 {
		src := markup.ReadAs(page.File, page.Page.Answer.Charset())
		fact.follow(names, page.Page.Path, src, func() weburl.Base {
			href, _ := markup.BaseHref(src, markup.Scan(src.Text, nil))
			return g.Site.Page(page.Page.Path, href)
		}, markup.NewLocator(src.Text).Locate)
	}
	return fact.orNone()
}

func (fact *Popups) orNone() *Popups {
	if len(fact.Links)+len(fact.Fragments) == 0 {
		return nil
	}
	return fact
}

// open notes which fragments open popups on a page, and returns the names of all that do so somewhere. has
// says whether the page has an item that is in.
func (fact *Popups) open(g *pageedit.Gate, page *pageedit.Result, has func(item int) bool) (names map[string]bool) {
	names = map[string]bool{}
	for i, it := range g.File.Items {
		for _, o := range it.Opens {
			if o.How != "fragment" {
				continue
			}
			names[o.Value] = true
			v := &page.Verdicts[i]
			f := fragment{Name: o.Value, Item: it.Name, Why: fmt.Sprintf("out (%s, %s)", v.Reason, v.Rule)}
			if v.In {
				f.Why = fmt.Sprintf("not opened by it (%s)", o.Pos)
				for _, here := range snippet.Opens(it, g.Values(page.View)) {
					f.Opens = f.Opens || here == o
				}
				if f.Opens && !has(i) { // the page counts, not the gate
					f.Opens, f.Why = false, "missing, though the gate lets it in"
				}
			}
			fact.Fragments = append(fact.Fragments, f)
		}
	}
	return names
}

// follow notes the links of a page to such fragments.
func (fact *Popups) follow(names map[string]bool, from string, src *markup.Source, base func() weburl.Base,
	locate func(int) (line, column int)) {
	if !mentions(src.Text, names) {
		return
	}
	links, _ := markup.Matches(src.Text, fragmentLinks) // one tag answers it
	targets := map[string][]int{}
	for _, at := range links {
		href, _ := src.Attr(at, "href")
		if _, leads, _ := strings.Cut(href, "#"); names[leads] {
			targets[leads] = append(targets[leads], at)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(targets)) {
		for _, at := range targets[name] {
			href, _ := src.Attr(at, "href")
			path, _, _ := strings.Cut(href, "#")
			l := popupLink{Path: from, Fragment: name}
			if path != "" {
				ref, ok := base().Resolve(path)
				if !ok || !ref.Own {
					continue
				}
				l.Path = ref.Page
			}
			l.Line, l.Column = locate(at)
			fact.Links = append(fact.Links, l)
		}
	}
}

// mentions reports whether a text has one of some names behind a "#".
func mentions(text []byte, names map[string]bool) bool {
	for {
		i := bytes.IndexByte(text, '#')
		if i < 0 {
			return false
		}
		text = text[i+1:]
		n := 0
		for n < len(text) && (text[n]|0x20 >= 'a' && text[n]|0x20 <= 'z' ||
			text[n] >= '0' && text[n] <= '9' || strings.IndexByte("._~-", text[n]) >= 0) {
			n++
		}
		if names[string(text[:n])] {
			return true
		}
	}
}

var fragmentLinks = func() *markup.Selector {
	s, err := markup.ParseSelector(`a[href*="#"], area[href*="#"]`)
	if err != nil {
		panic(err) // a constant
	}
	return s
}()

// Unreachable is what the check says of the pages.
func (r *Reach) Unreachable() []check.Finding {
	var out []check.Finding
	r.unreachable(func(at check.PageAt, line, column int, message, remedy string) *check.Finding {
		out = append(out, unreachablePopup.On(at, line, column, "", message, remedy))
		return &out[len(out)-1]
	})
	return out
}
