package check

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/core/wording"
)

// BreakerOf names what broke the head.
func BreakerOf(p *Pass) string {
	b := p.Scan.Breaker
	text := p.Source.String(b.Start, b.End)
	if !strings.HasPrefix(text, "<") {
		return fmt.Sprintf("the text %q", markup.CollapseSpace(wording.Cut(text, 40)))
	}
	name, _, _ := strings.Cut(strings.TrimLeft(text, "<"), " ")
	return "<" + strings.TrimRight(strings.SplitN(name, "\n", 2)[0], ">") + ">"
}

// FallenFrom lists the elements that fell into the body: those between what broke
// the head and the </head> or <body> that was meant.
func FallenFrom(p *Pass) (numbers []int) {
	b := p.Scan.Breaker
	if b.None() {
		return nil
	}
	meant := meantEndOf(p)
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Inside == "" && e.El.Start > b.Start && e.El.Start < meant {
			numbers = append(numbers, i)
		}
	}
	return numbers
}

// meantEndOf is where the author ended the head that was broken before.
func meantEndOf(p *Pass) int {
	at := -1
	markup.Pieces(p.Source.Text[p.Scan.Breaker.Start:], func(x markup.Piece) bool {
		if x.Kind != markup.PieceEndTag && x.Kind != markup.PieceStartTag {
			return true
		}
		tag := strings.ToLower(string(p.Source.Text[p.Scan.Breaker.Start+x.Start : p.Scan.Breaker.Start+x.End]))
		if strings.HasPrefix(tag, "</head") && !strings.HasPrefix(tag, "</header") || strings.HasPrefix(tag, "<body") {
			at = p.Scan.Breaker.Start + x.Start
		}
		return at < 0
	})
	if at < 0 {
		return len(p.Source.Text)
	}
	return at
}

func Fell(p *Pass) string {
	var names []string
	for _, i := range FallenFrom(p) {
		names = append(names, "<"+p.Elements[i].Tag+">")
	}
	switch {
	case len(names) == 0:
		return ""
	case len(names) > 6:
		return fmt.Sprintf("; %d elements meant for the head fell into the body: %s and more", len(names),
			strings.Join(names[:6], " "))
	}
	return "; meant for the head and fallen into the body: " + strings.Join(names, " ")
}

var charsetIn = regexp.MustCompile(`(?i)charset\s*=\s*["']?([^"'\s;]+)`)

// Declared is the encoding that a meta declares, "" for none (HTML, 13.2.3.3).
func Declared(p *Pass, e *inventory.Element) string {
	attr := func(name string) string {
		v, _ := p.Source.Attr(e.El.Start, name)
		return strings.ToLower(strings.TrimSpace(v))
	}
	if label := attr("charset"); label != "" {
		return label
	}
	if attr("http-equiv") == "content-type" {
		if m := charsetIn.FindStringSubmatch(attr("content")); m != nil {
			return m[1]
		}
	}
	return ""
}

// GateGives reports whether the gate gives the page a value for a metadata key: then
// metadata-differs reports whatever is wrong with it.
func GateGives(p *Pass, key string) bool {
	if p.Gated == nil || !slices.Contains(p.Gated.Result.Keys(), key) {
		return false
	}
	w := verdict.Winner(p.Gated.Result.Metadata(key))
	return w != nil && w.Level != verdict.FromSource && !w.None
}

// IsRepeated reports whether an item is on the page once too often.
func IsRepeated(p *Pass, item string) bool {
	if p.Gated == nil || item == "" {
		return false
	}
	n := p.Gated.Number(item)
	if n < 0 || !p.Gated.Result.Verdicts[n].In {
		return false
	}
	have := &p.Gated.Items[n]
	for i := range have.Parts {
		if len(have.Parts[i].Surplus) > 0 {
			return true
		}
	}
	return len(have.ExtraMarks)+len(have.Doubled) > 0
}

// Chosen reports whether one of the queries chooses a page.
func Chosen(qs []gatefile.Query, r *pageedit.Result) bool {
	for i := range qs {
		if qs[i].Eval(&r.Page) {
			return true
		}
	}
	return false
}

// Swallows reports whether a script is closed by a slash, which HTML does not heed (13.2.5.40): what follows is its
// text.
func Swallows(p *Pass, e *inventory.Element) bool {
	return e.Tag == "script" && e.El.ContentEnd > e.El.TagEnd && p.Source.Text[e.El.TagEnd-2] == '/'
}

// Swallowed reports whether a script has swallowed what follows it, so that the page is not what it was written as.
func Swallowed(p *Pass) bool {
	for i := range p.Elements {
		if Swallows(p, &p.Elements[i]) {
			return true
		}
	}
	return false
}
