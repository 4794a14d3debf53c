package gatefile

import (
	"errors"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/token"
	"golang.org/x/net/html/atom"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/problem"
)

// forbiddenName are names that the tool itself marks with.
var forbiddenName = []string{"popup-runtime", markup.ReloadMark}

// An Included is a gate file that another includes.
type Included struct {
	Name string // as the user would write it
	Dir  string // its folder, relative to that of the gate file, "" for the same
	Text []byte
}

// Parse reads the text of a gate file. The file's name is used in positions
// only. Where a problem is an error, the Gate is not fit for use. The files it
// names are not read: see ReadFiles. include finds the gate files that a glob names;
// it may be nil.
func Parse(file string, text []byte,
	include func(glob string, g *Gate) ([]Included, error)) (*Gate, []problem.Problem) {
	g := &Gate{File: file, Text: text}
	g.Site.Marks, g.Site.History = true, 100e6
	r := &reader{
		shared: &shared{gate: g, lines: map[string][]string{}, names: map[string]problem.Position{}},
		file:   file,
		text:   text,
	}
	r.include = include
	r.shared.lines[file] = linesOf(text)
	if root, ok := r.parse(); ok {
		r.top(root)
		r.bind()
		r.likeness()
		r.named()
		r.checkWords()
	}
	problem.Sort(r.problems)
	return g, r.problems
}

// linesOf splits a text at its line ends: LF, CRLF or CR.
func linesOf(text []byte) []string {
	s := strings.ReplaceAll(strings.TrimPrefix(string(text), "\uFEFF"), "\r\n", "\n")
	return strings.Split(strings.ReplaceAll(s, "\r", "\n"), "\n")
}

func (r *reader) top(root ast.Node) {
	versioned := false
	for _, e := range r.mapping(root, topLevel, topKeys) {
		switch e.key {
		case "yellowgate":
			versioned = true
			if t, ok := r.oneText(e.node, "yellowgate"); ok && t.Value != "1" {
				r.errorf(t.Pos, "the gate file's format is version %s; this program reads version 1", t.Value)
			}
		case "include", "site":
			switch {
			case r.dir != nil:
				r.problem(problem.Error, e.pos, "write it into the gate file that includes this one",
					"%q stands in an included file", e.key)
			case e.key == "site":
				r.site(e.node)
			}
		case "sets":
			r.sets(e.node)
		case "words":
			r.words(e.node)
		case "defaults":
			r.rules(e.node, true)
		case "metadata":
			r.rules(e.node, false)
		case "items":
			for _, it := range r.entries(e.node, "items") {
				r.item(it)
			}
		case "per-page":
			r.perPage(e.node)
		case "blank-pages":
			r.blankPages(e.node)
		case "require":
			r.requires(e.node)
		case "budgets":
			r.budgets(e)
		case "accept":
			r.accepts(e)
		case "checks":
			r.severities(e)
		case "strict":
			r.gate.Strict = r.truth(e.node, "strict")
		}
	}
	r.misnamed(root)
	if r.dir == nil {
		r.ofTheWhole(root, versioned)
	}
	// defaults count before metadata, wherever they stand in the file.
	slices.SortStableFunc(r.gate.Rules, func(a, b *Rule) int {
		switch {
		case a.Default == b.Default:
			return 0
		case a.Default:
			return -1
		}
		return 1
	})
}

// ofTheWhole looks for the format's version, and reads what is included, which counts after the file's own.
func (r *reader) ofTheWhole(root ast.Node, versioned bool) {
	if !versioned {
		r.problem(problem.Error, problem.Position{File: r.file, Line: 1, Column: 1},
			"write as its first line: yellowgate: 1", "the gate file does not say its format's version")
	}
	for _, e := range r.entriesQuietly(root) {
		if e.key == "include" {
			r.includes(e.node)
		}
	}
}

// spoil notes a name that has a mistake of its own, so that nobody who uses it is told of one, too.
func (r *reader) spoil(what, name string) {
	if r.shared.broken == nil {
		r.shared.broken = map[string]bool{}
	}
	r.shared.broken[what+" "+name] = true
}

// misnamed notes the names under a key that is misspelt.
func (r *reader) misnamed(root ast.Node) {
	for _, e := range r.entriesQuietly(root) {
		if slices.Contains(topKeys, e.key) {
			continue
		}
		if meant := didyoumean.Best(e.key, topKeys); meant == "sets" || meant == "items" {
			for _, x := range r.entriesQuietly(e.node) {
				r.spoil(map[string]string{"sets": "the page set", "items": "item"}[meant], x.key)
			}
		}
	}
}

// includes reads the gate files that globs name.
func (r *reader) includes(n ast.Node) {
	seen := map[string]bool{r.file: true}
	for _, t := range r.names(n, "include") {
		var files []Included
		err := fmt.Errorf("gate files cannot be included here")
		if r.include != nil {
			files, err = r.include(t.Value, r.gate)
		}
		switch {
		case err != nil:
			r.problem(problem.Error, t.Pos, remedyOf(err, "paths are relative to the gate file"),
				"cannot include %s: %v", t.Value, err)
		case len(files) == 0:
			r.problem(problem.Error, t.Pos, "paths are relative to the gate file", "no file matches %s", t.Value)
		}
		for _, f := range files {
			if seen[f.Name] {
				continue
			}
			seen[f.Name] = true
			r.gate.Others = append(r.gate.Others, File{f.Name, f.Text})
			dir := f.Dir
			sub := &reader{shared: r.shared, file: f.Name, text: f.Text, dir: &dir}
			r.shared.lines[f.Name] = linesOf(f.Text)
			if root, ok := sub.parse(); ok {
				sub.top(root)
			}
		}
	}
}

// remedyOf is what an error says is to be done about it, or what is said otherwise.
func remedyOf(err error, otherwise string) string {
	var knows interface{ Remedy() string }
	if errors.As(err, &knows) {
		return knows.Remedy()
	}
	return otherwise
}

// path is a path of the file, relative to the gate file's folder.
func (r *reader) path(p string) string {
	if r.dir == nil || *r.dir == "" || path.IsAbs(p) {
		return p
	}
	return path.Join(*r.dir, p)
}

// once refuses a name that stands somewhere already.
func (r *reader) once(what, name string, pos problem.Position) bool {
	if p, dup := r.shared.names[what+name]; dup {
		r.errorf(pos, "%s %q is defined twice, first in %s", what, name, p)
		return false
	}
	r.shared.names[what+name] = pos
	return true
}

func (r *reader) blankPages(n ast.Node) {
	for _, v := range r.list(n) {
		b := &BlankPage{Pos: r.at(v)}
		before := len(r.problems)
		for _, e := range r.mapping(v, "a page under blank-pages", KeysOf(BlankShape{})) {
			t, ok := r.oneText(e.node, e.key)
			if !ok {
				continue
			}
			switch e.key {
			case "path":
				if !strings.HasPrefix(t.Value, "/") || strings.ContainsAny(t.Value, "*?#") {
					r.problem(problem.Error, t.Pos, "write it like path: /sky-camera/",
						"a page's path begins with \"/\" and has no *, ? or #, unlike %q", t.Value)
				}
				b.Path, b.Pos = t, e.pos
			case "title":
				b.Title = t
			case "lang":
				if r.language(t) {
					b.Lang = t
				}
			case "body":
				b.Body = t
			}
		}
		if b.Path.Value == "" {
			if len(r.problems) == before {
				r.problem(problem.Error, b.Pos, "write it like path: /sky-camera/",
					"a page under blank-pages has no path")
			}
			continue
		}
		if r.once("the blank page", page.Key(b.Path.Value), b.Pos) {
			r.gate.Blank = append(r.gate.Blank, b)
		}
	}
}

func (r *reader) requires(n ast.Node) {
	for _, v := range r.list(n) {
		q := &Require{Pos: r.at(v)}
		before := len(r.problems)
		for _, e := range r.mapping(v, "an entry of require", KeysOf(RequireShape{})) {
			switch e.key {
			case "pages":
				q.Pages = r.queries(e.node, "pages")
			case "metadata":
				q.Keys = r.texts(e.node, "metadata")
			}
		}
		for i := range q.Keys {
			q.Keys[i].Value = KeyName(q.Keys[i].Value)
			if ok, hint := KnownKey(q.Keys[i].Value); !ok {
				r.errorf(q.Keys[i].Pos, "unknown metadata key %q%s", q.Keys[i].Value, hint)
			}
		}
		if len(q.Pages) == 0 || len(q.Keys) == 0 {
			if len(r.problems) == before {
				r.problem(problem.Error, q.Pos,
					"write it like require: [{pages: all, metadata: [title, description]}]",
					"an entry of require has pages and metadata")
			}
			continue
		}
		r.gate.Require = append(r.gate.Require, q)
	}
}

// NameForm is what names of items, sets and parameters are.
const NameForm = `^[a-z0-9]+(-[a-z0-9]+)*$`

var nameForm = regexp.MustCompile(NameForm)

func (r *reader) checkName(what, name string, pos problem.Position) {
	if !nameForm.MatchString(name) {
		better := strings.Trim(regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(name), "-"), "-")
		hint := ""
		if better != "" {
			hint = " (for example " + better + ")"
		}
		r.errorf(pos, "the name of %s is lower-case words with hyphens, not %q%s", what, name, hint)
	}
}

// queries reads a page query or a list of them.
func (r *reader) queries(n ast.Node, what string) []Query {
	var out []Query
	for _, v := range r.list(n) {
		note := ""
		switch r.resolve(v).(type) {
		case *ast.MappingNode, *ast.MappingValueNode:
			var text ast.Node
			if !slices.ContainsFunc(r.entriesQuietly(r.resolve(v)),
				func(e entry) bool { return slices.Contains(notedKeys, e.key) }) {
				break // braces that somebody forgot to quote
			}
			for _, e := range r.mapping(v, what, notedKeys) {
				if e.key == "note" {
					note = r.note(e)
				} else {
					text = e.node
				}
			}
			if text == nil {
				if !r.failedAt(r.at(v).Line) {
					r.problem(problem.Error, r.at(v), "write it like {pages: /events/*, note: agreed in May}",
						"%s has no page query here", what)
				}
				continue
			}
			v = text
		}
		t, ok := r.oneText(v, what)
		if !ok {
			continue
		}
		r.hiddenComment(v, t)
		x, err := pagequery.Parse(t.Value)
		if err != nil {
			r.errorf(r.inside(r.resolve(v), err.(*pagequery.SyntaxError).Offset), "%v", err)
			continue
		}
		out = append(out, Query{Expr: x, Text: t.Value, Note: note, Pos: t.Pos})
		r.oneQuery = append(r.oneQuery, boundQuery{out[len(out)-1], r.resolve(v), r})
	}
	return out
}

// hiddenComment recognises " #" in an unquoted value: YAML ends the value there.
func (r *reader) hiddenComment(n ast.Node, t Text) {
	s, ok := r.resolve(n).(*ast.StringNode)
	if !ok || s.Token.Value != t.Value || t.Pos.Line > len(r.lines[r.file]) {
		return
	}
	line := r.lines[r.file][t.Pos.Line-1]
	i := strings.LastIndex(line, t.Value)
	if i < 0 {
		return
	}
	rest := line[i+len(t.Value):]
	if trimmed := strings.TrimLeft(rest, " "); len(trimmed) < len(rest) && len(trimmed) > 1 && trimmed[0] == '#' &&
		trimmed[1] != ' ' &&
		trimmed[1] != '#' {
		r.problem(
			problem.Error,
			problem.Position{
				File:   t.Pos.File,
				Line:   t.Pos.Line,
				Column: len([]rune(line[:len(line)-len(trimmed)])) + 1,
			},
			"put the whole value in quotes; a comment has a space after its #",
			"YAML takes the rest of this line for a comment",
		)
	}
}

// bind gives page sets their meaning, numbers the selectors, and refuses sets
// defined in a circle.
func (r *reader) bind() {
	g := r.gate
	byName := map[string]*Set{}
	for _, s := range g.Sets {
		byName[s.Name] = s
	}
	names := g.SetNames()
	numbers := map[string]int{}
	for _, b := range r.oneQuery {
		err := pagequery.Bind(b.Query.Expr, func(name string) pagequery.Expr {
			if s := byName[name]; s != nil {
				return s.Query.Expr
			}
			if r.broken["the page set "+name] {
				return pagequery.Const(false)
			}
			return nil
		}, names)
		if err != nil {
			b.reader.errorf(b.reader.inside(b.node, err.(*pagequery.SyntaxError).Offset), "%v", err)
		}
		pagequery.Walk(b.Query.Expr, func(x pagequery.Expr) {
			switch x := x.(type) {
			case *pagequery.Field:
				if name, of := strings.CutPrefix(x.Name, "query."); of && !slices.Contains(g.Site.Query, name) {
					b.reader.errorf(r.inside(b.node, 0), "no page has the parameter %q: site.query does not name it", name)
				}
			case *pagequery.Has:
				g.number(x, numbers, b.Query.Pos)
			}
		})
	}
	for _, q := range g.Site.Pass {
		pagequery.Walk(q.Expr, func(x pagequery.Expr) {
			if what := ofBody(x); what != "" {
				r.problem(problem.Error, q.Pos, "ask for path, file, query.NAME or status",
					"site.gateway.pass is decided before the page has come, and %s stands in it", what)
			}
		})
	}
	before := len(r.problems)
	if r.circles(byName); len(r.problems) > before {
		return // a size has an end only without circles
	}
	sizes := map[string]int{}
	for _, b := range r.oneQuery {
		if pagequery.Size(b.Query.Expr, sizes) > pagequery.MaxSize {
			b.reader.problem(problem.Error, b.reader.at(b.node),
				"write the sets so that they do not repeat one another",
				"the query comes to more than %d parts once its page sets are written out", pagequery.MaxSize)
			return
		}
	}
}

// number gives the selector of a has() its number, one for all that are alike.
func (g *Gate) number(h *pagequery.Has, numbers map[string]int, at problem.Position) {
	id, seen := numbers[h.Selector.String()]
	if !seen {
		id = len(g.Selectors)
		numbers[h.Selector.String()] = id
		g.Selectors = append(g.Selectors, h.Selector)
		g.HasAt = append(g.HasAt, nil)
	}
	h.ID = id
	g.HasAt[id] = append(g.HasAt[id], at)
}

// ofBody is what a part of a query asks of the page itself; "" for nothing.
func ofBody(x pagequery.Expr) string {
	switch x := x.(type) {
	case *pagequery.Has:
		return x.String()
	case *pagequery.Field:
		if x.Name != "path" && x.Name != "file" && x.Name != "status" && !strings.HasPrefix(x.Name, "query.") {
			return x.Name
		}
	}
	return ""
}

// circles refuses page sets that are defined by themselves.
func (r *reader) circles(byName map[string]*Set) {
	state := map[string]int{} // 1 being visited, 2 done
	var visit func(s *Set, trail []string)
	visit = func(s *Set, trail []string) {
		state[s.Name] = 1
		trail = append(trail, s.Name)
		pagequery.Walk(s.Query.Expr, func(x pagequery.Expr) {
			ref, ok := x.(*pagequery.Set)
			if !ok || byName[ref.Name] == nil {
				return
			}
			switch state[ref.Name] {
			case 0:
				visit(byName[ref.Name], trail)
			case 1:
				from := slices.Index(trail, ref.Name)
				r.errorf(s.Pos, "page sets defined in a circle: %s",
					strings.Join(append(slices.Clone(trail[from:]), ref.Name), " → "))
				ref.Expr = pagequery.Const(false)
			}
		})
		state[s.Name] = 2
	}
	for _, s := range r.gate.Sets {
		if state[s.Name] == 0 {
			visit(s, nil)
		}
	}
}

func (r *reader) rules(n ast.Node, isDefault bool) {
	what := "metadata"
	if isDefault {
		what = "defaults"
	}
	n = r.resolve(n)
	nodes := r.list(n)
	for _, v := range nodes {
		rule := &Rule{Default: isDefault, Pos: r.at(v)}
		for _, e := range r.mapping(v, "a rule under "+what, ruleKeys) {
			switch e.key {
			case "pages":
				rule.Pages = r.queries(e.node, "pages")
			case "except":
				rule.Except = r.queries(e.node, "except")
			case "note":
				rule.Note = r.note(e)
			default:
				r.key(e, &rule.Keys)
			}
		}
		_, bare := n.(*ast.SequenceNode)
		if rule.Pages == nil && isDefault && !bare {
			rule.Pages = []Query{{Expr: pagequery.Const(true), Text: "all", Pos: rule.Pos}}
		} else if rule.Pages == nil && !r.failedAt(rule.Pos.Line) {
			r.problem(problem.Error, rule.Pos, "add pages: all, or a page query",
				"this rule under %s does not say for which pages it is", what)
		}
		if len(rule.Keys) == 0 && rule.Pages != nil && !r.failedAt(rule.Pos.Line) {
			r.warn(problem.IdleLine, nil, rule.Pos, "", "this rule under %s sets nothing", what)
		}
		r.gate.Rules = append(r.gate.Rules, rule)
	}
}

// failedAt reports whether a problem stands at the line or close after it, so
// that what follows from it need not be told.
func (r *reader) failedAt(line int) bool {
	for _, p := range r.problems {
		if p.Pos.File == r.file && p.Pos.Line >= line && p.Pos.Line <= line+4 {
			return true
		}
	}
	return false
}

// bareList refuses a list in brackets whose only entry is a word that is no element of
// HTML: somebody meant a selector by its brackets.
func (r *reader) bareList(n ast.Node) {
	seq, ok := r.resolve(n).(*ast.SequenceNode)
	if !ok || !seq.IsFlowStyle || len(seq.Values) != 1 {
		return
	}
	t, ok := r.resolve(seq.Values[0]).(*ast.StringNode)
	if ok && t.Token.Type == token.StringType && attributeName.MatchString(t.Value) &&
		atom.Lookup([]byte(t.Value)) == 0 {
		r.problem(problem.Error, r.at(seq),
			"put it in quotes: '["+t.Value+"]'; for an element of that name, leave the brackets out",
			"YAML takes [%s] for a list, and its entry for an element called %s", t.Value, t.Value)
	}
}

var attributeName = regexp.MustCompile(`^[a-z][a-z0-9-]*(=.*)?$`)

func (r *reader) selectorError(n ast.Node, err error) {
	off := 0
	if e, ok := err.(*markup.SelectorError); ok {
		off = e.Offset
	}
	r.errorf(r.inside(n, off), "%v", err)
}

func (r *reader) perPage(n ast.Node) {
	for _, e := range r.entries(n, "per-page") {
		if !strings.HasPrefix(e.key, "/") {
			r.errorf(e.pos, "per-page names a page by its path, which begins with \"/\", not %q", e.key)
			continue
		}
		if strings.ContainsAny(e.key, "*") {
			r.problem(problem.Error, e.pos, "use pages and except for a kind of page",
				"per-page is for one page, not for a glob")
			continue
		}
		if p, dup := r.shared.names["per-page "+page.Key(e.key)]; dup {
			r.errorf(e.pos, "the page %s stands under per-page twice, first in %s", e.key, p)
			continue
		}
		r.shared.names["per-page "+page.Key(e.key)] = e.pos
		pp := &PerPage{Path: e.key, Pos: e.pos}
		for _, k := range r.mapping(e.node, "per-page "+e.key, perPageKeys) {
			switch k.key {
			case "in":
				pp.In = r.texts(k.node, "in")
			case "out":
				pp.Out = r.texts(k.node, "out")
			case "params":
				r.settings(pp, k.node)
			case "note":
				pp.Note = r.note(k)
			default:
				r.key(k, &pp.Keys)
			}
		}
		r.gate.Pages = append(r.gate.Pages, pp)
	}
}

// named checks that every item that is named exists, and that parameters do.
func (r *reader) named() {
	g := r.gate
	names := g.ItemNames()
	check := func(list []Text, self string) {
		for _, t := range list {
			switch {
			case t.Value == self && self != "":
				r.errorf(t.Pos, "item %q names itself", self)
			case r.broken["item "+t.Value]:
			case !slices.Contains(names, t.Value):
				r.errorf(t.Pos, "unknown item %q%s", t.Value, didyoumean.Suggest(t.Value, names))
			}
		}
	}
	for _, it := range g.Items {
		check(it.Needs, it.Name)
		check(it.Before, it.Name)
		check(it.After, it.Name)
		check(it.NotWith, it.Name)
		for _, n := range it.Needs {
			for _, not := range it.NotWith {
				if n.Value == not.Value {
					r.errorf(not.Pos, "item %q needs %q (line %d), and must not meet it", it.Name, n.Value, n.Pos.Line)
				}
			}
		}
	}
	for _, p := range g.Pages {
		check(p.In, "")
		check(p.Out, "")
		for _, in := range p.In {
			for _, out := range p.Out {
				if in.Value == out.Value {
					r.errorf(out.Pos, "item %q is both in and out on %s (line %d)", out.Value, p.Path, in.Pos.Line)
				}
			}
			if it := g.Item(in.Value); it != nil && it.Disabled {
				r.problem(problem.Error, in.Pos, "enable the item, or take this line out",
					"item %q is put in on %s, but it is disabled (line %d)", in.Value, p.Path, it.DisabledPos.Line)
			}
		}
		for _, s := range p.Params {
			it := g.Item(s.Item)
			if it == nil {
				r.errorf(s.Pos, "unknown item %q%s", s.Item, didyoumean.Suggest(s.Item, names))
				continue
			}
			r.checkSettings(it, []Setting{s})
		}
	}
}
