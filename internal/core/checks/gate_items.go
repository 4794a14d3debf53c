package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/verdict"
)

// partName tells a part to a reader.
func partName(p *gatefile.Part) string {
	switch {
	case p.FromFile != "":
		return "its code (" + p.FromFile + ")"
	case p.Kind == gatefile.Code:
		return "its code"
	}
	return fmt.Sprintf("its %s %s", p.Kind, p.Text)
}

// rule names the line that decided.
func rule(v *verdict.Verdict) string { return v.Rule.String() }

var missingItem = &Check{
	Name: "missing-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item that is in on the page is not there, or not whole",
	Doc: `The gate lets the item in on this page, and the page does not have it. Mostly the
gate file was changed and not applied, or something else wrote the page since. An
item of found parts alone may be absent: in means that it may stay. Apply, and look
again.`,
	Bad:  "items:\n  visit-counter: {code-file: code/visit-counter.html, pages: all}\n(and a page without it)",
	Good: "<!--yg:visit-counter-->…<!--/yg:visit-counter-->",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				if !pp.Known || pp.Copies > 0 || pp.Place.Selector != nil && len(p.Gated.Result.Matches(pp.Place.Selector)) == 0 {
					continue // a place that the page lacks is no-such-place
				}
				line, col := p.headAt()
				what := fmt.Sprintf("item %q is in here (%s), and the page has not %s", v.Item.Name, rule(v), partName(pp.Part))
				if have.Copies() == 0 && len(have.Parts) == 1 {
					what = fmt.Sprintf("item %q is in here (%s), and the page does not have it", v.Item.Name, rule(v))
				}
				p.Report(line, col, v.Item.Name, what, "run yellowgate apply")
			}
		})
	},
}

var leakedItem = &Check{
	Name: "leaked-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item that is out on the page is there",
	Doc: `The gate keeps the item out of this page, and the page has it, or a part of it. Where
it is a tracking tag or a popup, visitors get what they should not. If the source
page has it too, give the item found: a matcher for it, and it is taken out.`,
	Bad:  "items:\n  booking: {script: /js/booking.js, pages: /book/**}\n(and /js/booking.js on /visit/)",
	Good: "(no /js/booking.js on /visit/)",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if v.In {
				return
			}
			remedy := "run yellowgate apply; if the source page has it, give the item found with a matcher"
			for i := range have.Parts {
				if pp := &have.Parts[i]; pp.Copies > 0 && !claimedByIn(p, v, pp) {
					p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q is out here (%s, %s), and the page has %s", v.Item.Name, v.Reason, rule(v), partName(pp.Part)), remedy)
				}
			}
			for _, n := range have.Found {
				if n < 0 {
					line, col := p.headAt()
					p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q is out here (%s, %s), and the page has an element it is found by", v.Item.Name, v.Reason, rule(v)), remedy)
					continue
				}
				e := &p.Elements[n]
				p.At(e, fmt.Sprintf("item %q is out here (%s, %s), and the page has this %s of it", v.Item.Name, v.Reason, rule(v), e.Tag), remedy)
			}
		})
	},
}

// claimedByIn reports whether another item that is in brings the same URL.
func claimedByIn(p *Pass, v *verdict.Verdict, pp *PartPresence) bool {
	if pp.Part.Kind == gatefile.Code {
		return false
	}
	for i := range p.Gated.Result.Verdicts {
		w := &p.Gated.Result.Verdicts[i]
		if !w.In || w.Item == v.Item {
			continue
		}
		for _, other := range w.Item.Parts {
			if other.Kind == pp.Part.Kind && other.Text == pp.Part.Text {
				return true
			}
		}
	}
	return false
}

var repeatedItem = &Check{
	Name: "repeated-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item is on the page more than once",
	Doc: `The gate puts an item on a page once. Two copies mostly mean that the source page
brings one of its own, or that an output served as a source without its marks. A
script that runs twice counts twice. Give the item found: a matcher for the copy
in the source.`,
	Bad:  "<script src=\"/js/booking.js\" defer></script> … <script src=\"/js/booking.js\"></script>",
	Good: "<script src=\"/js/booking.js\" defer></script>",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if n := have.Copies(); v.In && n > 1 && len(have.Parts) > 0 {
				pp := &have.Parts[0]
				p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q is on the page %d times", v.Item.Name, n), "take the others out of the source, or let the item find them")
			}
		})
	},
}

var misplacedItem = &Check{
	Name: "misplaced-item", Family: "gate", Severity: gatefile.Error,
	Title: "an item is in the wrong half of the page",
	Doc: `The item's place is in the head and a browser has it in the body, or the other way
round. Mostly the head is broken above it, or something moved it. A tag that asks to
stand as high in the head as possible may count nothing in the body.`,
	Bad:  "items:\n  verify: {code: <meta name=…>, place: head-end}\n(and the page has it in the body)",
	Good: "(the page has it in the head)",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In {
				return
			}
			for i := range have.Parts {
				pp := &have.Parts[i]
				want := areaOf(pp.Place.Name)
				if want == "" || pp.Copies == 0 || pp.Area == want {
					continue
				}
				p.Report(pp.Line, pp.Column, v.Item.Name, fmt.Sprintf("item %q belongs into the %s (%s), and a browser has %s in the %s", v.Item.Name, want, pp.Place.Name, partName(pp.Part), pp.Area),
					"look for what ends the head early (broken-head), then run yellowgate apply")
			}
		})
	},
}

func areaOf(place string) string {
	switch place {
	case gatefile.HeadStart, gatefile.HeadEnd:
		return "head"
	case gatefile.BodyStart, gatefile.BodyEnd:
		return "body"
	}
	return ""
}

var noSuchPlace = &Check{
	Name: "no-such-place", Family: "gate", Severity: gatefile.Error,
	Title: "the place of an item is not on the page",
	Doc: `The item goes to an element that a selector names, and the page has no such element,
so the item is not there. Let it in only where the element is, with has(SELECTOR),
or give it a place that every page has.`,
	Bad:  "place: {before: form.contact}\npages: all",
	Good: "place: {before: form.contact}\npages: has(form.contact)",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			place := v.Item.Place
			if !v.In || place == nil || place.Selector == nil || v.Item.FoundOnly() || len(p.Gated.Result.Matches(place.Selector)) > 0 {
				return
			}
			line, col := p.headAt()
			p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q is in here, and the page has nothing that matches %q, where it goes", v.Item.Name, place.Selector),
				"let it in only where that is: has("+place.Selector.String()+")")
		})
	},
}

var keptOutNeed = &Check{
	Name: "kept-out-need", Family: "gate", Severity: gatefile.Error,
	Title: "an item is in, and an item that it needs is not there",
	Doc: `A need is kept out here by except, per-page or disabled, or it is found parts alone
and the page has none of them: what needs it will not work. Let the need in on this
page, or keep the item out of it.`,
	Bad:  "items:\n  slides: {script: /js/slides.js, needs: [domkit], pages: /}\n  domkit: {script: /js/domkit.js, pages: all, except: /}",
	Good: "items:\n  slides: {script: /js/slides.js, needs: [domkit], pages: /}\n  domkit: {script: /js/domkit.js}",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			if !v.In || have.Copies() == 0 {
				return
			}
			for _, need := range v.Item.Needs {
				n := p.Gated.number(need.Value)
				if n < 0 || p.Gated.Items[n].Copies() > 0 {
					continue
				}
				w := &p.Gated.Result.Verdicts[n]
				if w.In && !w.Item.FoundOnly() {
					continue // missing-item tells it
				}
				line, col := p.where(have)
				p.Report(line, col, v.Item.Name, fmt.Sprintf("item %q is here and needs %q, which is not (%s, %s)", v.Item.Name, need.Value, w.Reason, rule(w)),
					fmt.Sprintf("let %q in on this page, or keep %q out of it", need.Value, v.Item.Name))
			}
		})
	},
}

var lateNeed = &Check{
	Name: "late-need", Family: "gate", Severity: gatefile.Error,
	Title: "what an item needs runs after it",
	Doc: `A need has to run earlier: blocking scripts in the order of the page, then deferred
ones and modules. A library that is deferred runs after an inline script that uses
it, wherever it stands. Give both the same load, or put the need earlier.`,
	Bad:  "<script src=\"/js/domkit.js\" defer></script>\n<script src=\"/js/slides.js\"></script>",
	Good: "<script src=\"/js/domkit.js\" defer></script>\n<script src=\"/js/slides.js\" defer></script>",
	Page: func(p *Pass) {
		eachItem(p, func(v *verdict.Verdict, have *Presence) {
			for _, need := range v.Item.Needs {
				n := p.Gated.number(need.Value)
				if n < 0 {
					continue
				}
				a, okA := p.lastRun(need.Value)
				b, okB := p.firstRun(v.Item.Name)
				if !okA || !okB || a.phase == verdict.Async || b.phase == verdict.Async || a.before(b) {
					continue
				}
				e := &p.Elements[a.element]
				p.At(e, fmt.Sprintf("%q needs %q, which runs after it here", v.Item.Name, need.Value), "give both the same load, and the need the earlier place")
			}
		})
	},
}

// running is when a script of the page runs.
type running struct {
	phase   verdict.Phase
	element int
}

func (a running) before(b running) bool {
	if a.phase != b.phase {
		return a.phase < b.phase
	}
	return a.element < b.element
}

// firstRun and lastRun find the scripts of an item that run first and last.
func (p *Pass) firstRun(item string) (running, bool) {
	return p.run(item, func(a, b running) bool { return a.before(b) })
}
func (p *Pass) lastRun(item string) (running, bool) {
	return p.run(item, func(a, b running) bool { return b.before(a) })
}

func (p *Pass) run(item string, better func(a, b running) bool) (best running, ok bool) {
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Item != item || !Own(e) || !e.IsScript() {
			continue
		}
		phase, runs := verdict.ScriptPhase(p.Source.Text, e.El.Start)
		if r := (running{phase, i}); runs && (!ok || better(r, best)) {
			best, ok = r, true
		}
	}
	return best, ok
}

// eachItem visits the items on a page that the gate knows.
func eachItem(p *Pass, visit func(v *verdict.Verdict, have *Presence)) {
	if p.Gated == nil {
		return
	}
	for i := range p.Gated.Result.Verdicts {
		visit(&p.Gated.Result.Verdicts[i], &p.Gated.Items[i])
	}
}

func (g *Gated) number(item string) int {
	for i, it := range g.Gate.File.Items {
		if it.Name == item {
			return i
		}
	}
	return -1
}

// where is the place of an item on the page.
func (p *Pass) where(have *Presence) (line, column int) {
	for i := range have.Parts {
		if have.Parts[i].Copies > 0 {
			return have.Parts[i].Line, have.Parts[i].Column
		}
	}
	for _, n := range have.Found {
		if n >= 0 {
			return p.Elements[n].Line, p.Elements[n].Column
		}
	}
	return p.headAt()
}

var placeholderLeft = &Check{
	Name: "placeholder-left", Family: "gate", Severity: gatefile.Error,
	Title: "a placeholder was not filled in",
	Doc: `The page shows @{…} to visitors or search engines, in metadata or in what an item
inserted. Mostly a name is misspelt in code, where only names that exist are
placeholders.`,
	Bad:  "<title>@{page.titel} | Tern Hill Observatory</title>",
	Good: "<title>Visit | Tern Hill Observatory</title>",
	Page: func(p *Pass) {
		report := func(at int, item string) {
			line, col := markup.NewLocator(p.Source.Text).Locate(at)
			p.Report(line, col, item, "a placeholder was not filled in: "+cutTo(string(p.Source.Text[at:min(at+40, len(p.Source.Text))]), 30), "mend its name in the gate file or in the item's code")
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "title" && e.Tag != "meta" && !(e.Tag == "link" && !e.IsStylesheet()) || !Own(e) {
				continue
			}
			if n := placeholderIn(p.Source.Text[e.El.Start:e.El.End]); n >= 0 {
				report(e.El.Start+n, e.Item)
			}
		}
		for _, r := range p.Scan.Regions() {
			if n := placeholderIn(p.Source.Text[r.Content.Start:r.Content.End]); n >= 0 && p.Gated != nil {
				report(r.Content.Start+n, r.Name)
			}
		}
	},
}
