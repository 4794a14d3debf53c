package gatefile

import (
	"regexp"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// fragmentForm is what a fragment of an address can be without percent escapes.
var fragmentForm = regexp.MustCompile(`^[A-Za-z0-9._~-]+$`)

// opens reads what opens a popup.
func (r *reader) opens(it *Item, n ast.Node) {
	for _, v := range r.list(n) {
		o := &Open{Pos: r.at(v)}
		before := len(r.problems)
		if kind := kindOf(r.resolve(v)); kind != "a mapping" {
			r.problem(problem.Error, o.Pos, "write it like open: {after: 8s}", "open should be a mapping, not %s", kind)
			continue
		}
		for _, e := range r.mapping(v, "open", KeysOf(OpenOf{})) {
			if e.key == "pages" {
				o.Pages = r.queries(e.node, "pages")
				continue
			}
			if o.How != "" {
				r.problem(problem.Error, e.pos, "make it a list: one entry for each",
					"one entry of open is one thing that opens; %q stands besides %q", e.key, o.How)
				continue
			}
			o.How, o.Pos = e.key, e.pos
			o.Value = r.opener(e)
		}
		if o.How == "" {
			if len(r.problems) == before {
				r.problem(problem.Error, o.Pos, "add after, scroll, click, fragment or leaving",
					"this entry of open does not say what opens the popup")
			}
			continue
		}
		it.Opens = append(it.Opens, o)
	}
}

// opener reads the value of one thing that opens.
func (r *reader) opener(e entry) string {
	if e.key == "leaving" {
		if !r.truth(e.node, "leaving") {
			r.errorf(e.pos, "leaving is true, or left out")
		}
		return ""
	}
	t, ok := r.oneText(e.node, "open."+e.key)
	if !ok {
		return ""
	}
	switch e.key {
	case "after":
		s, err := placeholder.ParseSpan(t.Value)
		if err != nil {
			r.errorf(t.Pos, "%v", err)
		}
		return strconv.FormatFloat(s, 'f', -1, 64)
	case "scroll":
		n, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(t.Value), "%"), 64)
		if err != nil || !strings.HasSuffix(t.Value, "%") || n < 0 || n > 100 {
			r.errorf(t.Pos, "scroll is a share of the page, such as 60%%, not %q", t.Value)
		}
		return strconv.FormatFloat(n, 'f', -1, 64)
	case "click":
		r.hiddenComment(e.node, t)
		if _, err := markup.ParseSelector(t.Value); err != nil {
			r.selectorError(r.resolve(e.node), err)
		}
	case "fragment":
		v := strings.TrimPrefix(t.Value, "#")
		if !fragmentForm.MatchString(v) {
			r.errorf(t.Pos, "a fragment is letters, digits and hyphens, not %q", t.Value)
		}
		return v
	}
	return t.Value
}

// again reads when a popup may open by itself again: a word, or a span, which
// becomes seconds.
func (r *reader) again(it *Item, n ast.Node) {
	t, ok := r.oneText(n, "again")
	if !ok {
		return
	}
	switch t.Value {
	case "visit", "always", "once":
	default:
		s, err := placeholder.ParseSpan(t.Value)
		if err != nil {
			r.problem(problem.Error, t.Pos, "again is visit, always, once, or a span such as 7d",
				"%q does not say when a popup may open again", t.Value)
		}
		t.Value = strconv.FormatFloat(s, 'f', -1, 64)
	}
	it.Again = t
}

// checkPopup refuses what makes no sense of a popup, or without one.
func (r *reader) checkPopup(it *Item, at map[string]problem.Position) {
	n := 0
	for _, p := range it.Parts {
		if p.Kind == Popup {
			n++
		}
	}
	switch {
	case n > 1:
		r.problem(problem.Error, it.Pos, "make it an item of its own", "item %q has more than one popup", it.Name)
	case n == 0:
		for _, key := range []string{"label", "open", "again"} {
			if pos, ok := at[key]; ok {
				r.errorf(pos, "%q is for popups, and item %q has none", key, it.Name)
			}
		}
	case it.Label.Text == "" && at["label"].Line > 0:
		r.problem(problem.Error, at["label"], "say in a few words what it shows", "the label of item %q is empty",
			it.Name)
	case len(it.Opens) == 0 && !r.failedAt(it.Pos.Line):
		r.problem(problem.Error, it.Pos, "add for example open: {fragment: "+it.Name+"}",
			"nothing opens the popup of item %q", it.Name)
	}
}

// day reads a date.
func (r *reader) day(n ast.Node, what string) Text {
	t, ok := r.oneText(n, what)
	if ok && !IsDay(t.Value) {
		r.problem(problem.Error, t.Pos, "write it like "+what+": 2027-06-01", "%s is a day, not %q", what, t.Value)
		return Text{}
	}
	return t
}

var dayForm = regexp.MustCompile(`^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$`)

// IsDay reports whether a text is a day: YYYY-MM-DD (ISO 8601).
func IsDay(s string) bool { return dayForm.MatchString(s) }

// classes reads class names by selector.
func (r *reader) classes(it *Item, n ast.Node) {
	for _, e := range r.entries(n, "classes") {
		sel, err := markup.ParseSelector(e.key)
		if err != nil {
			r.errorf(e.pos, "%v", err)
			continue
		}
		for _, t := range r.texts(e.node, "classes."+e.key) {
			if strings.TrimSpace(t.Value) == "" || strings.ContainsAny(t.Value, "<>\"'&@{}") {
				r.errorf(t.Pos, "class names should be words, not %q", t.Value)
				continue
			}
			it.Parts = append(it.Parts,
				&Part{Kind: Classes, Key: "classes", Text: t.Value, Template: &placeholder.Template{}, Selector: sel,
					Pos: e.pos, CodePos: t.Pos})
		}
	}
}
