package pageedit

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/snippet"
)

// What becomes of tags that stay, or move.

// family is what an element is, as far as an item can stand in for it: a part
// comes in the place of the first element of its family.
type family uint8

const (
	scriptURL family = iota
	styleURL
	scriptText
	styleText
	otherMarkup // what does not load, and embeds
)

func familyOfPart(p *gatefile.Part) family {
	switch p.Kind {
	case gatefile.Script:
		return scriptURL
	case gatefile.Stylesheet:
		return styleURL
	case gatefile.ScriptText:
		return scriptText
	case gatefile.StyleText:
		return styleText
	}
	return otherMarkup
}

// families lists the families of the element at the offset: an inline script can
// be stood in for by an inline script and by code.
func (pl *planner) families(at int) []family {
	_, external := markup.AttrValue(pl.Source.Text, at, "src")
	switch markup.TagAt(pl.Source.Text, at) {
	case markup.TagScript:
		if external {
			return []family{scriptURL}
		}
		return []family{scriptText, otherMarkup}
	case markup.TagLink:
		return []family{styleURL}
	case markup.TagStyle:
		return []family{styleText, otherMarkup}
	}
	return []family{otherMarkup}
}

// standIns settles where items that are in stand in for what they replace.
func (pl *planner) standIns() {
	pl.stands = map[standsFor]markup.Span{}
	for _, at := range pl.starts() {
		if !pl.owner[at].replaced {
			continue
		}
		in := false
		for _, i := range pl.standers[at] {
			if !pl.Verdicts[i].In {
				continue
			}
			in = true
			it := pl.gate.File.Items[i]
			for _, f := range pl.families(at) {
				key := standsFor{i, f}
				if _, taken := pl.stands[key]; taken || !pl.wants(it, f) || pl.standsAt(i, at) {
					continue
				}
				if end, err := pl.endOf(at); err == nil {
					pl.stands[key] = markup.Span{Start: at, End: end}
				}
			}
		}
		if it := pl.gate.File.Items[pl.owner[at].item]; !in &&
			!(len(it.Pages) == 1 && it.Pages[0].Expr == pagequery.Const(false)) { // who says none means it
			pl.problem(
				problem.Problem{Severity: problem.Warning, Name: problem.TakenOutForNone, Item: it.Name, Pos: it.Pos,
					Message: fmt.Sprintf("item %q replaces %s, and is out here: the page has neither", it.Name,
						pl.brief(at)),
					Remedy: "let the item in here, or take the element out by found, with pages: none, if that is meant"},
			)
		}
	}
}

// brief is a start tag in a message.
func (pl *planner) brief(at int) string {
	for _, name := range []string{"src", "href"} {
		if v, ok := markup.AttrValue(pl.Source.Text, at, name); ok && v != "" {
			return v
		}
	}
	return "<" + markup.TagName(pl.Source.Text, at) + ">"
}

// loadsLike gives a script that comes in another one's place the timing of that: defer, async, module,
// nomodule. Where the gate file says how it loads, that counts.
func (pl *planner) loadsLike(at int, text string) string {
	src := pl.Source.Text
	if markup.TagAt(src, at) != markup.TagScript {
		return text
	}
	if _, external := markup.AttrValue(src, at, "src"); !external {
		return text
	}
	attrs := ""
	if markup.ScriptType(src, at) == markup.Module {
		attrs = ` type="module"`
	}
	for _, name := range []string{"nomodule", "async", "defer"} {
		if _, ok := markup.AttrValue(src, at, name); ok {
			attrs += " " + name
		}
	}
	return strings.ReplaceAll(text, "></script>", attrs+"></script>")
}

// wants reports whether a part of the item comes where something of the family
// stood.
func (pl *planner) wants(it *gatefile.Item, f family) bool {
	for _, p := range it.Parts {
		if p.Kind != gatefile.Classes && familyOfPart(p) == f && it.PlaceOf(p).Name == gatefile.AtReplaced {
			return true
		}
	}
	return false
}

// anyStandsAt reports whether some item comes where an element stood.
func (pl *planner) anyStandsAt(at int) bool {
	return slices.ContainsFunc(pl.standers[at], func(i int) bool { return pl.standsAt(i, at) })
}

func (pl *planner) standsAt(item, at int) bool {
	for key, span := range pl.stands {
		if key.item == item && span.Start == at {
			return true
		}
	}
	return false
}

// change is what is to become of the tag at the offset.
func (pl *planner) change(at int) *markup.TagChange {
	if pl.changes == nil {
		pl.changes = map[int]*markup.TagChange{}
	}
	if pl.changes[at] == nil {
		pl.changes[at] = &markup.TagChange{}
	}
	return pl.changes[at]
}

// changeTags settles what load and attrs make of found tags, and which elements
// get class names.
func (pl *planner) changeTags() {
	for _, at := range pl.starts() {
		o := pl.owner[at]
		if !pl.Verdicts[o.item].In || o.replaced {
			continue
		}
		it := pl.gate.items[o.item]
		if it.Item.Load.Value != "" && markup.TagAt(pl.Source.Text, at) == markup.TagScript {
			if _, external := markup.AttrValue(pl.Source.Text, at, "src"); external {
				setLoad(pl.change(at), it.Item.Load.Value, markup.ScriptType(pl.Source.Text, at))
			}
		}
		values := pl.gate.Values(pl.View)
		values.Param = pl.params(it.Item, nil)
		for i := range it.Item.Attrs {
			a := &it.Item.Attrs[i]
			if a.Remove {
				pl.change(at).Remove = append(pl.change(at).Remove, a.Name)
				continue
			}
			if where := pl.noPlace(at, a); where != "" {
				pl.problem(
					problem.Problem{
						Severity: problem.Error,
						Pos:      a.Pos,
						Message:  fmt.Sprintf("item %q: a placeholder cannot stand %s", it.Name, where),
						Remedy:   "write the text out",
					},
				)
				continue
			}
			v, err := it.Attr(a, values)
			if err != nil {
				pl.problem(
					problem.Problem{
						Severity: problem.Error,
						Pos:      err.Pos,
						Message:  fmt.Sprintf("item %q: %s", it.Name, err.Message),
						Remedy:   remedyFor(err),
					},
				)
				continue
			}
			pl.change(at).Set = append(pl.change(at).Set, markup.NewAttr{Name: a.Name, Value: v, Bare: a.Text == ""})
		}
	}
	for i, it := range pl.gate.File.Items {
		if !pl.Verdicts[i].In {
			continue
		}
		for _, p := range it.Parts {
			if p.Kind == gatefile.Classes {
				pl.addClasses(p)
			}
		}
	}
	pl.implied("body", &pl.body, pl.Scan.BodyTag)
}

// noPlace says why no value can stand in an attribute of a found element; "" where the
// attribute has no placeholder, or one can.
func (pl *planner) noPlace(at int, a *gatefile.Attr) string {
	if a.Value == nil || a.Value.Plain() {
		return ""
	}
	return snippet.NoPlace(markup.TagName(pl.Source.Text, at), a.Name, func(name string) bool {
		_, ok := markup.AttrValue(pl.Source.Text, at, name)
		return ok
	})
}

// addClasses adds class names to the elements that a part's selector matches.
func (pl *planner) addClasses(p *gatefile.Part) {
	names := strings.Fields(p.Text)
	if s := p.Selector.String(); s == "body" || s == "html" { // even where the tag is left out
		c := &pl.body
		if s == "html" {
			c = &pl.html
		}
		c.Classes = append(c.Classes, names...)
		return
	}
	hits := pl.find(p.Selector)
	if len(hits) == 0 {
		pl.problem(problem.Problem{Severity: problem.Warning, Name: problem.NoSuchPlace, Pos: p.Pos,
			Message: fmt.Sprintf("classes %q go nowhere: %q matches nothing", p.Text, p.Selector),
			Remedy:  "let the item in only where the element is: has(" + p.Selector.String() + ")"})
	}
	for _, at := range hits {
		pl.change(at).Classes = append(pl.change(at).Classes, names...)
	}
}

// setLoad makes a script tag load in a way.
func setLoad(c *markup.TagChange, load string, kind markup.ScriptKind) {
	switch load {
	case "defer":
		c.Remove = append(c.Remove, "async")
		c.Set = append(c.Set, markup.NewAttr{Name: "defer", Bare: true})
	case "async":
		c.Remove = append(c.Remove, "defer")
		c.Set = append(c.Set, markup.NewAttr{Name: "async", Bare: true})
	case "module":
		c.Remove = append(c.Remove, "defer", "async")
		c.Set = append(c.Set, markup.NewAttr{Name: "type", Value: "module"})
		return
	case "now":
		c.Remove = append(c.Remove, "defer", "async")
	}
	if kind == markup.Module {
		c.Remove = append(c.Remove, "type")
	}
}

// finishTags writes the changes of tags that stay where they are.
func (pl *planner) finishTags() {
	pl.implied("html", &pl.html, pl.Scan.HTMLTag)
	for at, c := range pl.changes {
		if !pl.isRemoved(at) {
			pl.add(inBody, pl.itemAt(at), tag, c.Edits(pl.Source, at, markup.TagEnd(pl.Source.Text, at))...)
		}
	}
}

// implied writes the changes of the html or body tag; one that the source leaves
// out is written.
func (pl *planner) implied(name string, c *markup.TagChange, start markup.Span) {
	switch {
	case len(c.Set)+len(c.Remove)+len(c.Classes) == 0:
	case !start.None():
		pl.add(inBody, noItem, tag, c.Edits(pl.Source, start.Start, start.End)...)
	case len(c.Set)+len(c.Classes) == 0:
	case name == "html":
		at := pl.Scan.HTMLBegin()
		pl.add(htmlTag, noItem, tag, markup.Edit{Start: at, End: at, New: c.Tag("html")})
	case !pl.Scan.Frameset:
		at := pl.Scan.BodyBegin
		pl.opened = true
		pl.add(bodyTag, noItem, tag, markup.Edit{Start: at, End: at, New: c.Tag("body")})
	}
}

// move puts the found elements of an item that is in where its place is.
func (pl *planner) move(i int) {
	it := pl.gate.File.Items[i]
	place := it.FoundPlace()
	if place == nil || pl.Present[i] == 0 {
		return
	}
	ls := pl.standard(it, *place, false)
	if len(ls) == 0 {
		return
	}
	at := ls[0]
	var lines []string
	last := 0
	for _, start := range pl.starts() {
		o := pl.owner[start]
		if o.item != i || o.replaced || start < last || pl.isRemoved(start) {
			continue
		}
		end, err := pl.endOf(start)
		if err != nil {
			pl.unclear(it, err)
			return
		}
		if at.Offset > start && at.Offset < end {
			pl.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
				Message: fmt.Sprintf("item %q cannot be moved: its place, %s, is within what is moved", it.Name,
					place.String()), Remedy: "give it another place"})
			return
		}
		text := pl.changed(start, end)
		if at.Area == markup.Head && !gatefile.ContentsOf(text).FitsHead {
			line, _ := markup.NewLocator(pl.Source.Text).Locate(start)
			pl.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
				Message: fmt.Sprintf("item %q cannot be moved into the head: what stands at %s:%d would end it",
					it.Name, pl.Page.File, line),
				Remedy: "make what belongs into the head an item of its own"})
			return
		}
		last = end
		pl.remove(start, end, i)
		lines = append(lines, text)
		pl.plan.Written = append(pl.plan.Written, Written{i, FoundPart, text, *place, at.Area})
	}
	if len(lines) == 0 {
		return
	}
	lines = pl.bodyFirst(at, lines)
	text := ""
	for k, l := range lines {
		if k > 0 || at.replaces == 0 {
			text += at.Before
		}
		text += l
	}
	pl.add(at.layer(), i, moves, markup.Edit{Start: at.Offset, End: max(at.Offset, at.replaces), New: text})
}

// changed is the text of an element whose tag is changed.
func (pl *planner) changed(start, end int) string {
	text := string(pl.Source.Text[start:end])
	c := pl.changes[start]
	if c == nil {
		return text
	}
	edits := c.Edits(pl.Source, start, markup.TagEnd(pl.Source.Text, start))
	delete(pl.changes, start)
	return markup.EditText(text, start, edits)
}

// itemAt is the item to which the element at an offset belongs, or noItem.
func (pl *planner) itemAt(at int) int {
	if o, ok := pl.owner[at]; ok {
		return o.item
	}
	return noItem
}
