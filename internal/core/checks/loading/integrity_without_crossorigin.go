package loading

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/problem"
)

var integrityWithoutCrossorigin = &check.Check{
	Name: "integrity-without-crossorigin", Family: "loading", Severity: problem.Error,
	Title: "a file with integrity is not run, for the browser may not read it",
	Doc: `A browser compares a file of another host with its digest only if the host lets it read
the file, which crossorigin requests; without, the file is not run at all (Subresource
Integrity, 3.5). Write crossorigin="anonymous".`,
	Bad:  "<script src=\"https://lib.example/a.js\" integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\"></script>",
	Good: "<script src=\"https://lib.example/a.js\" integrity=\"sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC\" crossorigin=\"anonymous\"></script>",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if !check.Own(e) || !e.Loads || e.Party != "third" || !e.IsScript() && !e.IsStylesheet() || e.Module() {
				continue // a module is always asked for so
			}
			has := func(name string) bool {
				v, ok := markup.AttrValue(p.Source.Text, e.El.Start, name)
				return ok && (name != "integrity" || v != "")
			}
			if has("integrity") && !has("crossorigin") {
				p.At(e, e.URL+" has integrity but no crossorigin: browsers refuse it",
					`write crossorigin="anonymous"`)
			}
		}
	},
}
