package gating

import (
	"bytes"
	"fmt"
	"sort"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// editing collects the edits of one page.
type editing struct {
	*Result
	gate    *Gate
	layers  [6][]markup.Edit
	owner   map[int]owned // by the offset of an element that a matcher finds
	removed []removal
	gone    spans        // the same, sorted
	sorted  int          // how many of them are
	keys    *markup.Spot // where new metadata goes, once asked for
	opened  bool         // a body tag was written that the source leaves out

	noscripts   []*markup.Element // those of the page, once asked for
	noscriptsOf *markup.Page      // the scan that they are of

	stands  map[standsFor]markup.Span // where items stand in for what they replace
	changes map[int]*markup.TagChange // by the offset of the tag
	html    markup.TagChange          // of tags that the source may leave out
	body    markup.TagChange
}

// The layers of edits: of two insertions at one offset, that of the lower layer
// comes first.
const (
	htmlTag = iota
	headStart
	inMetadata
	inHead
	bodyTag
	inBody
)

func (e *editing) add(layer int, edits ...markup.Edit) {
	e.layers[layer] = append(e.layers[layer], edits...)
}

// layer is the layer of what goes to a landing.
func (l *landing) layer() int {
	switch {
	case l.first:
		return headStart
	case l.Area == markup.Head:
		return inHead
	}
	return inBody
}

// owned says whose an element is.
type owned struct {
	item     int
	replaced bool // the item stands in for it
}

// standsFor is a kind of part of an item.
type standsFor struct {
	item   int
	family family
}

type removal struct {
	markup.Span
	item int
}

// starts lists the offsets of the elements that matchers find, in order.
func (e *editing) starts() []int {
	out := make([]int, 0, len(e.owner))
	for at := range e.owner {
		out = append(out, at)
	}
	sort.Ints(out)
	return out
}

// removeFound takes out the elements of items that are out, and those that items
// replace.
func (e *editing) removeFound() {
	e.standIns()
	last := 0
	var holder owned
	for _, at := range e.starts() {
		o := e.owner[at]
		if at < last {
			if e.Verdicts[o.item].In && !o.replaced && o.item != holder.item {
				e.problem(problem.Problem{Severity: problem.Error, Pos: e.Verdicts[o.item].Item.Pos,
					Message: fmt.Sprintf("item %q is in, and what it is found by stands in an element that goes with item %q", e.Verdicts[o.item].Item.Name, e.Verdicts[holder.item].Item.Name),
					Remedy:  "narrow a matcher, or give one of them other pages"})
			}
			continue
		}
		if e.Verdicts[o.item].In && !o.replaced {
			continue
		}
		end, err := e.endOf(at)
		if err != nil {
			e.unclear(e.gate.File.Items[o.item], err)
			continue
		}
		at, end = e.withNoscript(at, end)
		last, holder = end, o
		if e.standsAt(o.item, at) {
			e.removed = append(e.removed, removal{markup.Span{Start: at, End: end}, o.item})
			continue // the item's own parts come in its stead
		}
		e.remove(at, end, o.item)
	}
}

// withNoscript is an element's span or, where it stands alone in a noscript, that of the
// noscript: without it nothing would be left there.
func (e *editing) withNoscript(at, end int) (from, to int) {
	if e.noscriptsOf != e.Scan {
		e.noscripts, e.noscriptsOf = nil, e.Scan
		for i := range e.Scan.Elements {
			if el := &e.Scan.Elements[i]; el.Tag == markup.TagNoscript {
				e.noscripts = append(e.noscripts, el)
			}
		}
	}
	i := sort.Search(len(e.noscripts), func(i int) bool { return e.noscripts[i].TagEnd > at }) - 1 // the last that begins before
	if i < 0 || e.noscripts[i].ContentEnd < end {
		return at, end
	}
	el := e.noscripts[i]
	before := bytes.TrimRight(e.Source.Text[el.TagEnd:at], " \t\r\n\f")
	after := bytes.TrimLeft(e.Source.Text[end:el.ContentEnd], " \t\r\n\f")
	if _, owned := e.owner[el.Start]; len(before) == 0 && len(after) == 0 && !owned {
		return el.Start, el.End
	}
	return at, end
}

// remove takes an element out, with the line that it stands alone on.
func (e *editing) remove(at, end, item int) {
	span := e.Scan.LineOf(markup.Span{Start: at, End: end})
	e.sortRemoved()
	if r := e.gone.before(span.Start + 1); r != nil && span.Start < r.End { // two on one line, or line after line
		span.Start = r.End
	}
	if r := e.gone.before(span.End); r != nil && span.End <= r.End {
		span.End = r.Start
	}
	e.removed = append(e.removed, removal{span, item})
	e.add(inHead, markup.Edit{Start: span.Start, End: span.End})
}

// breakerGoes reports whether what broke the head is of an item that is out.
func (e *editing) breakerGoes() bool {
	b := e.Scan.Breaker
	if b.None() {
		return false
	}
	for _, at := range e.starts() {
		if at > b.Start {
			break
		}
		if o := e.owner[at]; !e.Verdicts[o.item].In {
			if end, err := e.endOf(at); err == nil && b.Start < end {
				return true
			}
		}
	}
	return false
}

// endOf returns where the element at the offset ends.
func (e *editing) endOf(at int) (int, error) {
	list := e.Scan.Elements
	for i := sort.Search(len(list), func(i int) bool { return list[i].Start >= at }); i < len(list) && list[i].Start == at; i++ {
		if list[i].End > 0 {
			return list[i].End, nil
		}
	}
	_, end, err := e.Scan.Extent(at)
	return end, err
}

func (e *editing) unclear(it *gatefile.Item, err error) {
	line := 0
	if x, ok := err.(*markup.ExtentError); ok {
		line, _ = markup.NewLocator(e.Source.Text).Locate(x.Offset)
	}
	e.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
		Message: fmt.Sprintf("item %q cannot be put into effect at %s:%d: %v", it.Name, e.Page.File, line, err),
		Remedy:  "close the elements of the page in the order in which they were opened"})
}

// A landing is where something goes on this page.
type landing struct {
	markup.Spot
	replaces int // the end of what it stands instead of, or 0
	spot     *markup.AuthorSpot
	first    bool // before all else in the head
}

// place inserts the parts of the items that are in, in order.
func (e *editing) place() {
	e.checkSpots()
	for _, i := range e.gate.Plan.Order {
		if !e.Verdicts[i].In {
			continue
		}
		e.move(i)
		e.placeItem(i)
	}
	if len(e.Popups) > 0 {
		e.insert(compose.RuntimeName, landing{Spot: e.Scan.BodyEndSpot()}, []string{compose.Runtime()}, nil)
	}
}

// placeItem inserts the parts of one item: those that go to one place stand
// there together.
func (e *editing) placeItem(i int) {
	item := e.gate.items[i]
	type group struct {
		at    landing
		lines []string
	}
	var groups []*group
	index := map[[2]int]*group{}
	placed, wanted := 0, 0
	for k := range item.Parts() {
		part := item.Part(k)
		if part.Kind == gatefile.Classes {
			continue
		}
		wanted++
		place := item.Place(k)
		for _, at := range e.landings(i, k, place) {
			values := e.gate.Values(e.View)
			values.Param = e.gate.params(item.Item, &e.Page, at.spot)
			text, ok, err := item.Render(k, values)
			if err != nil {
				e.problem(problem.Problem{Severity: problem.Error, Pos: err.Pos, Message: fmt.Sprintf("item %q: %s", item.Name, err.Message), Remedy: remedyFor(err)})
				return
			}
			placed++
			if !ok || !e.fitsArea(item.Item, part, place, at) {
				continue
			}
			key := [2]int{at.Offset, at.replaces}
			g := index[key]
			if g == nil {
				g = &group{at: at}
				index[key] = g
				groups = append(groups, g)
			}
			g.lines = append(g.lines, text)
			e.Written = append(e.Written, Written{i, k, text, place, at.Area})
			if part.Kind == gatefile.Popup {
				e.Popups = append(e.Popups, item.Item)
			}
		}
	}
	if placed == 0 && wanted > 0 && item.SpotOnly() && e.Verdicts[i].Reason != "spot" {
		e.problem(problem.Problem{Severity: problem.Error, Pos: e.Verdicts[i].Rule,
			Message: fmt.Sprintf("item %q goes to spots alone, and the page has none for it", item.Name),
			Remedy:  "write <!-- yg-spot " + item.Name + " --> into the page, or keep the item out of it: without pages, it is in where it has a spot"})
	}
	for _, g := range groups {
		e.insert(item.Name, g.at, g.lines, item.Item)
	}
}

func remedyFor(err *compose.ValueError) string {
	if err.Missing {
		return `give it a fallback, as in @{fact.name or "words"}, or keep the item out of those pages`
	}
	return "give it another value, or keep the item out of those pages"
}

// fitsArea refuses code in the head that would end it, and head elements in the
// body, where the place alone does not tell which it is.
func (e *editing) fitsArea(it *gatefile.Item, part *gatefile.Part, place gatefile.Place, at landing) bool {
	if part.Kind != gatefile.Code && part.Kind != gatefile.Popup {
		return true
	}
	c := part.Contents()
	if at.Area == markup.Head && (!c.FitsHead || part.Kind == gatefile.Popup) {
		e.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
			Message: fmt.Sprintf("item %q would end the head: %q is in the head there, and its code is for the body", it.Name, place.String()),
			Remedy:  "give the item a place in the body"})
		return false
	}
	if at.Area == markup.Body && c.NotForBody >= 0 && (place.Selector != nil || place.Name == gatefile.AtSpot || place.Name == gatefile.AtReplaced) {
		e.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
			Message: fmt.Sprintf("item %q has code for the head, and %q is in the body there", it.Name, place.String()),
			Remedy:  "give the item place: head-end"})
		return false
	}
	return true
}

// insert puts lines at a landing, between the marks of a name.
func (e *editing) insert(name string, at landing, lines []string, it *gatefile.Item) {
	for _, r := range e.removed {
		inside := at.Offset > r.Start && at.Offset < r.End || at.replaces > at.Offset && at.replaces > r.Start && at.Offset < r.End
		if inside && !(at.replaces == r.End && at.Offset == r.Start) {
			if it != nil {
				e.inRemoved(it, r.item)
			}
			return
		}
	}
	lines = e.bodyFirst(at, lines)
	if e.opened && at.Area == markup.Body && at.replaces == 0 && at.Offset < e.Scan.BodyBegin {
		at.Offset = e.Scan.BodyBegin // after the body tag that is written there
	}
	for i := range lines {
		lines[i] = e.fit(lines[i])
	}
	e.add(at.layer(), markup.Edit{
		Start: at.Offset, End: max(at.Offset, at.replaces),
		New: compose.Mark(name, lines, at.Before, e.gate.File.Site.Marks),
	})
}

func (e *editing) inRemoved(it *gatefile.Item, by int) {
	name := "the gate file"
	if by >= 0 {
		name = fmt.Sprintf("item %q, which is out there", e.gate.File.Items[by].Name)
	}
	e.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
		Message: fmt.Sprintf("item %q belongs into an element that goes with %s", it.Name, name),
		Remedy:  "give one of them another place or other pages"})
}

// bodyFirst writes a body tag before lines that would belong to the head without
// one, because the source leaves it out.
func (e *editing) bodyFirst(at landing, lines []string) []string {
	if len(lines) > 0 && e.impliesBody(at.Spot, lines[0]) {
		e.opened = true
		return append([]string{e.body.Tag("body")}, lines...)
	}
	return lines
}

// fit gives a text the line ends and the encoding of the page.
func (e *editing) fit(text string) string {
	return markup.Fit(text, e.Scan.LineEnd(), !e.Source.UTF8())
}

// impliesBody reports whether a body tag has to be written first: the source
// leaves it out, and what comes at its beginning would belong to the head.
func (e *editing) impliesBody(s markup.Spot, text string) bool {
	return s.Area == markup.Body && !e.opened && e.Scan.BodyTag.None() &&
		s.Offset <= e.Scan.BodyBegin && markup.BelongsToHead([]byte(text))
}

// landings finds where a part goes on this page.
func (e *editing) landings(i, part int, p gatefile.Place) []landing {
	it := e.gate.File.Items[i]
	switch p.Name {
	case gatefile.AtSpot:
		return e.spotLandings(it)
	case gatefile.AtReplaced:
		if span, ok := e.stands[standsFor{i, familyOfPart(it.Parts[part])}]; ok {
			return []landing{{Spot: markup.Spot{Offset: span.Start, Area: e.areaAt(span.Start)}, replaces: span.End}}
		}
		return e.landings(i, part, it.Elsewhere(it.Parts[part]))
	}
	return e.standard(it, p, it.Each)
}

func (e *editing) areaAt(at int) markup.Area {
	if at < e.Scan.HeadStop {
		return markup.Head
	}
	return markup.Body
}

// standard finds a standard place, or one at a selector.
func (e *editing) standard(it *gatefile.Item, p gatefile.Place, each bool) []landing {
	switch p.Name {
	case gatefile.HeadStart:
		return []landing{{Spot: e.Scan.HeadStartSpot(), first: true}}
	case gatefile.HeadEnd:
		return []landing{{Spot: e.Scan.HeadEndSpot()}}
	case gatefile.BodyStart, gatefile.BodyEnd:
		if e.Scan.Frameset {
			e.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
				Message: fmt.Sprintf("item %q goes into the body, and the page has a frameset and no body", it.Name),
				Remedy:  "keep the item out of pages with a frameset"})
			return nil
		}
		if p.Name == gatefile.BodyStart {
			return []landing{{Spot: e.Scan.BodyStartSpot()}}
		}
		return []landing{{Spot: e.Scan.BodyEndSpot()}}
	}
	hits := e.find(p.Selector)
	if len(hits) == 0 {
		e.placeless = append(e.placeless, it)
		e.problem(problem.Problem{Severity: problem.Warning, Pos: p.Pos,
			Message: fmt.Sprintf("item %q has no place: %q matches nothing", it.Name, p.Selector),
			Remedy:  "let the item in only where the element is: has(" + p.Selector.String() + ")"})
		return nil
	}
	if !each {
		hits = hits[:1]
	}
	var out []landing
	last := 0
	for _, at := range hits {
		if l, ok := e.atElement(it, p, at); ok && !(p.Name == gatefile.InsteadOf && at < last) {
			out = append(out, l)
			last = l.replaces
		}
	}
	return out
}

// atElement finds a place at the element whose start tag stands at the offset.
func (e *editing) atElement(it *gatefile.Item, p gatefile.Place, at int) (l landing, ok bool) {
	if p.Name == gatefile.Before {
		l.Spot = e.Scan.BeforeSpot(at)
		l.Area = e.areaAt(at)
		return l, true
	}
	content, end, err := e.Scan.Extent(at)
	if err != nil {
		e.unclear(it, err)
		return l, false
	}
	switch p.Name {
	case gatefile.After:
		l.Spot = e.Scan.AfterSpot(end)
	case gatefile.InsteadOf:
		l.Spot, l.replaces = markup.Spot{Offset: at}, end
	case gatefile.FirstIn, gatefile.LastIn:
		if !e.Scan.TakesChildren(at) {
			e.problem(problem.Problem{Severity: problem.Error, Pos: p.Pos,
				Message: fmt.Sprintf("item %q cannot stand in %q: that element holds text only, or nothing", it.Name, p.Selector),
				Remedy:  "use before or after"})
			return l, false
		}
		l.Spot = e.Scan.AfterSpot(content.Start)
		if p.Name == gatefile.LastIn {
			l.Spot = e.Scan.BeforeSpot(content.End)
		}
	}
	l.Area = e.areaAt(at)
	return l, true
}
