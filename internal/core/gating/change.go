package gating

import (
	"fmt"

	"yellowgate/internal/core/compose"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

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
func (e *editing) families(at int) []family {
	_, external := markup.AttrValue(e.Source.Text, at, "src")
	switch markup.TagAt(e.Source.Text, at) {
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
func (e *editing) standIns() {
	e.stands = map[standsFor]markup.Span{}
	for _, at := range e.starts() {
		o := e.owner[at]
		if !o.replaced || !e.Verdicts[o.item].In {
			continue
		}
		it := e.gate.File.Items[o.item]
		for _, f := range e.families(at) {
			key := standsFor{o.item, f}
			if _, taken := e.stands[key]; taken || !e.wants(it, f) || e.standsAt(o.item, at) {
				continue
			}
			if end, err := e.endOf(at); err == nil {
				e.stands[key] = markup.Span{Start: at, End: end}
			}
		}
	}
}

// wants reports whether a part of the item comes where something of the family
// stood.
func (e *editing) wants(it *gatefile.Item, f family) bool {
	for _, p := range it.Parts {
		if p.Kind != gatefile.Classes && familyOfPart(p) == f && it.PlaceOf(p).Name == gatefile.AtReplaced {
			return true
		}
	}
	return false
}

func (e *editing) standsAt(item, at int) bool {
	for key, span := range e.stands {
		if key.item == item && span.Start == at {
			return true
		}
	}
	return false
}

// change is what is to become of the tag at the offset.
func (e *editing) change(at int) *markup.TagChange {
	if e.changes == nil {
		e.changes = map[int]*markup.TagChange{}
	}
	if e.changes[at] == nil {
		e.changes[at] = &markup.TagChange{}
	}
	return e.changes[at]
}

// changeTags settles what load and attrs make of found tags, and which elements
// get class names.
func (e *editing) changeTags() {
	for _, at := range e.starts() {
		o := e.owner[at]
		if !e.Verdicts[o.item].In || o.replaced {
			continue
		}
		it := e.gate.items[o.item]
		if it.Item.Load.Value != "" && markup.TagAt(e.Source.Text, at) == markup.TagScript {
			if _, external := markup.AttrValue(e.Source.Text, at, "src"); external {
				setLoad(e.change(at), it.Item.Load.Value, markup.ScriptType(e.Source.Text, at))
			}
		}
		values := e.gate.Values(e.View)
		values.Param = e.gate.params(it.Item, &e.Page, nil)
		for i := range it.Item.Attrs {
			a := &it.Item.Attrs[i]
			if a.Remove {
				e.change(at).Remove = append(e.change(at).Remove, a.Name)
				continue
			}
			if where := e.noPlace(at, a); where != "" {
				e.problem(problem.Problem{Severity: problem.Error, Pos: a.Pos, Message: fmt.Sprintf("item %q: a placeholder cannot stand %s", it.Name, where), Remedy: "write the text out"})
				continue
			}
			v, err := it.Attr(a, values)
			if err != nil {
				e.problem(problem.Problem{Severity: problem.Error, Pos: err.Pos, Message: fmt.Sprintf("item %q: %s", it.Name, err.Message), Remedy: remedyFor(err)})
				continue
			}
			e.change(at).Set = append(e.change(at).Set, markup.NewAttr{Name: a.Name, Value: v, Bare: a.Text == ""})
		}
	}
	for i, it := range e.gate.File.Items {
		if !e.Verdicts[i].In {
			continue
		}
		for _, p := range it.Parts {
			if p.Kind == gatefile.Classes {
				e.addClasses(p)
			}
		}
	}
	e.implied("body", &e.body, e.Scan.BodyTag)
}

// noPlace says why no value can stand in an attribute of a found element; "" where the
// attribute has no placeholder, or one can.
func (e *editing) noPlace(at int, a *gatefile.Attr) string {
	if a.Value == nil || a.Value.Plain() {
		return ""
	}
	return compose.NoPlace(markup.TagName(e.Source.Text, at), a.Name, func(name string) bool {
		_, ok := markup.AttrValue(e.Source.Text, at, name)
		return ok
	})
}

// addClasses adds class names to the elements that a part's selector matches.
func (e *editing) addClasses(p *gatefile.Part) {
	names := fields(p.Text)
	if s := p.Selector.String(); s == "body" || s == "html" { // even where the tag is left out
		c := &e.body
		if s == "html" {
			c = &e.html
		}
		c.Classes = append(c.Classes, names...)
		return
	}
	hits := e.find(p.Selector)
	if len(hits) == 0 {
		e.problem(problem.Problem{Severity: problem.Warning, Pos: p.Pos,
			Message: fmt.Sprintf("classes %q go nowhere: %q matches nothing", p.Text, p.Selector),
			Remedy:  "let the item in only where the element is: has(" + p.Selector.String() + ")"})
	}
	for _, at := range hits {
		e.change(at).Classes = append(e.change(at).Classes, names...)
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
func (e *editing) finishTags() {
	e.implied("html", &e.html, e.Scan.HTMLTag)
	for at, c := range e.changes {
		if !e.isRemoved(at) {
			e.add(inBody, c.Edits(e.Source, at, markup.TagEnd(e.Source.Text, at))...)
		}
	}
}

// implied writes the changes of the html or body tag; one that the source leaves
// out is written.
func (e *editing) implied(name string, c *markup.TagChange, tag markup.Span) {
	switch {
	case len(c.Set)+len(c.Remove)+len(c.Classes) == 0:
	case !tag.None():
		e.add(inBody, c.Edits(e.Source, tag.Start, tag.End)...)
	case len(c.Set)+len(c.Classes) == 0:
	case name == "html":
		at := e.Scan.HTMLBegin()
		e.add(htmlTag, markup.Edit{Start: at, End: at, New: c.Tag("html")})
	case !e.Scan.Frameset:
		at := e.Scan.BodyBegin
		e.opened = true
		e.add(bodyTag, markup.Edit{Start: at, End: at, New: c.Tag("body")})
	}
}

// move puts the found elements of an item that is in where its place is.
func (e *editing) move(i int) {
	it := e.gate.File.Items[i]
	place := it.FoundPlace()
	if place == nil || e.Present[i] == 0 {
		return
	}
	ls := e.standard(it, *place, false)
	if len(ls) == 0 {
		return
	}
	at := ls[0]
	var lines []string
	last := 0
	for _, start := range e.starts() {
		o := e.owner[start]
		if o.item != i || o.replaced || start < last || e.isRemoved(start) {
			continue
		}
		end, err := e.endOf(start)
		if err != nil {
			e.unclear(it, err)
			return
		}
		if at.Offset > start && at.Offset < end {
			e.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
				Message: fmt.Sprintf("item %q cannot be moved: its place, %s, is within what is moved", it.Name, place.String()), Remedy: "give it another place"})
			return
		}
		text := e.changed(start, end)
		if at.Area == markup.Head && !gatefile.ContentsOf(text).FitsHead {
			line, _ := markup.NewLocator(e.Source.Text).Locate(start)
			e.problem(problem.Problem{Severity: problem.Error, Pos: place.Pos,
				Message: fmt.Sprintf("item %q cannot be moved into the head: what stands at %s:%d would end it", it.Name, e.Page.File, line),
				Remedy:  "make what belongs into the head an item of its own"})
			return
		}
		last = end
		e.remove(start, end, i)
		lines = append(lines, text)
		e.Written = append(e.Written, Written{i, FoundPart, text, *place, at.Area})
	}
	if len(lines) == 0 {
		return
	}
	lines = e.bodyFirst(at, lines)
	text := ""
	for k, l := range lines {
		if k > 0 || at.replaces == 0 {
			text += at.Before
		}
		text += l
	}
	e.add(at.layer(), markup.Edit{Start: at.Offset, End: max(at.Offset, at.replaces), New: text})
}

// changed is the text of an element whose tag is changed.
func (e *editing) changed(start, end int) string {
	text := string(e.Source.Text[start:end])
	c := e.changes[start]
	if c == nil {
		return text
	}
	edits := c.Edits(e.Source, start, markup.TagEnd(e.Source.Text, start))
	delete(e.changes, start)
	return markup.EditText(text, start, edits)
}
