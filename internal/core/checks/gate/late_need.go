package gate

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

var lateNeed = &check.Check{
	Name: "late-need", Family: "gate", Severity: problem.Error,
	Title: "what an item needs runs after it",
	Doc: `A need has to run earlier: blocking scripts in the order of the page, then deferred
ones and modules. A library that is deferred runs after an inline script that uses
it, wherever it stands. Give both the same load, or put the need earlier.`,
	Bad: "-- yellowgate.yaml --\nitems:\n  slides: {found: {url: /js/slides.js}, needs: [domkit], pages: all}\n" +
		"  domkit: {found: {url: /js/domkit.js}, pages: all}\n-- site/visit/index.html --\n" +
		"<script src=\"/js/domkit.js\" defer></script>\n<script src=\"/js/slides.js\"></script>",
	Good: "-- yellowgate.yaml --\nitems:\n  slides: {found: {url: /js/slides.js}, needs: [domkit], pages: all}\n" +
		"  domkit: {found: {url: /js/domkit.js}, pages: all}\n-- site/visit/index.html --\n" +
		"<script src=\"/js/domkit.js\" defer></script>\n<script src=\"/js/slides.js\" defer></script>",
	Page: func(p *check.Pass) {
		check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
			for _, need := range v.Item.Needs {
				n := p.Gated.Number(need.Value)
				if n < 0 {
					continue
				}
				a, okA := lastRunOf(p, need.Value)
				b, okB := firstRunOf(p, v.Item.Name)
				if !okA || !okB || a.phase == markup.Async || b.phase == markup.Async || a.before(b) {
					continue
				}
				e := &p.Elements[a.element]
				p.Report(e.Line, e.Column, v.Item.Name,
					fmt.Sprintf("%q needs %q, which runs after it here", v.Item.Name, need.Value),
					"give both the same load, and the need the earlier place")
			}
		})
	},
}

// LateNeeds runs that check alone, on a page that is not written yet.
func LateNeeds(p *check.Pass) []check.Finding {
	p.Run(lateNeed)
	return p.Found()
}

// OutOfOrder reports lines of before and after that the page does not keep, though it is
// as the gate writes it: what is found stands where its author put it, and a place in the
// head comes before all in the body. line is that of before or after.
func OutOfOrder(p *check.Pass, report func(line gatefile.Text, f check.Finding)) {
	check.EachItem(p, func(v *verdict.Verdict, have *itemmatch.Presence) {
		if !v.In {
			return
		}
		compare := func(t gatefile.Text, word string) {
			n := p.Gated.Number(t.Value)
			if n < 0 || !p.Gated.Result.Verdicts[n].In {
				return
			}
			first, last, ok := extentOf(p, v.Item.Name)
			from, to, also := extentOf(p, t.Value)
			if !ok || !also || word == "before" && last < from || word == "after" && first > to {
				return
			}
			line, _ := p.Locate(from)
			stands := fmt.Sprintf("stands at %s:%d", p.File, line)
			if len(v.Item.Found) == 0 && p.Gated.Result.Verdicts[n].Item.FoundOnly() {
				stands = "is found in the source page"
			}
			report(t, lateNeed.On(p.PageAt(), 1, 1, v.Item.Name,
				fmt.Sprintf("item %q is to stand %s %q, which %s: its place puts it on the other side", v.Item.Name,
					word, t.Value, stands),
				fmt.Sprintf(
					"give it a place beside that, as in place: {%s: SELECTOR}, or move the other with a place of its own",
					word),
			))
		}
		for _, t := range v.Item.Before {
			compare(t, "before")
		}
		for _, t := range v.Item.After {
			compare(t, "after")
		}
	})
}

// extentOf is where an item's first and last elements begin on the page.
func extentOf(p *check.Pass, item string) (first, last int, ok bool) {
	note := func(at int) {
		if !ok || at < first {
			first = at
		}
		last, ok = max(last, at), true
	}
	for i := range p.Elements {
		if e := &p.Elements[i]; e.Item == item && check.Own(e) {
			note(e.El.Start)
		}
	}
	if n := p.Gated.Number(item); n >= 0 {
		for _, pp := range p.Gated.Items[n].Parts {
			for _, o := range pp.At {
				note(o.Start)
			}
		}
	}
	return first, last, ok
}

// running is when a script of the page runs.
type running struct {
	phase   markup.Phase
	element int
}

func (a running) before(b running) bool {
	if a.phase != b.phase {
		return a.phase < b.phase
	}
	return a.element < b.element
}

// firstRunOf and lastRun find the scripts of an item that run first and last.
func firstRunOf(p *check.Pass, item string) (running, bool) {
	return runsOf(p, item, func(a, b running) bool { return a.before(b) })
}

func lastRunOf(p *check.Pass, item string) (running, bool) {
	return runsOf(p, item, func(a, b running) bool { return b.before(a) })
}

func runsOf(p *check.Pass, item string, better func(a, b running) bool) (best running, ok bool) {
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Item != item || !check.Own(e) || !e.IsScript() {
			continue
		}
		phase, runs := markup.ScriptPhase(p.Source.Text, e.El.Start)
		if r := (running{phase, i}); runs && (!ok || better(r, best)) {
			best, ok = r, true
		}
	}
	return best, ok
}
