package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Survey writes an inventory of a folder.
func (p *Printer) Survey(s *result.Survey, verbose bool) {
	fragments := ""
	if s.Fragments > 0 {
		fragments = fmt.Sprintf(", %s (no pages of their own)", wording.Count(s.Fragments, "fragment"))
	}
	p.Heading("%s: %s of %s%s", s.Dir, wording.Count(s.Pages, "page"), wording.Size(s.Bytes), fragments)
	t := &table{right: map[int]bool{0: true, 2: true, 3: true}, wide: []int{5, 4}}
	p.surveyLoads(t, s, verbose)
	p.surveyMedia(t, s, verbose)
	p.table(t)
	if len(s.Loads) == 0 {
		p.Line("  %s", p.dim.Render("no page loads anything"))
	}
	if s.Browser != nil {
		p.surveyBrowser(s.Browser, verbose)
	}
}

// surveyLoads adds what pages load, by whose it is.
func (p *Printer) surveyLoads(t *table, s *result.Survey, verbose bool) {
	titles := map[string]string{
		"own":    "The site's own files",
		"third":  "Third parties",
		"inline": "Inline, in the pages",
	}
	limit := 15
	if verbose {
		limit = len(s.Loads)
	}
	named := ""
	rows := map[string]int{}
	for _, l := range s.Loads {
		rows[l.Party]++
		if l.Item != "" {
			named = "item"
		}
	}
	for _, party := range []string{"own", "third", "inline"} {
		if rows[party] == 0 {
			continue
		}
		t.section(fmt.Sprintf("%s: %d", titles[party], rows[party]))
		t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("bytes"), p.dim.Render("gzip"),
			p.dim.Render("how it runs"), p.dim.Render("name"), p.dim.Render(named))
		shown := 0
		for _, l := range s.Loads {
			if l.Party != party {
				continue
			}
			if shown++; shown > limit {
				t.remark(fmt.Sprintf("… and %d more: --verbose shows them", rows[party]-limit))
				break
			}
			target := Clean(l.Target)
			if l.Dead {
				target = p.bad.Render(target) + p.bad.Render("  (no such file)")
			}
			t.add(p.num.Render(fmt.Sprint(l.Pages)), l.Tag, wording.Size(int64(l.Bytes)), wording.Size(int64(l.Gzip)),
				p.how(l), target, p.name.Render(l.Item))
		}
	}
}

// surveyMedia adds what pages show and play: a line for each kind, or all of it.
func (p *Printer) surveyMedia(t *table, s *result.Survey, verbose bool) {
	if len(s.Media) == 0 {
		return
	}
	var kinds []inventory.Subtotal
	for _, l := range s.Media {
		i := slices.IndexFunc(kinds, func(x inventory.Subtotal) bool { return x.Kind == l.Kind })
		if i < 0 {
			i = len(kinds)
			kinds = append(kinds, inventory.Subtotal{Kind: l.Kind})
		}
		k := &kinds[i]
		k.Files++
		k.Bytes += l.Bytes
		if l.Party == "third" {
			k.Third++
		}
		if l.Dead {
			k.Dead++
		}
	}
	t.section("Shown and played")
	slices.SortFunc(kinds,
		func(a, b inventory.Subtotal) int { return cmp.Or(b.Bytes-a.Bytes, strings.Compare(a.Kind, b.Kind)) })
	for i := range kinds {
		k := &kinds[i]
		t.add("", "", wording.Size(int64(k.Bytes)), "", "",
			fmt.Sprintf("%s: %s%s", k.Kind, wording.Count(k.Files, "file"), p.besides(k)), "")
	}
	if !verbose {
		t.remark("--verbose lists each")
		return
	}
	for _, l := range s.Media {
		target := Clean(l.Target)
		if l.Dead {
			target = p.bad.Render(target) + p.bad.Render("  (no such file)")
		}
		t.add(p.num.Render(fmt.Sprint(l.Pages)), l.Tag, wording.Size(int64(l.Bytes)), wording.Size(int64(l.Gzip)),
			p.how(l), target, "")
	}
}

func (p *Printer) how(l *result.Load) string {
	var parts []string
	for _, k := range []string{"blocking", "defer", "async", "module"} {
		n := l.Runs[k]
		if n == 0 {
			continue
		}
		s := k
		if n != l.Times {
			s = fmt.Sprintf("%s ×%d", k, n)
		}
		if k == "blocking" {
			s = p.warn.Render(s)
		}
		parts = append(parts, s)
	}
	area := ""
	switch {
	case l.Area["body"] == 0:
		area = "head"
	case l.Area["head"] == 0:
		area = "body"
	default:
		area = fmt.Sprintf("head ×%d, body ×%d", l.Area["head"], l.Area["body"])
	}
	if l.By != "" {
		area = "by " + Clean(l.By)
	}
	return strings.Join(append(parts, p.dim.Render(area)), ", ")
}

// surveyBrowser writes what a browser asks for on the pages of a survey.
func (p *Printer) surveyBrowser(b *result.SurveyBrowser, verbose bool) {
	p.Heading("in a browser (%s): %s, %s over the wire", strings.Join(b.Screens, ", "),
		wording.Count(b.Requests, "request"), wording.Size(b.Wire))
	list := func(title string, all []*result.Requested, why bool) {
		if len(all) == 0 {
			return
		}
		p.Line("  %s", p.name.Render(fmt.Sprintf("%s: %d", title, len(all))))
		t := &table{right: map[int]bool{0: true, 2: true}, wide: []int{5, 3}}
		t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("wire"), p.dim.Render("name"),
			p.dim.Render(map[bool]string{true: "why"}[why]), p.dim.Render("requested by"), p.dim.Render("item"))
		for i, a := range all {
			if i == 15 && !verbose {
				t.remark(fmt.Sprintf("… and %d more: --verbose shows them", len(all)-i))
				break
			}
			wire := "–"
			if a.Wire > 0 {
				wire = wording.Size(a.Wire)
			}
			t.add(p.num.Render(fmt.Sprint(a.Pages)), a.Kind, wire, Clean(a.Target), p.bad.Render(a.Why), Clean(a.By),
				p.name.Render(a.Item))
		}
		p.table(t)
	}
	list("Only scripts request", b.Scripts, false)
	list("Failed requests", b.Failed, true)
	if len(b.Never) > 0 {
		p.Line("  %s",
			p.name.Render(fmt.Sprintf("In the pages' text, and never requested by the browser: %d", len(b.Never))))
		limit := 12
		if verbose {
			limit = len(b.Never)
		}
		p.wrap(b.Never, limit)
	}
	if len(b.Unread) > 0 {
		p.Line("  %s", p.bad.Render(wording.Count(len(b.Unread), "page")+" could not be read"))
		p.wrap(b.Unread, 12)
	}
}
