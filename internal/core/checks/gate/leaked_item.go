package gate

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var leakedItem = &check.Check{
	Name: "leaked-item", Family: "gate", Severity: problem.Error, Says: check.Leaked,
	Title: "an item that is out on the page is there",
	Doc: `The gate keeps the item out of this page, and the page has it, or a part of it. Where
it is a tracking tag or a popup, visitors get what they should not. If the source
page has it too, give the item found: a matcher for it, and it is taken out.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  booking: {script: /js/booking.js, pages: /book/**}\n" +
		"-- site/book/index.html --\n<p>Book</p>\n-- site/visit/index.html --\n" +
		"<script src=\"/js/booking.js\" defer></script>",
	Good: "-- yellowgate.yaml --\nitems:\n  booking: {found: {url: /js/booking.js}, pages: /book/**}\n" +
		"-- site/book/index.html --\n<p>Book</p>\n-- site/visit/index.html --\n" +
		"<script src=\"/js/booking.js\" defer></script>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			for _, n := range have.Replaced {
				line, col := p.HeadAt()
				if n >= 0 {
					line, col = p.Elements[n].Line, p.Elements[n].Column
				}
				p.Report(line, col, v.Item.Name,
					fmt.Sprintf("item %q replaces this, and it is still on the page", v.Item.Name),
					"run yellowgate apply")
			}
			if v.In || isKeptOut(p, v) {
				return
			}
			out := fmt.Sprintf("item %q is out here (%s, %s), and the page has", v.Item.Name, v.Reason, check.Rule(v))
			remedy := "run yellowgate apply; if the source page has it, give the item found with a matcher"
			for _, m := range have.Marks {
				p.AtOccurrence(m, v.Item.Name, out+" a marked region of it", remedy)
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				for _, list := range [][]itemmatch.Occurrence{pp.At, pp.Differs} {
					if o := unmarked(list); o != nil {
						p.AtOccurrence(*o, v.Item.Name, out+" "+check.PartName(pp.Part), remedy)
						break
					}
				}
			}
			for _, n := range have.Found {
				if n < 0 {
					line, col := p.HeadAt()
					p.Report(line, col, v.Item.Name, out+" an element it is found by", remedy)
					continue
				}
				e := &p.Elements[n]
				p.At(e, fmt.Sprintf("%s this %s of it", out, e.Tag), remedy)
			}
		})
		reportLeakedByCode(p)
	},
}

// reportLeakedByCode reports items that are out here, and whose files an inline script or a known file loads as it
// runs.
func reportLeakedByCode(p *check.Pass) {
	if p.Gated == nil {
		return
	}
	told := map[int]bool{}
	for i := range p.Elements {
		e := &p.Elements[i]
		for _, m := range e.Brings {
			n := p.Gated.Number(p.Gated.Gate.ItemOfURL(m.Target))
			if loaders := p.Gated.Gate.Loaders(p.Base)[m.Target]; n < 0 && len(loaders) > 0 {
				n = loaders[0]
			}
			if n < 0 || told[n] {
				continue
			}
			v := &p.Gated.Result.Verdicts[n]
			if v.Item.Name == e.Item || v.In || isKeptOut(p, v) {
				continue
			}
			told[n] = true
			p.At(e,
				fmt.Sprintf("item %q is out here (%s, %s), and %s loads %s of it", v.Item.Name, v.Reason,
					check.Rule(v), loader(e, m), m.Target), "keep what loads it out of the page, or let the item in")
		}
	}
}

// loader is what loads something as it runs, in words.
func loader(e *inventory.Element, m inventory.Import) string {
	switch {
	case m.By != "":
		return m.By
	case e.URL != "":
		return e.URL
	}
	return "an inline script"
}

// unmarked is the first of some copies that stands in no marked region of its item, or nil.
func unmarked(list []itemmatch.Occurrence) *itemmatch.Occurrence {
	if i := slices.IndexFunc(list, func(o itemmatch.Occurrence) bool { return !o.Marked }); i >= 0 {
		return &list[i]
	}
	return nil
}

// isKeptOut reports whether an item that is out is needed by one that is in and there: the
// gate file contradicts itself, which kept-out-need reports.
func isKeptOut(p *check.Pass, v *verdict.Verdict) bool {
	for i := range p.Gated.Result.Verdicts {
		w := &p.Gated.Result.Verdicts[i]
		if w.In && p.Gated.Items[i].Copies() > 0 &&
			slices.ContainsFunc(w.Item.Needs, func(t gatefile.Text) bool { return t.Value == v.Item.Name }) {
			return true
		}
	}
	return false
}
