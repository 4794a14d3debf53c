package gatefile

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"yellowgate/internal/core/placeholder"
)

// Load reads the files that items name. read returns the bytes of a file, its
// name relative to the gate file.
func (g *Gate) Load(read func(name string) ([]byte, error)) []Problem {
	var problems []Problem
	r := &reader{file: g.File, lines: linesOf(g.Text)}
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if p.FromFile == "" {
				continue
			}
			b, err := read(p.FromFile)
			if err == nil && !utf8.Valid(b) {
				err = fmt.Errorf("it is not UTF-8")
			}
			if err != nil {
				r.problem(Error, p.Pos, "paths are relative to the gate file", "the code of item %q cannot be read: %s: %v", it.Name, p.FromFile, err)
				p.Template = &placeholder.Template{}
				continue
			}
			p.Text = strings.TrimPrefix(string(b), "\uFEFF")
			t, err := placeholder.ParseCode(p.Text)
			if e, ok := err.(*placeholder.Error); ok {
				problems = append(problems, Problem{Severity: Error, Pos: p.PositionAt(e.Offset), Message: e.Message, Line: p.LineAt(e.Offset)})
				t = &placeholder.Template{}
			}
			p.Template = t
		}
	}
	return append(problems, r.problems...)
}

// PositionAt is the position of an offset, in bytes, in the part's text.
func (p *Part) PositionAt(offset int) Position {
	before := p.Text[:min(max(offset, 0), len(p.Text))]
	pos := p.CodePos
	if n := strings.Count(before, "\n"); n > 0 {
		pos.Line += n
		if p.FromFile != "" {
			pos.Column = 1
		}
		before = before[strings.LastIndexByte(before, '\n')+1:]
	}
	pos.Column += utf8.RuneCountInString(before)
	return pos
}

// LineAt is the line of a code file in which an offset of the part's text
// stands; "" for code in the gate file.
func (p *Part) LineAt(offset int) string {
	if p.FromFile == "" {
		return ""
	}
	offset = min(max(offset, 0), len(p.Text))
	line := p.Text[strings.LastIndexByte(p.Text[:offset], '\n')+1:]
	line, _, _ = strings.Cut(line, "\n")
	return strings.TrimSuffix(line, "\r")
}
