package decisions

import (
	"context"
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
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Table tells for each page and item whether it is there.
func Table(ctx context.Context, p *project.Project, progress parallel.Progress) (*result.WhereTable, error) {
	t := &result.WhereTable{Items: p.Gate.File.ItemNames(), Rows: []result.TableRow{}}
	err := project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		row := result.TableRow{Page: r.Page.Path}
		for i := range r.Verdicts {
			row.Cells = append(row.Cells, Cell(r, i))
		}
		t.Rows = append(t.Rows, row)
		return nil
	})
	return t, err
}

func Cell(r *pageedit.Result, i int) result.Cell {
	v := &r.Verdicts[i]
	switch {
	case v.In && (len(v.Item.Parts) > 0 || r.Present[i] > 0):
		return result.CellIn
	case v.In:
		return result.CellAbsent
	case r.Present[i] > 0:
		return result.CellTaken
	}
	return result.CellOut
}

// WhereMetadata tells which pages have which value for a metadata key, after the
// gate.
func WhereMetadata(ctx context.Context, p *project.Project, name string,
	progress parallel.Progress) (*result.WhereKey, error) {
	key := gatefile.KeyName(name)
	if !known(key) {
		_, hint := gatefile.KnownKey(key)
		return nil, &failure.Usage{Message: fmt.Sprintf("no metadata key is called %q%s", name, hint)}
	}
	w := &result.WhereKey{Key: key, Values: []result.WhereKeyValue{}}
	at := map[string]int{}
	err := project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
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
			w.Values = append(w.Values, result.WhereKeyValue{Value: value, From: from})
		}
		w.Values[i].Pages = append(w.Values[i].Pages, r.Page.Path)
		return nil
	})
	sortByPages(w.Values)
	return w, err
}

// Fragment explains whether a popup opens at an address with a fragment.
func Fragment(p *project.Project, pg *page.Page, fragment string) (*result.WhyFragment, error) {
	r, err := Look(p, pg)
	if err != nil {
		return nil, err
	}
	w := &result.WhyFragment{Page: pg.Path, Fragment: fragment, Items: []result.FragmentOpener{}}
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
			f := result.FragmentOpener{
				Item:    it.Name,
				Verdict: v.Word(),
				Because: v.Because(&r.Page),
				Rule:    result.RuleOf(o.Pos),
			}
			for _, here := range snippet.Opens(it, p.Gate.Values(r.View)) {
				f.Here = f.Here || here == o && v.In
			}
			switch {
			case f.Here:
				w.Opens = it.Name
				w.Because = fmt.Sprintf("the popup of %q opens here: it is %s", it.Name, f.Because)
			case v.In && w.Opens == "":
				w.Because = fmt.Sprintf(
					"the popup of %q is on the page, but this fragment opens it only where %s chooses the page (%s)",
					it.Name, o.Pages[0].Text, o.Pages[0].Pos)
			case w.Opens == "":
				w.Because = fmt.Sprintf("no popup opens here: %q is %s", it.Name, f.Because)
			}
			w.Items = append(w.Items, f)
		}
	}
	if len(w.Items) == 0 {
		w.Because = fmt.Sprintf("no popup opens here: no item opens at #%s%s", fragment,
			didyoumean.Suggest(fragment, fragments))
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

func sortByPages(values []result.WhereKeyValue) {
	sort.SliceStable(values, func(i, j int) bool { return len(values[i].Pages) > len(values[j].Pages) })
}
