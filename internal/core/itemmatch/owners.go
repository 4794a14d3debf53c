package itemmatch

import (
	"slices"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
)

// NameOwners gives the elements of a record the items that they are found by.
func NameOwners(r *inventory.Record, g *pageedit.Gate) {
	nameBy(r, g, g.Owners(r.Source, r.Scan, r.Page))
}

// NameAll is NameOwners, with the elements noted that load nothing.
func NameAll(r *inventory.Record, g *pageedit.Gate) {
	owners := g.Owners(r.Source, r.Scan, r.Page)
	nameBy(r, g, owners)
	names := make(map[int]string, len(owners))
	for at, o := range owners {
		names[at] = g.File.Items[o.Item].Name
	}
	r.NoteExtras(names)
}

func nameBy(r *inventory.Record, g *pageedit.Gate, owners map[int]pageedit.Owner) {
	for i := range r.Elements {
		if o, ok := owners[r.Elements[i].El.Start]; ok && r.Elements[i].Item == "" {
			r.Elements[i].Item = g.File.Items[o.Item].Name
		}
	}
}

// Read takes a page with every element named that belongs to an item: by mark, by what the gate writes, by what it
// finds. Elements that load nothing are among its Extras, with their lines. source is the source page as the gate
// saw it.
func Read(file []byte, source *pageedit.Result, g *pageedit.Gate, weights inventory.Weights) *Comparison {
	taken := Take(file, source.Page, g, weights)
	if taken.Fragment || source.Fragment {
		NameOwners(taken.Record, g)
		return &Comparison{Gate: g, Result: source, Record: taken.Record}
	}
	c := Compare(taken, source)
	c.Record = taken.Record
	NameAll(taken.Record, g)
	for i := range c.Items {
		for _, n := range c.Items[i].Replaced {
			if n < 0 {
				continue
			}
			if e := &taken.Elements[n]; e.Item == "" {
				e.Item = g.File.Items[i].Name
			}
		}
	}
	taken.LocateExtras()
	return c
}

// Side is the page, with what belongs to items, so that it can be compared with another form of it.
func (g *Comparison) Side() pagechange.Side {
	r := g.Record
	s := pagechange.Side{File: r.Source.File, Charset: r.Answer.Charset()}
	put := func(start, end int, item string) {
		s.Owned = append(s.Owned, pagechange.Owned{Span: markup.Span{Start: start, End: end}, Item: item})
	}
	for _, list := range [][]inventory.Element{r.Elements, r.Extras} {
		for i := range list {
			if e := &list[i]; e.Item != "" {
				put(e.Offset, e.Offset+e.Length, e.Item)
			}
		}
	}
	var spans []markup.Span // without marks, markup is known by its text alone
	var names []string
	for i := range g.Items {
		for _, part := range g.Items[i].Parts {
			for _, x := range slices.Concat(part.At, part.Differs) {
				spans, names = append(spans, x.Span), append(names, g.Gate.File.Items[i].Name)
			}
		}
	}
	for i, x := range r.Source.FileSpans(spans) {
		put(x.Start, x.End, names[i])
	}
	return s
}

// SideOf is the same for a page as a gate writes it. Where the gate writes marks, what its matchers find is looked
// for, and no more.
func SideOf(r *pageedit.Result, g *pageedit.Gate) pagechange.Side {
	if !g.File.Site.Marks {
		return Read(r.File, r, g, nil).Side()
	}
	src := markup.ReadAs(r.File, r.Page.Answer.Charset())
	scan := g.ScanForOwners(src)
	s := pagechange.Side{File: r.File, Charset: r.Page.Answer.Charset()}
	var spans []markup.Span
	for at, o := range g.Owners(src, scan, r.Page) {
		end := markup.TagEnd(src.Text, at)
		if _, to, err := scan.Extent(at); err == nil {
			end = to
		}
		spans = append(spans, markup.Span{Start: at, End: end})
		s.Owned = append(s.Owned, pagechange.Owned{Item: g.File.Items[o.Item].Name})
	}
	for i, span := range src.FileSpans(spans) {
		s.Owned[i].Span = span
	}
	return s
}
