package server

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var slowRedirect = &check.Check{
	Name: "slow-redirect", Family: "server", Severity: problem.Note,
	Title: "a link is redirected more than once",
	Doc: `Each redirect is one more trip to the server before anything is seen, mostly from http to
https, then to a slash, then to a new address. Link to the last address, and have the
first lead there at once. Reported for a captured site only.`,
	Bad: "-- site/index.html --\n<p><a href=\"/old\">Old news</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/old\",\"final\":\"https://ternhill.example/old/\",\"status\":301," +
		"\"asked\":\"page\",\"from\":[\"https://ternhill.example/\"],\"links\":1}\n" +
		"{\"url\":\"https://ternhill.example/old/\",\"final\":\"https://ternhill.example/\",\"status\":301," +
		"\"asked\":\"page\"}\n{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}",
	Good: "-- site/index.html --\n<p><a href=\"/old\">Old news</a></p>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/old\",\"final\":\"https://ternhill.example/\",\"status\":301," +
		"\"asked\":\"page\",\"from\":[\"https://ternhill.example/\"],\"links\":1}\n" +
		"{\"url\":\"https://ternhill.example/\",\"file\":\"index.html\",\"status\":200}",
	Site: func(s *check.SitePass) {
		s.Site.Addresses.Each(func(x *check.Address) {
			if x.To == "" || len(x.From) == 0 || x.Why != "" {
				return
			}
			if to, steps := s.Site.Addresses.Redirects(x.Path); steps > 1 {
				s.AtLeader(x,
					fmt.Sprintf("%s redirects %d times before it ends at %s; %s", x.Path, steps, to, x.Leaders()),
					"link to "+to+", and have the server lead there at once")
			}
		})
	},
}
