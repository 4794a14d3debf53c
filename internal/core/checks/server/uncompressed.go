package server

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/wording"
)

var uncompressed = &check.Check{
	Name: "uncompressed", Family: "server", Severity: problem.Note,
	Title: "text is sent without compression",
	Doc: `Pages, stylesheets and scripts are mostly a quarter of their size when they are sent
compressed, and every browser takes that. Switch compression on in the server for
these types. Texts of 1 kB and less do not count. Reported for a captured site only.`,
	Bad: "-- site/css/site.css --\n/* of 1,200 bytes */\n-- site/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/site.css\">\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/css/site.css\",\"file\":\"css/site.css\",\"status\":200," +
		"\"headers\":{\"content-type\":[\"text/css\"]},\"wire\":1206,\"bytes\":1206}",
	Good: "-- site/css/site.css --\n/* of 1,200 bytes */\n-- site/index.html --\n" +
		"<link rel=\"stylesheet\" href=\"/css/site.css\">\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/css/site.css\",\"file\":\"css/site.css\",\"status\":200," +
		"\"headers\":{\"content-type\":[\"text/css\"],\"content-encoding\":[\"gzip\"]},\"wire\":60," +
		"\"bytes\":1206}",
	Site: func(s *check.SitePass) {
		kinds := map[string]*texts{}
		s.Site.Addresses.Each(func(x *check.Address) {
			if x.File == "" || x.Bytes <= smallText || !x.Text() {
				return
			}
			k := kinds[x.KindOf()]
			if k == nil {
				k = &texts{}
				kinds[x.KindOf()] = k
			}
			k.n++
			if x.Answer.Field("content-encoding") == "" && x.Wire == x.Bytes {
				k.plain = append(k.plain, x)
				k.bytes += x.Bytes
			}
		})
		const remedy = "switch compression on in the server for this type"
		for _, kind := range []string{"page", "stylesheet", "script", "text"} {
			k := kinds[kind]
			switch {
			case k == nil:
			case k.n > 1 && len(k.plain) == k.n: // the server does so with all of them
				s.AtFile(k.plain[0].File, 1,
					fmt.Sprintf("all %s over 1 kB are sent without compression, %s", wording.Count(k.n, kind),
						wording.Size(k.bytes)), remedy).Of("")
			default:
				for _, x := range k.plain {
					s.AtFile(x.File, 1, x.Path+" is sent without compression, "+wording.Size(x.Bytes), remedy).Of("")
				}
			}
		}
	},
}

// smallText is how many bytes a text may have that is not worth compressing.
const smallText = 1000

// texts are what was sent of one kind.
type texts struct {
	n     int
	plain []*check.Address
	bytes int64
}
