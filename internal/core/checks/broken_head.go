package checks

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var brokenHead = &Check{
	Name: "broken-head", Family: "head", Severity: problem.Error,
	Title: "the head ends early",
	Doc: `An element that the head may not hold, or text, ends the head where it stands: a
browser opens the body there, and everything after it, up to </head>, falls into
the body. Titles, descriptions and canonicals that fall are lost to search
engines; stylesheets and scripts load late. Move the element that breaks the head
into the body. The finding names it, and what fell.`,
	Bad:  "<head>\n  <img src=\"/count.gif\" alt=\"\">\n  <title>Press</title>\n</head>",
	Good: "<head>\n  <title>Press</title>\n</head>\n<body>\n  <img src=\"/count.gif\" alt=\"\">",
	Page: func(p *Pass) {
		b := p.Scan.Breaker
		if b.None() || p.leadsAway() || p.regionAt(b.Start) != nil {
			return // an item's code that breaks it is told as such
		}
		line, col := p.locate(b.Start)
		item, whose := "", ""
		if p.Gated != nil {
			if item = p.Gated.ItemAt(b.Start); item != "" {
				whose = fmt.Sprintf(" of item %q", item)
			}
		}
		p.Report(line, col, item, fmt.Sprintf("%s%s ends the head here%s", breakerOf(p), whose, fell(p)), "move it into the body")
	},
}

// breaker names what broke the head.
func breakerOf(p *Pass) string {
	b := p.Scan.Breaker
	text := p.Source.String(b.Start, b.End)
	if !strings.HasPrefix(text, "<") {
		return fmt.Sprintf("the text %q", markup.CollapseSpace(cutTo(text, 40)))
	}
	name, _, _ := strings.Cut(strings.TrimLeft(text, "<"), " ")
	return "<" + strings.TrimRight(strings.SplitN(name, "\n", 2)[0], ">") + ">"
}

// fallen lists the elements that fell into the body: those between what broke
// the head and the </head> or <body> that was meant.
func fallenFrom(p *Pass) (numbers []int) {
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

// meantEnd is where the author ended the head that was broken before.
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

func fell(p *Pass) string {
	var names []string
	for _, i := range fallenFrom(p) {
		names = append(names, "<"+p.Elements[i].Tag+">")
	}
	switch {
	case len(names) == 0:
		return ""
	case len(names) > 6:
		return fmt.Sprintf("; %d elements meant for the head fell into the body: %s and more", len(names), strings.Join(names[:6], " "))
	}
	return "; meant for the head and fallen into the body: " + strings.Join(names, " ")
}
