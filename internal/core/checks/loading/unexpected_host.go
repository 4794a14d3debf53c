package loading

import (
	"fmt"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

var unexpectedHost = &check.Check{
	Name: "unexpected-host", Family: "loading", Severity: problem.Warning,
	Title: "the page loads from a host that is not trusted",
	Doc: `The gate file lists under site.trust the hosts whose code is expected, and this one is
not among them. Mostly somebody pasted a tag. Add the host, or take the code out.`,
	Bad: "-- yellowgate.yaml --\nsite: {trust: [pay.lantern.example]}\n-- site/visit/index.html --\n" +
		"<script src=\"https://count.example/c.js\" async></script>",
	Good: "-- yellowgate.yaml --\nsite: {trust: [pay.lantern.example, count.example]}\n" +
		"-- site/visit/index.html --\n<script src=\"https://count.example/c.js\" async></script>",
	Page: func(p *check.Pass) {
		if p.Site == nil || len(p.Site.Trust) == 0 {
			return
		}
		for e := range p.All() {
			if !check.Own(e) {
				continue
			}
			if host := strings.ToLower(inventory.Host(e.Target)); e.Loads && e.Party == "third" &&
				!isTrusted(p.Site, host) &&
				local(e.URL) == "" {
				p.At(e, host+" is not among the trusted hosts",
					"add it under site.trust, or take the code out with found and pages: none")
			}
			for _, m := range e.Gets() {
				if host := strings.ToLower(inventory.Host(m.Target)); m.By == "" && m.Party == "third" &&
					!isTrusted(p.Site, host) {
					p.At(e, host+" is not among the trusted hosts; "+importer(e, &m)+" "+m.How()+" "+m.Written(),
						"add it under site.trust, or take it out")
				}
			}
		}
	},
	Site: func(s *check.SitePass) {
		if len(s.Site.Trust) == 0 {
			return
		}
		s.EachAsked(func(a *check.FileRequest) {
			if host := strings.ToLower(inventory.Host(a.Target)); a.Party == "third" && !isTrusted(s.Site, host) {
				s.AtAsked(a, host+" is not among the trusted hosts; "+a.Says(),
					"add it under site.trust, or take it out")
			}
		})
	},
}

func isTrusted(s *check.Site, host string) bool { return weburl.Trusts(s.Trust, host) }

// importer names what imports a file.
func importer(e *inventory.Element, m *inventory.Import) string {
	switch {
	case m.By != "":
		return m.By
	case m.Tag != "":
		return fmt.Sprintf("line %d of this %s", m.Line-e.Line+1, e.Tag)
	}
	return "this " + e.Tag
}
