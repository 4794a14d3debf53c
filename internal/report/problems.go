package report

import (
	"strings"

	"yellowgate/internal/core/problem"
)

// Problems writes problems of a gate file: where, what, the line with a caret,
// and what to do. Notes are left out unless all is true.
func (p *Printer) Problems(ps []problem.Problem, all bool) {
	for _, x := range ps {
		if x.Accepted || x.Severity == problem.Note && !all {
			continue
		}
		word := p.severity(x.Severity)
		name := ""
		if x.Name != "" {
			name = p.dim.Render(" [" + x.Name + "]")
		}
		p.Line("%s: %s: %s%s", x.Pos.String(), word, x.Message, name)
		if x.Line != "" && x.Pos.Column > 0 {
			source := []rune(strings.TrimRight(x.Line, "\r\n"))
			col := min(x.Pos.Column-1, len(source))
			line := Clean(string(source))
			col = len([]rune(Clean(string(source[:col])))) // escapes are longer than what they stand for
			if r := []rune(line); len(r) > 120 {
				from := max(0, col-60)
				line = string(r[from:min(len(r), from+120)])
				col -= from
			}
			p.Line("  %s", p.dim.Render(line))
			p.Line("  %s%s", strings.Repeat(" ", col), p.warn.Render("^"))
		}
		if x.Remedy != "" {
			p.Lines("  ", x.Remedy)
		}
	}
}

// Counts says how many problems there are; those that the owner lives with are apart.
func Counts(ps []problem.Problem) (errors, warnings, notes, accepted int) {
	for _, x := range ps {
		switch {
		case x.Accepted:
			accepted++
		case x.Severity == problem.Error:
			errors++
		case x.Severity == problem.Warning:
			warnings++
		default:
			notes++
		}
	}
	return
}

// ProblemRecord is a problem in machine-readable form.
type ProblemRecord struct {
	Severity string `json:"severity"`
	Check    string `json:"check,omitempty"` // what accept calls it
	Item     string `json:"item,omitempty"`
	File     string `json:"file"`
	Line     int    `json:"line"`
	Column   int    `json:"column"`
	Message  string `json:"message"`
	Remedy   string `json:"remedy"`
}

// ProblemRecords are problems in machine-readable form, but for those that the owner lives with.
func ProblemRecords(ps []problem.Problem) []ProblemRecord {
	out := []ProblemRecord{}
	for _, x := range ps {
		if x.Accepted {
			continue
		}
		out = append(out,
			ProblemRecord{x.Severity.String(), x.Name, x.Item, x.Pos.File, x.Pos.Line, x.Pos.Column, x.Message,
				x.Remedy})
	}
	return out
}
