package server

import (
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var deadPage = &check.Check{
	Name: "dead-page", Family: "server", Severity: problem.Error,
	Title: "a link or the sitemap leads to a page that responds with an error",
	Doc: `The site links to an address, or its sitemap lists it, and the server responds with an
error, in a circle, or not at all: visitors and search engines end there. Mend the
links, redirect it to where the page went, or bring it back. Reported for a
captured site only.`,
	Bad: "-- site/index.html --\n<p><a href=\"/old/\">Old news</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}\n" +
		"{\"url\":\"https://ternhill.example/old/\",\"status\":404,\"asked\":\"page\"," +
		"\"from\":[\"https://ternhill.example/\"],\"links\":1}",
	Good: "-- site/index.html --\n<p><a href=\"/journal/\">News</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}",
	Site: func(s *check.SitePass) {
		s.Site.Addresses.Each(func(x *check.Address) {
			if why := x.Dead(); why != "" && x.Page && len(x.From) > 0 {
				s.AtLeader(x, x.Path+": "+why+"; "+x.Leaders(),
					"mend the links, or redirect it to where the page went")
			}
		})
	},
}
