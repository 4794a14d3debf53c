package checks

import (
	"net/url"
	"strings"

	"yellowgate/internal/core/gatefile"
)

var unexpectedHost = &Check{
	Name: "unexpected-host", Family: "loading", Severity: gatefile.Warning,
	Title: "the page loads from a host that is not trusted",
	Doc: `The gate file lists under site.trust the hosts whose code is expected, and this one is
not among them. Mostly somebody pasted a tag. Add the host, or take the code out.`,
	Bad:  "site: {trust: [pay.lantern.example]}\n(and a page that loads https://count.example/c.js)",
	Good: "site: {trust: [pay.lantern.example, count.example]}",
	Page: func(p *Pass) {
		if p.Site == nil || len(p.Site.Trust) == 0 {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if !Own(e) || !e.Loads || e.Party != "third" {
				continue
			}
			host := strings.ToLower(hostOf(e.Target))
			trusted := false
			for _, t := range p.Site.Trust {
				t = strings.ToLower(t)
				trusted = trusted || host == t || strings.HasPrefix(t, "*.") && strings.HasSuffix(host, t[1:])
			}
			if !trusted {
				p.At(e, host+" is not among the trusted hosts", "add it under site.trust, or take the code out with found and pages: none")
			}
		}
	},
}

func hostOf(target string) string {
	u, err := url.Parse(target)
	if err != nil {
		return target
	}
	return u.Hostname()
}
