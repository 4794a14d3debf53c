package itemmatch

import (
	"yellowgate/internal/core/inventory"
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
