package pageedit

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sort"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// A page of which only the beginning has come. It takes the usual road as far as it goes; what may still change is
// found out on the way, and what stands before that is sure: the whole page, once it is there, begins with it.

// Begun is what is sure of a page that is not there to its end.
type Begun struct {
	Out  []byte // what the gate makes of the beginning
	Upto int    // of the page, in bytes: what Out is made of
	// Waits is what the head waits for, in words; "" where it is sure.
	Waits string
	// For are the lines of the gate file that ask for it.
	For []problem.Position
}

// FirstHeading is what a page waits for whose head has a value of it.
const FirstHeading = "its first heading"

// Begin gates the beginning of a page, as far as nothing that may follow changes it. Whatever follows, Page makes
// of the whole a file that begins with Out, unless it reports an error, or the page cannot be read.
func (g *Gate) Begin(file []byte, known page.Page) *Begun {
	if g.ahead != nil {
		return &Begun{Waits: "its end, since the selector " + g.ahead.String() + " may ask for it"}
	}
	text := file[:bytes.LastIndexByte(file, '>')+1]
	src := markup.ReadAs(text, known.Answer.Charset())
	v := &View{gate: g, look: g.all, Source: src, Page: known, Original: text, begun: true}
	v.Scan = markup.Scan(src.Text, g.all.watch)
	if why := v.headMissing(); why != "" {
		return &Begun{Waits: why}
	}
	v.Page.Read(src, v.Scan)
	if h1 := v.Scan.FirstH1; h1 >= 0 {
		if _, end, err := v.Scan.Extent(h1); err != nil || end >= len(text) {
			v.Page.Heading = ""
		}
	}
	v.readSpots()
	spots := v.Spots // those whose element may not have come to its end are none yet
	v.Spots = slices.DeleteFunc(slices.Clone(spots), func(s markup.AuthorSpot) bool { return s.Element && s.Full })
	v.readHas()
	unsure, asked, waits := v.unsure()
	if waits != nil {
		return waits
	}
	d := g.decide(v)
	p := d.planOf()
	for i := range unsure {
		p.mayBeIn(i)
	}
	for i := range spots {
		if spots[i].Element && spots[i].Full {
			p.hold(spots[i].Start)
		}
	}
	for _, x := range slices.Concat(d.problems, p.plan.problems) {
		if x.Severity == problem.Error {
			return &Begun{Waits: "its end, since there is an error: " + x.Message, For: []problem.Position{x.Pos}}
		}
	}
	b := p.begin(file)
	if b.Waits == "" || len(unsure) == 0 {
		return b
	}
	return v.waitsFor(asked)
}

// Head is what is sure of a page once its head and its body tag have come, and nothing else.
func (v *View) Head() *Begun {
	if v.Scan.BodyTag.None() {
		return &Begun{Waits: "its end, since its body tag is left out"}
	}
	return v.gate.Begin(v.Source.File[:v.Scan.BodyTag.End:v.Scan.BodyTag.End], v.Page.Bare())
}

// String says what a page waits for, with the lines that ask for it; "" for nothing.
func (b *Begun) String() string {
	out := b.Waits
	for i, pos := range b.For {
		out += map[bool]string{true: ", asked for in ", false: ", "}[i == 0] + pos.String()
	}
	return out
}

// headMissing says what is not there yet before anything of the page is sure; "" for nothing.
func (v *View) headMissing() string {
	scan := v.Scan
	switch {
	case scan.BodyTag.None() || scan.HeadClose.None():
		return "the end of its head and its body tag"
	case !scan.HeadWhole() || scan.Frameset || scan.Unread != "":
		return "its end, since its head is broken"
	case v.Source.Undeclared():
		return "its end, since it does not say its encoding"
	case &v.Source.Text[0] != &v.Source.File[0]:
		return "its end, since its encoding has no ASCII"
	}
	for _, m := range scan.Marks {
		if !bytes.Contains(v.Source.Text[m.Start:m.End], []byte("yg-spot")) {
			return "its end, since it was gated before"
		}
	}
	return ""
}

// mostAsked is of how many things that may come the outcomes are compared.
const mostAsked = 5

// unsure are the items that something may bring in, or take out, that has not come yet. Where metadata may change, or
// too much is asked for, it says so.
func (v *View) unsure() (items map[int]bool, asked []page.Asked, waits *Begun) {
	v.Page.Later = func(a page.Asked) {
		if !slices.Contains(asked, a) {
			asked = append(asked, a)
		}
	}
	defer func() { v.Page.Later = nil }()
	type outcome struct {
		in       []bool
		metadata []*verdict.Candidate // that wins, by key; nil for none
	}
	same := func(a, b *verdict.Candidate) bool {
		return a == b || a != nil && b != nil &&
			a.Level == b.Level && a.None == b.None && slices.Equal(a.Values, b.Values)
	}
	decide := func() (o outcome) {
		verdicts, _ := v.gate.Plan.Decide(&v.Page)
		for i := range verdicts {
			o.in = append(o.in, verdicts[i].In)
		}
		for _, id := range v.Keys() {
			own, _ := v.Own(id)
			o.metadata = append(o.metadata, verdict.Winner(v.gate.Plan.Stack(&v.Page, id, own, v.Lookup)))
		}
		return o
	}
	first := decide()
	items, must := v.parts(first.in)
	tooMuch := func() bool { return must || len(asked) > mostAsked || slices.ContainsFunc(asked, page.Asked.Comes) }
	for n := 1; !tooMuch() && n < 1<<len(asked); n++ {
		undo := v.suppose(asked, n)
		o := decide()
		undo()
		if !slices.EqualFunc(o.metadata, first.metadata, same) {
			return nil, nil, v.waitsFor(asked)
		}
		for i := range o.in {
			if o.in[i] != first.in[i] {
				items[i] = true
			}
		}
	}
	if tooMuch() {
		return nil, nil, v.waitsFor(asked)
	}
	return items, asked, nil
}

// parts asks for what the items that are in write. Those are held whose parts of the body want what has not come: the
// head need not wait for it, but it must for what its own parts want.
func (v *View) parts(in []bool) (held map[int]bool, must bool) {
	held = map[int]bool{}
	later := v.Page.Later
	for i := range in {
		item := v.gate.items[i]
		for k := range item.Parts() {
			if !in[i] || item.Part(k).Kind == gatefile.Classes {
				continue
			}
			v.Page.Later = func(a page.Asked) {
				if forHead(item.Item, item.Part(k)) {
					must = true
					later(a)
				} else {
					held[i] = true
				}
			}
			_, _, _ = v.gate.Render(v, i, k)
		}
	}
	v.Page.Later, v.held = later, held
	return maps.Clone(held), must
}

// forHead reports whether a part may go to the head.
func forHead(it *gatefile.Item, p *gatefile.Part) bool {
	place := it.PlaceOf(p)
	if place.Name == gatefile.AtReplaced {
		place = it.Elsewhere(p)
	}
	return place.Name == gatefile.HeadStart || place.Name == gatefile.HeadEnd
}

// suppose lets come what the bits of n say. The function that it returns takes it back.
func (v *View) suppose(asked []page.Asked, n int) (undo func()) {
	has, spots := v.Page.Has, v.Page.Spots
	v.Page.Has, v.Page.Spots = slices.Clone(has), map[string]bool{}
	for name := range spots {
		v.Page.Spots[name] = true
	}
	for k, a := range asked {
		switch {
		case n>>k&1 == 0:
		case a.Spot != "":
			v.Page.Spots[a.Spot] = true
		default:
			v.Page.Has[a.Has] = true
		}
	}
	return func() { v.Page.Has, v.Page.Spots = has, spots }
}

// waitsFor says what a page waits for, and which lines of the gate file ask for it.
func (v *View) waitsFor(asked []page.Asked) *Begun {
	if slices.Contains(asked, page.Asked{Heading: true}) { // whatever else is asked for, that comes first
		return &Begun{Waits: FirstHeading}
	}
	b := &Begun{}
	for _, a := range asked {
		word := ""
		switch {
		case a.Spot != "":
			word = "a spot of item " + a.Spot
		case a.Content != "":
			word = a.Content
			if c := v.gate.File.Contents[a.Content]; c != nil {
				b.For = append(b.For, c.Pos...)
			}
		default:
			s := v.gate.File.Selectors[a.Has]
			word = "has(" + s.String() + ")"
			for _, at := range v.gate.File.HasAt[a.Has] {
				if !slices.Contains(b.For, at) {
					b.For = append(b.For, at)
				}
			}
		}
		if b.Waits != "" {
			word = ", " + word
		}
		b.Waits += word
	}
	return b
}

var errOpen = errors.New("the element is not there to its end")

// isOpen reports whether the end of an element with that content has not come.
func (v *View) isOpen(content markup.Span, err error) bool {
	var unclear *markup.ExtentError
	return v.begun && (errors.As(err, &unclear) && unclear.Open ||
		err == nil && content.End >= len(v.Source.Text) && content.End > content.Start)
}

// hold says that what stands from an offset on may change, with the white space before it.
func (pl *planner) hold(at int) {
	pl.sure = min(pl.sure, len(bytes.TrimRight(pl.Source.Text[:at], " \t\r\n\f")))
}

// mayBeIn holds what an item would change that is not decided: it may come.
func (pl *planner) mayBeIn(i int) {
	it := pl.gate.File.Items[i]
	for _, p := range it.Parts {
		if p.Kind != gatefile.Classes {
			place := it.PlaceOf(p)
			if place.Name == gatefile.AtReplaced {
				place = it.Elsewhere(p)
			}
			pl.mayCome(it, place)
			continue
		}
		if s := p.Selector.String(); s == "body" || s == "html" {
			pl.hold(0)
		} else if hits := pl.find(p.Selector); len(hits) > 0 {
			pl.hold(hits[0])
		}
	}
	for _, at := range pl.starts() {
		if pl.owner[at].item == i || slices.Contains(pl.standers[at], i) {
			pl.hold(at)
			break
		}
	}
	if place := it.FoundPlace(); place != nil {
		pl.mayCome(it, *place)
	}
}

// mayCome holds the place at which something of an item may still come.
func (pl *planner) mayCome(it *gatefile.Item, p gatefile.Place) {
	switch p.Name {
	case gatefile.HeadStart, gatefile.HeadEnd:
		pl.comes = it
		pl.hold(0)
	case gatefile.BodyStart:
		pl.hold(pl.Scan.BodyTag.End)
	case gatefile.BodyEnd:
	case gatefile.AtSpot:
		for i := range pl.Spots {
			if pl.Spots[i].Name == it.Name {
				pl.hold(pl.Spots[i].Start)
				return
			}
		}
	default:
		if hits := pl.find(p.Selector); len(hits) > 0 {
			pl.hold(hits[0])
		}
	}
}

// begin writes what of a plan is sure.
func (pl *planner) begin(file []byte) *Begun {
	scan := pl.Scan
	if scan.Cut >= 0 {
		pl.hold(scan.Cut)
	}
	for _, end := range []markup.Span{scan.BodyClose, scan.HTMLClose} {
		if !end.None() {
			pl.hold(end.Start) // the body may go on behind it
		}
	}
	for i, it := range pl.gate.File.Items {
		if pl.Verdicts[i].In && it.FoundPlace() != nil {
			pl.mayCome(it, *it.FoundPlace()) // more of it may be found
		}
	}
	for _, at := range pl.starts() { // an element that goes with its line, or has not come to its end
		if end, err := pl.endOf(at); err == errOpen || err == nil && end >= pl.sure {
			pl.hold(at)
			break
		}
	}
	var edits []markup.Edit
	for _, layer := range pl.plan.layers {
		for i := range layer {
			edits = append(edits, layer[i].Edit)
		}
	}
	byEnd := slices.Clone(edits)
	sort.Slice(byEnd, func(i, j int) bool { return byEnd[i].End > byEnd[j].End })
	for _, e := range byEnd { // the last first: what is held holds those that reach over it
		if e.Start < pl.sure && e.End > pl.sure {
			pl.hold(e.Start)
		}
	}
	if pl.sure < scan.BodyTag.End {
		if pl.comes == nil {
			return &Begun{Waits: "more of its body"}
		}
		return &Begun{
			Waits: fmt.Sprintf("what item %q may still find or replace", pl.comes.Name),
			For:   []problem.Position{pl.comes.Pos},
		}
	}
	edits = slices.DeleteFunc(edits, func(e markup.Edit) bool { return e.Start >= pl.sure })
	if !bytes.ContainsAny(file[:pl.sure], "\r\n") {
		if slices.ContainsFunc(edits, func(e markup.Edit) bool { return bytes.ContainsAny([]byte(e.New), "\r\n") }) {
			return &Begun{Waits: "the end of its first line"}
		}
	}
	out, _, err := markup.ReadAs(file[:pl.sure], pl.Page.Answer.Charset()).Apply(edits)
	if err != nil {
		return &Begun{Waits: "its end, since it cannot be edited: " + err.Error()}
	}
	if pl.Page.Answer.Charset() == "" && markup.DeclaredEncoding(out) != markup.DeclaredEncoding(file) {
		return &Begun{Waits: "its end, since its encoding would change"}
	}
	return &Begun{Out: out, Upto: pl.sure}
}
