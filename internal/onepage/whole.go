// Package onepage shows one page, whole: what it outputs from top to bottom and which line of the gate file decided
// it, and how the page is listed elsewhere.
package onepage

import (
	"bytes"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/decisions"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// Why explains all of a page: what it outputs from top to bottom, with the lines that decided, and what it does not.
func Why(p *project.Project, pg *page.Page, weights inventory.Weights) (*result.WhyPage, error) {
	r, err := decisions.Look(p, pg)
	if err != nil {
		return nil, err
	}
	if r.Fragment {
		return nil, &failure.Usage{
			Message: pg.File + " is a fragment: it has no doctype and no html, head, body or title tag, so the " +
				"gate leaves it alone",
		}
	}
	if err := project.Refusal(project.GroupProblems(p.Gate.File, r.Problems)); err != nil {
		return nil, err
	}
	w := &result.WhyPage{
		Page: r.Page.Path, File: r.Page.File, Metadata: []result.WhyMetadata{}, Elements: []result.WhyElement{},
		Taken: []result.WhyElement{}, In: []result.WhyVerdict{}, Out: []result.WhyVerdict{}, Waits: decisions.Waits(p, r),
	}
	now := itemmatch.Read(r.File, r, p.Gate, weights)
	record := now.Record
	w.Title = record.Title
	w.Metadata = metadataOf(r, record)
	verdicts := map[string]int{}
	for i := range r.Verdicts {
		v := &r.Verdicts[i]
		verdicts[v.Item.Name] = i
		x := result.WhyVerdict{
			Item:    v.Item.Name,
			Because: v.Because(&r.Page),
			Rule:    result.RuleOf(v.Rule),
			Note:    v.Item.Note,
		}
		switch decisions.Cell(r, i) {
		case result.CellIn:
			x.Params = decisions.ParamsOf(r.View, v.Item)
			w.In = append(w.In, x)
		default:
			if v.In {
				x.Because += "; it may stay, and the page's source has none of it"
			}
			w.Out = append(w.Out, x)
		}
	}
	of := func(item string) (because string, rule result.Rule) {
		if i, ok := verdicts[item]; ok {
			return r.Verdicts[i].Because(&r.Page), result.RuleOf(r.Verdicts[i].Rule)
		}
		return "", result.Rule{}
	}
	for _, e := range inOrder(record) {
		if isMetadata(e) {
			continue
		}
		x := result.WhyElement{Line: e.Line, Column: e.Column, Area: e.Area, Tag: e.Tag, What: whatOf(e), Item: e.Item}
		x.Because, x.Rule = of(e.Item)
		w.Elements = append(w.Elements, x)
	}
	w.Taken = taken(p.Gate, r, now, of)
	return w, nil
}

// inOrder are the elements of a page that load, describe or belong to an item, in the order of the page.
func inOrder(r *inventory.Record) (out []*inventory.Element) {
	for i := range r.Elements {
		out = append(out, &r.Elements[i])
	}
	for i := range r.Extras {
		out = append(out, &r.Extras[i])
	}
	out = append(out, markupOf(r)...)
	slices.SortStableFunc(out, func(a, b *inventory.Element) int { return a.Offset - b.Offset })
	return out
}

// markupOf are the elements that begin a marked region and load nothing, where others in it do.
func markupOf(r *inventory.Record) (out []*inventory.Element) {
	lines := markup.NewLines(r.Source.Text)
	for _, region := range r.Scan.Regions() {
		text := r.Source.Text[region.Content.Start:region.Content.End]
		start := region.Content.Start + len(text) - len(bytes.TrimLeft(text, " \t\r\n"))
		has := func(e inventory.Element) bool { return e.El.Start == start }
		whole := func(e inventory.Element) bool { return e.Tag == "code" && e.Offset == region.Start }
		if r.Source.UTF16() || slices.ContainsFunc(r.Elements, has) || slices.ContainsFunc(r.Extras, whole) {
			continue
		}
		e := &inventory.Element{Tag: "code", Area: "head", Item: region.Name, Offset: start}
		e.Line, e.Column = lines.Locate(start)
		e.Label = r.Source.String(start, region.Content.End)
		if r.Scan.BodySeen && start >= r.Scan.BodyBegin {
			e.Area = "body"
		}
		out = append(out, e)
	}
	return out
}

// isMetadata reports whether an element is told among the metadata.
func isMetadata(e *inventory.Element) bool {
	return e.Tag == "title" || e.Tag == "meta" && (e.Name != "" || e.Property != "") ||
		e.Tag == "link" && e.Item == "" && (!e.Fetched() || strings.Contains(strings.ToLower(e.Rel), "icon"))
}

// whatOf says what an element is.
func whatOf(e *inventory.Element) string {
	switch {
	case e.URL != "":
		return e.URL
	case e.Extra || e.Tag == "code":
		return e.Label
	case e.Tag == "script" || e.Tag == "style":
		return strings.TrimSpace("inline " + e.Label)
	}
	return e.Label
}

// metadataOf says where each value comes from: those that the gate decides, then the page's own.
func metadataOf(r *pageedit.Result, record *inventory.Record) (out []result.WhyMetadata) {
	told := map[string]bool{}
	for _, id := range r.Keys() {
		key := decisions.WhyKey(r, id)
		told[id] = true
		x := result.WhyMetadata{Key: id, Value: key.Result}
		own, _ := r.Own(id)
		for _, v := range key.Values {
			if v.Wins {
				x.From, x.Rule = v.From, v.Rule
			}
		}
		if own != key.Result {
			x.Was = own
		}
		if x.Value != "" || x.Was != "" {
			out = append(out, x)
		}
	}
	for i := range record.Elements {
		e := &record.Elements[i]
		id := ""
		switch {
		case !isMetadata(e):
			continue
		case e.Tag == "title":
			id = "title"
		case e.Tag == "meta":
			id = gatefile.MetaName(e.Name, e.Property)
		default:
			if id = strings.ToLower(e.Rel); id != "canonical" && id != "icon" {
				id = "link." + e.Rel
			}
		}
		value := e.Content + e.URL
		if e.Tag == "title" {
			value = e.Label
		}
		if n := slices.IndexFunc(out, func(m result.WhyMetadata) bool { return m.Key == id }); n < 0 {
			out = append(out, result.WhyMetadata{Key: id, Value: value, From: "the page's source"})
		} else if !told[id] { // one that stands there several times
			out[n].Value += ", " + value
		}
	}
	return out
}

// taken are the elements that the source has and the page has not.
func taken(g *pageedit.Gate, r *pageedit.Result, after *itemmatch.Comparison,
	of func(string) (string, result.Rule)) []result.WhyElement {
	before := itemmatch.Read(r.Original, r, g, nil)
	at := map[[2]int]*inventory.Element{}
	for _, e := range inOrder(before.Record) {
		at[[2]int{e.Line, e.Column}] = e
	}
	out := []result.WhyElement{}
	for _, c := range pagechange.Between(before.Side(), after.Side()) {
		if c.How != pagechange.Removed || c.Kind != pagechange.Item && c.Kind != pagechange.Element {
			continue
		}
		x := result.WhyElement{Line: c.Line, Column: c.Column, Tag: c.Of, What: c.Was}
		if c.Kind == pagechange.Item {
			x.Item = c.Name
		} else {
			x.Tag = c.Name
		}
		if e := at[[2]int{c.Line, c.Column}]; e != nil {
			x.Tag, x.Area = e.Tag, e.Area
			if what := whatOf(e); what != "" {
				x.What = what
			}
		}
		x.Because, x.Rule = of(x.Item)
		out = append(out, x)
	}
	return out
}
