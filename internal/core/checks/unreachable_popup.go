package checks

import (
	"bytes"
	"fmt"
	"strings"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
)

var unreachablePopup = &Check{
	Name: "unreachable-popup", Family: "popups", Severity: gatefile.Error,
	Title: "a link to a popup leads to a page that does not have it",
	Doc: `The link's fragment opens a popup, and on the page that it leads to the gate keeps the
popup out, so nothing happens for whoever follows it. Let the popup in there, or let
the link lead to a page that has it.`,
	Bad:  "-- yellowgate.yaml --\nitems:\n  night-letter: {popup: <p>The letter</p>, label: Letter, open: {fragment: night-letter}, pages: /}\n-- site/index.html --\n<p>Tern Hill</p>\n-- site/visit/index.html --\n<a href=\"#night-letter\">The night letter</a>",
	Good: "-- yellowgate.yaml --\nitems:\n  night-letter: {popup: <p>The letter</p>, label: Letter, open: {fragment: night-letter}, pages: /}\n-- site/index.html --\n<p>Tern Hill</p>\n-- site/visit/index.html --\n<a href=\"/#night-letter\">The night letter</a>",
	Page: keepLinks,
	Site: func(s *SitePass) {
		at := map[string]*Kept{}
		for i := range s.Pages {
			at[page.Key(s.Pages[i].Path)] = &s.Pages[i]
		}
		for i := range s.Pages {
			from := &s.Pages[i]
			for _, l := range from.Links {
				target := at[page.Key(l.Path)]
				if target == nil {
					continue // a link to nowhere is another matter
				}
				for _, f := range target.Fragments {
					if f.Name != l.Fragment || f.Opens {
						continue
					}
					where := "this page"
					if target != from {
						where = target.Path
					}
					s.Report(from, l.Line, l.Column, fmt.Sprintf("the link to #%s opens nothing: on %s, item %q is %s", l.Fragment, where, f.Item, f.Why),
						fmt.Sprintf("let %q in there, or link to a page that has it; yellowgate where %s lists them", f.Item, f.Item))
				}
			}
		}
	},
}

// A Link is a link of a page to a fragment that opens a popup somewhere.
type Link struct {
	Path, Fragment string
	Line, Column   int
}

// A Fragment is what a fragment does on a page.
type Fragment struct {
	Name, Item string
	Opens      bool
	Why        string // it does not
}

// keepLinks keeps what the whole site is asked about popups.
func keepLinks(p *Pass) {
	if p.Gated == nil {
		return
	}
	names := map[string]bool{}
	for i, it := range p.Gated.Gate.File.Items {
		for _, o := range it.Opens {
			if o.How != "fragment" {
				continue
			}
			names[o.Value] = true
			v := &p.Gated.Result.Verdicts[i]
			f := Fragment{Name: o.Value, Item: it.Name, Why: fmt.Sprintf("out (%s, %s)", v.Reason, v.Rule)}
			if v.In {
				f.Why = fmt.Sprintf("not opened by it (%s)", o.Pos)
				for _, here := range compose.Opens(it, p.Gated.Gate.Values(p.Gated.Result.View)) {
					f.Opens = f.Opens || here == o
				}
				if f.Opens && p.Gated.Items[i].Copies() == 0 { // the page counts, not the gate
					f.Opens, f.Why = false, "missing, though the gate lets it in"
				}
			}
			p.kept.Fragments = append(p.kept.Fragments, f)
		}
	}
	for name := range names {
		if !bytes.Contains(p.Source.Text, []byte("#"+name)) {
			continue
		}
		links, _ := markup.Matches(p.Source.Text, fragmentLinks) // one tag answers it
		for _, at := range links {
			href, _ := p.Source.Attr(at, "href")
			path, fragment, _ := strings.Cut(href, "#")
			if fragment != name {
				continue
			}
			l := Link{Path: p.Path, Fragment: fragment}
			if path != "" {
				ref, ok := p.Base.Resolve(path)
				if !ok || !ref.Own {
					continue
				}
				l.Path = ref.Path
			}
			l.Line, l.Column = markup.NewLocator(p.Source.Text).Locate(at)
			p.kept.Links = append(p.kept.Links, l)
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

// Unreachable runs that check alone, on pages that are not written yet: Keep for
// each, then this for all.
func Unreachable(pages []Kept) []Finding {
	s := &SitePass{Pages: pages, check: unreachablePopup}
	unreachablePopup.Site(s)
	return s.findings
}

// Keep returns what Unreachable asks of a page.
func Keep(p *Pass) Kept {
	p.kept = Kept{Path: p.Path, File: p.File}
	keepLinks(p)
	return p.kept
}
