package run

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/snippet"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// WhereItem is one item over all pages.
type WhereItem struct {
	Item     string      `json:"item"`
	Note     string      `json:"note"`
	Parts    []string    `json:"parts"`
	In       []WherePage `json:"in"`
	Out      []WherePage `json:"out"`
	NeededBy []string    `json:"neededBy"`
	Needs    []string    `json:"needs"`
	Pages    int         `json:"pages"`  // of the site
	Absent   int         `json:"absent"` // pages it may stay on whose source lacks it
	// Replaced are how many elements it takes out because it replaces them, of ReplacedOn pages.
	Replaced   int `json:"replaced"`
	ReplacedOn int `json:"replacedOn"`
	// Addresses open the item's popup: a page with a fragment.
	Addresses []string `json:"addresses"`
	// Browser is where a browser has it; nil where none was asked.
	Browser *InBrowser `json:"browser,omitempty"`
}

// A WherePage is one page with the reason of the verdict.
type WherePage struct {
	Page    string `json:"page"`
	Reason  string `json:"reason"`
	Because string `json:"because"`
	Rule    Rule   `json:"rule"`
}

// Where says on which pages an item is, and why not on the others.
func Where(p *project.Project, name string, progress Progress) (*WhereItem, error) {
	n := -1
	for i, it := range p.Gate.File.Items {
		if it.Name == name {
			n = i
		}
	}
	if n < 0 {
		return nil, &site.UsageError{Message: fmt.Sprintf("no item is called %q%s", name, didyoumean.Suggest(name, p.Gate.File.ItemNames())), Remedy: "yellowgate where lists the items"}
	}
	it := p.Gate.File.Items[n]
	w := &WhereItem{Item: name, Note: it.Note, Parts: []string{}, In: []WherePage{}, Out: []WherePage{}, NeededBy: NeededBy(p.Gate.File, name), Needs: []string{}, Addresses: []string{}}
	w.Parts = partLines(it)
	for _, need := range it.Needs {
		w.Needs = append(w.Needs, need.Value)
	}
	err := all(p, progress, func(_ int, r *pageedit.Result) error {
		if r.Fragment {
			return nil
		}
		w.Pages++
		if taken := r.Replaced(n); taken > 0 {
			w.Replaced += taken
			w.ReplacedOn++
		}
		v := &r.Verdicts[n]
		line := WherePage{r.Page.Path, string(v.Reason), v.Because(&r.Page), ruleOf(v.Rule)}
		switch {
		case !v.In:
			w.Out = append(w.Out, line)
		case it.FoundOnly() && r.Present[n] == 0 && v.Reason == verdict.Pages:
			w.Absent++
		default:
			w.In = append(w.In, line)
			for _, o := range snippet.Opens(it, p.Gate.Values(r.View)) {
				if o.How == "fragment" {
					address := p.Gate.URL(r.Page.Path)
					if p.Gate.File.Site.URL.Value == "" {
						address = r.Page.Path
					}
					w.Addresses = append(w.Addresses, address+"#"+o.Value)
				}
			}
		}
		return nil
	})
	return w, err
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

// A WhereLine is one item with its counts.
type WhereLine struct {
	Item  string `json:"item"`
	Kind  string `json:"kind"` // what it carries: script, stylesheet, code, found
	In    int    `json:"in"`   // pages that have it after the gate
	Gone  int    `json:"gone"` // pages from whose source it is taken out
	Pages string `json:"pages"`
	Note  string `json:"note"`
	// Browser is on how many pages a browser has it; nil where none was asked.
	Browser *int `json:"browser,omitempty"`
}

// WhereAll lists all items with their counts.
func WhereAll(p *project.Project, progress Progress) ([]WhereLine, int, error) {
	lines := make([]WhereLine, len(p.Gate.File.Items))
	for i, it := range p.Gate.File.Items {
		lines[i] = WhereLine{Item: it.Name, Kind: kinds(it), Pages: ChosenBy(it), Note: it.Note}
	}
	pages := 0
	err := all(p, progress, func(_ int, r *pageedit.Result) error {
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

// ChosenBy is the item's pages and exceptions in one line.
func ChosenBy(it *gatefile.Item) string {
	if it.Disabled {
		return "disabled"
	}
	s := ""
	for i, q := range it.Pages {
		if i > 0 {
			s += " or "
		}
		s += q.Text
	}
	for i, q := range it.Except {
		if i == 0 {
			s += ", except "
		} else {
			s += " or "
		}
		s += q.Text
	}
	if s == "" && it.HasSpot() {
		return "where it has a spot"
	}
	if s == "" {
		return "where needed"
	}
	return s
}
