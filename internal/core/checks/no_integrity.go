package checks

import (
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/markup"
)

var noIntegrity = &Check{
	Name: "no-integrity", Family: "loading", Severity: gatefile.Note,
	Title: "third-party code is loaded without a digest",
	Doc: `Whoever can change the file on the other server changes this page. integrity lets the
browser compare (Subresource Integrity). Files that change without notice cannot have
one.`,
	Bad:  "<script src=\"https://lib.example/a.js\"></script>",
	Good: "<script src=\"https://lib.example/a.js\" integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\" crossorigin=\"anonymous\"></script>",
	Page: func(p *Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !Own(e) || !e.Loads || e.Party != "third" || !e.IsScript() && !e.IsStylesheet() {
				continue
			}
			if _, ok := markup.AttrValue(p.Source.Text, e.El.Start, "integrity"); !ok {
				p.At(e, e.URL+" is somebody else's code, without a digest", "give the item integrity: sha384-…, if its provider keeps the file as it is")
			}
		}
	},
}
