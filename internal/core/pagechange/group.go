package pagechange

import (
	"cmp"
	"slices"
)

// A Group is the same kind of change on several pages.
type Group struct {
	Kind  Kind     `json:"kind"`
	Name  string   `json:"name"`
	Of    string   `json:"of,omitempty"`
	How   string   `json:"how"`
	Item  string   `json:"item,omitempty"`
	Pages []OnPage `json:"pages"`
}

// OnPage is a change on one page; see Change.
type OnPage struct {
	Page   string `json:"page"`
	Was    string `json:"was,omitempty"`
	Is     string `json:"is,omitempty"`
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
}

// Groups gathers the changes of many pages.
type Groups struct {
	at   map[[5]string]int
	list []Group
}

// Add adds what changed on a page.
func (g *Groups) Add(page string, changes []Change) {
	for _, c := range changes {
		of := c.Of
		if c.Kind == Class {
			of = c.Was + " " + c.Is // each class for itself
		}
		key := [5]string{string(c.Kind), c.Name, of, c.How, c.Item}
		i, ok := g.at[key]
		if !ok {
			if g.at == nil {
				g.at = map[[5]string]int{}
			}
			i = len(g.list)
			g.at[key] = i
			g.list = append(g.list, Group{Kind: c.Kind, Name: c.Name, Of: c.Of, How: c.How, Item: c.Item})
		}
		x := OnPage{page, c.Was, c.Is, c.Line, c.Column}
		if list := g.list[i].Pages; len(list) > 0 { // what many pages say alike is kept once
			x.Was, x.Is = shared(x.Was, list[0].Was), shared(x.Is, list[0].Is)
		}
		g.list[i].Pages = append(g.list[i].Pages, x)
	}
}

// shared is a text, in the bytes of another that is the same.
func shared(text, other string) string {
	if text == other {
		return other
	}
	return text
}

// List lists them by kind, those on most pages first.
func (g *Groups) List() []Group {
	out := append([]Group{}, g.list...)
	slices.SortStableFunc(out, func(a, b Group) int {
		return cmp.Or(rank(a.Kind, a.Item)-rank(b.Kind, b.Item), len(b.Pages)-len(a.Pages))
	})
	return out
}

// IsElse reports whether a change is of something that no gate file speaks of: texts, attributes and elements of no
// item.
func (c *Change) IsElse() bool {
	return c.Item == "" && (c.Kind == Text || c.Kind == Attribute || c.Kind == Element)
}
