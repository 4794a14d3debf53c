package loading

import (
	"regexp"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var noIntegrity = &check.Check{
	Name: "no-integrity", Family: "loading", Severity: problem.Note, Whole: true,
	Title: "third-party code is loaded without integrity",
	Doc: `Whoever can change the file on the other server changes this page. integrity lets the
browser compare (Subresource Integrity). Files that change by design, such as tag loaders,
maps and the stylesheets of font services, cannot have one: only files with a version in
their address are reported, with strict all.`,
	Bad:  "<script src=\"https://lib.example/a-1.4.js\"></script>",
	Good: "<script src=\"https://lib.example/a-1.4.js\" integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\" crossorigin=\"anonymous\"></script>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || e.Party != "third" || !e.IsScript() && !e.IsStylesheet() {
				continue
			}
			if _, ok := markup.AttrValue(p.Source.Text, e.El.Start, "integrity"); !ok &&
				(pinned(e.Target) || p.Site != nil && p.Site.Strict) {
				p.At(e, e.URL+" is third-party code without integrity",
					p.Site.Remedy("give the item integrity: sha384-…, if the provider keeps the file as it is",
						`add integrity="sha384-…" and crossorigin, if the provider keeps the file as it is`))
			}
		}
	},
}

// pinned reports whether a URL names a script or stylesheet of one version, which never
// changes.
func pinned(target string) bool {
	path, _, _ := strings.Cut(target, "?")
	if !strings.HasSuffix(path, ".js") && !strings.HasSuffix(path, ".mjs") && !strings.HasSuffix(path, ".css") {
		return false
	}
	return versioned.MatchString(path)
}

var versioned = regexp.MustCompile(`[/@.-]v?\d+\.\d+`)
