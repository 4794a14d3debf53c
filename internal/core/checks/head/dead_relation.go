package head

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var deadRelation = &check.Check{
	Name: "dead-relation", Family: "head", Severity: problem.Warning,
	Title: "a link element points to what the site does not have",
	Doc: `A feed, the next or previous page of a series, or the page in another language: readers,
browsers and search engines follow these links, and find nothing. Mend the address, or take the
link out. A language of hreflang is a tag such as en or pt-BR, or x-default.`,
	Bad:  "-- site/feed.xml --\n<rss/>\n-- site/index.html --\n<link rel=\"alternate\" type=\"application/rss+xml\" href=\"/feeds.xml\">",
	Good: "-- site/feed.xml --\n<rss/>\n-- site/index.html --\n<link rel=\"alternate\" type=\"application/rss+xml\" href=\"/feed.xml\">",
	Page: func(p *check.Pass) {
		for i := range p.Elements {
			e := &p.Elements[i]
			if e.Tag != "link" || !check.Own(e) || e.URL == "" || e.IsStylesheet() {
				continue
			}
			words := strings.Fields(strings.ToLower(e.Rel))
			relation := slices.IndexFunc(
				words,
				func(w string) bool { return w == "alternate" || w == "next" || w == "prev" || w == "previous" },
			)
			if relation < 0 || slices.Contains(words, "stylesheet") {
				continue
			}
			if lang, ok := p.Source.Attr(e.El.Start, "hreflang"); ok && !strings.EqualFold(lang, "x-default") &&
				notALanguage(lang) != "" {
				p.At(e, fmt.Sprintf("hreflang=%q is not a language: %s", lang, notALanguage(lang)), "write a tag such as en, pt-BR or x-default").
					Of(lang)
			}
			// Of a site that a server makes only what was asked for is known: dead-page is for that.
			if p.Site == nil || p.Site.HasFile == nil || p.Site.Addresses != nil || !e.Ref.Own ||
				p.Site.HasFile(e.Ref.Path) ||
				p.Site.HasPage != nil && p.Site.HasPage(e.Ref.Page) {
				continue
			}
			p.At(
				e,
				fmt.Sprintf("rel=%s points to %s: the site has no such page or file", words[relation], e.URL),
				"mend the address, or take the link out",
			)
		}
	},
}
