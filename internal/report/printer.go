// Package report turns results into text for a terminal and into machine-readable
// formats. It computes nothing.
package report

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"github.com/charmbracelet/x/ansi"
)

// A Printer writes results as text. Width is that of the terminal, 0 for no
// limit.
type Printer struct {
	w     io.Writer
	Width int

	head, name, in, out, bad, warn, note, dim, num ink
}

// NewPrinter returns a Printer, with colours or without.
func NewPrinter(w io.Writer, color bool, width int) *Printer {
	style := func(foreground ansi.IndexedColor, bold bool) (i ink) {
		if color && bold {
			i.Style = i.Bold()
		}
		if color {
			i.Style = i.ForegroundColor(foreground)
		}
		return i
	}
	return &Printer{w: w, Width: width, head: style(221, true), name: style(117, false), in: style(114, true),
		out: style(245, false), bad: style(203, true), warn: style(215, true), note: style(109, false),
		dim: style(245, false), num: style(252, false)}
}

// Line writes a line. What the arguments hold stays on it, whatever it is.
func (p *Printer) Line(format string, args ...any) {
	for line := range strings.SplitSeq(fmt.Sprintf(format, arguments(args)...), "\n") {
		p.emit(line)
	}
}

// Lines writes a text of several lines, each behind an indentation.
func (p *Printer) Lines(indent, text string) {
	for line := range strings.SplitSeq(text, "\n") {
		p.Line("%s%s", indent, line)
	}
}

// paragraph writes a text that wraps at the terminal's width; its further lines stand
// deeper than the first. Nothing of it is cut.
func (p *Printer) paragraph(indent, text string) {
	if p.Width == 0 {
		p.Line("%s%s", indent, text)
		return
	}
	deeper := indent + "  "
	for i, line := range strings.Split(ansi.Wrap(cleaned(text), max(p.Width-len(deeper), 20), ""), "\n") {
		if i > 0 {
			line = deeper + strings.TrimLeft(line, " ")
		} else {
			line = indent + line
		}
		p.Line("%s", line)
	}
}

// Heading writes a heading, with a blank line before it.
func (p *Printer) Heading(format string, args ...any) {
	p.emit("")
	p.emit(p.head.Render("▐ " + fmt.Sprintf(format, arguments(args)...)))
}

// A table lines its columns up. Cells may hold colours. The columns named in
// wide give way where the terminal is too narrow.
type table struct {
	rows  [][]string
	right map[int]bool // columns aligned to the right
	wide  []int        // columns that are cut first, in this order
	gap   string
}

func (t *table) add(cells ...string) {
	for i := range cells {
		cells[i] = cleaned(cells[i])
	}
	t.rows = append(t.rows, cells)
}

// section begins a part of the table under a heading; its columns line up with
// those of the other parts.
func (t *table) section(heading string) { t.rows = append(t.rows, []string{sectionMark, heading}) }

// remark puts a line between the rows.
func (t *table) remark(text string) { t.rows = append(t.rows, []string{remarkMark, text}) }

const sectionMark, remarkMark = "\x00section", "\x00remark"

// widths are those of the columns, the wide ones cut where the table would be wider than most; 0 for no limit.
func (t *table) widths(most int) (widths []int) {
	for _, r := range t.rows {
		if len(r) > 0 && (r[0] == sectionMark || r[0] == remarkMark) {
			continue
		}
		for i, c := range r {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], ansi.StringWidth(c))
		}
	}
	if most > 0 {
		total := 2 - len(t.gap)
		for _, w := range widths {
			total += w + len(t.gap)
		}
		for _, i := range t.wide {
			if total > most && i < len(widths) {
				cut := min(total-most, max(widths[i]-14, 0))
				widths[i] -= cut
				total -= cut
			}
		}
	}
	return widths
}

func (p *Printer) table(t *table) {
	if t.gap == "" {
		t.gap = "  "
	}
	widths := t.widths(p.Width)
	for _, r := range t.rows {
		if len(r) > 0 && r[0] == sectionMark {
			p.Heading("%s", r[1])
			continue
		}
		if len(r) > 0 && r[0] == remarkMark {
			p.Line("  %s", p.dim.Render(r[1]))
			continue
		}
		var b strings.Builder
		b.WriteString("  ")
		for i, c := range r {
			if i > 0 {
				b.WriteString(t.gap)
			}
			if ansi.StringWidth(c) > widths[i] {
				c = ansi.Truncate(c, widths[i], "…")
			}
			pad := strings.Repeat(" ", widths[i]-ansi.StringWidth(c))
			switch {
			case t.right[i]:
				b.WriteString(pad + c)
			case i == len(r)-1:
				b.WriteString(c)
			default:
				b.WriteString(c + pad)
			}
		}
		line := strings.TrimRight(b.String(), " ")
		if p.Width > 0 {
			line = ansi.Truncate(line, p.Width, "…")
		}
		p.emit(line)
	}
}

// JSON writes a value, indented, without escaping what HTML would.
func JSON(w io.Writer, v any) error {
	e := json.NewEncoder(safeJSON{w})
	e.SetEscapeHTML(false)
	e.SetIndent("", " ")
	return e.Encode(v)
}

// NDJSON writes a value on one line.
func NDJSON(w io.Writer, v any) error {
	e := json.NewEncoder(safeJSON{w})
	e.SetEscapeHTML(false)
	return e.Encode(v)
}
