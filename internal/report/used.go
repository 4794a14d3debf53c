package report

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/wording"
	"yellowgate/internal/result"
)

// Used writes what the browser used of the files that pages load.
func (p *Printer) Used(uses []result.Use, pages, unread int, screens []string, steps, verbose bool) {
	tried := "Tried: loading alone, since what is clicked on a site that runs may post."
	if steps {
		tried = "Tried: loading, scrolling, phone, wide screen, dark, less motion, print, hovering, keys and clicks."
	}
	p.Heading("used in a browser of %s, on %s", wording.List(screens, 4), wording.Count(pages, "page"))
	told := 0
	for i := range uses {
		u := &uses[i]
		if len(u.Idle) == 0 && !verbose {
			continue
		}
		told++
		word := "no rule of it matches"
		if u.Kind == "script" {
			word = "hardly anything of it runs"
		}
		item := ""
		if u.Item != "" {
			item = "  item " + p.name.Render(u.Item)
		}
		p.Line("")
		p.Line("%s  %s%s", p.head.Render(Clean(u.Target)),
			p.dim.Render(
				fmt.Sprintf("%s, at most %s used", wording.Size(int64(u.Bytes)), wording.Size(int64(u.Most)))), item)
		if len(u.Idle) > 0 {
			p.Line("  %s on %d of %d: %s", p.warn.Render(word), len(u.Idle), len(u.Idle)+len(u.On),
				Clean(wording.List(u.Idle, 5)))
		}
		if len(u.On) > 0 {
			p.Line("  used on %s", Clean(wording.List(u.On, 5)))
		}
		switch {
		case len(u.Idle) == 0:
			continue
		case u.Certainty == "":
			p.paragraph("  ", p.dim.Render("not proved: "+Clean(u.Proof)))
			continue
		}
		p.paragraph("  ", p.in.Render(u.Certainty)+": "+Clean(u.Proof))
		if u.Lines != "" {
			p.Lines("    ", strings.TrimSpace(u.Lines))
		} else {
			p.Line("  %s", p.dim.Render("no short query says where: look for what those pages have in common"))
		}
	}
	p.Line("")
	if told == 0 {
		p.Line("%s", p.in.Render("Every file is used on every page that loads it."))
	}
	if unread > 0 {
		p.Line("%s", p.bad.Render(wording.Count(unread, "visit")+" could not be read"))
	}
	p.Line("%s",
		p.dim.Render(
			tried+
				" What nobody did, such as signing in, may still need a file: look at yellowgate diff, and try it, "+
				"before you publish. --write puts what is proved into the gate file."))
}
