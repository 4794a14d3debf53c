package gatefile

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// Sources are the files that a gate file names.
type Sources struct {
	// Read returns the bytes of a file, its name relative to the gate file.
	Read func(name string) ([]byte, error)
	// Integrity returns the integrity value of a file of the site, by its path;
	// ok is false where the site has no such file. It may be nil.
	Integrity func(path string) (value string, ok bool)
}

// ReadFiles reads the files that the gate file names, and looks up built files.
func (g *Gate) ReadFiles(from Sources) []problem.Problem {
	r := &reader{shared: &shared{gate: g, lines: map[string][]string{g.File: linesOf(g.Text)}}, file: g.File}
	for _, f := range g.Others {
		r.lines[f.Name] = linesOf(f.Text)
	}
	var problems []problem.Problem
	if m := g.Site.Manifest; m.Value != "" {
		b, err := from.Read(m.Value)
		if err == nil {
			g.Manifest, err = ParseManifest(b)
		}
		if err != nil {
			r.problem(
				problem.Error,
				m.Pos,
				remedyOf(err, "paths are relative to the gate file; run the build first"),
				"the build manifest %s cannot be read: %v",
				m.Value,
				err,
			)
			g.Manifest = nil
		}
	}
	for _, it := range g.Items {
		r.built(it)
		for _, p := range it.Parts {
			if p.FromFile != "" {
				problems = append(problems, r.load(it, p, from.Read)...)
			}
			p.look()
			if it.Integrity.Value != "" && p.Kind.Tagged() {
				r.integrity(it, p, from.Integrity)
			}
		}
	}
	r.unused()
	r.needsURL()
	return append(problems, r.problems...)
}

// load reads the file of one part.
func (r *reader) load(it *Item, p *Part, read func(string) ([]byte, error)) []problem.Problem {
	p.Template = &placeholder.Template{}
	b, err := read(p.FromFile)
	if err == nil && !utf8.Valid(b) {
		err = fmt.Errorf("it is not UTF-8")
	}
	if err != nil {
		r.problem(
			problem.Error,
			p.Pos,
			remedyOf(err, "paths are relative to the gate file"),
			"the code of item %q cannot be read: %s: %v",
			it.Name,
			p.FromFile,
			err,
		)
		return nil
	}
	p.Text = strings.TrimPrefix(string(b), "\uFEFF")
	if strings.TrimSpace(p.Text) == "" {
		r.warn(
			problem.EmptyFile, it, p.Pos, "write the code into it, or disable the item",
			"the file %s of item %q is empty: the item brings nothing", p.FromFile, it.Name,
		)
	}
	t, err := placeholder.ParseCode(p.Text, it.ParamNames()...)
	if e, ok := err.(*placeholder.Error); ok {
		return []problem.Problem{
			{Severity: problem.Error, Pos: p.PositionAt(e.Offset), Message: e.Message, Line: p.LineAt(e.Offset)},
		}
	}
	p.Template = t
	return nil
}

// built puts the paths of built files in the place of their names.
func (r *reader) built(it *Item) {
	var parts []*Part
	for _, p := range it.Parts {
		name, ok := strings.CutPrefix(p.Text, BuiltPrefix)
		if !p.Kind.Tagged() || !ok {
			parts = append(parts, p)
			continue
		}
		if r.gate.Manifest == nil {
			if r.gate.Site.Manifest.Value == "" {
				r.problem(
					problem.Error, p.Pos,
					"add under site: manifest: FILE, the JSON file that your build writes",
					"item %q: %s is looked up in the build manifest, and the gate file names none", it.Name,
					p.Text,
				)
			}
			continue
		}
		if !p.Template.Plain() { // each page says which
			parts = append(parts, p)
			continue
		}
		paths, ok := r.gate.Manifest.Find(name)
		if !ok {
			r.errorf(p.Pos, "item %q: the build manifest has no %q%s", it.Name, name, r.gate.Manifest.suggest(name))
			continue
		}
		for _, path := range paths {
			one := *p
			one.Text = path
			one.Template = &placeholder.Template{Pieces: []placeholder.Piece{{Text: path}}}
			parts = append(parts, &one)
		}
	}
	it.Parts = parts
}

// integrity settles what a part's integrity attribute says.
func (r *reader) integrity(it *Item, p *Part, digest func(string) (string, bool)) {
	p.Integrity = it.Integrity.Value
	if p.Integrity != "auto" {
		return
	}
	p.Integrity = ""
	switch {
	case !p.Template.Plain():
		r.problem(
			problem.Error, it.Integrity.Pos, "write the URL without a placeholder, or take integrity out",
			"integrity: auto needs to know the file, and %s changes from page to page", p.Text,
		)
	case !strings.HasPrefix(p.Text, "/") || strings.HasPrefix(p.Text, "//"):
		r.problem(
			problem.Error, it.Integrity.Pos, "write the digest that its provider gives",
			"integrity: auto is for files of the site; %s is not one", p.Text,
		)
	case digest != nil:
		path := p.Text
		if i := strings.IndexAny(path, "?#"); i >= 0 {
			path = path[:i]
		}
		value, ok := digest(path)
		if !ok {
			r.errorf(p.Pos, "integrity: auto cannot be made: the site has no file %s", path)
		}
		p.Integrity = value
	}
}

// PositionAt is the position of an offset, in bytes, in the part's text.
func (p *Part) PositionAt(offset int) problem.Position {
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

// Unused lists the built files of the manifest that no item uses, sorted.
func (g *Gate) Unused() (paths []string) {
	if g.Manifest == nil {
		return nil
	}
	used := map[string]bool{}
	for _, it := range g.Items {
		for _, p := range it.Parts {
			used[p.Text] = true
			if p.Kind.Tagged() && !p.Template.Plain() && strings.HasPrefix(p.Text, BuiltPrefix) {
				return nil // any of them may be meant
			}
		}
	}
	for _, path := range g.Manifest.Files() {
		if !used[path] {
			paths = append(paths, path)
		}
	}
	slices.Sort(paths)
	return slices.Compact(paths)
}
