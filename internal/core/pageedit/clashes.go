package pageedit

import (
	"bytes"
	"fmt"
	"maps"
	"slices"
	"sync"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// Ids that two elements would have: a popup is opened by its own, and what it holds is found by theirs.

// identified are the ids of a text, with the offsets of the start tags that have them.
type identified map[string][]int

var anID = constant("[id]")

func idsOf(text []byte) identified {
	ids := identified{}
	hits, _ := markup.Matches(text, anID) // one tag answers it
	for _, at := range hits {
		if id, _ := markup.AttrValue(text, at, "id"); id != "" {
			ids[id] = append(ids[id], at)
		}
	}
	return ids
}

// Clashes reports elements that bear the id of a popup that is on the page, or one of what it holds: in the
// source, in the popup itself, in what other items write. The source is read only where such an id stands in
// it; one that it writes with character references is told by the audit.
func (r *Result) Clashes() (out []Problem) {
	if len(r.Popups) == 0 {
		return nil
	}
	ids := make([]identified, len(r.Written)) // nil for what stands in the source
	popup := map[*gatefile.Item]int{}         // by number in Written
	having := map[string][]int{}              // by id: what has it, but for a dialog that is named so
	for n, w := range r.Written {
		if w.Part == FoundPart {
			continue
		}
		ids[n] = r.gate.Once("ids\x00"+w.Text, func() any { return idsOf([]byte(w.Text)) }).(identified)
		it := r.gate.File.Items[w.Item]
		isPopup := it.Parts[w.Part].Kind == gatefile.Popup
		if isPopup {
			popup[it] = n
		}
		for id, at := range ids[n] {
			if !isPopup || id != it.Name || len(at) > 1 {
				having[id] = append(having[id], n)
			}
		}
	}
	page := sync.OnceValue(func() identified { return idsOf(r.Source.Text) })
	sought := 0
	onPage := func(id string) []int {
		if sought++; sought <= fewIDs && !bytes.Contains(r.Source.Text, []byte(id)) {
			return nil
		}
		return page()[id]
	}
	for _, it := range r.Popups {
		out = append(out, r.namedAlike(it, onPage(it.Name), having[it.Name])...)
		n, ok := popup[it]
		if !ok {
			continue
		}
		for _, id := range slices.Sorted(maps.Keys(ids[n])) {
			if id == it.Name {
				continue
			}
			who := ""
			for _, k := range having[id] {
				if of := r.gate.File.Items[r.Written[k].Item]; of != it {
					who = fmt.Sprintf("item %q", of.Name)
				}
			}
			if len(onPage(id)) > 0 {
				who = "the page"
			}
			if who != "" {
				out = append(out, r.clash(it.Parts[r.Written[n].Part].Pos,
					"give one of them another id: labels and scripts find the first alone",
					"the popup of item %q has an element with the id %q, and so has %s", it.Name, id, who))
			}
		}
	}
	return out
}

// fewIDs are looked for one by one before all ids of a page are read.
const fewIDs = 4

// namedAlike reports elements with the id of a popup: of the page, by offset, and of what is written, by number.
func (r *Result) namedAlike(it *gatefile.Item, onPage, written []int) (out []Problem) {
	const says = "%s has the id %q, and so has the popup of item %q (%s)"
	locator := markup.NewLocator(r.Source.Text)
	for _, at := range onPage {
		line, column := locator.Locate(at)
		out = append(out, r.clash(problem.Position{File: r.Page.File, Line: line, Column: column},
			"give the element another id, or the item another name", says, "this element", it.Name, it.Name, it.Pos))
	}
	for _, n := range written {
		of := r.gate.File.Items[r.Written[n].Item]
		part := of.Parts[r.Written[n].Part]
		out = append(out, r.clash(part.Pos, "give the element another id",
			says, fmt.Sprintf("an element of %s of item %q", part.Kind, of.Name), it.Name, it.Name, it.Pos))
	}
	return out
}

func (r *Result) clash(pos problem.Position, remedy, format string, args ...any) Problem {
	return Problem{
		problem.Problem{Severity: problem.Error, Pos: pos, Message: fmt.Sprintf(format, args...), Remedy: remedy},
		r.Page.Path,
		r.Page.File,
	}
}
