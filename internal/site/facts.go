package site

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/goccy/go-yaml"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/near"
	"yellowgate/internal/core/page"
)

// Facts are the named values of pages, by page key.
type Facts struct {
	ByPage map[string]map[string]string
	Lists  map[string]map[string]any // facts that are lists, as JSON has them
	Names  []string                  // in the order of the files
	rows   []factRow
	lists  map[string]bool // names of facts that are lists somewhere
}

type factRow struct {
	key, path string
	pos       gatefile.Position
}

// readFacts reads the facts files that a gate file names. The bytes read are
// given to seen, for the gate's digest.
func readFacts(dir string, g *gatefile.Gate, seen func([]byte)) (*Facts, []gatefile.Problem) {
	f := &Facts{ByPage: map[string]map[string]string{}, Lists: map[string]map[string]any{}, lists: map[string]bool{}}
	var problems []gatefile.Problem
	for _, name := range g.Site.Facts {
		b, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name.Value)))
		if err != nil {
			problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: name.Pos,
				Message: "the facts cannot be read: " + (&PathError{Path: name.Value, Err: err}).Error(), Remedy: "paths are relative to the gate file"})
			continue
		}
		seen(b)
		fail := func(line, column int, remedy, format string, args ...any) {
			problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: gatefile.Position{File: name.Value, Line: line, Column: column},
				Message: fmt.Sprintf(format, args...), Remedy: remedy})
		}
		switch ext := strings.ToLower(filepath.Ext(name.Value)); ext {
		case ".csv":
			f.readCSV(name.Value, string(b), fail)
		case ".json", ".yaml", ".yml":
			f.readTree(name.Value, b, fail)
		default:
			problems = append(problems, gatefile.Problem{Severity: gatefile.Error, Pos: name.Pos,
				Message: fmt.Sprintf("facts come as .csv, .json or .yaml, not as %q", ext), Remedy: "give the file one of these endings"})
		}
	}
	return f, problems
}

type failFunc func(line, column int, remedy, format string, args ...any)

func (f *Facts) readCSV(file, text string, fail failFunc) {
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(text, "\uFEFF")))
	r.FieldsPerRecord = -1
	header, err := r.Read()
	if err != nil {
		fail(1, 1, "", "the file has no header row")
		return
	}
	column := -1
	for i, h := range header {
		header[i] = strings.TrimSpace(h)
		if header[i] == "path" {
			column = i
		}
	}
	if column < 0 && len(header) == 1 && strings.ContainsAny(header[0], ";\t") {
		fail(1, 1, "save it with commas between the values (RFC 4180); spreadsheets offer that when exporting", "the values of this file are not separated by commas: its header row is one value, %q", header[0])
		return
	}
	if column < 0 {
		fail(1, 1, "", "no column is called path%s", near.Suggest("path", header))
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
			fail(line, 1, "a value with a comma in it is put in quotes", "the row has %d values, the header %d", len(row), len(header))
			continue
		case !strings.HasPrefix(strings.TrimSpace(row[column]), "/"):
			fail(line, 1, "", "%q is no path of a page: those begin with \"/\"", row[column])
			continue
		}
		values := map[string]string{}
		for i, v := range row {
			if i != column {
				values[header[i]] = strings.TrimSpace(v)
			}
		}
		f.add(file, line, row[column], values, header, fail)
	}
}

// readTree reads a list of rows with path, or a mapping by path.
func (f *Facts) readTree(file string, b []byte, fail failFunc) {
	var tree any
	if err := yaml.UnmarshalWithOptions(b, &tree, yaml.UseOrderedMap()); err != nil {
		fail(1, 1, "", "this cannot be read: %s", strings.SplitN(err.Error(), "\n", 2)[0])
		return
	}
	row := func(path string, m yaml.MapSlice) {
		values := map[string]string{}
		var names []string
		for _, kv := range m {
			name := fmt.Sprint(kv.Key)
			if name == "path" {
				continue
			}
			names = append(names, name)
			switch v := kv.Value.(type) {
			case nil, yaml.MapSlice:
			case []any:
				values[name] = f.list(path, name, v)
			default:
				values[name] = fmt.Sprint(v)
			}
		}
		f.add(file, 1, path, values, names, fail)
	}
	switch t := tree.(type) {
	case []any:
		for i, x := range t {
			m, ok := x.(yaml.MapSlice)
			path := ""
			for _, kv := range m {
				if kv.Key == "path" {
					path = fmt.Sprint(kv.Value)
				}
			}
			if !ok || !strings.HasPrefix(path, "/") {
				fail(1, 1, "", "row %d has no path that begins with \"/\"", i+1)
				continue
			}
			row(path, m)
		}
	case yaml.MapSlice:
		for _, kv := range t {
			m, ok := kv.Value.(yaml.MapSlice)
			if path := fmt.Sprint(kv.Key); ok && strings.HasPrefix(path, "/") {
				row(path, m)
			} else {
				fail(1, 1, "", "%q should be the path of a page with its facts", path)
			}
		}
	default:
		fail(1, 1, "", "facts are a list of rows with path, or a mapping by path")
	}
}

// list keeps a fact that is a list, and returns it as a text: its words, or how
// many entries it has.
func (f *Facts) list(path, name string, v []any) string {
	key := page.Key(strings.TrimSpace(path))
	if f.Lists[key] == nil {
		f.Lists[key] = map[string]any{}
	}
	f.Lists[key][name] = plain(v)
	f.lists[name] = true
	var words []string
	for _, x := range v {
		switch x.(type) {
		case yaml.MapSlice, []any, nil:
			return fmt.Sprint(len(v))
		}
		words = append(words, fmt.Sprint(x))
	}
	return strings.Join(words, ", ")
}

// plain is a value of a YAML file as encoding/json would read it.
func plain(v any) any {
	switch v := v.(type) {
	case yaml.MapSlice:
		m := map[string]any{}
		for _, kv := range v {
			m[fmt.Sprint(kv.Key)] = plain(kv.Value)
		}
		return m
	case []any:
		out := make([]any, len(v))
		for i := range v {
			out[i] = plain(v[i])
		}
		return out
	}
	return v
}

func (f *Facts) add(file string, line int, path string, values map[string]string, order []string, fail failFunc) {
	key := page.Key(strings.TrimSpace(path))
	have := f.ByPage[key]
	if have == nil {
		have = map[string]string{}
		f.ByPage[key] = have
		f.rows = append(f.rows, factRow{key, path, gatefile.Position{File: file, Line: line, Column: 1}})
	}
	for _, name := range order {
		v, ok := values[name]
		if !ok {
			continue
		}
		if old, dup := have[name]; dup && old != v {
			fail(line, 1, "", "the fact %q of %s is given twice: %q and %q", name, path, old, v)
			continue
		}
		have[name] = v
		known := false
		for _, n := range f.Names {
			known = known || n == name
		}
		if !known {
			f.Names = append(f.Names, name)
		}
	}
}
