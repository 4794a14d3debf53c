package loading

import (
	"bytes"
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var blockingScript = &check.Check{
	Name: "blocking-script", Family: "loading", Severity: problem.Warning,
	Title: "a script blocks rendering",
	Doc: `A script with a src and without defer, async or type="module" stops the browser from
reading on until it has been fetched and run. In the head it keeps the page white;
amid the body it keeps back what follows. Load it with defer, or put it at the end
of the body, where nothing that runs before uses it: the remedy says what does. Inline scripts
are not reported: they wait for nothing but themselves.`,
	Bad: "-- site/js/slides.js --\nslides();\n-- site/index.html --\n<head>\n" +
		"  <script src=\"/js/slides.js\"></script>\n</head>",
	Good: "-- site/js/slides.js --\nslides();\n-- site/index.html --\n<head>\n" +
		"  <script src=\"/js/slides.js\" defer></script>\n</head>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.IsScript() || e.Runs != "blocking" || !e.Loads || e.Dead ||
				check.Swallows(p, e) {
				continue // a file that is missing, or a slash that closes nothing, is told as that
			}
			switch {
			case e.Area == "head":
				p.At(e, fmt.Sprintf("%s blocks rendering until it has run", e.URL), deferRemedy(p, i))
			case contentAfterElement(p, e.El.End):
				p.At(e, fmt.Sprintf("%s blocks the parser in the body: what follows waits for it", e.URL),
					deferRemedy(p, i))
			}
		}
	},
}

// deferRemedy says how a script comes to block nothing, so that the page goes on working.
func deferRemedy(p *check.Pass, at int) string {
	if p.Site == nil || p.Site.Library == nil {
		return "load it with defer, if no script below needs it while the page is parsed"
	}
	d := p.Site.Library.Defer(p.Record, at)
	var with []string
	for _, i := range d.With {
		with = append(with, fmt.Sprintf("%s (line %d)", p.Elements[i].URL, p.Elements[i].Line))
	}
	switch {
	case d.Writes:
		return "load it only where it is needed: it writes into the page as it runs, which it could not do with defer"
	case d.By >= 0:
		return fmt.Sprintf(
			"the inline script in line %d needs %s while the page is parsed: move it to a file, and load both with defer",
			p.Elements[d.By].Line, d.Name)
	}
	remedy := "load it with defer"
	if len(with) > 0 {
		remedy += ", and what uses it, too: " + wording.List(with, 3)
	}
	if !d.Sure {
		remedy += ", if no script below needs it while the page is parsed: not all of them could be read"
	}
	return remedy
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
