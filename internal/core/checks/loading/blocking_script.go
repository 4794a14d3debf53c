package loading

import (
	"bytes"
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var blockingScript = &check.Check{
	Name: "blocking-script", Family: "loading", Severity: problem.Warning,
	Title: "a script blocks rendering",
	Doc: `A script with a src and without defer, async or type="module" stops the browser from
reading on until it has been fetched and run. In the head it keeps the page white;
amid the body it keeps back what follows. Load it with defer, or put it at the end
of the body. Inline scripts are not reported: they wait for nothing but themselves.`,
	Bad:  "<head>\n  <script src=\"/js/slides.js\"></script>\n</head>",
	Good: "<head>\n  <script src=\"/js/slides.js\" defer></script>\n</head>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.IsScript() || e.Runs != "blocking" || !e.Loads {
				continue
			}
			switch {
			case e.Area == "head":
				p.At(
					e,
					fmt.Sprintf("%s blocks rendering until it has run", e.URL),
					"load it with defer, or at the end of the body",
				)
			case contentAfterElement(p, e.El.End):
				p.At(
					e,
					fmt.Sprintf("%s blocks amid the body: what follows waits for it", e.URL),
					"load it with defer, or at the end of the body",
				)
			}
		}
	},
}

// contentAfterElement reports whether something stands in the body behind an offset that
// a visitor could wait for: a tag that is no script or style, or text.
func contentAfterElement(p *check.Pass, at int) bool {
	if at >= p.Scan.BodyStop {
		return false
	}
	if p.Shows == 0 { // nobody asked yet; later scripts are further down
		p.Shows = lastShownAt(p, at)
	}
	return p.Shows > at
}

// lastShownAt is where the last thing in the body ends behind an offset that a visitor sees;
// -1 for none.
func lastShownAt(p *check.Pass, at int) int {
	src := p.Source.Text[at:p.Scan.BodyStop]
	last, unseen := -1, 0 // up to there nothing shows: a closed dialog, a template, a noscript
	markup.Pieces(src, func(x markup.Piece) bool {
		if x.Start < unseen {
			return true
		}
		found := false
		switch x.Kind {
		case markup.PieceText:
			found = len(bytes.TrimSpace(src[x.Start:x.End])) > 0
		case markup.PieceStartTag:
			switch tag := markup.TagAt(src, x.Start); tag {
			case markup.TagScript, markup.TagStyle, markup.TagLink, markup.TagMeta:
			case markup.TagNoscript, markup.TagTemplate, markup.TagDialog:
				if _, open := markup.AttrValue(src, x.Start, "open"); open {
					found = true
				} else if _, end, err := p.Scan.Extent(at + x.Start); err == nil {
					unseen = end - at
				}
			default:
				found = true
			}
		}
		if found {
			last = at + x.End
		}
		return true
	})
	return last
}
