package pageload

import (
	"fmt"
	"slices"
)

// A Sight is how a page stands after something was done on it.
type Sight struct {
	After   string // what was done, in words: "clicks"
	Boxes   []Box
	Running int    // animations
	Picture uint64 // digest of the screen's pixels; 0 where no picture was taken
}

// A Box is what a browser draws of an element, a pseudo-element or a text.
type Box struct {
	Of  string // its element: tag#id.class
	Sum uint64 // digest of its place, computed style and text
}

// Differs says in what the second of two visits, with the same steps, differs from the first, in words; "" for nothing.
// gone are targets that the second is without: they need not be asked for, nor what a stylesheet among them imports.
func Differs(was, is *Record, gone func(target string) bool) string {
	switch {
	case was.Unread != "" || is.Unread != "":
		return "it could not be read"
	case was.Left() || is.Left():
		return "it leads to another page by itself"
	case len(was.Sights) != len(is.Sights):
		return "a step leads away"
	}
	for i := range was.Sights {
		if what := was.Sights[i].differs(&is.Sights[i]); what != "" {
			return "after " + was.Sights[i].After + ": " + what
		}
	}
	asked := func(r *Record) (targets []string) {
		for i := range r.Requests {
			if x := &r.Requests[i]; !x.Unasked() && !r.without(i, gone) {
				targets = append(targets, x.Method+" "+x.Target)
			}
		}
		return targets
	}
	if target := lacking(asked(is), asked(was)); target != "" {
		return target + " is not requested"
	}
	if target := lacking(asked(was), asked(is)); target != "" {
		return target + " is requested, and was not before"
	}
	failed := func(r *Record) (messages []string) {
		for i := range r.Mistakes {
			messages = append(messages, r.Mistakes[i].Message)
		}
		return messages
	}
	if text := lacking(failed(was), failed(is)); text != "" {
		return "a script fails: " + text
	}
	if text := lacking(failed(is), failed(was)); text != "" {
		return "a script fails no longer: " + text
	}
	stored := func(r *Record) (names []string) {
		for _, s := range r.Stored {
			names = append(names, s.Kind+" "+s.Name)
		}
		return names
	}
	if name := lacking(stored(is), stored(was)) + lacking(stored(was), stored(is)); name != "" {
		return "another store: " + name
	}
	return ""
}

// without reports whether a request is one of those that are gone, or a stylesheet that such a one imports.
func (r *Record) without(i int, gone func(string) bool) bool {
	x := &r.Requests[i]
	if gone(x.Target) {
		return true
	}
	by := x.Asked.Request
	return x.Kind == "style" && by > 0 && by < i && r.Requests[by].Kind == "style" && r.without(by, gone)
}

// lacking is the first text of a list that another lacks; "" for none.
func lacking(list, of []string) string {
	if i := slices.IndexFunc(of, func(s string) bool { return !slices.Contains(list, s) }); i >= 0 {
		return of[i]
	}
	return ""
}

func (s *Sight) differs(o *Sight) string {
	for i := range min(len(s.Boxes), len(o.Boxes)) {
		if s.Boxes[i] != o.Boxes[i] {
			return s.Boxes[i].Of + " looks different"
		}
	}
	switch {
	case len(s.Boxes) != len(o.Boxes):
		return fmt.Sprintf("%d boxes in place of %d", len(o.Boxes), len(s.Boxes))
	case s.Running != o.Running:
		return "other animations run"
	case s.Picture != o.Picture:
		return "pixels differ"
	}
	return ""
}
