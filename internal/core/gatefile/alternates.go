package gatefile

import (
	"slices"
	"strings"

	"yellowgate/internal/core/placeholder"
	"yellowgate/internal/core/problem"
)

// Alternates: the languages of a site, by how their addresses are written. Each page names those of its siblings that
// there are (hreflang: HTML, 4.6.7.1).

// Rest stands in the pattern of a language for what the addresses of siblings have in common.
const Rest = "{rest}"

// Alternates are the languages of one rule.
type Alternates []Alternate

// An Alternate is one language: what stands before and behind the rest in the paths of its pages.
type Alternate struct {
	Language      string // as hreflang has it: de, pt-BR, x-default
	Before, After string
}

// alternates reads the languages of a rule.
func (r *reader) alternates(e entry, keys *[]Key) {
	var list Alternates
	for _, x := range r.entries(e.node, "alternates") {
		t, ok := r.oneText(x.node, x.key)
		if !ok || x.key != "x-default" && !r.language(Text{Value: x.key, Pos: x.pos}) {
			continue
		}
		before, after, has := strings.Cut(t.Value, Rest)
		if !has || !strings.HasPrefix(before, "/") || strings.Contains(after, Rest) {
			r.problem(problem.Error, t.Pos,
				"write a path with {rest} for what the languages have in common, such as /de/{rest}",
				"%q is not a pattern of a language's addresses", t.Value)
			continue
		}
		lang := strings.ToLower(x.key)
		list = append(list, Alternate{x.key, before, after})
		r.addKey(keys, Key{
			Name: "link.alternate", Variant: "[hreflang=" + lang + "]", Sibling: true, Pos: x.pos,
			Values: []MetaValue{{
				Value: &placeholder.Template{}, Text: t.Value, Pos: t.Pos,
				Attrs: []Attr{{Name: "hreflang", Text: x.key, Pos: x.pos}},
			}},
		})
	}
	for i := range *keys {
		if k := &(*keys)[i]; k.Sibling && k.Siblings == nil {
			k.Siblings = list
		}
	}
}

// Sibling is the path of the page in a language that goes with the page at a path; "" where that is the page of no
// language here.
func (a Alternates) Sibling(path, language string) string {
	best, rest := -1, ""
	for i, x := range a {
		if r, ok := x.rest(path); ok && (best < 0 || len(x.Before) > len(a[best].Before)) {
			best, rest = i, r
		}
	}
	for _, x := range a {
		if best >= 0 && x.Language == language {
			return x.Before + rest + x.After
		}
	}
	return ""
}

// rest is what a path has in common with its siblings.
func (x *Alternate) rest(path string) (string, bool) {
	if x.After == "" && path+"/" == x.Before {
		return "", true // /de of /de/{rest}
	}
	if len(path) < len(x.Before)+len(x.After) || !strings.HasPrefix(path, x.Before) || !strings.HasSuffix(path, x.After) {
		return "", false
	}
	return path[len(x.Before) : len(path)-len(x.After)], true
}

// NamesSiblings reports whether a rule has alternates: then what is written on a page depends on which pages there are.
func (g *Gate) NamesSiblings() bool {
	has := func(keys []Key) bool { return slices.ContainsFunc(keys, func(k Key) bool { return k.Sibling }) }
	return slices.ContainsFunc(g.Rules, func(r *Rule) bool { return has(r.Keys) }) ||
		slices.ContainsFunc(g.Pages, func(p *PerPage) bool { return has(p.Keys) })
}
