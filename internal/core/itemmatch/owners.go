package itemmatch

import (
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

// Read takes a page with every element named that belongs to an item: by mark, by what the gate writes, by what it finds.
// Elements that load nothing are among its Extras, with their lines. source is the source page as the gate saw it.
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

// Owned lists what of a page belongs to items without their marks: what a matcher finds, and where the gate writes no marks, what
// is recognised.
func Owned(file []byte, source *pageedit.Result, g *pageedit.Gate) (out []pagechange.Owned) {
	put := func(start, end int, item string) {
		out = append(out, pagechange.Owned{Span: markup.Span{Start: start, End: end}, Item: item})
	}
	if !g.File.Site.Marks {
		r := Read(file, source, g, nil).Record
		for _, list := range [][]inventory.Element{r.Elements, r.Extras} {
			for i := range list {
				if e := &list[i]; e.Item != "" {
					put(e.Offset, e.Offset+e.Length, e.Item)
				}
			}
		}
		return out
	}
	src := markup.ReadAs(file, source.Page.Answer.Charset())
	scan := g.ScanForOwners(src)
	for at, o := range g.Owners(src, scan, source.Page) {
		end := markup.TagEnd(src.Text, at)
		if _, to, err := scan.Extent(at); err == nil {
			end = to
		}
		put(at, end, g.File.Items[o.Item].Name)
	}
	return out
}
