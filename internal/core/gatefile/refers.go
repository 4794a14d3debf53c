package gatefile

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// What the texts of a gate file and of the files that it names refer to: parameters that nothing uses, and the
// site's address where there is none.

var (
	inPlaceholder = regexp.MustCompile(`@\{[^}]*`)
	nameInIt      = regexp.MustCompile(`[\w-]+`)
)

// namesIn adds what the placeholders of a text may name.
func namesIn(text string, names map[string]bool) {
	for _, p := range inPlaceholder.FindAllString(text, -1) {
		for _, n := range nameInIt.FindAllString(p, -1) {
			names[n] = true
		}
	}
}

// unused reports parameters of items that no text of theirs names.
func (r *reader) unused() {
	var everywhere map[string]bool // in the gate files
	for _, it := range r.gate.Items {
		if len(it.Params) == 0 {
			continue
		}
		if everywhere == nil {
			everywhere = map[string]bool{}
			namesIn(string(r.gate.Text), everywhere)
			for _, f := range r.gate.Others {
				namesIn(string(f.Text), everywhere)
			}
		}
		own := map[string]bool{} // in the item's files
		for _, p := range it.Parts {
			namesIn(p.Text, own)
		}
		for _, p := range it.Params {
			if !everywhere[p.Name] && !own[p.Name] {
				r.warn(problem.UnusedParameter, it, p.Pos,
					"write @{"+p.Name+"} where it belongs, or take the parameter out",
					"item %q uses its parameter %q nowhere", it.Name, p.Name)
			}
		}
	}
}

// needsURL reports, once, what cannot be written without the site's address.
func (r *reader) needsURL() {
	if r.gate.Site.URL.Value != "" {
		return
	}
	fail := func(pos problem.Position, what string) {
		r.problem(problem.Error, pos, "add it under site: url: https://ternhill.example",
			"%s needs the site's address, and site.url is missing", what)
	}
	keys := func(list []Key) bool {
		for i := range list {
			k := &list[i]
			for n := range k.Values {
				v := k.Values[n].Value
				// Others than browsers fetch a social image: it has to be absolute.
				relative := k.ID() == "property.og:image" && len(v.Pieces) > 0 &&
					strings.HasPrefix(v.Pieces[0].Text, "/") &&
					!strings.HasPrefix(v.Pieces[0].Text, "//")
				if relative || needsAddress(v) {
					fail(k.Pos, k.Name)
					return true
				}
			}
		}
		return false
	}
	for _, rule := range r.gate.Rules {
		if keys(rule.Keys) {
			return
		}
	}
	for _, p := range r.gate.Pages {
		if keys(p.Keys) {
			return
		}
	}
	for _, it := range r.gate.Items {
		for _, p := range it.Parts {
			if needsAddress(p.Template) {
				fail(p.Pos, fmt.Sprintf("item %q", it.Name))
				return
			}
		}
	}
}

// needsAddress reports whether a template has a placeholder that only the site's address can fill.
func needsAddress(t *placeholder.Template) bool {
	if t == nil {
		return false
	}
	for _, p := range t.Pieces {
		if p.Placeholder != nil && !slices.ContainsFunc(p.Placeholder.Options, func(o placeholder.Option) bool {
			return o.Name != "page.url" && o.Name != "site.url"
		}) {
			return true
		}
	}
	return false
}
