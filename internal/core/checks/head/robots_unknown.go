package head

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/problem"
)

var robotsUnknown = &check.Check{
	Name: "robots-unknown", Family: "head", Severity: problem.Warning,
	Title: "a robots meta has a word that no search engine knows",
	Doc: `Search engines pass over words that they do not know, and so a misspelt noindex lets the page
into the index. The words are index, noindex, follow, nofollow, all, none, noarchive, nosnippet,
noimageindex, notranslate, indexifembedded, and max-snippet, max-image-preview,
max-video-preview and unavailable_after with a value.`,
	Bad:  "<meta name=\"robots\" content=\"no-index\">",
	Good: "<meta name=\"robots\" content=\"noindex, max-snippet:80\">",
	Page: func(p *check.Pass) {
		values, at := p.Metadata("robots")
		for i, v := range values {
			for w := range strings.SplitSeq(strings.ToLower(v), ",") {
				w, _, _ = strings.Cut(strings.TrimSpace(w), ":")
				if w = strings.TrimSpace(w); w == "" || slices.Contains(robotsNames, w) ||
					strings.ContainsAny(w, "0123456789") { // a date has commas
					continue
				}
				p.AtElement(at[i], fmt.Sprintf("no search engine knows %q%s", w, didyoumean.Suggest(w, robotsNames)),
					"mend the word, or take it out").
					Of(w)
			}
		}
	},
}

// robotsNames are the words of a robots meta that some search engine knows.
var robotsNames = []string{
	"index", "noindex", "follow", "nofollow", "all", "none", "noarchive", "nocache", "nosnippet", "noimageindex", "notranslate",
	"indexifembedded", "max-snippet", "max-image-preview", "max-video-preview", "unavailable_after", "nositelinkssearchbox", "noai", "noimageai", "noodp", "noydir",
}
