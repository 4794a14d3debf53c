package report

import (
	"fmt"
	"io"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/problem"
)

// ExplainKind writes what a name means that check alone has.
func (p *Printer) ExplainKind(k problem.Kind) {
	p.Heading("%s", k.Name)
	p.Line("  %s", k.Means)
	p.Line("")
	p.Line("  %s",
		p.dim.Render("yellowgate check reports it, with the line of the gate file. accept: takes it by this name."))
}

// Explain writes the checks, or one of them.
func (p *Printer) Explain(c *check.Check) {
	if c != nil {
		p.Heading("%s", c.Name)
		p.Line("  %s: %s", p.severity(c.Severity), c.Title)
		p.Line("")
		for line := range strings.Lines(c.Doc) {
			p.Line("  %s", strings.TrimRight(line, "\n"))
		}
		p.Heading("bad")
		p.Lines("  ", c.Bad)
		p.Heading("good")
		p.Lines("  ", c.Good)
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
	p.Heading("check alone")
	t = &table{wide: []int{1}}
	for _, k := range problem.Kinds() {
		t.add(p.name.Render(k.Name), k.Means)
	}
	p.table(t)
	p.Line("")
	p.Line("%s", p.dim.Render("yellowgate explain NAME explains one, with a bad and a good example."))
}

func (p *Printer) severity(s problem.Severity) string {
	switch s {
	case problem.Error:
		return p.bad.Render("error")
	case problem.Warning:
		return p.warn.Render("warning")
	}
	return p.note.Render("note")
}

// ChecksMarkdown writes the reference of all checks, by family.
func ChecksMarkdown(w io.Writer) error {
	var b strings.Builder
	b.WriteString(
		"# The checks of the audit\n\n" +
			"Made from the checks themselves: `yellowgate explain --format markdown`. `yellowgate explain\n" +
			"NAME` explains one in the terminal; `checks`, `accept` and `strict` in the\n" +
			"[gate file](gate-file.md#what-the-audit-looks-for) change what they mean on your site.\n")
	families := []string{"gate", "head", "loading", "popups", "code", "server", "rendered"}
	for _, family := range families {
		fmt.Fprintf(&b, "\n## %s\n\n| check | severity | what |\n|---|---|---|\n", family)
		for _, c := range checks.All() {
			if c.Family == family {
				fmt.Fprintf(&b, "| [%s](#%s) | %s | %s |\n", c.Name, c.Name, c.Severity, c.Title)
			}
		}
	}
	for _, family := range families {
		for _, c := range checks.All() {
			if c.Family == family {
				fmt.Fprintf(&b,
					"\n### %s\n\n%s: %s.\n\n%s\n\nBad:\n\n```html\n%s\n```\n\nGood:\n\n```html\n%s\n```\n", c.Name,
					c.Severity, c.Title, c.Doc, c.Bad, c.Good)
			}
		}
	}
	b.WriteString(
		"\n## check alone\n\n" +
			"`yellowgate check` warns of these, or notes them with `--verbose`; `accept` takes them by name.\n\n" +
			"| name | what |\n|---|---|\n")
	for _, k := range problem.Kinds() {
		fmt.Fprintf(&b, "| %s | %s |\n", k.Name, k.Means)
	}
	_, err := io.WriteString(w, b.String())
	return err
}
