package gatefile

import (
	"strings"

	"yellowgate/internal/core/markup"
)

// PlaceOf returns where a part goes: the place of its key, that of the item or,
// without one, the place that its kind has. Where the item replaces something,
// that is where the first of it stood. Else stylesheets, styles, structured data
// and head code go to head-end, scripts to head-end (deferred), all other code to
// body-end. An item with a script and inline code with a script is a library and
// its set-up: both go to body-end.
func (it *Item) PlaceOf(part *Part) Place {
	if p := it.placeFor(part.Key); p != nil {
		return *p
	}
	if len(it.Replaces) > 0 && part.Kind != Structured && part.Kind != Popup {
		return Place{Name: AtReplaced, Pos: it.Replaces[0].Pos}
	}
	return it.placeOfKind(part)
}

// placeOfKind is the place that a part has where the gate file names none.
func (it *Item) placeOfKind(part *Part) Place {
	switch part.Kind {
	case Stylesheet, StyleText, Structured:
		return Place{Name: HeadEnd}
	case Script:
		if it.isLibraryWithSetup() {
			return Place{Name: BodyEnd}
		}
		return Place{Name: HeadEnd}
	case Code:
		if part.Contents().HeadOnly {
			return Place{Name: HeadEnd}
		}
	}
	return Place{Name: BodyEnd}
}

// Elsewhere is where a part goes on a page that has nothing of what the item
// replaces.
func (it *Item) Elsewhere(part *Part) Place { return it.placeOfKind(part) }

// placeFor is the place that the gate file gives a part key, or nil: code covers
// code-file, and so on.
func (it *Item) placeFor(key string) *Place {
	if p := it.PartPlaces[key]; p != nil {
		return p
	}
	switch key {
	case "code-file", "popup-file":
		key = strings.TrimSuffix(key, "-file")
	case "script-file", "style-file":
		key = strings.TrimSuffix(key, "-file") + "-text"
	}
	if p := it.PartPlaces[key]; p != nil {
		return p
	}
	return it.Place
}

// FoundPlace is where found parts are moved, or nil where they stay.
func (it *Item) FoundPlace() *Place {
	if len(it.Found) == 0 {
		return nil
	}
	if p := it.PartPlaces["found"]; p != nil || it.Place == nil || it.Place.Name == AtSpot {
		return p
	}
	return it.Place
}

// LoadOf returns how a script part loads: defer, async, module or now.
func (it *Item) LoadOf(part *Part) string {
	if it.Load.Value != "" {
		return it.Load.Value
	}
	switch it.PlaceOf(part).Name {
	case HeadStart, HeadEnd:
		return "defer"
	}
	return "now"
}

func (it *Item) isLibraryWithSetup() bool {
	script, inline := false, false
	for _, p := range it.Parts {
		script = script || p.Kind == Script
		inline = inline || p.Kind == ScriptText || p.Kind == Code && p.Contents().InlineScript
	}
	return script && inline
}

// Contents is what a piece of HTML holds, as far as its place depends on it.
type Contents struct {
	HeadOnly     bool // a meta, link, style, base or title, and nothing but head elements
	FitsHead     bool // nothing but elements that the head may hold
	InlineScript bool
	// NotForBody is the start of an element that only the head may hold, or -1.
	NotForBody int
	// EndsHead is the start of what would end the head, or -1.
	EndsHead int
	// Cut is the start of a comment, tag, script or the like that the code
	// leaves open, or -1.
	Cut int
}

// look keeps what the part's code holds.
func (p *Part) look() {
	if p.Kind == Code || p.Kind == Popup {
		c := ContentsOf(p.Masked())
		p.contents = &c
	}
}

// Contents is what the part's code holds.
func (p *Part) Contents() Contents {
	if p.contents != nil {
		return *p.contents
	}
	return ContentsOf(p.Masked())
}

// ContentsOf looks at a piece of HTML.
func ContentsOf(code string) Contents {
	src := []byte(code)
	f := markup.ScanFragment(src)
	c := Contents{NotForBody: -1, EndsHead: f.EndsHead, Cut: f.Cut, FitsHead: f.EndsHead < 0}
	describes := false
	for _, e := range f.Page.Elements {
		if e.Inside != markup.InPage {
			continue
		}
		switch e.Tag {
		case markup.TagMeta, markup.TagBase, markup.TagTitle:
			describes = true
			if _, item := markup.AttrValue(src, e.Start, "itemprop"); !item && c.NotForBody < 0 {
				c.NotForBody = e.Start
			}
		case markup.TagLink:
			describes = true
			if !markup.BodyOK(src, e.Start) && c.NotForBody < 0 {
				c.NotForBody = e.Start
			}
		case markup.TagStyle:
			describes = true
		case markup.TagNoscript:
			// To whoever has scripting off, what is in it stands in the head: links,
			// styles and metas only (HTML, 4.12.2).
			if f := markup.ScanFragment(src[e.TagEnd:max(e.TagEnd, e.ContentEnd)]); f.EndsHead >= 0 &&
				(c.EndsHead < 0 || e.Start < c.EndsHead) {
				c.EndsHead, c.FitsHead = e.Start, false
			}
		case markup.TagScript:
			if _, external := markup.AttrValue(src, e.Start, "src"); !external &&
				markup.ScriptType(src, e.Start) != markup.DataBlock {
				c.InlineScript = true
			}
		}
	}
	c.HeadOnly = describes && c.FitsHead
	return c
}
