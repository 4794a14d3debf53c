package report

import (
	"fmt"
	"regexp"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// WhyItem writes a verdict and its trace.
func (p *Printer) WhyItem(w *result.WhyItem) {
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
	if len(w.Params) > 0 {
		p.Heading("its parameters here")
		t := &table{wide: []int{1}}
		for _, x := range w.Params {
			t.add(p.name.Render(Clean(x.Name)), p.param(x), p.rule(x.Rule))
		}
		p.table(t)
	}
	p.waits(w.Waits)
	p.Heading("what would change it")
	for _, c := range w.Change {
		p.Line("  %s", Clean(c))
	}
}

// WhyPage writes all of a page: in short only its metadata and items; else each element, too.
func (p *Printer) WhyPage(w *result.WhyPage, short bool) {
	p.Heading("%s  %s", w.Page, Clean(w.Title))
	p.waits(w.Waits)
	p.Heading("metadata")
	t := &table{wide: []int{1}}
	for _, m := range w.Metadata {
		value := Clean(cut(m.Value))
		switch {
		case m.Value == "":
			value = p.bad.Render("taken out") + p.dim.Render(", the source has "+Clean(cut(m.Was)))
		case m.Was != "":
			value += p.dim.Render("  (the source has " + Clean(cut(m.Was)) + ")")
		}
		t.add(p.name.Render(Clean(m.Key)), value, m.From, p.rule(m.Rule))
	}
	p.table(t)
	if !short {
		p.elements(w)
	}
	p.verdicts("items on this page", w.In)
	if !short && len(w.Taken) > 0 {
		p.Heading("taken out of the source here: %d", len(w.Taken))
		t := &table{right: map[int]bool{0: true}, wide: []int{2}}
		for _, e := range w.Taken {
			t.add(p.dim.Render(fmt.Sprint(e.Line)), e.Tag, Clean(cut(e.What)), p.name.Render(e.Item), p.rule(e.Rule))
		}
		p.table(t)
	}
	if !short {
		p.verdicts("items not on this page", w.Out)
	}
	if short {
		out := make([]string, len(w.Out))
		for i := range w.Out {
			out[i] = w.Out[i].Item
		}
		if len(out) > 0 {
			p.Heading("items not on this page: %d", len(out))
			p.paragraph("  ", wording.List(out, len(out)))
		}
		p.Line("")
		p.Line("%s",
			p.dim.Render(
				"yellowgate show "+w.Page+" --why shows every element; yellowgate why "+w.Page+
					" ITEM how it was decided."))
	}
}

// elements writes what the page outputs from top to bottom.
func (p *Printer) elements(w *result.WhyPage) {
	t := &table{right: map[int]bool{0: true}, wide: []int{2}}
	area, last := "", ""
	for _, e := range w.Elements {
		if e.Area != area {
			area = e.Area
			t.section(area)
			last = ""
		}
		because := p.dim.Render("the page's own")
		switch {
		case e.Item == "popup-runtime":
			because = p.dim.Render("opens popups")
		case e.Item != "" && e.Item == last:
			because = ""
		case e.Item != "":
			because = p.rule(e.Rule)
		}
		last = e.Item
		t.add(p.dim.Render(fmt.Sprint(e.Line)), e.Tag, Clean(cut(e.What)), p.name.Render(e.Item), because)
	}
	p.table(t)
}

// cut is the beginning of a text, in one line and without marks.
func cut(text string) string {
	text = marked.ReplaceAllString(text, "")
	return wording.Cut(strings.Join(strings.Fields(text), " "), 90)
}

var marked = regexp.MustCompile(`<!--/?yg:[a-z0-9-]+-->`)

// rule names a line of the gate file.
func (p *Printer) rule(r result.Rule) string {
	if r.Line == 0 {
		return ""
	}
	return p.dim.Render(fmt.Sprintf("%s:%d", r.File, r.Line))
}

// verdicts writes items with why they are there or not, and the values of their parameters.
func (p *Printer) verdicts(title string, list []result.WhyVerdict) {
	if len(list) == 0 {
		return
	}
	p.Heading("%s: %d", title, len(list))
	t := &table{wide: []int{1}}
	for _, v := range list {
		t.add(p.name.Render(v.Item), p.verdict(v.Because))
		for _, x := range v.Params {
			t.add("", fmt.Sprintf("%s: %s  %s", Clean(x.Name), p.param(x), p.rule(x.Rule)))
		}
		if v.Note != "" {
			t.add("", p.dim.Render("note: "+Clean(v.Note)))
		}
	}
	p.table(t)
}

// param is the value of a parameter, with the query that chose it.
func (p *Printer) param(x result.WhyParam) string {
	value := Clean(x.Value)
	if value == "" {
		value = p.bad.Render("no value")
	}
	if x.Query != "" {
		value += p.dim.Render("  on " + Clean(x.Query))
	}
	return value
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

// WhyFragment writes whether a popup opens at an address.
func (p *Printer) WhyFragment(w *result.WhyFragment) {
	p.Heading("%s#%s", w.Page, Clean(w.Fragment))
	mark := p.bad.Render("no:")
	if w.Opens != "" {
		mark = p.in.Render("yes:")
	}
	p.Line("  %s %s", mark, Clean(w.Because))
	if len(w.Items) < 2 {
		return
	}
	p.Heading("items with this fragment")
	t := &table{wide: []int{2}}
	for _, f := range w.Items {
		t.add(p.name.Render(f.Item), f.Verdict, p.dim.Render(Clean(f.Because)),
			p.dim.Render(fmt.Sprintf("%s:%d", f.Rule.File, f.Rule.Line)))
	}
	p.table(t)
}

// WhyKey writes all values of a metadata key, and the winner.
func (p *Printer) WhyKey(w *result.WhyKey) {
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
		t.add(mark, v.From, value, p.dim.Render(Clean(v.Query)), at)
		if v.Note != "" {
			t.add("", "", p.dim.Render("note: "+Clean(v.Note)))
		}
	}
	p.table(t)
	p.waits(w.Waits)
}

// waits writes what the head of a page waits for behind the gateway.
func (p *Printer) waits(what string) {
	if what != "" {
		p.Line("  behind the gateway, the head of this page waits for %s", Clean(what))
	}
}
