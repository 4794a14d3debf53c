package report

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Show writes the inventory of one page, in order.
func (p *Printer) Show(r *result.Show, verbose bool) {
	rec := r.Record
	from := map[string]string{"output": "as applied", "next": "as apply would write it",
		"source": "the source, before the gate", "file": "a page by itself",
		"address": "as the server sends it"}[r.From]
	if r.Notice != "" {
		p.Line("%s", p.warn.Render(r.Notice))
	}
	title := rec.Title
	if title == "" {
		title = "no title"
	}
	p.Heading("%s  %s", rec.Path, Clean(title))
	extra := ""
	if rec.Fragment {
		extra = ", a fragment"
	}
	if rec.Frameset {
		extra += ", with a frameset"
	}
	p.Line("  %s",
		p.dim.Render(
			fmt.Sprintf("%s, %s, %s, %s%s", rec.File, from, wording.Size(int64(rec.Bytes)), rec.Encoding, extra)))
	p.answer(rec.Answer)
	t := &table{right: map[int]bool{0: true, 4: true, 5: true}, wide: []int{2, 6}}
	for _, area := range []string{inventory.HeaderArea, "head", "body"} {
		list := slices.Concat(rec.Elements, rec.Extras)
		slices.SortStableFunc(list, func(a, b inventory.Element) int { return a.Offset - b.Offset })
		if area == inventory.HeaderArea {
			if list = rec.Header; len(list) == 0 {
				continue
			}
		}
		t.section(area)
		rows := len(t.rows)
		for i := range list {
			if e := &list[i]; e.Area == area {
				if len(t.rows) == rows {
					t.add(p.dim.Render("line"), "", p.dim.Render("what"), p.dim.Render("runs"), p.dim.Render("bytes"),
						p.dim.Render("gzip"), p.dim.Render("item"))
				}
				t.add(p.element(e)...)
				for _, m := range e.Gets() {
					t.add(p.imported(e, &m)...)
				}
			}
		}
		if len(t.rows) == rows {
			t.remark("nothing loads or describes anything here")
		}
	}
	p.media(t, rec, verbose)
	p.table(t)
	sum := rec.Cost()
	p.Line("")
	p.Line("%s, %s of them blocking, %s (%s compressed), %s", wording.Count(sum.Requests, "request"),
		p.warn.Render(fmt.Sprint(sum.Blocking)), wording.Size(int64(sum.Loaded+sum.Inline)),
		wording.Size(int64(sum.LoadedGzip+sum.InlineGzip)), thirdParties(sum.ThirdParties))
}

// answer writes what the server said of a page.
func (p *Printer) answer(a *page.Answer) {
	if a == nil {
		return
	}
	p.Heading("the server's answer: %d", a.Status)
	t := &table{wide: []int{1}}
	for _, name := range page.Meaningful {
		for _, line := range a.Fields[name] {
			t.add(p.dim.Render(name), Clean(line))
		}
	}
	p.table(t)
}

// media adds what the page shows and plays: a line for each kind, or all of it.
func (p *Printer) media(t *table, rec *inventory.Record, verbose bool) {
	sums := rec.MediaSums()
	if len(sums) == 0 {
		return
	}
	t.section("shown and played")
	for _, s := range sums {
		t.add("", "", fmt.Sprintf("%s: %s%s", s.Kind, wording.Count(s.Files, "file"), p.besides(&s)), "",
			wording.Size(int64(s.Bytes)), "", "")
	}
	if !verbose {
		t.remark("--verbose lists each")
		return
	}
	for i := range rec.Media {
		e := &rec.Media[i]
		t.add(p.element(e)...)
		for _, m := range e.Brings {
			t.add(p.imported(e, &m)...)
		}
	}
	for i := range rec.Elements {
		e := &rec.Elements[i]
		for _, m := range e.Files {
			t.add(p.imported(e, &m)...)
		}
	}
}

// besides says what is special about some of the files of a kind.
func (p *Printer) besides(s *inventory.Subtotal) string {
	var out []string
	add := func(n int, style func(...string) string, what string) {
		if n > 0 {
			out = append(out, style(fmt.Sprintf("%d %s", n, what)))
		}
	}
	add(s.Third, p.note.Render, "of third parties")
	add(s.Dead, p.bad.Render, "that the site does not have")
	add(s.NoScript, p.dim.Render, "only without scripts")
	if len(out) == 0 {
		return ""
	}
	return ", " + strings.Join(out, ", ")
}

func thirdParties(n int) string {
	switch n {
	case 0:
		return "no third party"
	case 1:
		return "1 third party"
	}
	return fmt.Sprintf("%d third parties", n)
}

// imported is the line of a file that the file or text above it imports.
func (p *Printer) imported(e *inventory.Element, m *inventory.Import) []string {
	what := p.dim.Render(m.How()+" ") + Clean(m.Written())
	switch {
	case m.Party == "third":
		what += p.note.Render("  third party")
	case m.Dead:
		what += p.bad.Render("  (no such file)")
	}
	if m.By != "" && m.By != e.Target {
		what += p.dim.Render("  by " + Clean(m.By))
	}
	line := ""
	if m.Tag != "" && m.By == "" {
		line = p.dim.Render(fmt.Sprint(m.Line))
	}
	return []string{line, "", what, "", wording.Size(int64(m.Bytes)), wording.Size(int64(m.Gzip)), ""}
}

func (p *Printer) element(e *inventory.Element) []string {
	what := Clean(e.Label)
	switch {
	case e.URL != "" && e.Tag == "link":
		what = Clean(e.Label + " " + e.URL)
	case e.URL != "":
		what = Clean(e.URL)
	case e.Extra:
		what = Clean(cut(e.Label))
	case e.Tag == "script" || e.Tag == "style":
		what = strings.TrimSpace("inline " + Clean(e.Label))
	}
	switch {
	case e.Party == "third":
		what += p.note.Render("  third party")
	case e.Dead:
		what += p.bad.Render("  (no such file)")
	}
	if e.Inside != "" {
		what += p.dim.Render("  in " + e.Inside)
	}
	runs := e.Runs
	if runs == "blocking" {
		runs = p.warn.Render(runs)
	}
	item := ""
	if e.Item != "" {
		item = p.name.Render(e.Item)
	}
	tag := e.Tag
	if e.Pixel {
		tag = "pixel"
	}
	line := ""
	if e.Line > 0 {
		line = p.dim.Render(fmt.Sprint(e.Line))
	}
	return []string{line, tag, what, runs, wording.Size(int64(e.Bytes)), wording.Size(int64(e.Gzip)), item}
}
