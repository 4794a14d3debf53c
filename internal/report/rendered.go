package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Rendered writes what a browser made of a page: head and body, the requests as a tree, what went
// wrong, what was measured.
func (p *Printer) Rendered(o *result.Opened) {
	p.Heading("%s  %s", o.Path, Clean(o.Title))
	p.Line("  %s", p.dim.Render(o.URL+", in a browser of "+o.Screen))
	if to := o.Moved(); to != "" {
		p.Line("  %s",
			p.warn.Render(
				"it is at "+Clean(to)+" now, and loaded nothing for that: its items and metadata are those of "+
					Clean(o.Path)))
	}
	if o.Cut != "" {
		p.Line("  %s", p.warn.Render("cut short: "+o.Cut+"; --wait waits longer"))
	}
	if o.Unread != "" {
		p.Line("%s", p.bad.Render("not read: "+o.Unread))
		return
	}
	t := &table{right: map[int]bool{0: true}, wide: []int{2, 3}}
	areas := []string{"head", "body"}
	if len(o.Shadow) > 0 {
		areas = append(areas, "shadow")
	}
	for _, area := range areas {
		t.section(strings.Replace(area, "shadow", "shadow trees", 1))
		rows := len(t.rows)
		for i := range o.Elements {
			e := &o.Elements[i]
			if e.Area != area {
				continue
			}
			if len(t.rows) == rows {
				t.add(p.dim.Render("line"), "", p.dim.Render("what"), p.dim.Render("came by"), p.dim.Render("item"))
			}
			t.add(p.renderedElement(o.Record, e)...)
		}
		if len(t.rows) == rows {
			t.remark("nothing loads or describes anything here")
		}
	}
	p.table(t)
	p.requests(o.Record)
	p.mistakes(o.Record)
	p.measured(o.Record)
}

func (p *Printer) renderedElement(r *pageload.Record, e *pageload.DOMElement) []string {
	what := Clean(e.What)
	if e.URL != "" {
		what = Clean(e.URL)
		if e.Tag == "link" {
			what = Clean(strings.TrimSpace(e.What + " " + e.URL))
		}
	} else if e.Tag == "script" || e.Tag == "style" {
		what = strings.TrimSpace("inline " + what)
	}
	if e.Party == "third" {
		what += p.note.Render("  third party")
	}
	line, came := "", p.dim.Render("the page")
	if e.Line > 0 {
		line = p.dim.Render(fmt.Sprint(e.Line))
	}
	switch {
	case e.Came == "script":
		came = p.warn.Render(Clean(r.Places(e.By)))
		if e.By != nil {
			came += p.dim.Render(fmt.Sprintf(" line %d", e.By.Line))
		}
	case !e.Text && e.Area != "shadow":
		came = p.warn.Render("not in the text so")
	}
	item := ""
	if e.Item != "" {
		item = p.name.Render(e.Item)
	}
	return []string{line, e.Tag, what, came, item}
}

// requests writes the requests as a tree: who loaded whom.
func (p *Printer) requests(r *pageload.Record) {
	p.Heading("requests: %d, %s over the wire", len(r.Requests), wording.Size(r.Wire()))
	t := &table{right: map[int]bool{2: true, 3: true}, wide: []int{0}}
	t.add(p.dim.Render("what"), p.dim.Render("answer"), p.dim.Render("wire"), p.dim.Render("ms"), p.dim.Render("item"))
	r.Tree(func(i, deep int) {
		x := &r.Requests[i]
		what := strings.Repeat("  ", deep) + Clean(x.Target)
		if x.Asked.By == "redirect" {
			what += p.dim.Render("  redirected")
		}
		text, bad := answerOf(x)
		answer := p.in.Render(text)
		switch {
		case bad:
			answer = p.bad.Render(text)
		case x.Failed != "":
			answer = p.dim.Render(text)
		}
		took := ""
		if x.Ended > 0 {
			took = fmt.Sprintf("%.0f", x.Ended-x.Begun)
		}
		item := ""
		if x.Item != "" {
			item = p.name.Render(x.Item)
		}
		t.add(what, answer, wording.Size(x.Wire), took, item)
	})
	p.table(t)
}

func (p *Printer) mistakes(r *pageload.Record) {
	if len(r.Mistakes) == 0 {
		return
	}
	p.Heading("what scripts did wrong")
	for i := range r.Mistakes {
		m := &r.Mistakes[i]
		item := ""
		if m.Item != "" {
			item = "  item " + p.name.Render(m.Item)
		}
		p.Line("  %s %s%s", p.bad.Render(m.Kind), m.Message, item)
		if m.URL != "" {
			p.Line("    %s", p.dim.Render(fmt.Sprintf("%s:%d", m.URL, m.Line)))
		}
	}
}

func (p *Printer) measured(r *pageload.Record) {
	m := &r.Measured
	p.Heading("measured")
	p.Line("  first paint %.0f ms, largest %.0f ms%s; layout shift %.3f; scripts blocked for %.0f ms; %s",
		m.FirstPaint, m.LargestPaint, ofElement(m.LargestIs), m.Shift, m.Blocking, wording.Count(m.Nodes, "element"))
	if len(r.Stored) > 0 {
		var names []string
		for _, s := range r.Stored {
			name := s.Kind + " " + s.Name
			if s.Third {
				name += " of " + s.Host
			}
			names = append(names, name)
		}
		p.Line("  stored: %s", Clean(wording.List(names, 8)))
	}
	for _, d := range r.Dialogs {
		name := "the dialog " + d.ID
		if d.Is != "" {
			name = d.Is
		}
		p.Line("  %s stood open and covered %.0f %% of the screen", Clean(name), d.Covers*100)
	}
}

func ofElement(name string) string {
	if name == "" {
		return ""
	}
	return " (" + Clean(name) + ")"
}
