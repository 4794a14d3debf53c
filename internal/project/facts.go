package project

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/yamltree"
	"yellowgate/internal/fsys"
)

// Facts are the named values of pages, by page key.
type Facts struct {
	ByPage map[string]map[string]string
	Lists  map[string]map[string]any // facts that are lists, as JSON has them
	Names  []string                  // in the order of the files
	rows   []factRow
	named  map[string]bool
	lists  map[string]bool // names of facts that are lists somewhere
	query  []string        // parameters that make another page
}

type factRow struct {
	key, path string
	pos       problem.Position
}

// maxColumns is how many columns a CSV file of facts, or a row of another, may have.
const maxColumns = 1000

// yamlFacts is how large a facts file in YAML may be: reading it takes a hundred times
// its size of memory.
const yamlFacts = 8 << 20

// readFacts reads the facts files that a gate file names. The bytes read are
// given to seen, for the gate's digest.
func (p *Project) readFacts(g *gatefile.Gate, seen func([]byte)) (*Facts, []problem.Problem) {
	f := &Facts{
		ByPage: map[string]map[string]string{},
		Lists:  map[string]map[string]any{},
		lists:  map[string]bool{},
		named:  map[string]bool{},
		query:  g.Site.Query,
	}
	var problems []problem.Problem
	for _, name := range g.Site.Facts {
		atName := func(remedy, format string, args ...any) {
			problems = append(problems, problem.Problem{
				Severity: problem.Error, Pos: name.Pos, Message: fmt.Sprintf(format, args...), Remedy: remedy,
				Line: LineOf(g.TextOf(name.Pos.File), name.Pos.Line),
			})
		}
		ext := strings.ToLower(filepath.Ext(name.Value))
		b, err := p.readFactsFile(g, name.Value, ext)
		if err != nil {
			atName(factsRemedy(err, ext), "the facts cannot be read: %s: %v", name.Value, err)
			continue
		}
		seen(b)
		f.read(name.Value, ext, b, atName, func(line, column int, remedy, format string, args ...any) {
			problems = append(problems, problem.Problem{
				Severity: problem.Error, Pos: problem.Position{File: name.Value, Line: line, Column: column},
				Message: problem.Brief(fmt.Sprintf(format, args...)), Remedy: remedy,
			})
		})
	}
	return f, problems
}

// readFactsFile reads the bytes of a facts file, ext its ending.
func (p *Project) readFactsFile(g *gatefile.Gate, name, ext string) ([]byte, error) {
	if !isYAML(ext) {
		return p.readNamed(g, name, fsys.FactsLimit)
	}
	b, err := p.readNamed(g, name, yamlFacts)
	if large := (*fsys.LimitError)(nil); errors.As(err, &large) {
		return nil, fmt.Errorf("%w for YAML", err)
	}
	return b, err
}

// factsRemedy is what to do about a facts file that cannot be read.
func factsRemedy(err error, ext string) string {
	var outside *OutsideError
	var large *fsys.LimitError
	switch {
	case errors.As(err, &outside):
		return outside.Remedy()
	case errors.As(err, &large) && isYAML(ext):
		return "write them as CSV or JSON, of which 64 MB are read"
	}
	return "paths are relative to the gate file"
}

func isYAML(ext string) bool { return ext == ".yaml" || ext == ".yml" }

// A failFunc adds an error of a facts file at a line and column, both from 1.
type failFunc func(line, column int, remedy, format string, args ...any)

// read reads the facts of a file. atName adds an error at the place that names it.
func (f *Facts) read(file, ext string, b []byte, atName func(remedy, format string, args ...any), fail failFunc) {
	if at := markup.NotUTF8(b); at >= 0 {
		line := 1 + bytes.Count(b[:at], []byte("\n"))
		column := 1 + utf8.RuneCount(b[bytes.LastIndexByte(b[:at], '\n')+1:at])
		fail(line, column, "save it as UTF-8; spreadsheets call it CSV UTF-8",
			"the facts are not UTF-8: the byte 0x%02X is not valid in it", b[at])
		return
	}
	switch {
	case ext == ".csv":
		f.readCSV(file, string(b), fail)
	case ext == ".json":
		f.readTree(file, b, yamltree.JSON, fail)
	case isYAML(ext):
		f.readTree(file, b, yamltree.YAML, fail)
	default:
		atName("give the file one of these endings", "facts come as .csv, .json or .yaml, not as %q", ext)
	}
}

func (f *Facts) readCSV(file, text string, fail failFunc) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\uFEFF")))
	r.FieldsPerRecord = -1
	header, column := readHeader(r, fail)
	if header == nil {
		return
	}
	for {
		row, err := r.Read()
		if err == io.EOF {
			return
		}
		var pe *csv.ParseError
		if errors.As(err, &pe) {
			fail(pe.Line, pe.Column, "", "%v", pe.Err)
			return
		}
		line, _ := r.FieldPos(0)
		switch {
		case len(row) != len(header):
			fail(line, 1, "a value with a comma in it is put in quotes", "the row has %d values, the header %d",
				len(row), len(header))
			continue
		case !strings.HasPrefix(strings.TrimSpace(row[column]), "/"):
			fail(line, 1, "", "%q is not the path of a page: those begin with \"/\"", row[column])
			continue
		}
		values := map[string]string{}
		for i, v := range row {
			if i != column && header[i] != "" {
				values[header[i]] = strings.TrimSpace(v)
			}
		}
		f.add(file, line, 1, row[column], values, header, fail)
	}
}

// readHeader reads the names of the columns, and which of them has the paths. Without one, or with one that is wrong,
// there are no names.
func readHeader(r *csv.Reader, fail failFunc) (header []string, path int) {
	header, err := r.Read()
	if err != nil {
		fail(1, 1, "begin the file with a row such as path,kind", "the file has no header row")
		return nil, 0
	}
	if len(header) > maxColumns {
		fail(1, 1, "", "the file has %d columns; the limit is %d", len(header), maxColumns)
		return nil, 0
	}
	first := map[string]int{}
	for i, h := range header {
		h = strings.TrimSpace(h)
		if header[i] = h; h == "" { // a column without a name
			continue
		}
		if n, twice := first[h]; twice {
			line, at := r.FieldPos(i)
			fail(line, at, "give one of them another name, or take it out",
				"two columns are called %q: the %d. and the %d.", h, n+1, i+1)
			return nil, 0
		}
		first[h] = i
	}
	path, ok := first["path"]
	switch {
	case ok:
		return header, path
	case len(header) == 1 && strings.ContainsAny(header[0], ";\t"):
		fail(1, 1, "save it with commas between the values (RFC 4180); spreadsheets offer that when exporting",
			"the values of this file are not separated by commas: its header row is one value, %q", header[0])
	default:
		fail(1, 1, "", "no column is called path%s", didyoumean.Suggest("path", header))
	}
	return nil, 0
}

// readTree reads a list of rows with path, or a mapping by path.
func (f *Facts) readTree(file string, b []byte, read func([]byte) (*yamltree.Value, error), fail failFunc) {
	tree, err := read(b)
	if e, ok := err.(*yamltree.Error); ok {
		fail(e.Line, e.Column, "", "this cannot be read: %s", e.Message)
		return
	}
	row := func(path string, m *yamltree.Value) {
		values := map[string]string{}
		var names []string
		if len(m.Keys) > maxColumns {
			fail(m.Line, m.Column, "", "the facts of %s are more than %d", path, maxColumns)
			return
		}
		for i, name := range m.Keys {
			if name == "path" {
				continue
			}
			names = append(names, name)
			switch v := m.Kids[i]; v.Kind {
			case yamltree.Null, yamltree.Map:
			case yamltree.List:
				values[name] = f.list(path, name, v)
			default:
				values[name] = v.Text
			}
		}
		f.add(file, m.Line, m.Column, path, values, names, fail)
	}
	switch tree.Kind {
	case yamltree.List:
		for i, m := range tree.Kids {
			path := ""
			if p := m.Get("path"); p != nil {
				path = p.Text
			}
			if m.Kind != yamltree.Map || !strings.HasPrefix(path, "/") {
				fail(m.Line, m.Column, "", "row %d has no path that begins with \"/\"", i+1)
				continue
			}
			row(path, m)
		}
	case yamltree.Map:
		for i, path := range tree.Keys {
			if m := tree.Kids[i]; m.Kind == yamltree.Map && strings.HasPrefix(path, "/") {
				row(path, m)
			} else {
				fail(m.Line, m.Column, "", "%q should be the path of a page with its facts", path)
			}
		}
	default:
		fail(1, 1, "", "facts are a list of rows with path, or a mapping by path")
	}
}

// key is that of the page that a path means.
func (f *Facts) key(path string) string {
	return page.Key(page.Identify(strings.TrimSpace(path), f.query))
}

// list keeps a fact that is a list, and returns it as a text: its words, or how
// many entries it has.
func (f *Facts) list(path, name string, v *yamltree.Value) string {
	key := f.key(path)
	if f.Lists[key] == nil {
		f.Lists[key] = map[string]any{}
	}
	f.Lists[key][name] = v.Plain()
	f.lists[name] = true
	var words []string
	for _, x := range v.Kids {
		switch x.Kind {
		case yamltree.Map, yamltree.List, yamltree.Null:
			return fmt.Sprint(len(v.Kids))
		}
		words = append(words, x.Text)
	}
	return strings.Join(words, ", ")
}

func (f *Facts) add(file string, line, column int, path string, values map[string]string, order []string,
	fail failFunc) {
	key := f.key(path)
	have := f.ByPage[key]
	if have == nil {
		have = map[string]string{}
		f.ByPage[key] = have
		f.rows = append(f.rows, factRow{key, path, problem.Position{File: file, Line: line, Column: column}})
	}
	for _, name := range order {
		v, ok := values[name]
		if !ok {
			continue
		}
		if old, dup := have[name]; dup && old != v {
			fail(line, column, "", "the fact %q of %s is given twice: %q and %q", name, path, old, v)
			continue
		}
		have[name] = v
		if !f.named[name] {
			f.named[name] = true
			f.Names = append(f.Names, name)
		}
	}
}
