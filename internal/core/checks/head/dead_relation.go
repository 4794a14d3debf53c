package head

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/core/wording"
)

var deadRelation = &check.Check{
	Name: "dead-relation", Family: "head", Severity: problem.Warning,
	Title: "what others follow points to what the site does not have",
	Doc: `A feed, the next or previous page of a series, the page in another language, an address in
structured data or in the sitemap: readers, browsers and search engines follow these, and find
nothing. Mend the address, or take it out. A language of hreflang is a tag such as en or pt-BR, or x-default.`,
	Bad: "-- site/feed.xml --\n<rss/>\n-- site/index.html --\n" +
		"<link rel=\"alternate\" type=\"application/rss+xml\" href=\"/feeds.xml\">",
	Good: "-- site/feed.xml --\n<rss/>\n-- site/index.html --\n" +
		"<link rel=\"alternate\" type=\"application/rss+xml\" href=\"/feed.xml\">",
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
				p.At(e, fmt.Sprintf("hreflang=%q is not a language: %s", lang, notALanguage(lang)),
					"write a tag such as en, pt-BR or x-default").
					Of(lang)
			}
			if lacks(p.Site, &e.Ref) {
				p.At(e, fmt.Sprintf("rel=%s points to %s: the site has no such page or file", words[relation], e.URL),
					"mend the address, or take the link out")
			}
		}
		for _, d := range check.StructuredOf(p) {
			told := map[string]bool{}
			eachAddress(d.Tree, func(key, address string) {
				if ref, ok := p.Base.Resolve(address); ok && lacks(p.Site, &ref) && !told[ref.Page] {
					told[ref.Page] = true
					p.At(d.E,
						fmt.Sprintf("%s of the structured data is %s: the site has no such page or file", key,
							wording.Cut(address, 80)), "mend the address").Of(ref.Page)
				}
			})
		}
	},
	Site: func(s *check.SitePass) {
		if s.Site == nil || s.Site.HasPage == nil || s.Site.Addresses != nil || s.SitemapInPart {
			return
		}
		var gone []string
		for key := range s.Sitemap {
			if !s.Site.HasPage(key) && !s.Site.HasFile(key) {
				gone = append(gone, key)
			}
		}
		if len(gone) == 0 || len(gone)*2 > len(s.Sitemap) {
			return // most of them: it is the sitemap of more than this folder
		}
		slices.Sort(gone)
		s.AtFile("/sitemap.xml", 1, fmt.Sprintf("it lists what the site does not have: %s", wording.List(gone, 5)),
			"let the site's build write it anew").Of("")
	},
}

// lacks reports whether the site has neither a page nor a file at an address. Of a site that a server makes only what
// was asked for is known: dead-page is for that.
func lacks(s *check.Site, ref *weburl.Ref) bool {
	return s != nil && s.HasFile != nil && s.Addresses == nil && ref.Own && !s.HasFile(ref.Path) &&
		(s.HasPage == nil || !s.HasPage(ref.Page))
}

// eachAddress visits the absolute addresses by which structured data names things (JSON-LD 1.1, 3.3, and url).
func eachAddress(tree any, visit func(key, address string)) {
	switch t := tree.(type) {
	case []any:
		for _, x := range t {
			eachAddress(x, visit)
		}
	case map[string]any:
		for _, key := range []string{"@id", "url"} {
			if v, ok := t[key].(string); ok && weburl.IsAbsolute(v) {
				visit(key, v)
			}
		}
		for _, key := range slices.Sorted(maps.Keys(t)) {
			eachAddress(t[key], visit)
		}
	}
}
