package loading

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var doubleLoad = &check.Check{
	Name: "double-load", Family: "loading", Severity: problem.Warning,
	Title: "the page loads one file twice",
	Doc: `A script that is loaded twice runs twice: counters count double, handlers fire double.
A stylesheet loaded twice is wasted work. Mostly two add-ons each bring their
own copy. Keep one. An audit with --browser also reports what scripts load again.`,
	Bad:  "<script src=\"/js/site.js\" defer></script>\n<script src=\"/js/site.js\" defer></script>",
	Good: "<script src=\"/js/site.js\" defer></script>",
	Page: func(p *check.Pass) {
		first := map[string]int{}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || !e.IsScript() && !e.IsStylesheet() {
				continue
			}
			key := e.Tag + " " + e.Ref.URL
			if e.Tag == "link" {
				key += " " + strings.ToLower(strings.TrimSpace(e.Media)) // one for the screen and one for print are two
			}
			if j, dup := first[key]; dup {
				if e.Item == p.Elements[j].Item && check.IsRepeated(p, e.Item) {
					continue // repeated-item reports it
				}
				p.At(e, fmt.Sprintf("%s is loaded a second time, first in line %d", e.URL, p.Elements[j].Line),
					"keep one of them")
				continue
			}
			first[key] = i
		}
		for _, m := range p.Again {
			p.Report(m.Line, 1, "",
				fmt.Sprintf("this code loads %s, which other code of the page has loaded already", m.Target),
				"keep one of the two")
		}
		reportLoadedAgain(p)
		reportSameContent(p)
	},
}

// reportLoadedAgain reports what a script loads in the browser though the page has it already.
func reportLoadedAgain(p *check.Pass) {
	for _, r := range p.Visits() {
		if r.Left() {
			continue
		}
		first := map[string]*pageload.DOMElement{}
		for i := range r.Elements {
			e := &r.Elements[i]
			if e.Target == "" || e.Party == "inline" || e.Area == "shadow" || // each shadow tree has its own
				e.Tag != "script" && !(e.Tag == "link" && markup.HasRel(e.What, "stylesheet")) {
				continue
			}
			had := first[e.Tag+" "+e.Target]
			if had == nil {
				first[e.Tag+" "+e.Target] = e
				continue
			}
			if by := r.Places(cmp.Or(e.By, had.By)); e.Came == "script" || had.Came == "script" {
				p.AtTarget(e.Target, e.Item, fmt.Sprintf("%s is loaded a second time, by %s", e.Target, by),
					"keep one of the two")
			}
		}
	}
}

// reportSameContent reports two files of the site with one content: a warning, since
// somebody may mean it.
func reportSameContent(p *check.Pass) {
	if p.Site == nil || p.Site.Read == nil {
		return
	}
	var files []*inventory.Element
	seen := map[string]bool{}
	for i := range p.Elements {
		e := &p.Elements[i]
		if !check.Own(e) || !e.Loads || e.Party != "own" || !e.IsScript() && !e.IsStylesheet() || e.Bytes == 0 ||
			seen[e.Tag+e.Ref.Path] {
			continue
		}
		seen[e.Tag+e.Ref.Path] = true
		twin := slices.IndexFunc(files, func(f *inventory.Element) bool {
			return f.Tag == e.Tag && f.Bytes == e.Bytes && f.Ref.Path != e.Ref.Path &&
				isSameFile(p, f.Ref.Path, e.Ref.Path)
		})
		if twin < 0 {
			files = append(files, e)
			continue
		}
		what := fmt.Sprintf("%s has the same content as %s, which line %d loads", e.URL, files[twin].URL, files[twin].Line)
		p.At(e, what, "keep one of them").Severity = problem.Warning
	}
}

// isSameFile reports whether two files of the site have the same bytes.
func isSameFile(p *check.Pass, one, other string) bool {
	a, ok := p.Site.Read(one)
	b, also := p.Site.Read(other)
	return ok && also && bytes.Equal(a, b)
}
