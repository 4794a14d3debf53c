package audit

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

// gateOf reads a gate file that has no mistake.
func gateOf(t *testing.T, text string) *pageedit.Gate {
	t.Helper()
	f, problems := gatefile.Parse("g.yaml", []byte("yellowgate: 1\n"+text), nil)
	g, more := pageedit.New(f, "2026-11-29")
	if ps := append(problems, more...); len(ps) > 0 {
		t.Fatal(ps)
	}
	return g
}

// pageOf is the audit of a page: source is what the gate gets, and output, made of what it
// writes, what is audited.
func pageOf(g *pageedit.Gate, gate GateSummary, path, source string, output func(string) string) *PageResult {
	known := page.Page{Path: path, File: strings.TrimPrefix(path, "/") + "index.html"}
	result := g.Page([]byte(source), known)
	taken := itemmatch.Take([]byte(output(string(result.File))), known, g, nil)
	has := func(string) bool { return true }
	pass := &check.Pass{Record: taken.Record, Site: check.NewSite(check.Known{HasFile: has, HasPage: has})}
	if !result.Fragment && !taken.Fragment {
		pass.Gated = itemmatch.Compare(taken, result)
	}
	return gate.PageOf(pass, result, pass.Gated)
}

const doc = "<!doctype html><html lang=en><head><meta charset=utf-8><title>%s</title>\n</head><body><p>x</p></body></html>\n"

// TestSum: the pages of a site, written down and read back, come to the same; how items stand,
// what the owner lives with and what is switched off is counted.
func TestSum(t *testing.T) {
	g := gateOf(t, `items:
  note: {code: '<b class=note>n</b>', pages: all}
  kit: {found: '[src="/kit.js"]', pages: none}
  counter: {script: /c.js, pages: /a/, except: /none/}
checks: {viewport-missing: none}
accept: [{check: title-shared, pages: /b/, note: so be it}, {check: leaked-item, pages: /c/, note: theirs}]
`)
	same := func(s string) string { return s }
	without := func(what string) func(string) string {
		return func(s string) string { return strings.Replace(s, what, "", 1) }
	}
	with := func(what string) func(string) string {
		return func(s string) string { return strings.Replace(s, "<p>x</p>", what, 1) }
	}
	prepared := NewGate(g)
	pages := []*PageResult{
		pageOf(g, prepared, "/a/", fmt.Sprintf(doc, "A"), without("<b class=note>n</b>")),
		pageOf(g, prepared, "/b/", fmt.Sprintf(doc, "Same"), with(`<script src=/kit.js></script>`)),
		pageOf(g, prepared, "/c/", fmt.Sprintf(doc, "Same"), with(`<script src=/kit.js></script>`)),
		pageOf(g, prepared, "/d/", "<p>a fragment", same),
	}
	type outcome struct {
		Findings []string
		Totals   Totals
		Items    []string
		Pages    []PageSum
		Numbers  [3]int
	}
	sum := func(pages []*PageResult, noNotes bool) (o outcome) {
		s := NewSiteResult(NewGate(g))
		s.NoNotes = noNotes
		var all []check.Finding
		for _, p := range pages {
			before := len(p.Findings)
			found := s.Add(p)
			if again := s.Again(slices.Clone(p.Findings), p.Lives); !reflect.DeepEqual(again, found) ||
				len(p.Findings) != before {
				t.Errorf("%s: the second time the findings are %v, not %v", p.Path, again, found)
			}
			all = append(all, found...)
		}
		all = append(all, s.OfSite(&check.SitePass{}, []check.Finding{gate.NotApplied("/e/", "e/index.html")})...)
		if noNotes {
			all = slices.DeleteFunc(all, s.DropsNote)
		}
		s.Count(slices.Values(all))
		for _, f := range all {
			if f.Severity != problem.Note && f.Check != "description-missing" && f.Check != "blocking-script" {
				o.Findings = append(o.Findings, fmt.Sprintf("%s %s %s", f.Check, f.Page, f.Item))
			}
		}
		for _, it := range s.Items {
			o.Items = append(o.Items,
				fmt.Sprintf("%s: in %d, present %d, missing %d, leaked %d", it.Item.Name, it.In, it.Present,
					it.Missing, it.Leaked))
		}
		o.Totals, o.Pages, o.Numbers = s.Totals, s.Pages, [3]int{s.Fragments, s.Requests, s.Gathered.Sought}
		return o
	}
	first := sum(pages, false)
	want := outcome{
		Findings: []string{"missing-item /a/ note", "leaked-item /b/ kit", "missing-page /e/ "},
		Items: []string{"note: in 3, present 2, missing 1, leaked 0", "kit: in 0, present 2, missing 0, leaked 2",
			"counter: in 1, present 1, missing 0, leaked 0"},
		Numbers: [3]int{1, 3, 3},
	}
	if !reflect.DeepEqual(first.Findings, want.Findings) || !reflect.DeepEqual(first.Items, want.Items) ||
		first.Numbers != want.Numbers {
		t.Errorf("the pages come to\n%+v, not\n%+v", first, want)
	}
	if first.Totals.Accepted != 2 || first.Totals.Errors != 3 || first.Totals.Notes == 0 ||
		first.Pages[0].Errors != 1 || first.Pages[2].Errors != 0 {
		t.Errorf("counted: %+v, %+v", first.Totals, first.Pages)
	}
	if quiet := sum(pages, true); quiet.Totals != first.Totals || !reflect.DeepEqual(quiet.Findings, first.Findings) {
		t.Errorf("without notes: %+v, not %+v", quiet.Totals, first.Totals)
	}
	var back []*PageResult
	for _, p := range pages {
		text, err := json.Marshal(p)
		if err != nil {
			t.Fatal(err)
		}
		read := &PageResult{}
		if err := json.Unmarshal(text, read); err != nil {
			t.Fatal(err)
		}
		back = append(back, read)
	}
	if second := sum(back, false); !reflect.DeepEqual(second, first) {
		t.Errorf("written down and read back, the pages come to\n%+v, not\n%+v", second, first)
	}
}

// TestUnknownFact: a fact of a kind that this version does not know is an error, not a silence.
func TestUnknownFact(t *testing.T) {
	for _, text := range []string{`{"facts":{"no-such":{}}}`, `{"facts":{"title":3}}`, `{"facts":[]}`} {
		if err := json.Unmarshal([]byte(text), &PageResult{}); err == nil {
			t.Errorf("%s was read", text)
		}
	}
}

// TestCount: findings count for their page; those of no page count in all.
func TestCount(t *testing.T) {
	pages := []PageSum{{Path: "/a/", Errors: 7}, {Path: "/b/"}}
	totals := Count(pages,
		slices.Values(
			[]check.Finding{{Severity: problem.Error, Page: "/a/"}, {Severity: problem.Warning, Page: "/b/"},
				{Severity: problem.Note, Page: "/b/"}, {Severity: problem.Error}}))
	if totals != (Totals{Errors: 2, Warnings: 1, Notes: 1}) || pages[0].Errors != 1 || pages[1].Warnings != 1 ||
		pages[1].Notes != 1 {
		t.Errorf("%+v, %+v", totals, pages)
	}
}
