package gating

import (
	"fmt"
	"sort"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

// editing collects the edits of one page.
type editing struct {
	*Result
	gate    *Gate
	edits   []markup.Edit
	owner   map[int]int // item by the offset of a found element
	removed []removal
	bodyTag bool // a body tag was written that the source left out
}

type removal struct {
	markup.Span
	item int
}

// removeFound takes out the elements of items that are out.
func (e *editing) removeFound() {
	starts := make([]int, 0, len(e.owner))
	for at := range e.owner {
		starts = append(starts, at)
	}
	sort.Ints(starts)
	last := 0
	for _, at := range starts {
		item := e.owner[at]
		if e.Verdicts[item].In || at < last {
			continue
		}
		end, err := e.endOf(at)
		if err != nil {
			e.unclear(e.gate.File.Items[item], err)
			continue
		}
		last = end
		span := e.Scan.LineOf(markup.Span{Start: at, End: end})
		if n := len(e.removed); n > 0 && span.Start < e.removed[n-1].End {
			span.Start = e.removed[n-1].End
		}
		e.removed = append(e.removed, removal{span, item})
		e.edits = append(e.edits, markup.Edit{Start: span.Start, End: span.End})
	}
}

// headMended reports whether what broke the head is taken out.
func (e *editing) headMended() bool {
	b := e.Scan.Breaker
	return !b.None() && e.isRemoved(b.Start)
}

// endOf returns where the element at the offset ends.
func (e *editing) endOf(at int) (int, error) {
	for i := range e.Scan.Elements {
		if el := &e.Scan.Elements[i]; el.Start == at && el.End > 0 {
			return el.End, nil
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
	e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: it.Pos,
		Message: fmt.Sprintf("item %q cannot be put into effect at %s:%d: %v", it.Name, e.Page.File, line, err),
		Remedy:  "close the elements of the page in the order in which they were opened"})
}

// place inserts the parts of the items that are in, in order.
func (e *editing) place() {
	for _, i := range e.gate.Plan.Order {
		if !e.Verdicts[i].In || len(e.gate.File.Items[i].Parts) == 0 {
			continue
		}
		item := e.gate.items[i]
		pieces, err := item.Render(e.Lookup)
		if err != nil {
			e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: err.Pos,
				Message: fmt.Sprintf("item %q: %s", item.Name, err.Message),
				Remedy:  `give it a fallback, as in @{fact.name or "words"}, or keep the item out of those pages`})
			continue
		}
		for _, p := range pieces {
			e.insert(item, p)
		}
	}
}

// insert puts one piece of an item at its place.
func (e *editing) insert(item *compose.Item, p compose.Piece) {
	spot, replaces, ok := e.spot(item.Item, p.Place)
	if !ok {
		return
	}
	for _, r := range e.removed {
		if spot.Offset > r.Start && spot.Offset < r.End || replaces > spot.Offset && replaces > r.Start && spot.Offset < r.End {
			e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: item.Pos,
				Message: fmt.Sprintf("item %q belongs into an element that goes with item %q, which is out there", item.Name, e.gate.File.Items[r.item].Name),
				Remedy:  "give one of them another place or other pages"})
			return
		}
	}
	lines := p.Lines
	if e.impliesBody(spot, lines[0]) {
		e.bodyTag = true
		lines = append([]string{"<body>"}, lines...)
	}
	for i := range lines {
		lines[i] = e.fit(lines[i])
	}
	e.edits = append(e.edits, markup.Edit{
		Start: spot.Offset, End: max(spot.Offset, replaces),
		New: compose.Mark(item.Name, lines, spot.Before, e.gate.File.Site.Marks),
	})
}

// fit gives a text the line ends and the encoding of the page.
func (e *editing) fit(text string) string {
	return markup.Fit(text, e.Scan.LineEnd(), !e.Source.UTF8())
}

// impliesBody reports whether a body tag has to be written first: the source
// leaves it out, and what comes at its beginning would belong to the head.
func (e *editing) impliesBody(s markup.Spot, text string) bool {
	return s.Area == markup.Body && !e.bodyTag && e.Scan.BodyTag.None() &&
		s.Offset <= e.Scan.BodyBegin && markup.BelongsToHead([]byte(text))
}

// spot finds where a place is on this page. replaces is the end of what the
// item stands instead of, or 0.
func (e *editing) spot(it *gatefile.Item, p gatefile.Place) (s markup.Spot, replaces int, ok bool) {
	switch p.Name {
	case gatefile.HeadStart:
		return e.Scan.HeadStartSpot(), 0, true
	case gatefile.HeadEnd:
		return e.Scan.HeadEndSpot(), 0, true
	case gatefile.BodyStart, gatefile.BodyEnd:
		if e.Scan.Frameset {
			e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: it.Pos,
				Message: fmt.Sprintf("item %q goes into the body, and the page has a frameset and no body", it.Name),
				Remedy:  "keep the item out of pages with a frameset"})
			return s, 0, false
		}
		if p.Name == gatefile.BodyStart {
			return e.Scan.BodyStartSpot(), 0, true
		}
		return e.Scan.BodyEndSpot(), 0, true
	}
	return e.selectorSpot(it, p)
}

// selectorSpot finds a place at the first element that a selector matches.
func (e *editing) selectorSpot(it *gatefile.Item, p gatefile.Place) (s markup.Spot, replaces int, ok bool) {
	hits := e.find(p.Selector)
	if len(hits) == 0 {
		e.placeless = append(e.placeless, it)
		e.problem(gatefile.Problem{Severity: gatefile.Warning, Pos: p.Pos,
			Message: fmt.Sprintf("item %q has no place: %q matches nothing", it.Name, p.Selector),
			Remedy:  "let the item in only where the element is: has(" + p.Selector.String() + ")"})
		return s, 0, false
	}
	at := hits[0]
	switch p.Name {
	case gatefile.Before:
		s = e.Scan.BeforeSpot(at)
	default:
		content, end, err := e.Scan.Extent(at)
		if err != nil {
			e.unclear(it, err)
			return s, 0, false
		}
		switch p.Name {
		case gatefile.After:
			s = e.Scan.AfterSpot(end)
		case gatefile.InsteadOf:
			s, replaces = markup.Spot{Offset: at}, end
		case gatefile.FirstIn, gatefile.LastIn:
			if !e.Scan.TakesChildren(at) {
				e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: p.Pos,
					Message: fmt.Sprintf("item %q cannot stand in %q: that element holds text only, or nothing", it.Name, p.Selector),
					Remedy:  "use before or after"})
				return s, 0, false
			}
			s = e.Scan.AfterSpot(content.Start)
			if p.Name == gatefile.LastIn {
				s = e.Scan.BeforeSpot(content.End)
			}
		}
	}
	s.Area = markup.Body
	if at < e.Scan.HeadStop {
		s.Area = markup.Head
		for _, part := range it.Parts {
			if part.Kind == gatefile.Code && !gatefile.ContentsOf(part.Text).FitsHead {
				e.problem(gatefile.Problem{Severity: gatefile.Error, Pos: p.Pos,
					Message: fmt.Sprintf("item %q would end the head: %q is in the head there, and its code is for the body", it.Name, p.Selector),
					Remedy:  "give the item a place in the body"})
				return s, 0, false
			}
		}
	}
	return s, replaces, true
}
