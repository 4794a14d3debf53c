package report

import (
	"fmt"
	"sort"
	"strings"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/output"
	"yellowgate/internal/run"
)

// Check writes what check found.
func (p *Printer) Check(r *run.CheckResult, verbose bool) {
	p.Problems(r.Problems, verbose)
	e, w, n := Counts(r.Problems)
	g := r.Project.Gate.File
	title := g.File
	if g.Site.Name.Value != "" {
		title = g.Site.Name.Value + ", " + g.File
	}
	p.Heading("%s: %s on %s", title, plural(len(g.Items), "item"), plural(r.Pages, "page"))
	t := &table{right: map[int]bool{1: true}, wide: []int{3, 2}}
	t.add(p.dim.Render("item"), p.dim.Render("in on"), p.dim.Render("pages"))
	for _, c := range r.Tally {
		where := p.in.Render(fmt.Sprint(c.In))
		if c.In == 0 {
			where = p.out.Render("0")
		}
		detail := ""
		if len(c.Item.Found) > 0 {
			detail = fmt.Sprintf("found in the source of %s", plural(c.Found, "page"))
		}
		t.add(p.name.Render(c.Item.Name), where, run.ChosenBy(c.Item), p.dim.Render(detail))
	}
	p.table(t)
	p.Line("")
	switch {
	case e > 0:
		p.Line("%s", p.bad.Render(fmt.Sprintf("%s: apply would write nothing.", plural(e, "error"))))
	case w > 0:
		p.Line("%s The gate file can be applied.", p.warn.Render(plural(w, "warning")+"."))
	default:
		p.Line("%s The gate file can be applied.", p.in.Render("No errors, no warnings."))
	}
	if n > 0 && !verbose {
		p.Line("%s", p.dim.Render(plural(n, "note")+": --verbose shows them."))
	}
}

// Survey writes an inventory of a folder.
func (p *Printer) Survey(s *run.SurveyResult, verbose bool) {
	fragments := ""
	if s.Fragments > 0 {
		fragments = fmt.Sprintf(", %s (no pages of their own)", plural(s.Fragments, "fragment"))
	}
	p.Heading("%s: %s of %s%s", s.Dir, plural(s.Pages, "page"), size(s.Bytes), fragments)
	titles := map[string]string{"own": "The site's own files", "third": "Third parties", "inline": "Inline, in the pages"}
	limit := 15
	if verbose {
		limit = len(s.Loads)
	}
	t := &table{right: map[int]bool{0: true, 2: true, 3: true}, wide: []int{5, 4}}
	named := ""
	for _, l := range s.Loads {
		if l.Item != "" {
			named = "item"
		}
	}
	for _, party := range []string{"own", "third", "inline"} {
		rows := 0
		for _, l := range s.Loads {
			if l.Party == party {
				rows++
			}
		}
		if rows == 0 {
			continue
		}
		t.section(fmt.Sprintf("%s: %d", titles[party], rows))
		t.add(p.dim.Render("pages"), p.dim.Render("what"), p.dim.Render("bytes"), p.dim.Render("gzip"), p.dim.Render("how it runs"), p.dim.Render("name"), p.dim.Render(named))
		shown := 0
		for _, l := range s.Loads {
			if l.Party != party {
				continue
			}
			if shown++; shown > limit {
				t.remark(fmt.Sprintf("… and %d more: --verbose shows them", rows-limit))
				break
			}
			target := Clean(l.Target)
			if l.Dead {
				target = p.bad.Render(target) + p.bad.Render("  (no such file)")
			}
			t.add(p.num.Render(fmt.Sprint(l.Pages)), l.Tag, size(int64(l.Bytes)), size(int64(l.Gzip)), p.how(l), target, p.name.Render(l.Item))
		}
	}
	p.table(t)
	if len(s.Loads) == 0 {
		p.Line("  %s", p.dim.Render("no page loads anything"))
	}
}

func (p *Printer) how(l *run.Load) string {
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
	return strings.Join(append(parts, p.dim.Render(area)), ", ")
}

// Show writes the inventory of one page, in order.
func (p *Printer) Show(r *run.ShowResult) {
	rec := r.Record
	from := map[string]string{"output": "as applied", "next": "as apply would write it", "source": "the source, before the gate", "file": "a page by itself"}[r.From]
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
	p.Line("  %s", p.dim.Render(fmt.Sprintf("%s, %s, %s, %s%s", rec.File, from, size(int64(rec.Bytes)), rec.Encoding, extra)))
	t := &table{right: map[int]bool{0: true, 4: true, 5: true}, wide: []int{2, 6}}
	for _, area := range []string{"head", "body"} {
		t.section(area)
		rows := len(t.rows)
		for i := range rec.Elements {
			if e := &rec.Elements[i]; e.Area == area {
				if len(t.rows) == rows {
					t.add(p.dim.Render("line"), "", p.dim.Render("what"), p.dim.Render("runs"), p.dim.Render("bytes"), p.dim.Render("gzip"), p.dim.Render("item"))
				}
				t.add(p.element(e)...)
			}
		}
		if len(t.rows) == rows {
			t.remark("nothing loads or describes anything here")
		}
	}
	p.table(t)
	sum := run.TotalsOf(rec)
	p.Line("")
	p.Line("%s, %s blocking, %s (%s compressed), %s", plural(sum.Requests, "request"), p.warn.Render(fmt.Sprint(sum.Blocking)), size(int64(sum.Bytes)), size(int64(sum.Gzip)), thirdParties(sum.ThirdParties))
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

func (p *Printer) element(e *inventory.Element) []string {
	what := Clean(e.Label)
	switch {
	case e.URL != "" && e.Tag == "link":
		what = Clean(e.Label + " " + e.URL)
	case e.URL != "":
		what = Clean(e.URL)
	case e.Tag == "script" || e.Tag == "style":
		what = strings.TrimSpace("inline " + Clean(e.Label))
	}
	if e.Party == "third" {
		what += p.note.Render("  third party")
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
	return []string{p.dim.Render(fmt.Sprint(e.Line)), e.Tag, what, runs, size(int64(e.Bytes)), size(int64(e.Gzip)), item}
}

// WhyItem writes a verdict and its trace.
func (p *Printer) WhyItem(w *run.WhyItem) {
	p.Heading("%s on %s", w.Item, w.Page)
	p.Line("  %s", p.verdict(w.Because))
	if w.Verdict == "in" && w.Present == 0 {
		p.Line("  %s", p.dim.Render("in means that it may stay here; the page's source has none of it"))
	}
	if w.Note != "" {
		p.Line("  note: %s", Clean(w.Note))
	}
	p.Heading("how it was decided")
	t := &table{wide: []int{2}}
	for _, s := range w.Steps {
		mark, detail := p.dim.Render("no"), p.dim.Render(Clean(s.Detail))
		if s.Holds {
			mark, detail = p.in.Render("yes"), Clean(s.Detail)
		}
		at := ""
		if s.Rule.Line > 0 && (s.Holds || s.Condition == "except" || s.Condition == "pages") {
			at = p.dim.Render(fmt.Sprintf("%s:%d", s.Rule.File, s.Rule.Line))
		}
		t.add(mark, s.Condition, detail, at)
	}
	p.table(t)
	p.Heading("what it carries")
	for _, part := range w.Parts {
		p.Line("  %s", Clean(part))
	}
	p.Heading("what would change it")
	for _, c := range w.Change {
		p.Line("  %s", Clean(c))
	}
}

// verdict colours the word a sentence begins with.
func (p *Printer) verdict(s string) string {
	if rest, ok := strings.CutPrefix(s, "in,"); ok {
		return p.in.Render("in") + "," + Clean(rest)
	}
	if rest, ok := strings.CutPrefix(s, "out,"); ok {
		return p.bad.Render("out") + "," + Clean(rest)
	}
	return Clean(s)
}

// WhyKey writes all values of a metadata key, and the winner.
func (p *Printer) WhyKey(w *run.WhyKey) {
	p.Heading("%s of %s", w.Key, w.Page)
	if len(w.Values) == 0 {
		p.Line("  %s", p.dim.Render("nothing gives the page one"))
		return
	}
	t := &table{wide: []int{2}}
	for _, v := range w.Values {
		mark := "  "
		value := Clean(v.Value)
		if v.Wins {
			mark = p.in.Render("wins")
		} else {
			value = p.dim.Render(value)
		}
		at := ""
		if v.Rule.Line > 0 {
			at = p.dim.Render(fmt.Sprintf("%s:%d", v.Rule.File, v.Rule.Line))
		}
		if v.Remark != "" {
			value = strings.TrimSpace(value + "  " + p.dim.Render("("+Clean(v.Remark)+")"))
		}
		t.add(mark, v.From, value, at)
	}
	p.table(t)
}

// Where writes where one item is.
func (p *Printer) Where(w *run.WhereItem, verbose bool) {
	p.Heading("%s is on %d of %s", w.Item, len(w.In), plural(w.Pages, "page"))
	for _, part := range w.Parts {
		p.Line("  %s", Clean(part))
	}
	if w.Note != "" {
		p.Line("  note: %s", Clean(w.Note))
	}
	if len(w.Needs) > 0 {
		p.Line("  needs %s", strings.Join(w.Needs, ", "))
	}
	if len(w.NeededBy) > 0 {
		p.Line("  needed by %s", strings.Join(w.NeededBy, ", "))
	}
	if w.Absent > 0 {
		p.Line("  %s", p.dim.Render(fmt.Sprintf("it may stay on %s more, whose source has none of it", plural(w.Absent, "page"))))
	}
	p.grouped("in", p.in.Render("in"), w.In, verbose)
	p.grouped("out", p.bad.Render("out"), w.Out, verbose)
}

// grouped writes pages with one reason together.
func (p *Printer) grouped(word, colored string, pages []run.WherePage, verbose bool) {
	if len(pages) == 0 {
		return
	}
	p.Heading("%s: %d", word, len(pages))
	var order []string
	by := map[string][]string{}
	for _, x := range pages {
		why := strings.TrimPrefix(x.Because, word+", ")
		if _, ok := by[why]; !ok {
			order = append(order, why)
		}
		by[why] = append(by[why], x.Page)
	}
	for _, why := range order {
		p.Line("  %s", p.dim.Render(Clean(why)))
		names := by[why]
		limit := 12
		if verbose {
			limit = len(names)
		}
		p.wrap(names, limit)
	}
}

// wrap writes names in lines that fit the terminal.
func (p *Printer) wrap(names []string, limit int) {
	width := p.Width
	if width == 0 {
		for _, n := range names {
			p.Line("    %s", Clean(n))
		}
		return
	}
	line := "   "
	for i, n := range names {
		if i == limit {
			p.Line("%s", line)
			p.Line("    %s", p.dim.Render(fmt.Sprintf("and %d more: --verbose shows them", len(names)-limit)))
			return
		}
		if len(line)+len(n)+2 > width && line != "   " {
			p.Line("%s", line)
			line = "   "
		}
		line += " " + Clean(n)
	}
	p.Line("%s", line)
}

// WhereAll writes all items with their counts.
func (p *Printer) WhereAll(lines []run.WhereLine, pages int) {
	p.Heading("%s, %s", plural(len(lines), "item"), plural(pages, "page"))
	t := &table{right: map[int]bool{0: true, 1: true}, wide: []int{5, 4}}
	t.add(p.dim.Render("on"), p.dim.Render("taken out"), p.dim.Render("item"), p.dim.Render("carries"), p.dim.Render("pages"), p.dim.Render("note"))
	for _, l := range lines {
		gone := ""
		if l.Gone > 0 {
			gone = fmt.Sprint(l.Gone)
		}
		on := p.in.Render(fmt.Sprint(l.In))
		if l.In == 0 {
			on = p.out.Render("0")
		}
		t.add(on, gone, p.name.Render(l.Item), l.Kind, Clean(l.Pages), p.dim.Render(Clean(l.Note)))
	}
	p.table(t)
}

// Pages writes the pages that a query chose.
func (p *Printer) Pages(lines []run.PageLine, query string, why bool) {
	if query == "" {
		query = "all pages"
	}
	p.Heading("%s: %s", query, plural(len(lines), "page"))
	if len(lines) == 0 {
		return
	}
	t := &table{wide: []int{1, 3, 2}}
	head := []string{"path", "title", "sets", "items"}
	if why {
		head = []string{"path", "title", "chosen by"}
	}
	for i := range head {
		head[i] = p.dim.Render(head[i])
	}
	t.add(head...)
	for _, l := range lines {
		if why {
			t.add(p.name.Render(Clean(l.Path)), Clean(l.Title), Clean(l.Branch))
			continue
		}
		t.add(p.name.Render(Clean(l.Path)), Clean(l.Title), strings.Join(l.Sets, " "), p.dim.Render(strings.Join(l.Items, " ")))
	}
	p.table(t)
}

// Fields writes the words that queries can use.
func (p *Printer) Fields(lines []run.FieldLine) {
	titles := map[string]string{"field": "Fields", "meta": "Metadata of the pages", "fact": "Facts", "set": "Page sets"}
	for _, kind := range []string{"field", "meta", "fact", "set"} {
		t := &table{right: map[int]bool{1: true}, wide: []int{2}}
		for _, l := range lines {
			if l.Kind == kind {
				t.add(p.name.Render(l.Name), p.dim.Render(fmt.Sprintf("on %d", l.Pages)), Clean(l.Example))
			}
		}
		if len(t.rows) > 0 {
			p.Heading("%s", titles[kind])
			p.table(t)
		}
	}
	p.Heading("And")
	p.Line("  all, none, globs such as /events/*, has(SELECTOR); and, or, not, parentheses")
}

// Apply writes what an apply did.
func (p *Printer) Apply(s *output.Summary, folder string) {
	changed := s.Written + s.Copied + s.Removed
	if changed == 0 {
		p.Line("%s %s is up to date: %s.", p.in.Render("✓"), folder, plural(s.Pages, "page"))
		return
	}
	parts := []string{plural(s.Written, "page") + " written"}
	if s.Copied > 0 {
		parts = append(parts, plural(s.Copied, "other file")+" copied")
	}
	if s.Removed > 0 {
		parts = append(parts, plural(s.Removed, "file")+" removed")
	}
	if s.Unchanged > 0 {
		parts = append(parts, fmt.Sprintf("%d left as they were", s.Unchanged))
	}
	p.Line("%s %s: %s.", p.in.Render("✓"), folder, strings.Join(parts, ", "))
	if s.Fragments > 0 {
		p.Line("  %s", p.dim.Render(plural(s.Fragments, "fragment")+" copied as they are: files of HTML that are no pages"))
	}
}

// Diff writes what apply would change.
func (p *Printer) Diff(d *run.DiffResult, summary bool) {
	if len(d.Items) > 0 {
		p.Heading("items")
		t := &table{wide: []int{2}}
		for _, it := range d.Items {
			if len(it.Gained) > 0 {
				t.add(p.name.Render(it.Item), p.in.Render(fmt.Sprintf("+%d", len(it.Gained))), list(it.Gained, 6))
			}
			if len(it.Lost) > 0 {
				t.add(p.name.Render(it.Item), p.bad.Render(fmt.Sprintf("-%d", len(it.Lost))), list(it.Lost, 6))
			}
		}
		p.table(t)
	}
	if !summary {
		for _, x := range d.Pages {
			if x.New {
				p.Line("")
				p.Line("%s", p.dim.Render("new: "+x.File))
				continue
			}
			p.Line("")
			for line := range strings.Lines(x.Unified) {
				line = strings.TrimRight(line, "\r\n")
				switch {
				case strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "---"):
					p.Line("%s", p.head.Render(Clean(line)))
				case strings.HasPrefix(line, "+"):
					p.Line("%s", p.in.Render(Clean(line)))
				case strings.HasPrefix(line, "-"):
					p.Line("%s", p.bad.Render(Clean(line)))
				case strings.HasPrefix(line, "@@"):
					p.Line("%s", p.note.Render(Clean(line)))
				default:
					p.Line("%s", Clean(line))
				}
			}
		}
	}
	p.Line("")
	when := "nothing was applied yet"
	if !d.Last.IsZero() {
		when = "last applied " + d.Last.Format("2006-01-02 15:04:05")
	}
	if !d.Behind() && len(d.Gone) == 0 {
		p.Line("%s %s, %s.", p.in.Render("✓ Nothing to apply:"), plural(d.Total, "page"), when)
		return
	}
	var behind []string
	added, edited := 0, 0
	for _, x := range d.Pages {
		behind = append(behind, x.Page)
		if x.New {
			added++
		}
		if x.Edited {
			edited++
		}
	}
	if len(behind) > 0 {
		verb := "are"
		if len(behind) == 1 {
			verb = "is"
		}
		p.Line("%s %s behind the gate file (%s): %s", p.warn.Render(fmt.Sprintf("%d of %s", len(behind), plural(d.Total, "page"))), verb, when, list(behind, 6))
	}
	if added > 0 && !d.Last.IsZero() {
		p.Line("  %s not in the output folder yet", plural(added, "page"))
	}
	if edited > 0 {
		p.Line("  %s changed by hand since: apply undoes that", plural(edited, "page"))
	}
	if len(d.Gone) > 0 {
		p.Line("  %s of the output without a source, to be removed: %s", plural(len(d.Gone), "file"), list(d.Gone, 3))
	}
}

// Audit writes findings, worst first, and the table of items.
func (p *Printer) Audit(a *run.AuditResult, verbose bool) {
	p.Heading("audit of %s: %s, %s, %s", a.Dir, plural(a.Pages, "page"), plural(a.Requests, "request"), size(a.Bytes))
	if len(a.ByItem) > 0 {
		t := &table{right: map[int]bool{1: true, 2: true}}
		t.add(p.dim.Render("item"), p.dim.Render("gate says in"), p.dim.Render("pages have it"), "")
		for _, it := range a.ByItem {
			verdict := p.in.Render("as the gate says")
			switch {
			case it.Missing+it.Leaked > 0:
				var s []string
				if it.Missing > 0 {
					s = append(s, fmt.Sprintf("missing on %d", it.Missing))
				}
				if it.Leaked > 0 {
					s = append(s, fmt.Sprintf("leaked on %d", it.Leaked))
				}
				verdict = p.bad.Render(strings.Join(s, ", "))
			case it.In > it.Present && it.Item.FoundOnly():
				verdict = p.in.Render("as the gate says") + p.dim.Render(" (found: it may stay)")
			}
			t.add(p.name.Render(it.Item.Name), fmt.Sprint(it.In), fmt.Sprint(it.Present), verdict)
		}
		p.table(t)
	}
	p.findings(a.Findings, verbose)
	p.Line("")
	p.Line("%s, %s, %s%s", p.count(a.Totals.Errors, "error", p.bad.Render), p.count(a.Totals.Warnings, "warning", p.warn.Render), plural(a.Totals.Notes, "note"), notesHint(a, verbose))
	if a.Totals.Errors+a.Totals.Warnings > 0 {
		p.Line("%s", p.dim.Render("yellowgate explain CHECK says what a finding means."))
	}
}

func notesHint(a *run.AuditResult, verbose bool) string {
	if a.Totals.Notes > 0 && !verbose {
		return " (--verbose shows them)"
	}
	return ""
}

func (p *Printer) count(n int, what string, color func(...string) string) string {
	if n == 0 {
		return "no " + what + "s"
	}
	return color(plural(n, what))
}

// findings writes findings grouped by check, worst first.
func (p *Printer) findings(fs []checks.Finding, verbose bool) {
	rank := map[string]int{"error": 0, "warning": 1, "note": 2}
	var order []string
	by := map[string][]checks.Finding{}
	for _, f := range fs {
		if f.Severity == "note" && !verbose {
			continue
		}
		if _, ok := by[f.Check]; !ok {
			order = append(order, f.Check)
		}
		by[f.Check] = append(by[f.Check], f)
	}
	sort.SliceStable(order, func(i, j int) bool {
		a, b := by[order[i]][0], by[order[j]][0]
		return rank[a.Severity] < rank[b.Severity]
	})
	for _, name := range order {
		group := by[name]
		word := p.bad.Render("error")
		switch group[0].Severity {
		case "warning":
			word = p.warn.Render("warning")
		case "note":
			word = p.note.Render("note")
		}
		title := ""
		if c := checks.Named(name); c != nil {
			title = c.Title
		}
		p.Line("")
		p.Line("%s %s  %s", word, p.name.Render(name), title)
		limit := 8
		if verbose {
			limit = len(group)
		}
		if places, same := samePlaces(group); same {
			if !verbose {
				limit = 24
			}
			if p.Width == 0 && len(places) > limit {
				p.wrap(places[:limit], limit)
				p.Line("    %s", p.dim.Render(fmt.Sprintf("and %d more: --verbose shows them", len(places)-limit)))
				continue
			}
			p.wrap(places, limit)
			continue
		}
		t := &table{wide: []int{1}}
		for i, f := range group {
			if i == limit {
				break
			}
			t.add(p.dim.Render(fmt.Sprintf("%s:%d:%d", Clean(f.File), f.Line, f.Column)), Clean(f.Message))
		}
		p.table(t)
		if len(group) > limit {
			p.Line("  %s", p.dim.Render(fmt.Sprintf("… and %d more: --verbose shows them", len(group)-limit)))
		}
	}
}

// samePlaces lists where the findings of a check are, if all say the same.
func samePlaces(group []checks.Finding) (places []string, same bool) {
	for _, f := range group {
		if f.Message != group[0].Message {
			return nil, false
		}
		places = append(places, fmt.Sprintf("%s:%d", f.File, f.Line))
	}
	return places, len(group) > 1
}

// Explain writes the checks, or one of them.
func (p *Printer) Explain(c *checks.Check) {
	if c != nil {
		p.Heading("%s", c.Name)
		p.Line("  %s: %s", p.severity(c.Severity), c.Title)
		p.Line("")
		for line := range strings.Lines(c.Doc) {
			p.Line("  %s", strings.TrimRight(line, "\n"))
		}
		p.Heading("bad")
		p.Line("  %s", strings.ReplaceAll(c.Bad, "\n", "\n  "))
		p.Heading("good")
		p.Line("  %s", strings.ReplaceAll(c.Good, "\n", "\n  "))
		return
	}
	family := ""
	t := &table{wide: []int{2}}
	for _, c := range checks.All() {
		if c.Family != family {
			if family != "" {
				p.table(t)
				t = &table{wide: []int{2}}
			}
			family = c.Family
			p.Heading("%s", family)
		}
		t.add(p.name.Render(c.Name), p.severity(c.Severity), c.Title)
	}
	p.table(t)
	p.Line("")
	p.Line("%s", p.dim.Render("yellowgate explain NAME explains one, with a bad and a good example."))
}

func (p *Printer) severity(s gatefile.Severity) string {
	switch s {
	case gatefile.Error:
		return p.bad.Render("error")
	case gatefile.Warning:
		return p.warn.Render("warning")
	}
	return p.note.Render("note")
}

// Notice writes a remark.
func (p *Printer) Notice(format string, args ...any) {
	p.Line("%s", p.dim.Render(fmt.Sprintf(format, args...)))
}

// Failure writes an error that is no problem of a gate file.
func (p *Printer) Failure(message, remedy string) {
	p.Line("%s %s", p.bad.Render("error:"), message)
	if remedy != "" {
		p.Line("  %s", strings.ReplaceAll(remedy, "\n", "\n  "))
	}
}

// Step writes a heading of the demo: what is done and what for.
func (p *Printer) Step(n int, command, purpose string) {
	p.Line("")
	p.Line("%s %s", p.head.Render(fmt.Sprintf("▐ %d", n)), p.head.Render("yellowgate "+command))
	p.Line("  %s", p.dim.Render(purpose))
}

// DemoEnd says what to try next.
func (p *Printer) DemoEnd(dir string) {
	p.Heading("Try next, in %s", dir)
	t := &table{}
	for _, x := range [][2]string{
		{"yellowgate show /press/ --source", "a head that a counting pixel broke; then without --source"},
		{"yellowgate pages 'has(form)' --why", "which pages have a form?"},
		{"yellowgate where contact-kit", "where something is, and why not elsewhere"},
		{"edit yellowgate.yaml", "let the star-map in on / only: pages: /"},
		{"yellowgate diff --summary", "what would that change?"},
		{"yellowgate apply", "and it is so"},
		{"yellowgate explain broken-head", "what a finding means"},
	} {
		t.add(p.name.Render(x[0]), p.dim.Render(x[1]))
	}
	p.table(t)
	p.Line("")
	p.Line("The pages as visitors get them are in %s/public.", dir)
}
