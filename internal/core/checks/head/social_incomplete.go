package head

import (
	"fmt"
	"net/url"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
)

var socialIncomplete = &check.Check{
	Name: "social-incomplete", Family: "head", Severity: problem.Note, Whole: true,
	Title: "some of what a shared link shows is not set",
	Doc: `A page with some Open Graph properties and without og:title, og:image or og:url shows
up with a hole when somebody shares it. Set them together: social: {title: …, image:
…}.`,
	Bad: "<meta property=\"og:title\" content=\"Visit\">",
	Good: "<meta property=\"og:title\" content=\"Visit\">\n" +
		"<meta property=\"og:image\" content=\"https://ternhill.example/img/dome.svg\">",
	Page: func(p *check.Pass) {
		var first *inventory.Element
		have := map[string]bool{}
		for i := range p.Elements {
			e := &p.Elements[i]
			name, _, ok := strings.Cut(e.Label, " = ")
			if e.Tag == "meta" && check.Own(e) && ok && strings.HasPrefix(name, "og:") {
				have[name] = true
				if first == nil {
					first = e
				}
			}
		}
		for i := range p.Elements {
			e := &p.Elements[i]
			name, value, _ := strings.Cut(e.Label, " = ")
			if value = strings.TrimSpace(value); e.Tag != "meta" || !check.Own(e) || value == "" {
				continue
			}
			switch {
			case name == "twitter:card" && !slices.Contains(cards, value):
				p.At(e, fmt.Sprintf("there is no card of the kind %q", value), "write "+strings.Join(cards, ", "))
			case name == "og:url":
				if other := anotherPage(p, value); other != "" {
					p.At(e, "og:url names another page, "+other+": whoever shares this one shares that",
						p.Site.Remedy(`name the page itself: social: {url: "@{page.url}"}`, "name the page itself"))
				}
			}
		}
		if first == nil {
			return
		}
		var missing []string
		for _, name := range []string{"og:title", "og:image"} {
			if !have[name] {
				missing = append(missing, name)
			}
		}
		if len(missing) > 0 {
			p.At(first, "the page sets some of what a shared link shows, and not "+strings.Join(missing, " and "),
				"set them together: social: {title: …, image: …}")
		}
	},
}

// cards are the kinds of cards.
var cards = []string{"summary", "summary_large_image", "app", "player"}

// anotherPage is what an address of the page names if not the page; "" if it names this one, by its path or by its
// canonical. Of another host's it is known only where a canonical is of that host, too.
func anotherPage(p *check.Pass, value string) string {
	ref, ok := p.Base.Resolve(value)
	switch {
	case !ok:
	case ref.Own && page.Key(ref.Page) != page.Key(p.Path) && !canonicalIs(p, ref.Page):
		return ref.Page
	case !ref.Own:
		host, path := hostAndPath(ref.URL)
		canonicals := check.Canonicals(p)
		if len(canonicals) != 1 {
			return ""
		}
		if of, its := hostAndPath(canonicals[0].Ref.URL); of == host && page.Key(its) != page.Key(path) {
			return path
		}
	}
	return ""
}

// hostAndPath takes an absolute URL apart.
func hostAndPath(address string) (host, path string) {
	u, err := url.Parse(address)
	if err != nil {
		return "", ""
	}
	return u.Host, u.Path
}

// canonicalIs reports whether the page says that a path is its canonical.
func canonicalIs(p *check.Pass, path string) bool {
	for _, e := range check.Canonicals(p) {
		if e.Ref.Own && page.Key(e.Ref.Page) == page.Key(path) {
			return true
		}
	}
	return false
}
