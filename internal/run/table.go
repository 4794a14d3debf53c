package run

import (
	"fmt"
	"sort"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// A Cell is what the gate makes of one item on one page.
type Cell string

const (
	CellIn     Cell = "in"    // it is there
	CellAbsent Cell = "may"   // it may stay, and the page's source has none of it
	CellTaken  Cell = "taken" // it is taken out of the page's source
	CellOut    Cell = "out"   // it is not there, and was not
)

// A WhereTable is the table of pages by items.
type WhereTable struct {
	Items []string   `json:"items"`
	Rows  []TableRow `json:"rows"`
}

// A TableRow is one page of the table.
type TableRow struct {
	Page  string `json:"page"`
	Cells []Cell `json:"cells"` // by item
}

// Table tells for each page and item whether it is there.
func Table(p *project.Project, progress Progress) (*WhereTable, error) {
	t := &WhereTable{Items: p.Gate.File.ItemNames(), Rows: []TableRow{}}
	err := all(p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		row := TableRow{Page: r.Page.Path}
		for i := range r.Verdicts {
			row.Cells = append(row.Cells, cell(r, i))
		}
		t.Rows = append(t.Rows, row)
		return nil
	})
	return t, err
}

func cell(r *pageedit.Result, i int) Cell {
	v := &r.Verdicts[i]
	switch {
	case v.In && (len(v.Item.Parts) > 0 || r.Present[i] > 0):
		return CellIn
	case v.In:
		return CellAbsent
	case r.Present[i] > 0:
		return CellTaken
	}
	return CellOut
}

// A WhereKey is the pages of a site by the value that they have for a metadata
// key.
type WhereKey struct {
	Key    string          `json:"key"`
	Values []WhereKeyValue `json:"values"` // those of most pages first
	Pages  int             `json:"pages"`
}

// A WhereKeyValue is one value with the pages that have it.
type WhereKeyValue struct {
	Value string   `json:"value"` // "" for pages that have none
	From  string   `json:"from"`  // per-page, metadata, the page's source, defaults
	Pages []string `json:"pages"`
}

// WhereMetadata tells which pages have which value for a metadata key, after the
// gate.
func WhereMetadata(p *project.Project, name string, progress Progress) (*WhereKey, error) {
	key := gatefile.KeyName(name)
	if !known(key) {
		_, hint := gatefile.KnownKey(key)
		return nil, &site.UsageError{Message: fmt.Sprintf("no metadata key is called %q%s", name, hint)}
	}
	w := &WhereKey{Key: key, Values: []WhereKeyValue{}}
	at := map[string]int{}
	err := all(p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		w.Pages++
		value, from := "", ""
		if c := verdict.Winner(r.Metadata(key)); c != nil {
			from = c.Level.String()
			if !c.None {
				value = strings.Join(c.Values, ", ")
			}
		}
		i, ok := at[value+"\x00"+from]
		if !ok {
			i = len(w.Values)
			at[value+"\x00"+from] = i
			w.Values = append(w.Values, WhereKeyValue{Value: value, From: from})
		}
		w.Values[i].Pages = append(w.Values[i].Pages, r.Page.Path)
		return nil
	})
	sortByPages(w.Values)
	return w, err
}

// WhyFragment tells whether an address with a fragment opens a popup.
type WhyFragment struct {
	Page     string           `json:"page"`
	Fragment string           `json:"fragment"`
	Opens    string           `json:"opens"`   // the item whose popup opens, or ""
	Because  string           `json:"because"` // in words
	Items    []FragmentOpener `json:"items"`   // those whose popup the fragment opens somewhere
}

// A FragmentOpener is an item whose popup a fragment opens on some pages.
type FragmentOpener struct {
	Item    string `json:"item"`
	Verdict string `json:"verdict"`
	Because string `json:"because"`
	Here    bool   `json:"here"` // the fragment opens it on this page
	Rule    Rule   `json:"rule"`
}

// Fragment explains whether a popup opens at an address with a fragment.
func Fragment(p *project.Project, pg *page.Page, fragment string) (*WhyFragment, error) {
	r, err := Look(p, pg)
	if err != nil {
		return nil, err
	}
	w := &WhyFragment{Page: pg.Path, Fragment: fragment, Items: []FragmentOpener{}}
	var fragments []string
	for i, it := range p.Gate.File.Items {
		for _, o := range it.Opens {
			if o.How != "fragment" {
				continue
			}
			fragments = append(fragments, o.Value)
			if o.Value != fragment || r.Fragment {
				continue
			}
			v := &r.Verdicts[i]
			f := FragmentOpener{Item: it.Name, Verdict: v.Word(), Because: v.Because(&r.Page), Rule: ruleOf(o.Pos)}
			for _, here := range snippet.Opens(it, p.Gate.Values(r.View)) {
				f.Here = f.Here || here == o && v.In
			}
			switch {
			case f.Here:
				w.Opens = it.Name
				w.Because = fmt.Sprintf("the popup of %q opens here: it is %s", it.Name, f.Because)
			case v.In && w.Opens == "":
				w.Because = fmt.Sprintf("the popup of %q is on the page, but this fragment opens it only where %s chooses the page (%s)", it.Name, o.Pages[0].Text, o.Pages[0].Pos)
			case w.Opens == "":
				w.Because = fmt.Sprintf("no popup opens here: %q is %s", it.Name, f.Because)
			}
			w.Items = append(w.Items, f)
		}
	}
	if len(w.Items) == 0 {
		w.Because = fmt.Sprintf("no popup opens here: no item opens at #%s%s", fragment, didyoumean.Suggest(fragment, fragments))
		if hasID(r.Source.Text, fragment) {
			w.Because += "; a browser goes to the element with that id"
		}
	}
	return w, nil
}

// hasID reports whether an element of a page bears an id.
func hasID(text []byte, id string) bool {
	s, err := markup.ParseSelector(`[id="` + id + `"]`)
	if err != nil {
		return false
	}
	hits, _ := markup.Matches(text, s) // one tag answers it
	return len(hits) > 0
}

func sortByPages(values []WhereKeyValue) {
	sort.SliceStable(values, func(i, j int) bool { return len(values[i].Pages) > len(values[j].Pages) })
}
