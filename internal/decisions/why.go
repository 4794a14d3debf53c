package decisions

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Why explains an item, or a metadata key, on a page. One of the results is nil.
func Why(p *project.Project, pg *page.Page, name string) (*result.WhyItem, *result.WhyKey, error) {
	r, err := Look(p, pg)
	if err != nil {
		return nil, nil, err
	}
	if r.Fragment {
		return nil, nil, &failure.Usage{
			Message: pg.File + " is a fragment: it has no doctype and no html, head, body or title tag, so the " +
				"gate leaves it alone",
		}
	}
	for i := range r.Verdicts {
		if r.Verdicts[i].Item.Name == name {
			w := whyItem(p, r, i)
			w.Waits = Waits(p, r)
			return w, nil, nil
		}
	}
	if key := gatefile.KeyName(name); known(key) {
		w := WhyKey(r, key)
		w.Waits = Waits(p, r)
		return nil, w, nil
	}
	return nil, nil, &failure.Usage{
		Message: fmt.Sprintf("no item and no metadata key is called %q%s", name,
			didyoumean.Suggest(name, append(p.Gate.File.ItemNames(), gatefile.MetadataKeys...))),
		Remedy: "yellowgate where lists the items",
	}
}

// Waits says what the head of a page waits for behind the gateway.
func Waits(p *project.Project, r *pageedit.Result) string {
	if p.Gate.File.Site.Origin.Value == "" {
		return ""
	}
	return r.Head().String()
}

func whyItem(p *project.Project, r *pageedit.Result, i int) *result.WhyItem {
	v := &r.Verdicts[i]
	it, pg := v.Item, &r.Page
	present := r.Present[i]
	if v.In && len(it.Parts) > 0 {
		present = 1
	}
	w := &result.WhyItem{Gated: result.GatedOf(pg.Path, v, present), Because: v.Because(pg), Note: it.Note}
	w.Parts = partLines(it)
	w.Params = ParamsOf(r.View, it)
	for _, x := range p.Gate.Plan.Steps(v, pg) {
		w.Steps = append(w.Steps,
			result.Step{Condition: x.Condition, Holds: x.Holds, Detail: x.Detail, Rule: result.RuleOf(x.Rule)})
	}
	w.Change = v.Change(pg)
	return w
}

// ParamsOf are the values that an item's parameters have on a page.
func ParamsOf(v *pageedit.View, it *gatefile.Item) (out []result.WhyParam) {
	for _, p := range v.Params(it) {
		x := result.WhyParam{Name: p.Param.Name, Value: p.Value, Rule: result.RuleOf(p.Pos)}
		if p.Query != nil {
			x.Query = v.Told(p.Query)
		}
		out = append(out, x)
	}
	return out
}

func known(key string) bool {
	ok, _ := gatefile.KnownKey(key)
	return ok
}

func partLine(it *gatefile.Item, part *gatefile.Part) string {
	place := it.PlaceOf(part)
	at := "at " + place.String()
	if place.Name == gatefile.AtReplaced {
		at = place.Name
	}
	switch {
	case part.Kind == gatefile.Classes:
		return fmt.Sprintf("classes %q on %s", part.Text, part.Selector)
	case part.FromFile != "":
		return fmt.Sprintf("%s from %s, %s", part.Kind, part.FromFile, at)
	case part.Kind == gatefile.Script:
		return fmt.Sprintf("script %s, %s, load: %s", part.Text, at, it.LoadOf(part))
	case part.Kind == gatefile.Stylesheet:
		return fmt.Sprintf("stylesheet %s, %s", part.Text, at)
	}
	return fmt.Sprintf("%s, %s", part.Key, at)
}

// partLines tells what an item carries.
func partLines(it *gatefile.Item) []string {
	out := []string{}
	for _, part := range it.Parts {
		out = append(out, partLine(it, part))
	}
	for _, m := range it.Found {
		line := "found: " + m.Raw
		if p := it.FoundPlace(); p != nil {
			line += ", moved to " + p.String()
		}
		out = append(out, line)
	}
	for _, m := range it.Replaces {
		out = append(out, "replaces: "+m.Raw)
	}
	for _, o := range it.Opens {
		line := "opens: " + o.How
		switch o.How {
		case "after":
			line += " " + o.Value + "s"
		case "scroll":
			line += " " + o.Value + "%"
		case "fragment":
			line += " #" + o.Value
		case "click":
			line += " " + o.Value
		}
		for i, q := range o.Pages {
			line += map[bool]string{true: ", on ", false: " or "}[i == 0] + q.Text
		}
		out = append(out, line)
	}
	return out
}

// WhyKey says where the value of a metadata key of a page comes from.
func WhyKey(r *pageedit.Result, key string) *result.WhyKey {
	w := &result.WhyKey{Page: r.Page.Path, Key: key, Values: []result.WhyValue{}}
	won := false
	for _, c := range r.Metadata(key) {
		x := result.WhyValue{From: c.Level.String(), Value: strings.Join(c.Values, ", ")}
		if c.Key != nil {
			x.Rule, x.Note = result.RuleOf(c.Rule), c.Note
		}
		if c.Query != nil {
			x.Query = r.Told(c.Query)
		}
		switch {
		case c.Missing != nil:
			x.Value = c.Key.Values[0].Text
			x.Remark = c.Missing.Error() + " here"
		case c.None:
			x.Remark = "none: the page shall not have it"
		}
		if !won && c.Stands() {
			won, x.Wins = true, true
			w.Result = strings.Join(c.Values, ", ")
		}
		w.Values = append(w.Values, x)
	}
	return w
}
