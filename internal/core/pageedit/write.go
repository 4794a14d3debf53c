package pageedit

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

// The fourth step: writing what is planned.

// write applies a plan to the page that it was made for. It returns the new file, and the edits
// that give the old one back. The error is that of markup.Source.Apply.
func (p *Plan) write(src *markup.Source) (file []byte, inverse []markup.Edit, err error) {
	n := 0
	for _, layer := range p.layers {
		n += len(layer)
	}
	edits := make([]markup.Edit, 0, n)
	for _, layer := range p.layers {
		for i := range layer {
			edits = append(edits, layer[i].Edit)
		}
	}
	return src.Apply(edits)
}

// unwritable says why a plan cannot be applied, and for what the changes are that meet.
func (p *Plan) unwritable(err error, g *gatefile.Gate) problem.Problem {
	out := problem.Problem{
		Severity: problem.Error,
		Message:  fmt.Sprintf("the page cannot be edited: %v", err),
		Remedy:   "two items meet at one place of the page; give one of them another",
	}
	var meet *markup.OverlapError
	if !errors.As(err, &meet) {
		return out
	}
	var of []string
	for _, layer := range p.layers {
		for i := range layer {
			if x := &layer[i]; x.Edit == meet.A || x.Edit == meet.B {
				what := string(x.Why)
				if x.Item != noItem {
					what = fmt.Sprintf("item %q %s", g.Items[x.Item].Name, x.Why)
				}
				if !slices.Contains(of, what) {
					of = append(of, what)
				}
			}
		}
	}
	if len(of) > 0 {
		out.Message += " (" + strings.Join(of, "; ") + ")"
	}
	return out
}

// Undo gives the source back from the result: the inverse of all edits.
func (r *Result) Undo() []byte {
	file := r.File
	for i := len(r.inverses) - 1; i >= 0; i-- {
		file = markup.Undo(file, r.inverses[i])
	}
	return file
}

// keepsEncoding refuses an output that a browser would decode in another way than the
// source: a meta that declares the encoding counts within the first 1,024 bytes alone
// (HTML, 13.2.3.2), and something that is written may bring one.
func (r *Result) keepsEncoding() {
	if r.Page.Answer.Charset() != "" {
		return // that counts more than what the page says
	}
	was, is := markup.DeclaredEncoding(r.Source.File), markup.DeclaredEncoding(r.File)
	if was == is {
		return
	}
	pos := problem.Position{File: r.Page.File, Line: 1, Column: 1}
	if is == "" {
		r.problem(problem.Problem{Severity: problem.Error, Pos: pos,
			Message: fmt.Sprintf(
				"what is written before the page's charset would push it beyond the first 1,024 bytes: browsers "+
					"would no longer read the page as %s",
				was),
			Remedy: "let the page begin with its charset: <head><meta charset=\"utf-8\">"})
		return
	}
	r.problem(problem.Problem{Severity: problem.Error, Pos: pos,
		Message: fmt.Sprintf("what is written declares the encoding %s, and the page's is %s", is, orUndeclared(was)),
		Remedy:  "take the charset out of the item's code; it is the page's"})
}

func orUndeclared(encoding string) string {
	if encoding == "" {
		return "not declared"
	}
	return encoding
}
