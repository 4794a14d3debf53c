package report

import (
	"fmt"
	"strings"
)

// Notice writes a remark.
func (p *Printer) Notice(format string, args ...any) {
	p.Line("%s", p.dim.Render(fmt.Sprintf(format, args...)))
}

// Failure writes an error that is no problem of a gate file.
func (p *Printer) Failure(message, remedy string) {
	first, rest, more := strings.Cut(message, "\n")
	p.Line("%s %s", p.bad.Render("error:"), first)
	if more {
		p.Lines("", rest)
	}
	if remedy != "" {
		p.Lines("  ", remedy)
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
		{"yellowgate where --table", "every page with every item"},
		{"yellowgate why '/visit/#night-letter'", "does the popup open at this address?"},
		{"yellowgate set page-veil --param delay=3s", "change a line of the gate file, and see what that does"},
		{"yellowgate diff", "what would apply change?"},
		{"yellowgate apply", "and it is so"},
		{"yellowgate suggest site", "what does the site load where nothing needs it?"},
		{"yellowgate explain broken-head", "what a finding means"},
	} {
		t.add(p.name.Render(x[0]), p.dim.Render(x[1]))
	}
	p.table(t)
	p.Line("")
	p.Line("The pages as visitors get them are in %s/public.", dir)
}
