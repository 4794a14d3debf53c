package gatefile

import (
	"regexp"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/goccy/go-yaml/ast"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// Matchers: what finds elements of a source page.

// matcher reads a selector, {url: glob} or {text: regexp}.
func (r *reader) matcher(n ast.Node) (m Matcher, ok bool) {
	n = r.resolve(n)
	switch n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		m.Pos = r.at(n)
		for _, e := range r.mapping(n, "a matcher", KeysOf(MatcherShape{})) {
			if e.key == "rendered" {
				m.Rendered = r.truth(e.node, e.key)
				continue
			}
			t, good := r.oneText(e.node, e.key)
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
				if t.Value == "" {
					r.problem(problem.Error, t.Pos, "write a path, such as /js/**", "the url of a matcher is empty")
				}
				m.URL, ok = t.Value, t.Value != ""
			case "text":
				re, err := regexp.Compile(t.Value)
				if t.Value == "" {
					r.problem(problem.Error, t.Pos, "write words that stand in the code", "the text of a matcher is empty")
					return m, false
				}
				if err != nil {
					r.problem(problem.Error, t.Pos, "characters such as ( ) [ ] { } . * + ? | ^ $ and \\ mean something in a regular expression; to find them as they are, write a \\ before each: '"+regexp.QuoteMeta(t.Value)+"'",
						"the regular expression does not compile: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
					return m, false
				}
				m.Text, ok = re, true
			}
		}
		if m.URL == "" && m.Text == nil && m.Rendered {
			r.problem(problem.Error, m.Pos, "add what a browser loads: {url: https://tags.example/**, rendered: true}", "a matcher that is rendered needs a url or a text")
			return m, false
		}
		if m.URL != "" && m.Text != nil {
			r.errorf(m.Pos, "a matcher is a selector, a url or a text, not two of them")
			return m, false
		}
		return m, ok
	}
	t, ok := r.oneText(n, "a matcher")
	if !ok {
		return m, false
	}
	r.hiddenComment(n, t)
	sel, err := markup.ParseSelector(t.Value)
	if err != nil && looksLikeURL(t.Value) {
		glob := t.Value
		if !strings.HasPrefix(glob, "/") && !strings.Contains(glob, "://") {
			glob = "/" + glob
		}
		r.problem(
			problem.Error,
			t.Pos,
			"write {url: "+glob+"}; ** and * stand for any part of the path",
			"%q is no selector: it looks like a URL",
			t.Value,
		)
		return m, false
	}
	if err != nil {
		r.selectorError(n, err)
		return m, false
	}
	return Matcher{Selector: sel, Raw: t.Value, Pos: t.Pos}, true
}

// looksLikeURL reports whether somebody meant a URL where a selector is wanted.
func looksLikeURL(s string) bool {
	return !strings.ContainsAny(s, " [>+~,") &&
		(strings.Contains(s, "/") || strings.HasSuffix(s, ".js") || strings.HasSuffix(s, ".css"))
}
