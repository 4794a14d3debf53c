package report

import (
	"fmt"
	"strings"
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
	p.waits(w.Waits)
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
		t.add(
			p.name.Render(f.Item),
			f.Verdict,
			p.dim.Render(Clean(f.Because)),
			p.dim.Render(fmt.Sprintf("%s:%d", f.Rule.File, f.Rule.Line)),
		)
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
		t.add(mark, v.From, value, at)
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
