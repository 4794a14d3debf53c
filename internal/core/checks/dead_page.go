package checks

import (
	"yellowgate/internal/core/problem"
)

var deadPage = &Check{
	Name: "dead-page", Family: "server", Severity: problem.Error,
	Title: "a link or the sitemap leads to a page that answers with an error",
	Doc: `The site links to an address, or its sitemap lists it, and the server answers with an
error, in a circle, or not at all: visitors and search engines end there. Mend the
links, have the server lead on to where the page went, or bring it back. Told of a
captured site only.`,
	Bad: "-- site/index.html --\n<p><a href=\"/old/\">Old news</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}\n{\"url\":\"https://ternhill.example/old/\",\"status\":404,\"asked\":\"page\",\"from\":[\"https://ternhill.example/\"],\"links\":1}",
	Good: "-- site/index.html --\n<p><a href=\"/journal/\">News</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}",
	Site: func(s *SitePass) {
		s.Site.Addresses.each(func(x *Address) {
			if why := x.dead(); why != "" && x.Page && len(x.From) > 0 {
				s.atLeader(x, x.Path+": "+why+"; "+x.leaders(), "mend the links, or have the server lead on to where the page went")
			}
		})
	},
}
