package gatefile

import (
	"fmt"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// The code of items: its own files, and the files that code includes.

// A source is where a stretch of a part's text comes from: from an offset up to the next source's.
type source struct {
	at   int              // offset in the part's text
	file string           // "" for a gate file
	pos  problem.Position // of its first character
}

// mostCode is how many bytes the code of a part may come to, with what it includes.
const mostCode = 4 << 20

// load reads the file of one part, and those that its code includes.
func (r *reader) load(it *Item, p *Part, read func(string) ([]byte, error)) []problem.Problem {
	if p.FromFile != "" {
		p.Template = &placeholder.Template{}
		text, err := readText(read, p.FromFile)
		if err != nil {
			r.problem(problem.Error, p.Pos, remedyOf(err, "paths are relative to the gate file"),
				"the code of item %q cannot be read: %s: %v", it.Name, p.FromFile, err)
			return nil
		}
		if p.Text = text; strings.TrimSpace(text) == "" {
			r.warn(problem.EmptyFile, it, p.Pos, "write the code into it, or disable the item",
				"the file %s of item %q is empty: the item brings nothing", p.FromFile, it.Name)
		}
	}
	if p.Key == "" || p.Kind.Tagged() || p.Kind == Structured || p.Kind == Classes ||
		p.FromFile == "" && !slices.ContainsFunc(p.Template.Pieces, isFile) {
		return nil // read already
	}
	w := &codeWriter{
		gate:     r.gate,
		reader:   r,
		read:     read,
		part:     p,
		text:     &strings.Builder{},
		template: &placeholder.Template{},
	}
	if p.FromFile != "" {
		w.trail = []string{p.FromFile}
	}
	if w.write(p.Text, p.FromFile, p.CodePos, it.codeScope(), nil); len(w.problems) > 0 {
		for i := range w.problems {
			x := &w.problems[i]
			if lines := r.lines[x.Pos.File]; x.Pos.Line <= len(lines) {
				x.Line = lines[x.Pos.Line-1]
			}
		}
		return w.problems
	}
	p.Text, p.Template, p.sources = w.text.String(), w.template, w.sources
	return nil
}

func isFile(p placeholder.Piece) bool { return p.Placeholder != nil && p.Placeholder.File != "" }

// readText reads a file of code.
func readText(read func(string) ([]byte, error), name string) (string, error) {
	b, err := read(name)
	if err == nil && !utf8.Valid(b) {
		at := invalidAt(b)
		err = fmt.Errorf("it is not UTF-8 (line %d): save it as UTF-8", 1+strings.Count(string(b[:at]), "\n"))
	}
	return strings.TrimPrefix(string(b), "\uFEFF"), err
}

// codeWriter writes the code of a part out, with the files that it includes.
type codeWriter struct {
	gate     *Gate
	reader   *reader
	read     func(string) ([]byte, error)
	part     *Part
	text     *strings.Builder
	template *placeholder.Template
	sources  []source
	trail    []string // the files that are being included, from the outermost
	problems []problem.Problem
}

// write writes a text of a file, "" for the gate file, whose first character stands at a position. given are the
// values of its parameters.
func (w *codeWriter) write(text, file string, pos problem.Position, scope placeholder.Scope,
	given []placeholder.Option) {
	at := func(offset int) problem.Position {
		own := Part{Text: text, FromFile: file, CodePos: pos}
		return own.PositionAt(offset)
	}
	fail := func(offset int, remedy, format string, args ...any) {
		w.problems = append(w.problems, problem.Problem{
			Severity: problem.Error, Pos: at(offset), Message: fmt.Sprintf(format, args...), Remedy: remedy,
			Line: lineOf(text, offset),
		})
	}
	t, err := placeholder.Parse(text, scope)
	if err == nil {
		w.reader.noteWords(t, at)
		err = w.gate.noteContents(t, at)
	}
	if e, ok := err.(*placeholder.Error); ok {
		fail(e.Offset, "", "%s", e.Message)
		return
	}
	from := 0 // of the text: what is written
	source := func(offset int) {
		w.sources = append(w.sources, source{at: w.text.Len(), file: file, pos: at(offset)})
	}
	source(0)
	for _, piece := range t.Pieces {
		p := piece.Placeholder
		switch {
		case p == nil:
			w.template.Pieces = append(w.template.Pieces, piece)
			continue
		case p.File == "":
			own := *p
			own.Offset += w.text.Len() - from
			own.Options = slices.Clone(p.Options)
			for i := range own.Options {
				if k := indexOf(given, own.Options[i].Name); k >= 0 {
					own.Options[i] = placeholder.Option{Words: given[k].Words}
				}
			}
			w.template.Pieces = append(w.template.Pieces, placeholder.Piece{Placeholder: &own})
			continue
		}
		w.text.WriteString(text[from:p.Offset])
		from = p.Offset + len(p.Raw)
		w.include(p, scope, fail)
		if len(w.problems) > 0 {
			return
		}
		source(from)
	}
	w.text.WriteString(text[from:])
}

// include writes a file that code includes.
func (w *codeWriter) include(p *placeholder.Placeholder, scope placeholder.Scope,
	fail func(int, string, string, ...any)) {
	name := p.File
	if !path.IsAbs(name) {
		name = path.Join(w.part.dir, name)
	}
	if i := slices.Index(w.trail, name); i >= 0 {
		fail(p.Offset, "take one of these includes out", "files include one another in a circle: %s",
			strings.Join(append(slices.Clone(w.trail[i:]), name), " → "))
		return
	}
	text, err := readText(w.read, name)
	if err != nil {
		fail(p.Offset, remedyOf(err, "paths are relative to the gate file"), "%s cannot be included: %v", name, err)
		return
	}
	if w.text.Len()+len(text) > mostCode {
		fail(p.Offset, "include less", "with what it includes, this code is larger than %d MB", mostCode>>20)
		return
	}
	text = strings.TrimRight(text, "\r\n")
	inner := scope
	inner.Params = slices.Clone(scope.Params)
	used := map[string]bool{}
	namesIn(text, used)
	for _, g := range p.Given {
		if !used[g.Name] {
			names := make([]string, 0, len(used))
			for n := range used {
				names = append(names, n)
			}
			slices.Sort(names)
			fail(p.Offset, "write @{"+g.Name+"} where it belongs, or take it out", "%s has no parameter %q%s", name,
				g.Name, didyoumean.Suggest(g.Name, names))
			return
		}
		inner.Params = append(inner.Params, g.Name)
	}
	if !slices.Contains(w.part.Includes, name) {
		w.part.Includes = append(w.part.Includes, name)
	}
	w.trail = append(w.trail, name)
	w.write(text, name, problem.Position{File: name, Line: 1, Column: 1}, inner, p.Given)
	w.trail = w.trail[:len(w.trail)-1]
}

func indexOf(given []placeholder.Option, name string) int {
	return slices.IndexFunc(given, func(o placeholder.Option) bool { return o.Name == name && name != "" })
}

// PositionAt is the position of an offset, in bytes, in the part's text.
func (p *Part) PositionAt(offset int) problem.Position {
	offset = min(max(offset, 0), len(p.Text))
	from := p.sourceOf(offset)
	before := p.Text[from.at:offset]
	pos := from.pos
	if n := strings.Count(before, "\n"); n > 0 {
		pos.Line += n
		if from.file != "" {
			pos.Column = 1
		}
		before = before[strings.LastIndexByte(before, '\n')+1:]
	}
	pos.Column += utf8.RuneCountInString(before)
	return pos
}

// sourceOf is the source in which an offset stands.
func (p *Part) sourceOf(offset int) source {
	of := source{file: p.FromFile, pos: p.CodePos}
	for _, s := range p.sources {
		if s.at <= offset {
			of = s
		}
	}
	return of
}

// LineAt is the line of a code file in which an offset of the part's text
// stands; "" for code in the gate file.
func (p *Part) LineAt(offset int) string {
	if p.FromFile == "" {
		return ""
	}
	return lineOf(p.Text, offset)
}

func lineOf(text string, offset int) string {
	offset = min(max(offset, 0), len(text))
	line := text[strings.LastIndexByte(text[:offset], '\n')+1:]
	line, _, _ = strings.Cut(line, "\n")
	return strings.TrimSuffix(line, "\r")
}

// Masked is the part's text with one word in each placeholder: what stands in one is no markup.
func (p *Part) Masked() string {
	if p.Template == nil || p.Template.Plain() {
		return p.Text
	}
	b := []byte(p.Text)
	for _, piece := range p.Template.Pieces {
		if h := piece.Placeholder; h != nil && h.Offset+len(h.Raw) <= len(b) {
			for i := h.Offset + len("@{"); i < h.Offset+len(h.Raw)-len("}"); i++ {
				b[i] = 'x'
			}
		}
	}
	return string(b)
}
