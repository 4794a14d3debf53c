package head

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html/charset"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var charsetConflict = &check.Check{
	Name: "charset-conflict", Family: "head", Severity: problem.Warning, Whole: true,
	Title: "the page declares two encodings, or one that its bytes are not in",
	Doc: `A browser heeds the first declaration that it meets, a byte order mark before all others.
Another one that says something else is wrong for somebody: for the browser, or for whoever
reads the file by it. Keep one, as utf-8.`,
	Bad: "<head>\n<meta charset=\"utf-8\">\n" +
		"<meta http-equiv=\"Content-Type\" content=\"text/html; charset=iso-8859-1\">\n<title>Visit</title>\n</head>",
	Good: "<head>\n<meta charset=\"utf-8\">\n<title>Visit</title>\n</head>",
	Page: func(p *check.Pass) {
		first, at := "", 0
		if strings.HasPrefix(string(p.Source.File[:min(3, len(p.Source.File))]), "\xef\xbb\xbf") {
			first = "utf-8"
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "meta" || !check.Own(e) {
				continue
			}
			label := check.Declared(p, e)
			if label == "" {
				continue
			}
			name := label
			if _, known := charset.Lookup(label); known != "" {
				name = known
			}
			switch {
			case first == "":
				first, at = name, e.Line
				if name == "windows-1252" && p.Page.Answer.Charset() == "" && isUTF8(p.Source.File) {
					p.At(e,
						fmt.Sprintf(
							"it says %s, but the bytes are UTF-8: letters beyond ASCII show as two or three others",
							label), "write <meta charset=\"utf-8\">")
				}
				if p.Source.Encoding != "utf-8" || p.Page.Answer.Charset() != "" {
					break
				}
				if bad := markup.NotUTF8(p.Source.File); bad >= 0 {
					p.At(e,
						fmt.Sprintf("it says utf-8, and line %d has bytes that are not: they show as \ufffd",
							1+bytes.Count(p.Source.File[:bad], []byte("\n"))), "save the file as UTF-8")
				}
			case name != first && at == 0:
				p.At(e,
					fmt.Sprintf("it says %s, and the file begins with a byte order mark of utf-8, which counts",
						label), "take it out, or make it utf-8")
			case name != first:
				p.At(e, fmt.Sprintf("it says %s, and line %d says %s, which counts", label, at, first),
					"keep one of them")
			}
		}
	},
}

// isUTF8 reports whether a text is UTF-8 beyond ASCII, which no text in another encoding is by chance.
func isUTF8(text []byte) bool {
	return utf8.Valid(text) && slices.ContainsFunc(text, func(b byte) bool { return b >= utf8.RuneSelf })
}
