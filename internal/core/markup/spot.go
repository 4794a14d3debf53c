package markup

import (
	"bytes"
	"strings"
)

// An AuthorSpot is where the author of a page asks for an item: a comment
// <!-- yg-spot NAME key=value -->, after which the item goes, or an empty element
// with data-yg-spot, which it replaces.
type AuthorSpot struct {
	Span
	Name    string
	Element bool
	Params  []SpotParam
	Area    Area
	Full    bool // an element that is not empty: it is no spot until it is
}

// A SpotParam is a value that a spot sets.
type SpotParam struct{ Name, Value string }

var spotAttr = []byte("data-yg-spot")

// SpotElements are the elements that are spots, where the attribute is written in lower case.
var SpotElements = func() *Selector {
	s, err := ParseSelector("[data-yg-spot]")
	if err != nil {
		panic(err) // a constant
	}
	s.compounds[0].word = spotAttr
	return s
}()

// anySpotElements are they, however the attribute is written.
var anySpotElements = func() *Selector {
	s, err := ParseSelector("[data-yg-spot]")
	if err != nil {
		panic(err) // a constant
	}
	return s
}()

// SpotsOf lists the spots of a page, in order.
func SpotsOf(src *Source, p *Document) []AuthorSpot {
	var elements []int
	if bytes.Contains(p.Src, spotAttr) {
		elements, _ = Matches(p.Src, SpotElements)
	}
	return SpotsAt(src, p, elements)
}

// SpotsAt is SpotsOf for a page of which it is known where SpotElements matches.
func SpotsAt(src *Source, p *Document, elements []int) (out []AuthorSpot) {
	if bytes.Contains(p.Src, []byte("DATA-YG-SPOT")) {
		elements, _ = Matches(p.Src, anySpotElements)
	} else if !bytes.Contains(p.Src, spotPrefix) {
		return nil
	}
	for _, c := range p.Marks {
		if c.Inside != InPage {
			continue
		}
		inner := bytes.TrimSpace(p.Src[c.Start+4 : max(c.Start+4, c.End-3)])
		rest, ok := bytes.CutPrefix(inner, spotPrefix)
		if !ok || len(rest) == 0 || !isSpace(rest[0]) {
			continue
		}
		s := AuthorSpot{Span: c.Span, Area: c.Area}
		tag := append(append([]byte("<x "), rest...), '>')
		Attrs(tag, 0, func(a Attr) bool {
			name := string(tag[a.Name.Start:a.Name.End])
			if s.Name == "" {
				s.Name = name
				return true
			}
			s.Params = append(s.Params,
				SpotParam{strings.ToLower(name),
					DecodeAttr([]byte(src.Decode(string(tag[a.Value.Start:a.Value.End]))))})
			return true
		})
		out = append(out, s)
	}
	for _, at := range elements {
		s := AuthorSpot{Element: true, Area: Body}
		if at < p.HeadStop {
			s.Area = Head
		}
		Attrs(p.Src, at, func(a Attr) bool {
			name := strings.ToLower(string(p.Src[a.Name.Start:a.Name.End]))
			value := strings.TrimSpace(src.AttrText(a))
			if name == "data-yg-spot" {
				s.Name = value
			} else if param, ok := strings.CutPrefix(name, "data-"); ok {
				s.Params = append(s.Params, SpotParam{param, value})
			}
			return true
		})
		content, end, err := p.Extent(at)
		s.Span = Span{at, end}
		s.Full = err != nil || len(bytes.TrimSpace(p.Src[content.Start:content.End])) > 0
		if err != nil {
			s.Span = Span{at, at + 1}
		}
		out = append(out, s)
	}
	for i := 1; i < len(out); i++ { // comments and elements come in one order
		for j := i; j > 0 && out[j].Start < out[j-1].Start; j-- {
			out[j], out[j-1] = out[j-1], out[j]
		}
	}
	return out
}
