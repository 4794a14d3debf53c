package gatefile

import (
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// item reads one item.
func (r *reader) item(e entry) {
	it := &Item{Name: e.key, Pos: e.pos}
	r.checkName("an item", e.key, e.pos)
	if slices.Contains(forbiddenName, e.key) {
		r.errorf(e.pos, "%q is a name that the tool itself marks with; choose another", e.key)
	}
	if !r.once("item", e.key, e.pos) {
		return
	}
	r.within = e.key
	defer func() { r.within = "" }()
	entries := r.mapping(e.node, `item "`+e.key+`"`, itemKeys)
	at := map[string]problem.Position{}
	for _, e := range entries {
		at[e.key] = e.pos
		if e.key == "params" { // the texts of the others may name them
			r.params(it, e.node)
		}
	}
	for _, e := range entries {
		if !r.part(it, e) {
			r.behaviour(it, e)
		}
	}
	r.checkItem(it, at)
	r.gate.Items = append(r.gate.Items, it)
}

// part reads a key that carries something; false for any other.
func (r *reader) part(it *Item, e entry) bool {
	switch e.key {
	case "script", "stylesheet":
		r.eachPart(it, e, func(n ast.Node) { r.urlPart(it, Kind(e.key), n) })
	case "code":
		r.textParts(it, Code, e)
	case "script-text":
		r.textParts(it, ScriptText, e)
	case "style-text":
		r.textParts(it, StyleText, e)
	case "popup":
		r.textParts(it, Popup, e)
	case "code-file":
		r.fileParts(it, Code, e)
	case "script-file":
		r.fileParts(it, ScriptText, e)
	case "style-file":
		r.fileParts(it, StyleText, e)
	case "popup-file":
		r.fileParts(it, Popup, e)
	case "structured":
		r.eachPart(it, e, func(n ast.Node) { r.structured(it, n) })
	case "questions":
		r.questions(it, e)
	case "classes":
		r.classes(it, e.node)
	case "found", "replaces":
		r.bareList(e.node)
		for _, v := range r.list(e.node) {
			if m, ok := r.matcher(v); ok && e.key == "found" {
				it.Found = append(it.Found, m)
			} else if ok && m.Rendered {
				r.problem(problem.Error, m.Pos, "take rendered out, or name it under found",
					"what only a script brings cannot be replaced in the page's source")
			} else if ok {
				it.Replaces = append(it.Replaces, m)
			}
		}
	default:
		return false
	}
	return true
}

// eachPart reads the values of a key, one by one. {value: …, only: QUERY} is one that is written on some of the item's
// pages only.
func (r *reader) eachPart(it *Item, e entry, read func(ast.Node)) {
	for _, v := range r.list(e.node) {
		if !slices.ContainsFunc(r.entriesQuietly(r.resolve(v)), func(x entry) bool { return x.key == "only" }) {
			read(v)
			continue
		}
		before, problems := len(it.Parts), len(r.problems)
		var only []Query
		for _, x := range r.mapping(v, "an entry of "+e.key, KeysOf(OnlyShape{})) {
			if x.key == "only" {
				only = r.queries(x.node, "only")
				continue
			}
			for _, n := range r.list(x.node) {
				read(n)
			}
		}
		if len(r.problems) > problems {
			continue
		}
		if len(it.Parts) == before {
			r.problem(problem.Error, r.at(v), "write it like "+e.key+": {value: …, only: /events/*}",
				"an entry of %s with only has no value", e.key)
		}
		for _, p := range it.Parts[before:] {
			if p.Only = only; p.Kind == Popup {
				r.problem(problem.Error, r.at(v), "write the query under pages",
					"a popup is all of its item, so only is not for it")
			}
		}
	}
}

// behaviour reads the keys that say where, when and how.
func (r *reader) behaviour(it *Item, e entry) {
	switch e.key {
	case "pages":
		it.Pages = r.queries(e.node, "pages")
	case "except":
		it.Except = r.queries(e.node, "except")
	case "not-with":
		it.NotWith = r.texts(e.node, e.key)
	case "place":
		r.places(it, e.node)
	case "each":
		it.Each = r.truth(e.node, e.key)
	case "needs":
		it.Needs = r.texts(e.node, e.key)
	case "before":
		it.Before = r.texts(e.node, e.key)
	case "after":
		it.After = r.texts(e.node, e.key)
	case "load":
		if t, ok := r.oneText(e.node, "load"); ok {
			if !slices.Contains(loads, t.Value) {
				r.errorf(t.Pos, "load is one of %s, not %q%s", strings.Join(loads, ", "), t.Value,
					didyoumean.Suggest(t.Value, loads))
			}
			it.Load = t
		}
	case "attrs":
		r.attrs(it, e.node)
	case "media":
		it.Media = r.attr(it, e)
	case "label":
		it.Label = r.attr(it, e)
	case "integrity":
		if t, ok := r.oneText(e.node, e.key); ok {
			if t.Value != "auto" && !integrityForm.MatchString(t.Value) {
				r.problem(problem.Error, t.Pos, "write auto, or a digest such as sha384-…",
					"%q is not an integrity value", t.Value)
			}
			it.Integrity = t
		}
	case "open":
		r.opens(it, e.node)
	case "again":
		r.again(it, e.node)
	case "from":
		it.From = r.day(e.node, e.key)
	case "until":
		it.Until = r.day(e.node, e.key)
	case "params-on":
		r.paramsOn(it, e.node)
		r.checkSettings(it, it.settingsOn())
	case "disabled":
		it.Disabled, it.DisabledPos = r.truth(e.node, e.key), e.pos
	case "note":
		it.Note = r.note(e)
	}
}

// integrityForm is one or more digests (Subresource Integrity, 3.5).
var integrityForm = regexp.MustCompile(
	`^sha(256|384|512)-[A-Za-z0-9+/]+={0,2}(\s+sha(256|384|512)-[A-Za-z0-9+/]+={0,2})*$`)

// checkItem refuses keys that make no sense together. at has where each stands.
func (r *reader) checkItem(it *Item, at map[string]problem.Position) {
	if len(it.Parts) == 0 && len(it.Found) == 0 && len(it.Replaces) == 0 {
		if !r.failedAt(it.Pos.Line) {
			r.problem(problem.Error, it.Pos,
				"give it a script, a stylesheet, code, a code-file, or what is found in the source pages",
				"item %q carries nothing", it.Name)
		}
		return
	}
	r.checkPopup(it, at)
	count := map[Kind]int{}
	for _, p := range it.Parts {
		count[p.Kind]++
	}
	urls := count[Script] + count[Stylesheet]
	lacking := func(key, what string, none bool) {
		if pos, ok := at[key]; ok && none {
			r.errorf(pos, "%q is for %s, and item %q has none", key, what, it.Name)
		}
	}
	lacking("load", "scripts and found parts", count[Script]+count[ScriptText] == 0 && len(it.Found) == 0)
	lacking("media", "stylesheets and styles", count[Stylesheet]+count[StyleText] == 0)
	lacking("integrity", "a script or a stylesheet", urls == 0)
	if urls > 1 && it.Integrity.Value != "" && it.Integrity.Value != "auto" {
		r.problem(problem.Error, it.Integrity.Pos, "write auto, or make each an item of its own",
			"one integrity value cannot be that of %d files", urls)
	}
	if it.From.Value != "" && it.Until.Value != "" && it.From.Value > it.Until.Value {
		r.errorf(it.Until.Pos, "item %q ends (%s) before it begins (%s)", it.Name, it.Until.Value, it.From.Value)
	}
	if it.Each && !it.selectorPlaced() {
		r.problem(problem.Error, at["each"], "give it a place such as {before: SELECTOR}",
			"each is for a place at a selector, and item %q has none", it.Name)
	}
	for _, p := range it.Parts {
		if it.PlaceOf(p).Name == AtSpot && p.Kind == Popup {
			r.problem(problem.Error, it.Pos, "leave its place out",
				"a popup is not placed at a spot; it stands over the page")
		}
	}
	if p := it.FoundPlace(); p != nil && p.Name == AtSpot {
		r.errorf(p.Pos, "what is found cannot be moved to a spot")
	}
}

func (it *Item) selectorPlaced() bool {
	if it.Place != nil && it.Place.Selector != nil {
		return true
	}
	for _, p := range it.PartPlaces {
		if p.Selector != nil {
			return true
		}
	}
	return false
}

// urlPart reads a script or stylesheet: a URL or a path of the site.
func (r *reader) urlPart(it *Item, kind Kind, n ast.Node) {
	t, ok := r.oneText(n, string(kind))
	if !ok {
		return
	}
	v := strings.TrimSpace(t.Value)
	switch {
	case v == "":
		r.errorf(t.Pos, "%s should be a URL or a path of the site", kind)
		return
	case strings.HasPrefix(v, "<"):
		r.problem(problem.Error, t.Pos, "use code or code-file for HTML", "%s takes a URL, not a tag", kind)
		return
	case strings.ContainsAny(v, "\n{;") && !strings.Contains(v, "@{"):
		r.problem(problem.Error, t.Pos, "use "+textKey[kind]+" for code", "%s takes a URL, not code", kind)
		return
	}
	p := &Part{Kind: kind, Key: string(kind), Text: v, Pos: t.Pos, CodePos: t.Pos}
	if p.Template, ok = r.template(n, v, it.scope()); !ok {
		return
	}
	it.Parts = append(it.Parts, p)
}

var textKey = map[Kind]string{Script: "script-text", Stylesheet: "style-text"}

// textParts reads code that stands in the gate file.
func (r *reader) textParts(it *Item, kind Kind, e entry) {
	r.eachPart(it, e, func(v ast.Node) {
		t, ok := r.oneText(v, e.key)
		if !ok {
			return
		}
		p := &Part{
			Kind: kind, Key: e.key, Text: t.Value, Pos: e.pos, CodePos: r.inside(r.resolve(v), 0), dir: r.path("."),
		}
		if p.Template, ok = r.template(v, p.Text, it.codeScope()); !ok {
			p.Template = &placeholder.Template{}
		}
		it.Parts = append(it.Parts, p)
	})
}

// fileParts reads the names of files that ReadFiles will read.
func (r *reader) fileParts(it *Item, kind Kind, e entry) {
	r.eachPart(it, e, func(n ast.Node) {
		t, ok := r.oneName(n, e.key)
		if !ok {
			return
		}
		name := r.path(t.Value)
		it.Parts = append(it.Parts, &Part{
			Kind: kind, Key: e.key, FromFile: name, Pos: t.Pos, dir: r.path("."),
			CodePos: problem.Position{File: name, Line: 1, Column: 1},
		})
	})
}

// attr reads a value that is written as an attribute.
func (r *reader) attr(it *Item, e entry) (a Attr) {
	t, ok := r.oneText(e.node, e.key)
	if !ok {
		return a
	}
	tmpl, ok := r.template(e.node, t.Value, it.scope())
	if !ok {
		return a
	}
	return Attr{Name: e.key, Value: tmpl, Text: t.Value, Pos: t.Pos}
}

// places reads one place for all parts, or one for each part key.
func (r *reader) places(it *Item, n ast.Node) {
	n = r.resolve(n)
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		for _, e := range r.entriesQuietly(n) {
			if slices.Contains(placeAt, e.key) {
				it.Place = r.place(n)
				return
			}
		}
		it.PartPlaces = map[string]*Place{}
		for _, e := range r.mapping(n, "place", partPlaces) {
			if p := r.place(e.node); p != nil {
				it.PartPlaces[e.key] = p
			}
		}
		return
	}
	it.Place = r.place(n)
}

// place reads a standard place or one at a selector.
func (r *reader) place(n ast.Node) *Place {
	n = r.resolve(n)
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		es := r.mapping(n, "place", placeAt)
		if len(es) > 1 {
			r.errorf(es[1].pos, "a place is one place; %q stands here besides %q", es[1].key, es[0].key)
		}
		if len(es) == 0 {
			return nil
		}
		t, ok := r.oneText(es[0].node, "place."+es[0].key)
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
	t, ok := r.oneText(n, "place")
	switch {
	case !ok:
		return nil
	case slices.Contains(placeAt, t.Value):
		r.problem(problem.Error, t.Pos, "write it like place: {"+t.Value+": form.contact}",
			"the place %q needs a selector", t.Value)
		return nil
	case !slices.Contains(placeNames, t.Value):
		hint := didyoumean.Suggest(t.Value, append(slices.Clone(placeNames), placeAt...))
		if t.Value == "head" || t.Value == "body" { // most mean its end
			hint = ` (did you mean "` + t.Value + `-end"?)`
		}
		r.problem(problem.Error, t.Pos,
			"the places are: "+strings.Join(placeNames, ", ")+`, and {before: SELECTOR} and its like`,
			"unknown place %q%s", t.Value, hint)
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
			r.errorf(e.pos, "%q is not a name for an attribute", e.key)
			continue
		case name == "src" || name == "href":
			r.errorf(e.pos, "%q is not set by attrs: the item's script or stylesheet is its URL", e.key)
			continue
		}
		a := Attr{Name: name, Pos: e.pos}
		if b, ok := r.resolve(e.node).(*ast.BoolNode); ok {
			a.Value, a.Remove = &placeholder.Template{}, !b.Value // a bare attribute, or none
		} else if t, ok := r.oneText(e.node, "attrs."+e.key); ok {
			if a.Value, ok = r.template(e.node, t.Value, it.scope()); !ok {
				continue
			}
			a.Text = t.Value
		} else {
			continue
		}
		it.Attrs = append(it.Attrs, a)
	}
}
