// Package pagetable has pages in a table: a row for each, a column for each metadata key, item or parameter; and takes
// such a table back that somebody edited.
package pagetable

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sheet"
)

// PathColumn is the heading of the column that names the pages.
const PathColumn = "path"

// A column is what the values of one column are of: a metadata key, an item, or a parameter of one.
type column struct {
	name  string // as it was given, and as the heading has it
	key   string // of metadata, as gatefile.KeyName has it
	item  string
	param string
}

// columnsOf are the columns of some names.
func columnsOf(g *gatefile.Gate, names []string) (out []column, err error) {
	for _, name := range names {
		c, err := columnOf(g, name)
		if err != nil {
			return nil, err
		}
		if slices.ContainsFunc(out, func(x column) bool { return x.name == name }) {
			return nil, &failure.Usage{Message: fmt.Sprintf("%q is there twice", name)}
		}
		out = append(out, c)
	}
	return out, nil
}

func columnOf(g *gatefile.Gate, name string) (column, error) {
	c := column{name: name}
	if g.Item(name) != nil {
		c.item = name
		return c, nil
	}
	if item, param, ok := strings.Cut(name, "."); ok {
		if it := g.Item(item); it != nil {
			if it.Param(param) == nil {
				return c, &failure.Usage{
					Message: fmt.Sprintf("item %q has no parameter %q%s", item, param,
						didyoumean.Suggest(param, it.ParamNames())),
				}
			}
			c.item, c.param = item, param
			return c, nil
		}
	}
	c.key = gatefile.KeyName(name)
	if known, _ := gatefile.KnownKey(c.key); !known {
		return c, &failure.Usage{
			Message: fmt.Sprintf("no metadata key, item or parameter is called %q%s", name,
				didyoumean.Suggest(name, append(g.ItemNames(), gatefile.MetadataKeys...))),
			Remedy: "for example title, robots, social.title; an item's name; or ITEM.PARAMETER",
		}
	}
	return c, nil
}

// value is what a page has in a column.
func (c *column) value(r *pageedit.Result) string {
	switch {
	case c.key != "":
		if w := verdict.Winner(r.Metadata(c.key)); w != nil && !w.None {
			return strings.Join(w.Values, ", ")
		}
	case c.param != "":
		for _, v := range r.Verdicts {
			if v.Item.Name != c.item {
				continue
			}
			for _, p := range r.Params(v.Item) {
				if p.Param.Name == c.param {
					return p.Value
				}
			}
		}
	default:
		for i := range r.Verdicts {
			if r.Verdicts[i].Item.Name == c.item {
				return r.Verdicts[i].Word()
			}
		}
	}
	return ""
}

// WriteXLSX writes a table as a workbook (Office Open XML).
func WriteXLSX(w io.Writer, t *result.PageTable) error {
	return sheet.WriteXLSX(w, "Pages", t.Cells(func(s string) string { return s }))
}

// Read makes the table of the pages that a query chooses, "" for all.
func Read(ctx context.Context, p *project.Project, names []string, query string,
	progress parallel.Progress) (*result.PageTable, error) {
	columns, err := columnsOf(p.Gate.File, names)
	if err != nil {
		return nil, err
	}
	if query == "" {
		query = "all"
	}
	q, err := project.ParseQuery(p, query)
	if err != nil {
		return nil, err
	}
	t := &result.PageTable{Keys: names, Rows: []result.PageRow{}}
	err = project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		if chosen, err := q.Chooses(r.View); err != nil || !chosen {
			return err
		}
		row := result.PageRow{Page: r.Page.Path, Values: make([]string, len(columns))}
		for i := range columns {
			row.Values[i] = columns[i].value(r)
		}
		t.Rows = append(t.Rows, row)
		return nil
	})
	return t, err
}
