package pagetable

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/page"
	"yellowgate/internal/failure"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sheet"
)

// FactsFile has the values that tables set, relative to the gate file; factPrefix begins their names.
const (
	FactsFile  = "facts/table.csv"
	factPrefix = "table."
)

// A setter takes an edited table back: what differs from what pages have becomes facts, with one rule of the gate file
// that reads them. What is stronger than such a rule, an entry under per-page, is changed where it stands.
type setter struct {
	columns []column
	cells   []cell              // that differ
	perPage map[string]bool     // cells of items that need per-page, by page and name
	facts   *sheet.Table        // of FactsFile
	rows    map[string]int      // of facts, by page key
	bare    map[string][]string // by page: what it would have without those facts
	known   bool                // the gate file names it
}

// A cell is a value that somebody changed.
type cell struct {
	result.CellChange
	column
	page *page.Page
}

// Set takes a table back. name is the file's, for errors; label its encoding, "" for none.
func Set(ctx context.Context, e *gatechange.Edit, name string, data []byte, label string,
	progress parallel.Progress) (*result.TableChange, error) {
	t, err := sheet.Read(data, label)
	if err != nil {
		return nil, located(name, err)
	}
	p, _, err := project.Open(e.GateFile, project.Options{Day: e.Day, Outside: e.Outside})
	if err != nil {
		return nil, err
	}
	if err := p.Walk(); err != nil {
		return nil, err
	}
	s := &setter{perPage: map[string]bool{}}
	all, err := s.compare(ctx, p, &table{Table: t, name: name}, progress)
	if err != nil {
		return nil, err
	}
	r := &result.TableChange{
		Cells:      []result.CellChange{},
		GateChange: result.GateChange{GateDiff: result.NewGateDiff(), Spots: []string{}},
	}
	for _, c := range s.cells {
		r.Cells = append(r.Cells, c.CellChange)
	}
	if len(s.cells) == 0 {
		return r, nil
	}
	if err := s.withoutFacts(ctx, e, progress); err != nil {
		return nil, err
	}
	for try := 0; ; try++ {
		if err := s.readFacts(p); err != nil {
			return nil, err
		}
		change, err := s.change(ctx, e, all, progress)
		var unlike *unlikeError
		if errors.As(err, &unlike) && try == 0 && s.byPage(unlike) {
			continue // items that facts cannot decide, since an exception or a line of per-page does
		} else if errors.As(err, &unlike) {
			return nil, unlike.usage()
		}
		if err != nil {
			return nil, err
		}
		r.GateChange = *change
		if e.Files != nil {
			r.Facts = FactsFile
		}
		return r, nil
	}
}

// located is an error of a table with its place.
func located(name string, err error) error {
	var bad *sheet.Error
	if !errors.As(err, &bad) {
		return err
	}
	at := name
	for _, n := range []int{bad.Line, bad.Column} {
		if n > 0 {
			at += fmt.Sprintf(":%d", n)
		}
	}
	return &failure.Usage{Message: at + ": " + bad.Message, Remedy: bad.Remedy}
}

// names are those of the columns.
func (s *setter) names() []string {
	names := make([]string, len(s.columns))
	for i := range s.columns {
		names[i] = s.columns[i].name
	}
	return names
}

// unlikeError says that pages would not have what the table says.
type unlikeError struct{ cells []result.CellChange } // Is: what they would have

func (e *unlikeError) Error() string { return "the table cannot be put into effect" }

// usage is the error as a user is told of it.
func (e *unlikeError) usage() error {
	x, more := e.cells[0], ""
	if n := len(e.cells) - 1; n > 0 {
		more = fmt.Sprintf(" (and %d more)", n)
	}
	about, _, _ := strings.Cut(x.Key, ".")
	return &failure.Usage{
		Message: fmt.Sprintf("%v: %s of %s would be %q, not %q%s", e, x.Key, x.Page, x.Is, x.Was, more),
		Remedy:  "yellowgate why " + x.Page + " " + about + " shows what decides there; nothing was written",
	}
}

// byPage has per-page decide the items that are not as the table says; false where there is something else.
func (s *setter) byPage(e *unlikeError) bool {
	for _, x := range e.cells {
		c := s.columns[slices.IndexFunc(s.columns, func(c column) bool { return c.name == x.Key })]
		if c.item == "" || c.param != "" {
			return false
		}
		s.perPage[x.Page+" "+x.Key] = true
	}
	return true
}

// change edits the gate file and the facts, once it is sure that every page of the table then has what that says.
func (s *setter) change(ctx context.Context, e *gatechange.Edit, all map[string][]string,
	progress parallel.Progress) (*result.GateChange, error) {
	names := s.names()
	e.Verify = func(after *project.Project) error {
		if err := after.Walk(); err != nil {
			return err
		}
		now, err := Read(ctx, after, names, "all or path", progress)
		if err != nil {
			return err
		}
		unlike := &unlikeError{}
		for _, row := range now.Rows {
			for i, want := range all[row.Page] {
				if !same(want, row.Values[i]) {
					unlike.cells = append(unlike.cells,
						result.CellChange{Page: row.Page, Key: names[i], Was: want, Is: row.Values[i]})
				}
			}
		}
		if len(unlike.cells) > 0 {
			return unlike
		}
		return nil
	}
	e.Files = nil
	return e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		return s.edit(e, p, doc)
	})
}
