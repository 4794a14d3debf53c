package head

import (
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var deadRefresh = &check.Check{
	Name: "dead-refresh", Family: "head", Severity: problem.Error,
	Title: "the page redirects to a page that the site does not have",
	Doc: `A meta refresh takes visitors to another address, and there is no such page or file: they
get an error in place of what they came for. Mend the address. Capital letters count.`,
	Bad: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/old/index.html --\n" +
		"<meta http-equiv=\"refresh\" content=\"0; url=/vist/\">",
	Good: "-- site/visit/index.html --\n<title>Visit</title>\n-- site/old/index.html --\n" +
		"<meta http-equiv=\"refresh\" content=\"0; url=/visit/\">",
	Page: func(p *check.Pass) {
		if p.Site == nil || p.Site.HasFile == nil {
			return
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "meta" || !check.Own(e) {
				continue
			}
			if v, _ := p.Source.Attr(e.El.Start, "http-equiv"); !strings.EqualFold(strings.TrimSpace(v), "refresh") {
				continue
			}
			refreshesOf(p, e, "redirects to ")
		}
		for i := range p.Header {
			if e := &p.Header[i]; e.IsRefresh() {
				refreshesOf(p, e, "the header Refresh redirects to ")
			}
		}
	},
}

// refreshesOf reports a refresh to what the site does not have.
func refreshesOf(p *check.Pass, e *inventory.Element, says string) {
	to := page.RefreshTo(e.Content)
	if to == "" {
		return
	}
	ref, ok := p.Base.Resolve(to)
	if ok && ref.Own && !p.Site.HasFile(ref.Path) && (p.Site.HasPage == nil || !p.Site.HasPage(ref.Path)) {
		p.At(e, says+ref.Path+": the site has no such page", "mend the address").Of(ref.Path)
	}
}
