package pageedit

import (
	"bytes"
	"fmt"
	"sort"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
)

// The third step: planning what is to be changed, and where.

// A Plan is the list of what is to be changed on a page, each with the item that it is for and the
// reason: the third step.
type Plan struct {
	layers    [layers][]Planned
	Written   []Written        // what the items put there, in order
	Popups    []*gatefile.Item // those whose popup is on the page
	placeless []*gatefile.Item // those that are in and whose place the page lacks
	problems  []problem.Problem
}

// A Planned edit is one change of the page's text.
type Planned struct {
	markup.Edit
	Item int // number; noItem for what the gate file says besides
	Why  why
}

// noItem stands where a change is not for an item.
const noItem = -1

// why is the reason of a change.
type why string

const (
	goes     why = "goes out"
	tag      why = "has its tag changed"
	moves    why = "moves"
	comes    why = "is put there"
	metadata why = "metadata"
	runtime  why = "the popups' code"
)

// planner makes the plan for a page, from what is decided. It changes nothing of that.
type planner struct {
	*Decision
	plan Plan

	removed []removal
	gone    spans        // the same, sorted
	sorted  int          // how many of them are
	keys    *markup.Spot // where new metadata goes, once asked for
	opened  bool         // a body tag was written that the source leaves out

	guard   *guard // of the page's policies, once asked for; nil for none
	guarded bool   // it was asked for

	noscripts []*markup.Element // those of the page, once asked for
	looked    bool              // they were

	stands      map[standsFor]markup.Span // where items stand in for what they replace
	filled      map[int]int               // by the offset of what is replaced: the item that stands there
	changes     map[int]*markup.TagChange // by the offset of the tag
	html        markup.TagChange          // of tags that the source may leave out
	body        markup.TagChange
	toldUnclear map[*gatefile.Item]bool // an element of theirs has no clear end

	sure  int            // of a page that is only begun: what stands before this offset cannot change
	comes *gatefile.Item // something of it may come into the head
}

// planOf plans all that is to be done to a page.
func (d *Decision) planOf() *planner {
	p := &planner{Decision: d, sure: len(d.Source.Text)}
	p.takeOut()
	p.changeTags()
	p.place()
	p.setMetadata()
	p.finishTags()
	return p
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
	layers = iota
)

func (pl *planner) add(layer, item int, reason why, edits ...markup.Edit) {
	for _, e := range edits {
		pl.plan.layers[layer] = append(pl.plan.layers[layer], Planned{e, item, reason})
	}
}

func (p *planner) problem(x problem.Problem) { p.plan.problems = append(p.plan.problems, x) }

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

// standsFor is a kind of part of an item.
type standsFor struct {
	item   int
	family family
}

type removal struct {
	markup.Span
	item int
}

// takeOut takes out the elements of items that are out, and those that items
// replace.
func (pl *planner) takeOut() {
	pl.standIns()
	last := 0
	var holder owned
	for _, at := range pl.starts() {
		o := pl.owner[at]
		if at < last {
			if pl.Verdicts[o.item].In && !o.replaced && o.item != holder.item {
				pl.problem(problem.Problem{Severity: problem.Error, Pos: pl.Verdicts[o.item].Item.Pos,
					Message: fmt.Sprintf(
						"item %q is in, and what it is found by stands in an element that goes with item %q",
						pl.Verdicts[o.item].Item.Name, pl.Verdicts[holder.item].Item.Name),
					Remedy: "narrow a matcher, or give one of them other pages"})
			}
			continue
		}
		if pl.Verdicts[o.item].In && !o.replaced {
			continue
		}
		end, err := pl.endOf(at)
		if err != nil {
			pl.unclear(pl.gate.File.Items[o.item], err)
			continue
		}
		at, end = pl.withNoscript(at, end)
		last, holder = end, o
		if pl.anyStandsAt(at) {
			pl.removed = append(pl.removed, removal{markup.Span{Start: at, End: end}, o.item})
			continue // the item's own parts come in its stead
		}
		pl.remove(at, end, o.item)
	}
}

// withNoscript is an element's span or, where it stands alone in a noscript, that of the
// noscript: without it nothing would be left there.
func (pl *planner) withNoscript(at, end int) (from, to int) {
	if !pl.looked {
		pl.looked = true
		for i := range pl.Scan.Elements {
			if el := &pl.Scan.Elements[i]; el.Tag == markup.TagNoscript {
				pl.noscripts = append(pl.noscripts, el)
			}
		}
	}
	// The last that begins before.
	i := sort.Search(len(pl.noscripts), func(i int) bool { return pl.noscripts[i].TagEnd > at }) - 1
	if i < 0 || pl.noscripts[i].ContentEnd < end {
		return at, end
	}
	el := pl.noscripts[i]
	before := bytes.TrimRight(pl.Source.Text[el.TagEnd:at], " \t\r\n\f")
	after := bytes.TrimLeft(pl.Source.Text[end:el.ContentEnd], " \t\r\n\f")
	if _, owned := pl.owner[el.Start]; len(before) == 0 && len(after) == 0 && !owned {
		return el.Start, el.End
	}
	return at, end
}

// remove takes an element out, with the line that it stands alone on.
func (pl *planner) remove(at, end, item int) {
	span := pl.Scan.LineOf(markup.Span{Start: at, End: end})
	pl.sortRemoved()
	if r := pl.gone.before(span.Start + 1); r != nil && span.Start < r.End { // two on one line, or line after line
		span.Start = r.End
	}
	if r := pl.gone.before(span.End); r != nil && span.End <= r.End {
		span.End = r.Start
	}
	pl.removed = append(pl.removed, removal{span, item})
	pl.add(inHead, item, goes, markup.Edit{Start: span.Start, End: span.End})
}

func (pl *planner) unclear(it *gatefile.Item, err error) {
	if err == errOpen {
		return
	}
	if pl.toldUnclear[it] { // once is enough: a page may have thousands of elements that nobody closed
		return
	}
	if pl.toldUnclear == nil {
		pl.toldUnclear = map[*gatefile.Item]bool{}
	}
	pl.toldUnclear[it] = true
	line := 0
	if x, ok := err.(*markup.ExtentError); ok {
		line, _ = markup.NewLocator(pl.Source.Text).Locate(x.Offset)
	}
	pl.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
		Message: fmt.Sprintf("item %q cannot be put into effect at %s:%d: %v", it.Name, pl.Page.File, line, err),
		Remedy:  "close the elements of the page in the order in which they were opened"})
}

// A landing is where something goes on this page.
type landing struct {
	markup.Spot
	replaces int // the end of what it stands instead of, or 0
	spot     *markup.AuthorSpot
	stands   int  // the offset of the element that it stands in for, or 0
	first    bool // before all else in the head
}

// place inserts the parts of the items that are in, in order.
func (pl *planner) place() {
	pl.checkSpots()
	for _, i := range pl.gate.Plan.Order {
		if !pl.Verdicts[i].In {
			continue
		}
		pl.move(i)
		if !pl.held[i] {
			pl.placeItem(i)
		}
	}
	if len(pl.plan.Popups) > 0 {
		pl.insert(snippet.RuntimeName, landing{Spot: pl.Scan.BodyEndSpot()},
			[]string{pl.letIn(snippet.Runtime(), "the script of popups", pl.plan.Popups[0].Pos)}, noItem)
	}
}

// placeItem inserts the parts of one item: those that go to one place stand
// there together.
func (pl *planner) placeItem(i int) {
	item := pl.gate.items[i]
	if !pl.checkParams(item.Item) {
		return
	}
	groups := &placeGroups{}
	placed, wanted := 0, 0
	for k := range item.Parts() {
		part := item.Part(k)
		if part.Kind == gatefile.Classes {
			continue
		}
		wanted++
		place := item.Place(k)
		for _, at := range pl.landings(i, k, place) {
			values := pl.gate.Values(pl.View)
			values.Param = pl.params(item.Item, at.spot)
			text, ok, err := item.Render(k, values)
			if err != nil {
				pl.problem(problem.Problem{Severity: problem.Error, Pos: err.Pos, Remedy: remedyFor(err),
					Message: fmt.Sprintf("item %q: %s", item.Name, err.Message)})
				return
			}
			placed++
			if !ok || !pl.fitsArea(item.Item, part, place, at) {
				continue
			}
			if at.stands > 0 && part.Kind == gatefile.Script && item.Load.Value == "" {
				text = pl.loadsLike(at.stands, text)
			}
			text = pl.letIn(text, fmt.Sprintf("item %q", item.Name), part.Pos)
			groups.add(at, text)
			pl.plan.Written = append(pl.plan.Written, Written{i, k, text, place, at.Area})
			if part.Kind == gatefile.Popup {
				pl.plan.Popups = append(pl.plan.Popups, item.Item)
			}
		}
	}
	if placed == 0 && wanted > 0 && item.SpotOnly() && pl.Verdicts[i].Reason != "spot" {
		pl.problem(problem.Problem{Severity: problem.Error, Pos: pl.Verdicts[i].Rule,
			Message: fmt.Sprintf("item %q goes to spots alone, and the page has none for it", item.Name),
			Remedy: "write <!-- yg-spot " + item.Name +
				" --> into the page, or keep the item out of it: without pages, it is in where it has a spot"})
	}
	for _, g := range groups.list {
		pl.insert(item.Name, g.at, g.lines, i)
	}
}

// placeGroups are the parts of an item by where they go, in their order.
type placeGroups struct {
	list  []*placeGroup
	index map[[2]int]*placeGroup
}

type placeGroup struct {
	at    landing
	lines []string
}

func (gs *placeGroups) add(at landing, text string) {
	key := [2]int{at.Offset, at.replaces}
	g := gs.index[key]
	if g == nil {
		if gs.index == nil {
			gs.index = map[[2]int]*placeGroup{}
		}
		g = &placeGroup{at: at}
		gs.index[key] = g
		gs.list = append(gs.list, g)
	}
	g.lines = append(g.lines, text)
}

func remedyFor(err *snippet.ValueError) string {
	if err.Missing {
		return `give it a fallback, as in @{fact.name or "words"}, or keep the item out of those pages`
	}
	return "give it another value, or keep the item out of those pages"
}

// fitsArea refuses code in the head that would end it, and head elements in the
// body, where the place alone does not tell which it is.
func (pl *planner) fitsArea(it *gatefile.Item, part *gatefile.Part, place gatefile.Place, at landing) bool {
	if part.Kind != gatefile.Code && part.Kind != gatefile.Popup {
		return true
	}
	c := part.Contents()
	if at.Area == markup.Head && (!c.FitsHead || part.Kind == gatefile.Popup) {
		pl.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
			Message: fmt.Sprintf("item %q would end the head: %q is in the head there, and its code is for the body",
				it.Name, place.String()),
			Remedy: "give the item a place in the body"})
		return false
	}
	if at.Area == markup.Body && c.NotForBody >= 0 &&
		(place.Selector != nil || place.Name == gatefile.AtSpot || place.Name == gatefile.AtReplaced) {
		pl.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
			Message: fmt.Sprintf("item %q has code for the head, and %q is in the body there", it.Name, place.String()),
			Remedy:  "give the item place: head-end"})
		return false
	}
	return true
}

// insert puts lines at a landing, between the marks of a name.
func (pl *planner) insert(name string, at landing, lines []string, item int) {
	for _, r := range pl.removed {
		inside := at.Offset > r.Start && at.Offset < r.End ||
			at.replaces > at.Offset && at.replaces > r.Start && at.Offset < r.End
		if inside && !(at.replaces == r.End && at.Offset == r.Start) {
			if item != noItem {
				pl.inRemoved(pl.gate.File.Items[item], r.item)
			}
			return
		}
	}
	lines = pl.bodyFirst(at, lines)
	if pl.opened && at.Area == markup.Body && at.replaces == 0 && at.Offset < pl.Scan.BodyBegin {
		at.Offset = pl.Scan.BodyBegin // after the body tag that is written there
	}
	for i := range lines {
		lines[i] = pl.fit(lines[i])
	}
	reason := comes
	if item == noItem {
		reason = runtime
	}
	pl.add(at.layer(), item, reason, markup.Edit{
		Start: at.Offset, End: max(at.Offset, at.replaces),
		New: snippet.Mark(name, lines, at.Before, pl.gate.File.Site.Marks),
	})
}

func (pl *planner) inRemoved(it *gatefile.Item, by int) {
	name := "the gate file"
	if by >= 0 {
		name = fmt.Sprintf("item %q, which is out there", pl.gate.File.Items[by].Name)
	}
	pl.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
		Message: fmt.Sprintf("item %q belongs into an element that goes with %s", it.Name, name),
		Remedy:  "give one of them another place or other pages"})
}

// bodyFirst writes a body tag before lines that would belong to the head without
// one, because the source leaves it out.
func (pl *planner) bodyFirst(at landing, lines []string) []string {
	if len(lines) > 0 && pl.impliesBody(at.Spot, lines[0]) {
		pl.opened = true
		return append([]string{pl.body.Tag("body")}, lines...)
	}
	return lines
}

// fit gives a text the line ends and the encoding of the page.
func (pl *planner) fit(text string) string {
	return markup.Fit(text, pl.Scan.LineEnd(), !pl.Source.UTF8())
}

// impliesBody reports whether a body tag has to be written first: the source
// leaves it out, and what comes at its beginning would belong to the head.
func (pl *planner) impliesBody(s markup.Spot, text string) bool {
	return s.Area == markup.Body && !pl.opened && pl.Scan.BodyTag.None() &&
		s.Offset <= pl.Scan.BodyBegin && markup.BelongsToHead([]byte(text))
}

// landings finds where a part goes on this page.
func (pl *planner) landings(i, part int, p gatefile.Place) []landing {
	it := pl.gate.File.Items[i]
	switch p.Name {
	case gatefile.AtSpot:
		return pl.spotLandings(it)
	case gatefile.AtReplaced:
		if span, ok := pl.stands[standsFor{i, familyOfPart(it.Parts[part])}]; ok {
			if by, taken := pl.filled[span.Start]; taken && by != i { // another item stands there already: after it
				return []landing{{Spot: markup.Spot{Offset: span.End, Area: pl.areaAt(span.Start)}, stands: span.Start}}
			}
			if pl.filled == nil {
				pl.filled = map[int]int{}
			}
			pl.filled[span.Start] = i
			return []landing{
				{
					Spot:     markup.Spot{Offset: span.Start, Area: pl.areaAt(span.Start)},
					replaces: span.End,
					stands:   span.Start,
				},
			}
		}
		elsewhere := it.Elsewhere(it.Parts[part])
		if pl.begun {
			pl.mayCome(it, elsewhere)
			return nil
		}
		return pl.landings(i, part, elsewhere)
	}
	return pl.standard(it, p, it.Each)
}

func (pl *planner) areaAt(at int) markup.Area {
	if at < pl.Scan.HeadStop {
		return markup.Head
	}
	return markup.Body
}

// standard finds a standard place, or one at a selector.
func (pl *planner) standard(it *gatefile.Item, p gatefile.Place, each bool) []landing {
	switch p.Name {
	case gatefile.HeadStart:
		return []landing{{Spot: pl.Scan.HeadStartSpot(), first: true}}
	case gatefile.HeadEnd:
		return []landing{{Spot: pl.Scan.HeadEndSpot()}}
	case gatefile.BodyStart, gatefile.BodyEnd:
		if pl.Scan.Frameset {
			pl.problem(problem.Problem{Severity: problem.Error, Pos: it.Pos,
				Message: fmt.Sprintf("item %q goes into the body, and the page has a frameset and no body", it.Name),
				Remedy:  "keep the item out of pages with a frameset"})
			return nil
		}
		if p.Name == gatefile.BodyStart {
			return []landing{{Spot: pl.Scan.BodyStartSpot()}}
		}
		return []landing{{Spot: pl.Scan.BodyEndSpot()}}
	}
	hits := pl.find(p.Selector)
	if len(hits) == 0 {
		pl.plan.placeless = append(pl.plan.placeless, it)
		pl.problem(problem.Problem{Severity: problem.Warning, Name: problem.NoSuchPlace, Item: it.Name, Pos: p.Pos,
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
		if l, ok := pl.atElement(it, p, at); ok && !(p.Name == gatefile.InsteadOf && at < last) {
			out = append(out, l)
			last = l.replaces
		}
	}
	return out
}

// atElement finds a place at the element whose start tag stands at the offset.
func (pl *planner) atElement(it *gatefile.Item, p gatefile.Place, at int) (l landing, ok bool) {
	if p.Name == gatefile.Before {
		l.Spot = pl.Scan.BeforeSpot(at)
		l.Area = pl.areaAt(at)
		return l, true
	}
	if (p.Name == gatefile.FirstIn || p.Name == gatefile.LastIn) && !pl.Scan.TakesChildren(at) {
		pl.problem(problem.Problem{Severity: problem.Error, Pos: p.Pos,
			Message: fmt.Sprintf("item %q cannot stand in %q: that element holds text only, or nothing", it.Name,
				p.Selector),
			Remedy: "use before or after"})
		return l, false
	}
	if p.Name == gatefile.FirstIn { // where the element ends does not matter
		l.Spot = pl.Scan.AfterSpot(markup.TagEnd(pl.Source.Text, at))
		l.Area = pl.areaAt(at)
		return l, true
	}
	content, end, err := pl.Scan.Extent(at)
	if pl.isOpen(content, err) {
		if p.Name == gatefile.InsteadOf {
			pl.hold(at)
		}
		return l, false
	}
	if err != nil {
		pl.unclear(it, err)
		return l, false
	}
	switch p.Name {
	case gatefile.After:
		l.Spot = pl.Scan.AfterSpot(end)
	case gatefile.InsteadOf:
		l.Spot, l.replaces = markup.Spot{Offset: at}, end
	case gatefile.LastIn:
		l.Spot = pl.Scan.BeforeSpot(content.End)
	}
	l.Area = pl.areaAt(at)
	return l, true
}

// sortRemoved sorts in what was removed since it was called last: nearly all of it comes in
// order.
func (pl *planner) sortRemoved() {
	for ; pl.sorted < len(pl.removed); pl.sorted++ {
		pl.gone.add(pl.removed[pl.sorted].Span)
	}
}

// isRemoved reports whether what stands at an offset is taken out.
func (pl *planner) isRemoved(at int) bool {
	pl.sortRemoved()
	return pl.gone.cover(at)
}
