package pageedit

import (
	"bytes"
	"fmt"
	"regexp"
	"strings"

	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// The spots that authors left in the page.

// spotLandings finds the spots of an item on this page.
func (pl *planner) spotLandings(it *gatefile.Item) (out []landing) {
	for i := range pl.Spots {
		s := &pl.Spots[i]
		if s.Name != it.Name || s.Full {
			continue
		}
		l := landing{spot: s}
		if s.Element {
			l.Spot, l.replaces = markup.Spot{Offset: s.Start}, s.End
		} else {
			l.Spot = pl.Scan.AfterSpot(s.End)
		}
		l.Area = s.Area
		out = append(out, l)
	}
	return out
}

// checkSpots reports spots that name no item, spots of items that are out, and
// parameters that items do not have.
func (pl *planner) checkSpots() {
	locate := markup.NewLocator(pl.Source.Text)
	told := 0
	for i := range pl.Spots {
		if told > mostSpotsTold {
			break
		}
		s := &pl.Spots[i]
		pos := problem.Position{File: pl.Page.File}
		pos.Line, pos.Column = locate.Locate(s.Start)
		fail := func(severity problem.Severity, name, remedy, format string, args ...any) {
			told++
			pl.problem(
				problem.Problem{
					Severity: severity,
					Name:     name,
					Item:     s.Name,
					Pos:      pos,
					Message:  fmt.Sprintf(format, args...),
					Remedy:   remedy,
					Line:     pl.lineAt(s.Start),
				},
			)
		}
		n, it := -1, (*gatefile.Item)(nil)
		for k, x := range pl.gate.File.Items {
			if x.Name == s.Name {
				n, it = k, x
			}
		}
		switch {
		case it == nil:
			fail(problem.Error, "", "name an item of the gate file", "a spot names %q, which is not an item%s", s.Name,
				didyoumean.Suggest(s.Name, pl.gate.File.ItemNames()))
			continue
		case !it.HasSpot():
			fail(problem.Error, "", "give a part of it place: spot",
				"a spot asks for item %q, and nothing of that goes to spots (%s)", it.Name, it.Pos)
			continue
		case s.Full:
			fail(problem.Error, "", "empty the element; the item takes its place",
				"the spot of item %q is an element that is not empty", it.Name)
			continue
		case !pl.Verdicts[n].In:
			fail(problem.Warning, problem.IdleSpot, "take the spot out, or let the item in",
				"a spot asks for item %q, which is out here (%s, %s)", it.Name, pl.Verdicts[n].Reason,
				pl.Verdicts[n].Rule)
			continue
		}
		if block := pl.gate.Once("block of "+it.Name, func() any { return blockOf(it) }).(string); block != "" &&
			pl.inParagraph(s.Start) {
			fail(problem.Warning, problem.SpotInParagraph,
				"move the spot out of the paragraph, or write the code with elements that a paragraph may hold",
				"the spot of item %q stands in a paragraph, and its code has a <%s>: a browser ends the paragraph there",
				it.Name, block)
		}
		for _, sp := range s.Params {
			param := it.Param(sp.Name)
			if param == nil {
				hint := didyoumean.Suggest(sp.Name, it.ParamNames())
				if len(it.Params) > 0 && hint == "" {
					hint = " (it has " + strings.Join(it.ParamNames(), ", ") + ")"
				}
				fail(problem.Error, "", "a spot sets parameters that the item declares under params, and no others",
					"item %q has no parameter %q%s", it.Name, sp.Name, hint)
			} else if why := param.Refuse(sp.Value); why != "" {
				fail(problem.Error, "", "give it another value", "the spot of item %q: %s", it.Name, why)
			}
		}
	}
}

var (
	tagNamed = regexp.MustCompile(`</?([a-zA-Z][a-zA-Z0-9]*)[\s/>]`)
	tagHere  = regexp.MustCompile(`^` + tagNamed.String())
)

// blockOf is the first element of an item's code for spots that cannot stand in a paragraph; "" for none.
func blockOf(it *gatefile.Item) string {
	for _, part := range it.Parts {
		if part.Kind == gatefile.Code && it.PlaceOf(part).Name == gatefile.AtSpot {
			for _, m := range tagNamed.FindAllStringSubmatch(part.Text, -1) {
				if name := strings.ToLower(m[1]); m[0][1] != '/' && markup.EndsParagraph(name) {
					return name
				}
			}
		}
	}
	return ""
}

// inParagraph reports whether an offset lies in a p: the last tag before it that opens or ends one opens it.
func (pl *planner) inParagraph(at int) bool {
	const far = 16 << 10 // of a paragraph that is longer, nobody is told
	before := pl.Source.Text[max(0, at-far):at]
	for to := len(before); ; {
		lt := bytes.LastIndexByte(before[:to], '<')
		if lt < 0 {
			return false
		}
		m := tagHere.FindSubmatch(before[lt:])
		to = lt
		if m == nil {
			continue
		}
		switch name := strings.ToLower(string(m[1])); {
		case name == "p":
			return m[0][1] != '/'
		case markup.EndsParagraph(name), name == "body", name == "td", name == "th":
			return false
		}
	}
}

// mostSpotsTold is of how many spots of one page something is told.
const mostSpotsTold = 100

// longestLine is how many bytes a line may have to be shown with a problem in it.
const longestLine = 2000

// lineAt is the line of the page's source in which an offset stands; "" for one that is too
// long to be read.
func (pl *planner) lineAt(offset int) string {
	text := pl.Source.Text
	from, to := max(0, offset-longestLine), min(len(text), offset+longestLine)
	start, end := bytes.LastIndexAny(text[from:offset], "\r\n"), bytes.IndexAny(text[offset:to], "\r\n")
	if start >= 0 {
		from += start + 1
	}
	if end >= 0 {
		to = offset + end
	}
	if to-from > longestLine || start < 0 && from > 0 || end < 0 && to < len(text) {
		return ""
	}
	return pl.Source.String(from, to)
}
