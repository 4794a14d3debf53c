// Package gatechange changes a gate file by command, and says what that does to the pages.
package gatechange

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/gatecompare"
	"yellowgate/internal/history"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
)

// A Field is what a key of an item is to have: one value or several.
type Field struct {
	Key    string
	Values []string
}

// An Edit is a change of the gate file.
type Edit struct {
	GateFile string
	Day      string
	Outside  bool // the gate file may name files outside its folder
	DryRun   bool
	Name     string // of the item
	Fields   []Field
	More     bool     // add to lists instead of replacing them
	Less     bool     // take out of lists
	Unset    []string // keys to take out
	Params   []Field
	Split    string // a vendor's code, to be taken apart
	Progress parallel.Progress
	Command  string // how the edit was asked for, for the history
	// Files are files that the gate file names, as they are to be then, by their names relative to its folder.
	Files map[string][]byte
	// Verify, if set, says why a change must not be; it is asked before anything is written.
	Verify func(after *project.Project) error

	release bool // spots of the item may stand without it
	box     bool // the vendor's code has a container, and nothing says where it goes
}

// Change changes the texts of a project's gate files, and tells what that does
// to the pages. A gate file with mistakes is not touched, and neither is one that
// would have some then.
func (e *Edit) Change(ctx context.Context,
	change func(p *project.Project, doc func(file string) *gateedit.Doc) error) (*result.GateChange, error) {
	o := project.Options{Day: e.Day, Outside: e.Outside}
	before, _, err := project.Open(e.GateFile, o)
	if err != nil {
		return nil, err
	}
	docs := map[string]*gateedit.Doc{}
	g := before.Gate.File
	err = change(before, func(file string) *gateedit.Doc {
		if docs[file] == nil {
			docs[file] = gateedit.Read(g.TextOf(file))
		}
		return docs[file]
	})
	if err != nil {
		return nil, err
	}
	r := &result.GateChange{GateDiff: result.NewGateDiff(), Spots: []string{}}
	o.Texts, o.Named = changedTexts(g, docs), e.Files
	files := slices.Sorted(maps.Keys(o.Texts))
	for _, file := range files {
		r.Diff += udiff.Unified(file, file, string(g.TextOf(file)), string(o.Texts[file]))
	}
	r.File = strings.Join(append(slices.Clone(files), slices.Sorted(maps.Keys(e.Files))...), ", ")
	if r.File == "" {
		return r, nil
	}
	after, problems, err := project.Open(e.GateFile, o)
	if err != nil {
		return nil, err
	}
	if e.Verify != nil {
		if err := e.Verify(after); err != nil {
			return nil, err
		}
	}
	r.Problems, r.Box = problems, e.box
	r.Spots = newSpots(g, after.Gate.File)
	is := after.Gate.File.Item(e.Name)
	r.There = is != nil && !is.Disabled
	if err := compareGates(ctx, r, e.Name, before, after, e.release, e.Progress); err != nil {
		return nil, err
	}
	if e.DryRun {
		return r, nil
	}
	if err := e.keep(before, files, o.Texts); err != nil {
		r.Problems = append(r.Problems, problem.Problem{
			Severity: problem.Warning, Pos: problem.Position{File: g.File, Line: 1, Column: 1},
			Message: "this edit cannot be taken back, since the history cannot be written: " + err.Error(),
		})
	}
	if err := e.write(before, files, o.Texts); err != nil {
		return nil, err
	}
	r.Written = true
	return r, nil
}

// changedTexts are the new texts of those gate files that differ, by name.
func changedTexts(g *gatefile.Gate, docs map[string]*gateedit.Doc) map[string][]byte {
	texts := map[string][]byte{}
	for file, d := range docs {
		if text := d.Bytes(); !bytes.Equal(text, g.TextOf(file)) {
			texts[file] = text
		}
	}
	return texts
}

// newSpots are new items that go where a page names them, and have no pages of their own.
func newSpots(before, after *gatefile.Gate) []string {
	names := []string{}
	for _, it := range after.Items {
		if before.Item(it.Name) == nil && it.HasSpot() && len(it.Pages) == 0 {
			names = append(names, it.Name)
		}
	}
	return names
}

// write writes what the edit changes, once it is sure that nobody else did.
func (e *Edit) write(before *project.Project, files []string, texts map[string][]byte) error {
	g := before.Gate.File
	for _, file := range files {
		now, err := fsys.Read(diskName(e.GateFile, g.File, file), fsys.GateLimit)
		if err != nil || !bytes.Equal(now, g.TextOf(file)) {
			return changedBySomebody(file)
		}
	}
	for name := range e.Files {
		now, err := fsys.Read(filepath.Join(before.Dir, filepath.FromSlash(name)), fsys.FactsLimit)
		if err != nil && !fsys.Missing(err) ||
			err == nil && !slices.ContainsFunc(before.Named, func(n project.NamedText) bool {
				return n.Name == name && bytes.Equal(n.Text, now)
			}) {
			return changedBySomebody(name)
		}
	}
	for name, text := range e.Files {
		if err := writeNamed(before.Dir, name, text); err != nil {
			return err
		}
	}
	for _, file := range files {
		if err := publish.ReplaceFile(diskName(e.GateFile, g.File, file), texts[file]); err != nil {
			return err
		}
	}
	return nil
}

func changedBySomebody(file string) error {
	return &failure.Usage{
		Message: file + " was changed by somebody else just now",
		Remedy:  "nothing was written; give the command again",
	}
}

// writeNamed writes a file that the gate file names, in its folder or in one there.
func writeNamed(dir, name string, text []byte) error {
	full := filepath.Join(dir, filepath.FromSlash(name))
	if err := fsys.Mkdir(filepath.Dir(full)); err != nil && !errors.Is(err, fs.ErrExist) {
		return &failure.Path{Path: full, Err: err}
	}
	if _, in := fsys.Within(dir, fsys.Real(full)); !in {
		return &failure.Path{Path: full, Err: errors.New("it lies outside the gate file's folder"),
			What: "nothing was written"}
	}
	if _, err := os.Stat(full); fsys.Missing(err) {
		if err := fsys.Write(full, text); err != nil {
			return &failure.Path{Path: full, Err: err}
		}
		return nil
	}
	return publish.ReplaceFile(full, text)
}

// keep keeps the texts that the edit changes.
func (e *Edit) keep(p *project.Project, files []string, texts map[string][]byte) error {
	var was, is []project.NamedText
	for _, file := range files {
		name := diskName(e.GateFile, p.Gate.File.File, file)
		abs, err := filepath.Abs(name)
		if err != nil {
			return err
		}
		rel, in := fsys.Within(p.Dir, fsys.Real(abs))
		if !in {
			return nil // what lies outside the folder is not written when one goes back
		}
		was = append(was, project.NamedText{Name: rel, Text: p.Gate.File.TextOf(file)})
		is = append(is, project.NamedText{Name: rel, Text: texts[file]})
	}
	for name, text := range e.Files {
		for _, n := range p.Named {
			if n.Name == name {
				was = append(was, n)
			}
		}
		is = append(is, project.NamedText{Name: name, Text: text})
	}
	return history.NoteEdit(p, e.Command, was, is)
}

// diskName is the path of one of the gate's files.
func diskName(gateFile, main, file string) string {
	if file == main {
		return gateFile
	}
	rel, err := filepath.Rel(filepath.Dir(filepath.FromSlash(main)), filepath.FromSlash(file))
	if err != nil {
		return file
	}
	return filepath.Join(filepath.Dir(gateFile), rel)
}

// compare tells what the change does to the pages. A change that makes the gate
// file impossible to put into effect is an error, unless it was so before.
func compareGates(ctx context.Context, r *result.GateChange, name string, before, after *project.Project,
	released bool, progress parallel.Progress) error {
	if after.Source == "" {
		return nil
	}
	if _, err := os.Stat(after.Source); err != nil {
		return nil // the site was not built yet: there are no pages to report
	}
	if err := before.Walk(); err != nil {
		return err
	}
	if err := after.Walk(); err != nil {
		return err
	}
	c, err := gatecompare.Compare(ctx, before, after, progress)
	if err != nil {
		return err
	}
	wrong := c.Errors
	r.GateDiff, r.In, r.Refused = c.GateDiff, c.In[name], len(wrong) > 0
	if released {
		wrong = slices.DeleteFunc(wrong, func(p pageedit.Problem) bool {
			return strings.HasPrefix(p.Message, fmt.Sprintf("a spot names %q", name))
		})
	}
	if len(wrong) > 0 && len(c.WasErrors) == 0 {
		return &project.GateError{Problems: project.GroupProblems(after.Gate.File, wrong)}
	}
	return nil
}

// item finds the item that a change is of.
func (e *Edit) item(p *project.Project) (*gatefile.Item, error) {
	it := p.Gate.File.Item(e.Name)
	if it == nil {
		return nil, &failure.Usage{
			Message: fmt.Sprintf("no item is called %q%s", e.Name, didyoumean.Suggest(e.Name, p.Gate.File.ItemNames())),
			Remedy:  "yellowgate where lists the items; yellowgate add makes a new one",
		}
	}
	return it, nil
}

// Set changes keys of an item.
func (e *Edit) Set(ctx context.Context) (*result.GateChange, error) {
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		it, err := e.item(p)
		if err != nil {
			return err
		}
		d := doc(it.Pos.File)
		for _, key := range e.Unset {
			if !slices.Contains(gatefile.ItemKeys(), key) {
				return &failure.Usage{
					Message: fmt.Sprintf("no key of an item is called %q%s", key,
						didyoumean.Suggest(key, gatefile.ItemKeys())),
				}
			}
			if err := d.Delete(2, "items", it.Name, key); err != nil {
				return err
			}
		}
		for _, f := range e.Fields {
			f.Values = e.paths(f, it.Pos.File, p)
			if e.Less {
				if err := e.less(d, it.Name, f); err != nil {
					return err
				}
				continue
			}
			if e.More && d.Has("items", it.Name, f.Key) {
				for _, v := range f.Values {
					if err := d.Append(valueOf(f.Key, []string{v}), "items", it.Name, f.Key); err != nil {
						return &failure.Usage{Message: err.Error()}
					}
				}
				continue
			}
			if err := d.Set(valueOf(f.Key, f.Values), "items", it.Name, f.Key); err != nil {
				return err
			}
		}
		return e.params(d, it.Name)
	})
}

// less takes values out of what a key has.
func (e *Edit) less(d *gateedit.Doc, item string, f Field) error {
	for _, v := range f.Values {
		have := d.Texts("items", item, f.Key)
		if !slices.Contains(have, v) {
			what := "it has none"
			if len(have) > 0 {
				what = "it has " + strings.Join(have, ", ")
			}
			return &failure.Usage{
				Message: fmt.Sprintf("%s of item %q has no %q%s", f.Key, item, v, didyoumean.Suggest(v, have)),
				Remedy:  what,
			}
		}
		if err := d.DeleteFromList(v, 2, "items", item, f.Key); err != nil {
			return err
		}
	}
	return nil
}

// params sets parameters one by one.
func (e *Edit) params(d *gateedit.Doc, item string) error {
	for _, f := range e.Params {
		path := []string{"items", item, "params", f.Key}
		if d.Has(append(path, "value")...) {
			path = append(path, "value")
		}
		v := gateedit.Text(f.Values[0])
		if gatefile.IsBare(f.Values[0]) {
			v = gateedit.Raw(f.Values[0])
		}
		if err := d.Set(v, path...); err != nil {
			return err
		}
	}
	return nil
}

// paths makes the names of files that were given relative to the working folder
// relative to the gate file.
func (e *Edit) paths(f Field, file string, p *project.Project) []string {
	if !strings.HasSuffix(f.Key, "-file") {
		return f.Values
	}
	dir := filepath.Dir(diskName(e.GateFile, p.Gate.File.File, file))
	if abs, err := filepath.Abs(dir); err == nil {
		dir = abs
	}
	out := make([]string, len(f.Values))
	for i, name := range f.Values {
		out[i] = name
		abs, err := filepath.Abs(name)
		if err != nil {
			continue
		}
		if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(name))); err == nil {
			continue // it is that already
		}
		if _, err := os.Stat(abs); err == nil {
			if rel, err := filepath.Rel(dir, abs); err == nil {
				out[i] = filepath.ToSlash(rel)
			}
		}
	}
	return out
}

// Add makes a new item.
func (e *Edit) Add(ctx context.Context) (*result.GateChange, error) {
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		g := p.Gate.File
		if it := g.Item(e.Name); it != nil {
			return &failure.Usage{
				Message: fmt.Sprintf("there is an item %q already (%s)", e.Name, it.Pos),
				Remedy:  "yellowgate set " + e.Name + " changes it",
			}
		}
		d := doc(g.File)
		pieces := []snippet.Pieced{{}}
		if e.Split != "" {
			var whole bool
			pieces, whole = snippet.Split(e.Split)
			e.box = slices.ContainsFunc(pieces, func(p snippet.Pieced) bool { return p.Box }) &&
				!slices.ContainsFunc(e.Fields, func(f Field) bool { return f.Key == "place" })
			if whole || len(pieces) == 0 {
				pieces = []snippet.Pieced{{Keys: []string{"code"}, Values: []string{strings.TrimSpace(e.Split)}}}
			}
		}
		for i, piece := range pieces {
			var fields []Field
			put := func(key, value string) {
				for k := range fields {
					if fields[k].Key == key {
						fields[k].Values = append(fields[k].Values, value)
						return
					}
				}
				fields = append(fields, Field{key, []string{value}})
			}
			for k, key := range piece.Keys {
				put(key, piece.Values[k])
			}
			if i == 0 {
				for _, f := range e.Fields {
					f.Values = e.paths(f, g.File, p)
					fields = slices.DeleteFunc(fields, func(x Field) bool { return x.Key == f.Key })
					fields = append(fields, f)
				}
				if len(fields) == 0 {
					return &failure.Usage{
						Message: "a new item carries something",
						Remedy:  "give it for example --script URL, --code-file FILE, --found SELECTOR, or --split FILE",
					}
				}
			} else {
				for _, f := range e.Fields {
					if f.Key == "pages" || f.Key == "except" {
						fields = append(fields, f)
					}
				}
			}
			v := gateedit.NewValue{}
			for _, f := range fields {
				v.Keys = append(v.Keys, f.Key)
				v.Vals = append(v.Vals, valueOf(f.Key, f.Values))
			}
			if err := d.Add(v, "items", e.Name+piece.Suffix); err != nil {
				return err
			}
		}
		return e.params(d, e.Name)
	})
}

// Disable takes an item out everywhere and keeps it for later; Enable lets it in
// again.
func (e *Edit) Disable(ctx context.Context) (*result.GateChange, error) {
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		it, err := e.item(p)
		if err != nil || it.Disabled {
			return err
		}
		return doc(it.Pos.File).Set(gateedit.Raw("true"), "items", it.Name, "disabled")
	})
}

// Enable lets a disabled item in again. A line with a comment stays, as false.
func (e *Edit) Enable(ctx context.Context) (*result.GateChange, error) {
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		it, err := e.item(p)
		if err != nil || !it.Disabled {
			return err
		}
		line := project.LineOf(p.Gate.File.TextOf(it.DisabledPos.File), it.DisabledPos.Line)
		if strings.Contains(line, " #") {
			return doc(it.Pos.File).Set(gateedit.Raw("false"), "items", it.Name, "disabled")
		}
		return doc(it.Pos.File).Delete(2, "items", it.Name, "disabled")
	})
}

// Remove takes an item out of the gate file, and its name out of what mentions
// it. It refuses while another item needs it and, unless release is true, one
// that finds or replaces elements, since those come back as the source has them.
func (e *Edit) Remove(ctx context.Context, release bool) (*result.GateChange, error) {
	e.release = release
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		it, err := e.item(p)
		if err != nil {
			return err
		}
		g := p.Gate.File
		if needed := decisions.NeededBy(g, it.Name); len(needed) > 0 {
			return &failure.Usage{
				Message: fmt.Sprintf("item %q is needed by %s", it.Name, strings.Join(needed, ", ")),
				Remedy:  "take the need out first, or remove what needs it",
			}
		}
		if len(it.Found)+len(it.Replaces) > 0 && !release {
			return &failure.Usage{
				Message: fmt.Sprintf(
					"item %q keeps elements of the source pages out, or changes them; without it they come back as "+
						"the source has them",
					it.Name),
				Remedy: "say so with --release, or take it out of all pages: yellowgate set " + it.Name + " --pages none",
			}
		}
		if !release {
			if pages, err := spotsOf(ctx, p, it.Name); err != nil || len(pages) > 0 {
				if err != nil {
					return err
				}
				return &failure.Usage{
					Message: fmt.Sprintf("item %q has a spot on %s, which would name no item", it.Name,
						pageedit.SomePages(pages)),
					Remedy: "take the spots out of the pages first; --release removes the item anyway, and check " +
						"reports its spots until they are gone",
				}
			}
		}
		d := doc(it.Pos.File)
		if err := d.Delete(2, "items", it.Name); err != nil {
			return err
		}
		for _, other := range g.Items {
			for key, list := range map[string][]gatefile.Text{"before": other.Before, "after": other.After,
				"not-with": other.NotWith} {
				if mentions(list, it.Name) {
					if err := doc(other.Pos.File).DeleteFromList(it.Name, 2, "items", other.Name, key); err != nil {
						return err
					}
				}
			}
		}
		for _, pp := range g.Pages {
			for key, list := range map[string][]gatefile.Text{"in": pp.In, "out": pp.Out} {
				if mentions(list, it.Name) {
					if err := doc(pp.Pos.File).DeleteFromList(it.Name, 1, "per-page", pp.Path, key); err != nil {
						return err
					}
				}
			}
			if slices.ContainsFunc(pp.Params, func(s gatefile.Setting) bool { return s.Item == it.Name }) {
				if err := doc(pp.Pos.File).Delete(1, "per-page", pp.Path, "params", it.Name); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// spotsOf lists the pages that have a spot for an item.
func spotsOf(ctx context.Context, p *project.Project, item string) (pages []string, err error) {
	if it := p.Gate.File.Item(item); !it.HasSpot() || p.Source == "" {
		return nil, nil
	}
	if _, err := os.Stat(p.Source); err != nil {
		return nil, nil // the site was not built yet
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	err = project.GateAll(ctx, p, nil, func(_ int, r *pageedit.Result) error {
		if r.Page.Spots[item] {
			pages = append(pages, r.Page.Path)
		}
		return nil
	})
	return pages, err
}

func mentions(list []gatefile.Text, name string) bool {
	return slices.ContainsFunc(list, func(t gatefile.Text) bool { return t.Value == name })
}

// wrapped is a value that is written in YAML: a part with its pages, or a query with its note.
var wrapped = regexp.MustCompile(`^\{\s*(value|only|pages|note):\s`)

// valueOf turns the values of an option into a value of the gate file: mappings
// may be given in YAML, in braces; for attrs, classes and params as NAME=VALUE.
func valueOf(key string, values []string) gateedit.NewValue {
	one := func(v string) gateedit.NewValue {
		t := strings.TrimSpace(v)
		switch key {
		case "each", "disabled":
			return gateedit.Raw(t)
		case "place", "found", "replaces", "open":
			if strings.HasPrefix(t, "{") {
				return gateedit.Raw(t)
			}
		case "structured", "questions", "attrs", "classes", "params", "params-on":
			if strings.HasPrefix(t, "{") || strings.HasPrefix(t, "[") {
				return gateedit.Raw(t)
			}
		}
		if wrapped.MatchString(t) {
			return gateedit.Raw(t)
		}
		return gateedit.Text(v)
	}
	if key == "attrs" || key == "classes" || key == "params" {
		m := gateedit.NewValue{}
		for _, v := range values {
			i := strings.LastIndexByte(v, '=')
			if key != "classes" {
				i = strings.IndexByte(v, '=')
			}
			if strings.HasPrefix(strings.TrimSpace(v), "{") || i < 0 {
				return one(v)
			}
			m.Keys = append(m.Keys, strings.TrimSpace(v[:i]))
			x := gateedit.Text(v[i+1:])
			if gatefile.IsBare(v[i+1:]) {
				x = gateedit.Raw(v[i+1:])
			}
			m.Vals = append(m.Vals, x)
		}
		return m
	}
	if len(values) == 1 {
		return one(values[0])
	}
	list := gateedit.NewValue{}
	for _, v := range values {
		list.List = append(list.List, one(v))
	}
	return list
}
