package loading

import (
	"fmt"
	"path"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var wrongKind = &check.Check{
	Name: "wrong-kind", Family: "loading", Severity: problem.Error,
	Title: "the page loads a file as what it is not",
	Doc: `A stylesheet's link leads to a script, a script to a stylesheet, or a preload names another kind
than the file is of. A browser does nothing with it, or fetches the file twice.`,
	Bad:  "-- site/js/site.js --\nrun();\n-- site/index.html --\n<link rel=\"stylesheet\" href=\"/js/site.js\">",
	Good: "-- site/js/site.js --\nrun();\n-- site/index.html --\n<script src=\"/js/site.js\" defer></script>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || e.URL == "" {
				continue
			}
			is := kindOfFile(e.Target)
			switch as := loadedAs(p, e); {
			case as == "" || is == "" || is == as:
			case e.IsStylesheet() || e.IsScript():
				p.At(e, fmt.Sprintf("%s is a %s, and is loaded as a %s", e.URL, kindNames[is], kindNames[as]),
					"mend the address, or load it as what it is")
			default:
				p.At(e,
					fmt.Sprintf("%s is preloaded as %s, and is a %s: a browser fetches it twice", e.URL, as,
						kindNames[is]), fmt.Sprintf("write as=%q", is)).Severity = problem.Warning
			}
		}
	},
}

// kindNames are what preload calls kinds of files (Fetch, 2.2.7), in words.
var kindNames = map[string]string{"style": "stylesheet", "script": "script", "font": "font", "image": "picture"}

// kindOfFile is the kind of a file, as far as its name tells.
func kindOfFile(target string) string {
	target, _, _ = strings.Cut(target, "?")
	switch strings.ToLower(path.Ext(target)) {
	case ".css":
		return "style"
	case ".js", ".mjs":
		return "script"
	case ".woff", ".woff2", ".ttf", ".otf":
		return "font"
	case ".png", ".jpg", ".jpeg", ".gif", ".webp", ".avif":
		return "image"
	}
	return ""
}

// loadedAs is the kind as which an element loads its file; "" where it says none of them.
func loadedAs(p *check.Pass, e *inventory.Element) string {
	switch {
	case e.IsStylesheet():
		return "style"
	case e.IsScript():
		return "script"
	case e.Tag == "link" && strings.Contains(strings.ToLower(e.Rel), "preload"):
		as, _ := markup.AttrValue(p.Source.Text, e.El.Start, "as")
		if as = strings.ToLower(strings.TrimSpace(as)); kindNames[as] != "" {
			return as
		}
	}
	return ""
}
