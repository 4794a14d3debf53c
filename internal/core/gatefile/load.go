package gatefile

import (
	"slices"
	"strings"

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
			r.problem(problem.Error, m.Pos, remedyOf(err, "paths are relative to the gate file; run the build first"),
				"the build manifest %s cannot be read: %v", m.Value, err)
			g.Manifest = nil
		}
	}
	for _, it := range g.Items {
		r.built(it)
		for _, p := range it.Parts {
			problems = append(problems, r.load(it, p, from.Read)...)
			p.look()
			if it.Integrity.Value != "" && p.Kind.Tagged() {
				r.integrity(it, p, from.Integrity)
			}
		}
	}
	r.checkWords()
	r.unused()
	r.needsURL()
	return append(problems, r.problems...)
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
				r.problem(problem.Error, p.Pos,
					"add under site: manifest: FILE, the JSON file that your build writes",
					"item %q: %s is looked up in the build manifest, and the gate file names none", it.Name, p.Text)
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
		r.problem(problem.Error, it.Integrity.Pos, "write the URL without a placeholder, or take integrity out",
			"integrity: auto needs to know the file, and %s changes from page to page", p.Text)
	case !strings.HasPrefix(p.Text, "/") || strings.HasPrefix(p.Text, "//"):
		r.problem(problem.Error, it.Integrity.Pos, "write the digest that its provider gives",
			"integrity: auto is for files of the site; %s is not one", p.Text)
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
