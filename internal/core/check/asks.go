package check

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/verdict"
)

// What several checks ask of a page.

// Titles lists the title elements of the page itself.
func Titles(p *Pass) (out []*inventory.Element) {
	for i := range p.Elements {
		if e := &p.Elements[i]; e.Tag == "title" && Own(e) {
			out = append(out, e)
		}
	}
	return out
}

// Canonicals lists the canonical links of the page itself, and then those of the header Link.
func Canonicals(p *Pass) (out []*inventory.Element) {
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag == "link" && Own(e) && markup.HasRel(e.Label, "canonical") {
			out = append(out, e)
		}
	}
	for i := range p.Header {
		if e := &p.Header[i]; markup.HasRel(e.Rel, "canonical") {
			out = append(out, e)
		}
	}
	return out
}

// PartName tells a part to a reader.
func PartName(p *gatefile.Part) string {
	switch {
	case p.Kind == gatefile.Classes:
		return fmt.Sprintf("its classes %q on %s", p.Text, p.Selector)
	case p.FromFile != "":
		return fmt.Sprintf("its %s (%s)", p.Kind, p.FromFile)
	case p.Kind == gatefile.Structured:
		return "its structured data"
	case !p.Kind.Tagged():
		return "its " + string(p.Kind)
	}
	return fmt.Sprintf("its %s %s", p.Kind, p.Text)
}

// Rule names the line that decided.
func Rule(v *verdict.Verdict) string { return v.Rule.String() }

// EachItem visits the items on a page that the gate knows.
func EachItem(p *Pass, visit func(v *verdict.Verdict, have *itemmatch.Presence)) {
	if p.Gated == nil {
		return
	}
	for i := range p.Gated.Result.Verdicts {
		visit(&p.Gated.Result.Verdicts[i], &p.Gated.Items[i])
	}
}

// HeadAt is the line and column of the head's beginning.
func (p *Pass) HeadAt() (line, column int) {
	at := p.Scan.HeadTag.Start
	if p.Scan.HeadTag.None() {
		at = min(p.Scan.HeadBegin, len(p.Source.Text))
	}
	return p.Locate(at)
}

// Noindex reports whether the page, or the answer that brought it, asks search engines to leave it
// out.
func (p *Pass) Noindex() bool {
	for _, rule := range p.Page.Answer.Robots() {
		if rule == "noindex" || rule == "none" {
			return true
		}
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "meta" || !Own(e) {
			continue
		}
		name, content, _ := strings.Cut(strings.ToLower(e.Label), " = ")
		if strings.TrimSpace(name) != "robots" {
			continue
		}
		for w := range strings.SplitSeq(content, ",") {
			if w = strings.TrimSpace(w); w == "noindex" || w == "none" {
				return true
			}
		}
	}
	return false
}
