package server

import (
	"fmt"
	"strings"

	"golang.org/x/net/html/charset"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var headerDiffers = &check.Check{
	Name: "header-differs", Family: "server", Severity: problem.Warning, Whole: true,
	Title: "the server and the page say different things of encoding or language",
	Doc: `The encoding in the header Content-Type counts more than the page's own, so a page that is
right as a file comes out wrong. A Content-Language that differs from the page's
lang misleads what reads only the head of the answer. Make the two say the same.
Reported for a captured site only.`,
	Bad: "-- site/visit/index.html --\n<meta charset=\"utf-8\">\n<title>Visit</title>\n" +
		"-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/visit/\",\"file\":\"visit/index.html\",\"status\":200," +
		"\"headers\":{\"content-type\":[\"text/html; charset=iso-8859-1\"]}}",
	Good: "-- site/visit/index.html --\n<meta charset=\"utf-8\">\n<title>Visit</title>\n" +
		"-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/visit/\",\"file\":\"visit/index.html\",\"status\":200," +
		"\"headers\":{\"content-type\":[\"text/html; charset=utf-8\"]}}",
	Page: func(p *check.Pass) {
		if p.Page.Answer == nil || p.Fragment {
			return
		}
		checkCharset(p)
		checkLanguage(p)
	},
}

// checkCharset compares what the header and the page say of its encoding.
func checkCharset(p *check.Pass) {
	label := p.Page.Answer.Charset()
	if label == "" {
		return
	}
	says := encodingNamed(label)
	if strings.HasPrefix(string(p.Source.File[:min(3, len(p.Source.File))]), "\xef\xbb\xbf") && says != "utf-8" {
		p.Report(1, 1, "",
			fmt.Sprintf(
				"the header Content-Type says %s, and the page begins with a byte order mark of utf-8, which counts",
				label), "have the server say utf-8")
		return
	}
	for i := range p.Elements {
		e := &p.Elements[i]
		if e.Tag != "meta" || !check.Own(e) {
			continue
		}
		if own := check.Declared(p, e); own != "" && encodingNamed(own) != says {
			p.At(e, fmt.Sprintf("it says %s, and the header Content-Type says %s, which counts", own, label),
				"make the two say the same; utf-8 is best")
			return
		}
	}
}

// checkLanguage compares what the header and the page say of its language.
func checkLanguage(p *check.Pass) {
	header, own := strings.ToLower(strings.TrimSpace(p.Page.Answer.Field("content-language"))),
		strings.ToLower(p.Page.Lang)
	if header == "" || own == "" || strings.Contains(header, ",") || strings.HasPrefix(own+"-", header+"-") ||
		strings.HasPrefix(header+"-", own+"-") {
		return
	}
	line, column := p.Locate(p.Scan.HTMLTag.Start)
	p.Report(line, column, "",
		fmt.Sprintf("it says that the page is in %s, and the header Content-Language says %s", p.Page.Lang, header),
		"make the two say the same")
}

// encodingNamed is the name of the encoding that a label stands for (Encoding Standard, 4.2).
func encodingNamed(label string) string {
	if _, name := charset.Lookup(label); name != "" {
		return name
	}
	return strings.ToLower(label)
}
