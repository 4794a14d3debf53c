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
		return r.matcherOfKeys(n)
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
		r.problem(problem.Error, t.Pos, "write {url: "+glob+"}; ** and * stand for any part of the path",
			"%q is not a selector: it looks like a URL", t.Value)
		return m, false
	}
	if err != nil {
		r.selectorError(n, err)
		return m, false
	}
	return Matcher{Selector: sel, Raw: t.Value, Pos: t.Pos}, true
}

// matcherOfKeys reads {url: glob} or {text: regexp}, with rendered or without.
func (r *reader) matcherOfKeys(n ast.Node) (m Matcher, ok bool) {
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
			good = r.matcherURL(&m, t)
		case "text":
			good = r.matcherText(&m, t)
		}
		if !good {
			return m, false
		}
		ok = m.URL != "" || m.Text != nil
	}
	if m.URL == "" && m.Text == nil && m.Rendered {
		r.problem(problem.Error, m.Pos,
			"add what a browser loads: {url: https://tags.example/**, rendered: true}",
			"a matcher that is rendered needs a url or a text")
		return m, false
	}
	if m.URL != "" && m.Text != nil {
		r.errorf(m.Pos, "a matcher is a selector, a url or a text, not two of them")
		return m, false
	}
	return m, ok
}

// matcherURL gives a matcher the glob of a URL. It is false for one that cannot be used.
func (r *reader) matcherURL(m *Matcher, t Text) bool {
	if !doublestar.ValidatePattern(t.Value) {
		r.errorf(t.Pos, "the glob %q has a bracket or brace that is never closed", t.Value)
		return false
	}
	if t.Value == "" {
		r.problem(problem.Error, t.Pos, "write a path, such as /js/**", "the url of a matcher is empty")
	}
	if relative(t.Value) {
		rest := strings.TrimLeft(t.Value, "./")
		r.problem(problem.Error, t.Pos, "write /"+rest+", or /**/"+rest+" in whatever folder it is",
			"the url %q is that of no file: a path begins with \"/\"", t.Value)
		return false
	}
	m.URL = anyCharacters(t.Value)
	return true
}

// matcherText gives a matcher its regular expression. It is false for one that cannot be used.
func (r *reader) matcherText(m *Matcher, t Text) bool {
	re, err := regexp.Compile(t.Value)
	if t.Value == "" {
		r.problem(problem.Error, t.Pos, "write words that stand in the code", "the text of a matcher is empty")
		return false
	}
	if err != nil {
		r.problem(problem.Error, t.Pos,
			"characters such as ( ) [ ] { } . * + ? | ^ $ and \\ mean something in a regular expression; to find "+
				"them as they are, write a \\ before each: '"+regexp.QuoteMeta(t.Value)+"'",
			"the regular expression does not compile: %s", strings.TrimPrefix(err.Error(), "error parsing regexp: "))
		return false
	}
	m.Text = re
	return true
}

// relative reports whether the glob of a URL is a path without its first slash, which would find nothing: its first
// part is no host.
func relative(glob string) bool {
	if glob == "" || strings.ContainsAny(glob[:1], "/*?[{\\") || strings.Contains(glob, "://") {
		return false
	}
	host, _, below := strings.Cut(glob, "/")
	return !below || strings.Trim(host, ".") == "" || !strings.ContainsAny(host, ".*?[{:") && host != "localhost"
}

// anyCharacters makes "**" within a segment mean any characters, slashes among them, as it does between slashes: the
// globs of doublestar know it there alone.
func anyCharacters(glob string) string {
	for i := 0; ; {
		at := strings.Index(glob[i:], "**")
		if at < 0 {
			return glob
		}
		at += i
		before, after := glob[:at], glob[at+2:]
		begins := before == "" || strings.HasSuffix(before, "/")
		ends := after == "" || strings.HasPrefix(after, "/")
		switch {
		case begins && ends:
			i = at + 2
		case begins:
			glob, i = before+"**/*"+after, at+4
		case after == "":
			return before + "{*,*/**}"
		case ends:
			glob, i = before+"*/**"+after, at+4
		default:
			glob, i = before+"{*,*/**/*}"+after, at+len("{*,*/**/*}")
		}
	}
}

// looksLikeURL reports whether somebody meant a URL where a selector is wanted.
func looksLikeURL(s string) bool {
	return !strings.ContainsAny(s, " [>+~,") &&
		(strings.Contains(s, "/") || strings.HasSuffix(s, ".js") || strings.HasSuffix(s, ".css"))
}
