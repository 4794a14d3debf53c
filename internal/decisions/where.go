package decisions

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/failure"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Where says on which pages an item is, and why not on the others; with params, too, which values its parameters have
// there.
func Where(ctx context.Context, p *project.Project, name string, params bool,
	progress parallel.Progress) (*result.WhereItem, error) {
	n := slices.IndexFunc(p.Gate.File.Items, func(it *gatefile.Item) bool { return it.Name == name })
	if n < 0 {
		return nil, &failure.Usage{
			Message: fmt.Sprintf("no item is called %q%s", name, didyoumean.Suggest(name, p.Gate.File.ItemNames())),
			Remedy:  "yellowgate where lists the items",
		}
	}
	it := p.Gate.File.Items[n]
	w := &result.WhereItem{
		Item:      name,
		Note:      it.Note,
		Parts:     []string{},
		In:        []result.WherePage{},
		Out:       []result.WherePage{},
		NeededBy:  NeededBy(p.Gate.File, name),
		Needs:     []string{},
		Addresses: []string{},
	}
	w.Parts = partLines(it)
	for _, need := range it.Needs {
		w.Needs = append(w.Needs, need.Value)
	}
	err := project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		w.Pages++
		addPage(w, it, n, r, p.Gate, params)
		return nil
	})
	return w, err
}

// addPage adds a page to where an item is, the nth of the gate file.
func addPage(w *result.WhereItem, it *gatefile.Item, n int, r *pageedit.Result, g *pageedit.Gate, params bool) {
	if taken := r.Replaced(n); taken > 0 {
		w.Replaced += taken
		w.ReplacedOn++
	}
	v := &r.Verdicts[n]
	line := result.WherePage{
		Page: r.Page.Path, Reason: string(v.Reason), Because: v.Because(&r.Page), Rule: result.RuleOf(v.Rule),
	}
	switch {
	case !v.In:
		w.Out = append(w.Out, line)
		return
	case it.FoundOnly() && r.Present[n] == 0 && v.Reason == verdict.Pages:
		w.Absent++
		return
	case params:
		line.Params = ParamsOf(r.View, it)
	}
	w.In = append(w.In, line)
	for _, o := range snippet.Opens(it, g.Values(r.View)) {
		if o.How != "fragment" {
			continue
		}
		address := r.Page.Path
		if g.File.Site.URL.Value != "" {
			address = g.URL(address)
		}
		w.Addresses = append(w.Addresses, address+"#"+o.Value)
	}
}

// NeededBy lists the items that need an item.
func NeededBy(g *gatefile.Gate, name string) []string {
	out := []string{}
	for _, it := range g.Items {
		for _, need := range it.Needs {
			if need.Value == name {
				out = append(out, it.Name)
			}
		}
	}
	return out
}

// WhereAll lists all items with their counts.
func WhereAll(ctx context.Context, p *project.Project, progress parallel.Progress) ([]result.WhereLine, int, error) {
	lines := make([]result.WhereLine, len(p.Gate.File.Items))
	for i, it := range p.Gate.File.Items {
		lines[i] = result.WhereLine{Item: it.Name, Kind: kinds(it), Pages: result.ChosenBy(it), Note: it.Note}
	}
	pages := 0
	err := project.GateAll(ctx, p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		pages++
		for i := range r.Verdicts {
			v := &r.Verdicts[i]
			switch {
			case v.In && (len(v.Item.Parts) > 0 || r.Present[i] > 0):
				lines[i].In++
			case !v.In && r.Present[i] > 0:
				lines[i].Gone++
			}
		}
		return nil
	})
	return lines, pages, err
}

func kinds(it *gatefile.Item) string {
	var out []string
	for _, p := range it.Parts {
		if !slices.Contains(out, string(p.Kind)) {
			out = append(out, string(p.Kind))
		}
	}
	if len(it.Found) > 0 {
		out = append(out, "found")
	}
	if len(it.Replaces) > 0 {
		out = append(out, "replaces")
	}
	return strings.Join(out, " + ")
}
