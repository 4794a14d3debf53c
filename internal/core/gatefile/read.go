package gatefile

import (
	"net/url"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/near"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/placeholder"
)

// The keys of each mapping: what this version reads, and what the format has
// beyond that.
var (
	topKeys      = []string{"yellowgate", "site", "sets", "defaults", "metadata", "items", "per-page"}
	topLater     = []string{"include", "blank-pages", "require", "budgets", "accept", "checks", "strict"}
	siteKeys     = []string{"name", "url", "source", "output", "facts", "ignore", "extensionless", "marks"}
	siteLater    = []string{"manifest", "trust"}
	metaLater    = []string{"author", "keywords", "viewport", "meta", "icon", "theme-color", "property", "link", "social", "lang"}
	ruleKeys     = append([]string{"pages", "except"}, MetadataKeys...)
	perPageKeys  = append([]string{"in", "out"}, MetadataKeys...)
	perPageLater = append([]string{"params"}, metaLater...)
	itemKeys     = []string{"script", "stylesheet", "code", "code-file", "found", "pages", "except", "place",
		"needs", "before", "after", "load", "attrs", "disabled", "note"}
	itemLater = []string{"script-file", "script-text", "style-file", "style-text", "popup", "popup-file", "structured",
		"questions", "classes", "replaces", "not-with", "each", "media", "integrity", "params", "label", "open", "again",
		"from", "until"}
	placeNames    = []string{HeadStart, HeadEnd, BodyStart, BodyEnd}
	placeAt       = []string{Before, After, FirstIn, LastIn, InsteadOf}
	placeLater    = []string{"spot"}
	loads         = []string{"defer", "async", "module", "now"}
	forbiddenName = []string{"popup-runtime"}
)

// Parse reads the text of a gate file. The file's name is used in positions
// only. Where a problem is an error, the Gate is not fit for use. The files it
// names are not read: see Load.
func Parse(file string, text []byte) (*Gate, []Problem) {
	g := &Gate{File: file, Text: text}
	g.Site.Marks = true
	r := &reader{file: file, text: text, gate: g, lines: linesOf(text)}
	if root, ok := r.parse(); ok {
		r.top(root)
		r.bind()
		r.names()
	}
	SortProblems(r.problems)
	return g, r.problems
}

// linesOf splits a text at its line ends: LF, CRLF or CR.
func linesOf(text []byte) []string {
	s := strings.ReplaceAll(strings.TrimPrefix(string(text), "\uFEFF"), "\r\n", "\n")
	return strings.Split(strings.ReplaceAll(s, "\r", "\n"), "\n")
}

func (r *reader) top(root ast.Node) {
	versioned := false
	for _, e := range r.mapping(root, "the gate file", topKeys, topLater) {
		switch e.key {
		case "yellowgate":
			versioned = true
			if t, ok := r.text1(e.node, "yellowgate"); ok && t.Value != "1" {
				r.errorf(t.Pos, "the gate file's format is version %s; this program reads version 1", t.Value)
			}
		case "site":
			r.site(e.node)
		case "sets":
			r.sets(e.node)
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
		}
	}
	if !versioned {
		r.problem(Error, Position{r.file, 1, 1}, "write as its first line: yellowgate: 1", "the gate file does not say its format's version")
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

func (r *reader) site(n ast.Node) {
	s := &r.gate.Site
	for _, e := range r.mapping(n, "site", siteKeys, siteLater) {
		what := "site." + e.key
		switch e.key {
		case "name":
			s.Name, _ = r.text1(e.node, what)
		case "url":
			s.URL, _ = r.text1(e.node, what)
			if u, err := url.Parse(s.URL.Value); s.URL.Value != "" && (err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https") {
				r.problem(Error, s.URL.Pos, "write it like https://ternhill.example", "site.url should be the site's absolute address")
			} else if u != nil && (u.RawQuery != "" || u.Fragment != "") {
				r.errorf(s.URL.Pos, "site.url has no query and no fragment")
			}
			s.URL.Value = strings.TrimSuffix(s.URL.Value, "/")
		case "source":
			s.Source, _ = r.text1(e.node, what)
		case "output":
			s.Output, _ = r.text1(e.node, what)
		case "facts":
			s.Facts = r.texts(e.node, what)
		case "ignore":
			s.Ignore = r.texts(e.node, what)
			for _, t := range s.Ignore {
				if !doublestar.ValidatePattern(t.Value) {
					r.errorf(t.Pos, "the glob %q has a bracket or brace that is never closed", t.Value)
				}
			}
		case "extensionless":
			s.Extensionless = r.truth(e.node, what)
		case "marks":
			s.Marks = r.truth(e.node, what)
		}
	}
}

var nameForm = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

func (r *reader) checkName(what, name string, pos Position) {
	if !nameForm.MatchString(name) {
		better := strings.Trim(regexp.MustCompile(`[^a-z0-9]+`).ReplaceAllString(strings.ToLower(name), "-"), "-")
		hint := ""
		if better != "" {
			hint = " (for example " + better + ")"
		}
		r.errorf(pos, "the name of %s is lower-case words with hyphens, not %q%s", what, name, hint)
	}
}

func (r *reader) sets(n ast.Node) {
	for _, e := range r.entries(n, "sets") {
		if slices.Contains(pagequery.Reserved, e.key) {
			r.errorf(e.pos, "a page set cannot be called %q: that is a word of the query language", e.key)
			continue
		}
		r.checkName("a page set", e.key, e.pos)
		s := &Set{Name: e.key, Pos: e.pos}
		qs := r.queries(e.node, "the page set "+e.key)
		if len(qs) == 0 {
			if len(r.list(e.node)) == 0 {
				r.errorf(e.pos, "the page set %q has no query", e.key)
			}
			continue
		}
		s.Query = qs[0]
		for _, q := range qs[1:] { // a list means any of them
			s.Query.Expr = &pagequery.Or{X: s.Query.Expr, Y: q.Expr}
		}
		r.gate.Sets = append(r.gate.Sets, s)
	}
}

// queries reads a page query or a list of them.
func (r *reader) queries(n ast.Node, what string) []Query {
	var out []Query
	for _, v := range r.list(n) {
		t, ok := r.text1(v, what)
		if !ok {
			continue
		}
		r.hiddenComment(v, t)
		x, err := pagequery.Parse(t.Value)
		if err != nil {
			r.errorf(r.inside(r.resolve(v), err.(*pagequery.SyntaxError).Offset), "%v", err)
			continue
		}
		out = append(out, Query{x, t.Value, t.Pos})
		r.queryNodes = append(r.queryNodes, r.resolve(v))
		r.allQueries = append(r.allQueries, out[len(out)-1])
	}
	return out
}

// hiddenComment recognises " #" in an unquoted value: YAML ends the value there.
func (r *reader) hiddenComment(n ast.Node, t Text) {
	s, ok := r.resolve(n).(*ast.StringNode)
	if !ok || s.Token.Value != t.Value || t.Pos.Line > len(r.lines) {
		return
	}
	line := r.lines[t.Pos.Line-1]
	i := strings.LastIndex(line, t.Value)
	if i < 0 {
		return
	}
	rest := line[i+len(t.Value):]
	if trimmed := strings.TrimLeft(rest, " "); len(trimmed) < len(rest) && len(trimmed) > 1 && trimmed[0] == '#' && trimmed[1] != ' ' && trimmed[1] != '#' {
		r.problem(Error, Position{t.Pos.File, t.Pos.Line, len([]rune(line[:len(line)-len(trimmed)])) + 1},
			"put the whole value in quotes; a comment has a space after its #", "YAML takes the rest of this line for a comment")
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
	bind := func(q Query, node ast.Node) {
		err := pagequery.Bind(q.Expr, func(name string) pagequery.Expr {
			if s := byName[name]; s != nil {
				return s.Query.Expr
			}
			return nil
		}, names)
		if err != nil {
			r.errorf(r.inside(node, err.(*pagequery.SyntaxError).Offset), "%v", err)
		}
	}
	for i, q := range r.allQueries {
		bind(q, r.queryNodes[i])
		pagequery.Walk(q.Expr, func(x pagequery.Expr) {
			if h, ok := x.(*pagequery.Has); ok {
				id, seen := numbers[h.Selector.String()]
				if !seen {
					id = len(g.Selectors)
					numbers[h.Selector.String()] = id
					g.Selectors = append(g.Selectors, h.Selector)
				}
				h.ID = id
			}
		})
	}
	r.circles(byName)
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
				r.errorf(s.Pos, "page sets defined in a circle: %s", strings.Join(append(slices.Clone(trail[from:]), ref.Name), " → "))
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
		for _, e := range r.mapping(v, "a rule under "+what, ruleKeys, metaLater) {
			switch e.key {
			case "pages":
				rule.Pages = r.queries(e.node, "pages")
			case "except":
				rule.Except = r.queries(e.node, "except")
			default:
				r.key(e, &rule.Keys)
			}
		}
		_, bare := n.(*ast.SequenceNode)
		if rule.Pages == nil && isDefault && !bare {
			rule.Pages = []Query{{pagequery.Const(true), "all", rule.Pos}}
		} else if rule.Pages == nil && !r.failedAt(rule.Pos.Line) {
			r.problem(Error, rule.Pos, "add pages: all, or a page query", "this rule under %s does not say for which pages it is", what)
		}
		if len(rule.Keys) == 0 && rule.Pages != nil && !r.failedAt(rule.Pos.Line) {
			r.problem(Warning, rule.Pos, "", "this rule under %s sets nothing", what)
		}
		r.gate.Rules = append(r.gate.Rules, rule)
	}
}

// failedAt reports whether a problem stands at the line or close after it, so
// that what follows from it need not be told.
func (r *reader) failedAt(line int) bool {
	for _, p := range r.problems {
		if p.Pos.Line >= line && p.Pos.Line <= line+4 {
			return true
		}
	}
	return false
}

// key reads one metadata key.
func (r *reader) key(e entry, keys *[]Key) {
	t, ok := r.text1(e.node, e.key)
	if !ok {
		return
	}
	k := Key{Name: e.key, Text: t.Value, Pos: e.pos, ValuePos: t.Pos, None: t.Value == "none"}
	tmpl, err := placeholder.Parse(t.Value)
	if err != nil {
		r.errorf(r.inside(r.resolve(e.node), err.(*placeholder.Error).Offset), "%v", err)
		return
	}
	k.Value = tmpl
	*keys = append(*keys, k)
}

func (r *reader) item(e entry) {
	it := &Item{Name: e.key, Pos: e.pos}
	r.checkName("an item", e.key, e.pos)
	if slices.Contains(forbiddenName, e.key) {
		r.errorf(e.pos, "%q is a name that the tool itself marks with; choose another", e.key)
	}
	what := `item "` + e.key + `"`
	var placed, loadAt, attrsAt Position
	for _, e := range r.mapping(e.node, what, itemKeys, itemLater) {
		switch e.key {
		case "script", "stylesheet":
			for _, v := range r.list(e.node) {
				r.urlPart(it, Kind(e.key), v)
			}
		case "code":
			for _, v := range r.list(e.node) {
				if t, ok := r.text1(v, "code"); ok {
					p := &Part{Kind: Code, Text: t.Value, Pos: e.pos, CodePos: r.inside(r.resolve(v), 0)}
					r.template(p, r.resolve(v))
					it.Parts = append(it.Parts, p)
				}
			}
		case "code-file":
			for _, t := range r.texts(e.node, "code-file") {
				it.Parts = append(it.Parts, &Part{Kind: Code, FromFile: t.Value, Pos: t.Pos, CodePos: Position{t.Value, 1, 1}})
			}
		case "found":
			for _, v := range r.list(e.node) {
				if m, ok := r.matcher(v); ok {
					it.Found = append(it.Found, m)
				}
			}
		case "pages":
			it.Pages = r.queries(e.node, "pages")
		case "except":
			it.Except = r.queries(e.node, "except")
		case "place":
			placed = e.pos
			it.Place = r.place(e.node)
		case "needs":
			it.Needs = r.texts(e.node, "needs")
		case "before":
			it.Before = r.texts(e.node, "before")
		case "after":
			it.After = r.texts(e.node, "after")
		case "load":
			loadAt = e.pos
			if t, ok := r.text1(e.node, "load"); ok {
				if !slices.Contains(loads, t.Value) {
					r.errorf(t.Pos, "load is one of %s, not %q%s", strings.Join(loads, ", "), t.Value, near.Suggest(t.Value, loads))
				}
				it.Load = t
			}
		case "attrs":
			attrsAt = e.pos
			r.attrs(it, e.node)
		case "disabled":
			it.Disabled, it.DisabledPos = r.truth(e.node, "disabled"), e.pos
		case "note":
			t, _ := r.text1(e.node, "note")
			it.Note = t.Value
		}
	}
	if len(it.Parts) == 0 && len(it.Found) == 0 && !r.failedAt(it.Pos.Line) {
		r.problem(Error, it.Pos, "give it a script, a stylesheet, code, a code-file, or what is found in the source pages",
			"%s carries nothing", what)
	}
	if it.FoundOnly() && len(it.Found) > 0 {
		for key, at := range map[string]Position{"place": placed, "load": loadAt, "attrs": attrsAt} {
			if at.Line > 0 {
				r.problem(Error, at, "take it out for now: a found part stays where it stands, or goes",
					"%q for found parts (moving and changing them) is not read by this version yet", key)
			}
		}
	}
	r.gate.Items = append(r.gate.Items, it)
}

// urlPart reads a script or stylesheet: a URL or a path of the site.
func (r *reader) urlPart(it *Item, kind Kind, n ast.Node) {
	t, ok := r.text1(n, string(kind))
	if !ok {
		return
	}
	v := strings.TrimSpace(t.Value)
	switch {
	case v == "":
		r.errorf(t.Pos, "%s should be a URL or a path of the site", kind)
		return
	case strings.HasPrefix(v, "<"):
		r.problem(Error, t.Pos, "use code or code-file for HTML", "%s takes a URL, not a tag", kind)
		return
	case strings.HasPrefix(v, "built:"):
		r.problem(Error, t.Pos, "write the path of the built file for now", "the build manifest (built:) is not read by this version yet")
		return
	case strings.ContainsAny(v, "\n{;") && !strings.Contains(v, "@{"):
		r.problem(Error, t.Pos, "use code or code-file for code", "%s takes a URL, not code", kind)
		return
	}
	p := &Part{Kind: kind, Text: v, Pos: t.Pos, CodePos: t.Pos}
	tmpl, err := placeholder.Parse(v)
	if err != nil {
		r.errorf(r.inside(r.resolve(n), err.(*placeholder.Error).Offset), "%v", err)
		return
	}
	p.Template = tmpl
	it.Parts = append(it.Parts, p)
}

// template reads the placeholders of code in the gate file.
func (r *reader) template(p *Part, n ast.Node) {
	tmpl, err := placeholder.ParseCode(p.Text)
	if err != nil {
		r.errorf(r.inside(n, err.(*placeholder.Error).Offset), "%v", err)
		tmpl = &placeholder.Template{}
	}
	p.Template = tmpl
}

// matcher reads a selector, {url: glob} or {text: regexp}.
func (r *reader) matcher(n ast.Node) (m Matcher, ok bool) {
	n = r.resolve(n)
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		m.Pos = r.at(n)
		for _, e := range r.mapping(n, "a matcher", []string{"url", "text"}, nil) {
			t, good := r.text1(e.node, e.key)
			if !good {
				return m, false
			}
			m.Raw = e.key + ": " + t.Value
			switch e.key {
			case "url":
				if !doublestar.ValidatePattern(t.Value) {
					r.errorf(t.Pos, "the glob %q has a bracket or brace that is never closed", t.Value)
					return m, false
				}
				m.URL, ok = t.Value, t.Value != ""
			case "text":
				re, err := regexp.Compile(t.Value)
				if err != nil {
					r.errorf(t.Pos, "the regular expression does not compile: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
					return m, false
				}
				m.Text, ok = re, true
			}
		}
		if m.URL != "" && m.Text != nil {
			r.errorf(m.Pos, "a matcher is a selector, a url or a text, not two of them")
			return m, false
		}
		return m, ok
	}
	t, ok := r.text1(n, "a matcher")
	if !ok {
		return m, false
	}
	r.hiddenComment(n, t)
	sel, err := markup.ParseSelector(t.Value)
	if err != nil {
		r.selectorError(n, err)
		return m, false
	}
	return Matcher{Selector: sel, Raw: t.Value, Pos: t.Pos}, true
}

func (r *reader) selectorError(n ast.Node, err error) {
	off := 0
	if e, ok := err.(*markup.SelectorError); ok {
		off = e.Offset
	}
	r.errorf(r.inside(n, off), "%v", err)
}

// place reads a standard place or one at a selector.
func (r *reader) place(n ast.Node) *Place {
	n = r.resolve(n)
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		later := []string{"code", "script", "stylesheet", "style", "popup", "structured"}
		es := r.mapping(n, "place", placeAt, later)
		if len(es) > 1 {
			r.errorf(es[1].pos, "a place is one place; %q stands here besides %q", es[1].key, es[0].key)
		}
		if len(es) == 0 {
			return nil
		}
		t, ok := r.text1(es[0].node, "place."+es[0].key)
		if !ok {
			return nil
		}
		r.hiddenComment(es[0].node, t)
		sel, err := markup.ParseSelector(t.Value)
		if err != nil {
			r.selectorError(r.resolve(es[0].node), err)
			return nil
		}
		return &Place{es[0].key, sel, t.Pos}
	}
	t, ok := r.text1(n, "place")
	switch {
	case !ok:
		return nil
	case slices.Contains(placeLater, t.Value):
		r.problem(Error, t.Pos, "use {before: SELECTOR} or another place for now", "spots are not read by this version yet")
		return nil
	case slices.Contains(placeAt, t.Value):
		r.problem(Error, t.Pos, "write it like place: {"+t.Value+": form.contact}", "the place %q needs a selector", t.Value)
		return nil
	case !slices.Contains(placeNames, t.Value):
		r.errorf(t.Pos, "unknown place %q%s", t.Value, near.Suggest(t.Value, append(slices.Clone(placeNames), placeAt...)))
		return nil
	}
	return &Place{Name: t.Value, Pos: t.Pos}
}

var attrName = regexp.MustCompile(`^[A-Za-z_:@][-A-Za-z0-9_:.@]*$`)

func (r *reader) attrs(it *Item, n ast.Node) {
	for _, e := range r.entries(n, "attrs") {
		name := strings.ToLower(e.key)
		switch {
		case !attrName.MatchString(name):
			r.errorf(e.pos, "%q is no name for an attribute", e.key)
			continue
		case name == "src" || name == "href":
			r.errorf(e.pos, "%q is not set by attrs: the item's script or stylesheet is its URL", e.key)
			continue
		}
		a := Attr{Name: name, Pos: e.pos}
		if b, ok := r.resolve(e.node).(*ast.BoolNode); ok && b.Value {
			a.Value = &placeholder.Template{} // a bare attribute
		} else if t, ok := r.text1(e.node, "attrs."+e.key); ok {
			tmpl, err := placeholder.Parse(t.Value)
			if err != nil {
				r.errorf(r.inside(r.resolve(e.node), err.(*placeholder.Error).Offset), "%v", err)
				continue
			}
			a.Value, a.Text = tmpl, t.Value
		} else {
			continue
		}
		it.Attrs = append(it.Attrs, a)
	}
}

func (r *reader) perPage(n ast.Node) {
	seen := map[string]Position{}
	for _, e := range r.entries(n, "per-page") {
		if !strings.HasPrefix(e.key, "/") {
			r.errorf(e.pos, "per-page names a page by its path, which begins with \"/\", not %q", e.key)
			continue
		}
		if strings.ContainsAny(e.key, "*") {
			r.problem(Error, e.pos, "use pages and except for a kind of page", "per-page is for one page, not for a glob")
			continue
		}
		key := page.Key(e.key)
		if p, dup := seen[key]; dup {
			r.errorf(e.pos, "the page %s stands under per-page twice, first in line %d", e.key, p.Line)
			continue
		}
		seen[key] = e.pos
		pp := &PerPage{Path: e.key, Pos: e.pos}
		for _, k := range r.mapping(e.node, "per-page "+e.key, perPageKeys, perPageLater) {
			switch k.key {
			case "in":
				pp.In = r.texts(k.node, "in")
			case "out":
				pp.Out = r.texts(k.node, "out")
			default:
				r.key(k, &pp.Keys)
			}
		}
		r.gate.Pages = append(r.gate.Pages, pp)
	}
}

// names checks that every item that is named exists.
func (r *reader) names() {
	g := r.gate
	names := g.ItemNames()
	check := func(list []Text, self string) {
		for _, t := range list {
			switch {
			case t.Value == self && self != "":
				r.errorf(t.Pos, "item %q names itself", self)
			case !slices.Contains(names, t.Value):
				r.errorf(t.Pos, "unknown item %q%s", t.Value, near.Suggest(t.Value, names))
			}
		}
	}
	for _, it := range g.Items {
		check(it.Needs, it.Name)
		check(it.Before, it.Name)
		check(it.After, it.Name)
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
				r.problem(Error, in.Pos, "enable the item, or take this line out", "item %q is put in on %s, but it is disabled (line %d)", in.Value, p.Path, it.DisabledPos.Line)
			}
		}
	}
}
