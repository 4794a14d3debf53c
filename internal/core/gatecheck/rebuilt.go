package gatecheck

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
)

// Rebuilt reports items that stand where a script rebuilds the page and throws away what is there, or builds it
// twice. roots are the elements that a browser saw rebuilt, as selectors: div#app.
func Rebuilt(g *pageedit.Result, roots []string) (out []pageedit.Problem) {
	if g.Fragment {
		return nil
	}
	for _, root := range roots {
		itself, err := markup.ParseSelector(root)
		within, err2 := markup.ParseSelector(root + " *")
		if err != nil || err2 != nil {
			continue
		}
		is, err := markup.Matches(g.Source.Text, itself)
		in, err2 := markup.Matches(g.Source.Text, within)
		if err != nil || err2 != nil {
			continue
		}
		for i := range g.Verdicts {
			it := g.Verdicts[i].Item
			place := placeWithin(it, g.Source.Text, root, is, in)
			if !g.Verdicts[i].In || place == nil {
				continue
			}
			pos := place.Pos
			if pos.Line == 0 {
				pos = it.Pos
			}
			out = append(out, pageedit.Problem{Page: g.Page.Path, Problem: problem.Problem{
				Severity: problem.Warning, Name: problem.RebuiltPlace, Item: it.Name, Pos: pos,
				Message: fmt.Sprintf(
					"item %q stands in %s, which a script rebuilds: it is thrown away there, or stands beside a "+
						"second copy of the content", it.Name, root),
				Remedy: "let it stand outside: head-end, body-start and body-end are safe, as long as no script rebuilds them",
			}})
		}
	}
	return out
}

// placeWithin is a place of an item's parts that lies in an element; nil for none. is and in are the offsets of that
// element and of those within it.
func placeWithin(it *gatefile.Item, text []byte, root string, is, in []int) *gatefile.Place {
	for _, part := range it.Parts {
		p := it.PlaceOf(part)
		inside := slices.Clone(in)
		if p.Name == gatefile.FirstIn || p.Name == gatefile.LastIn {
			inside = append(inside, is...)
		}
		switch {
		case part.Kind == gatefile.Classes:
		case p.Selector != nil:
			at, err := markup.Matches(text, p.Selector)
			if err == nil && len(at) > 0 && slices.Contains(inside, at[0]) {
				return &p
			}
		case (p.Name == gatefile.BodyStart || p.Name == gatefile.BodyEnd) && root == "body",
			(p.Name == gatefile.HeadStart || p.Name == gatefile.HeadEnd) && root == "head":
			return &p
		}
	}
	return nil
}
