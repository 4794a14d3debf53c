package server

import (
	"path"
	"regexp"
	"strconv"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
)

var uncached = &check.Check{
	Name: "uncached", Family: "server", Severity: problem.Note,
	Title: "a file with a digest in its name is not kept for long",
	Doc: `A file whose name carries a digest never changes: what changes gets another name. The server
still lets browsers request it again and again. Have it send
Cache-Control: max-age=31536000, immutable with such files. A week is enough for this
check. Reported for a captured site only.`,
	Bad: "-- site/js/app.3f9a2b1c.js --\napp();\n-- site/index.html --\n" +
		"<script src=\"/js/app.3f9a2b1c.js\" defer></script>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/js/app.3f9a2b1c.js\",\"file\":\"js/app.3f9a2b1c.js\",\"status\":200," +
		"\"headers\":{\"cache-control\":[\"max-age=600\"]}}",
	Good: "-- site/js/app.3f9a2b1c.js --\napp();\n-- site/index.html --\n" +
		"<script src=\"/js/app.3f9a2b1c.js\" defer></script>\n-- site/.yellowgate-capture.ndjson --\n" +
		"{\"url\":\"https://ternhill.example/js/app.3f9a2b1c.js\",\"file\":\"js/app.3f9a2b1c.js\",\"status\":200,\"headers\":{\"cache-control\":[\"max-age=31536000, immutable\"]}}",
	Site: func(s *check.SitePass) {
		s.Site.Addresses.Each(func(x *check.Address) {
			if x.File == "" || x.KindOf() == "page" || !digested(path.Base(x.File)) ||
				keptFor(x.Answer.Field("cache-control")) >= aWeek {
				return
			}
			says := x.Answer.Field("cache-control")
			if says == "" {
				says = "and no Cache-Control"
			} else {
				says = "with Cache-Control: " + says
			}
			s.AtFile(x.File, 1, x.Path+" has a digest in its name, and is sent "+strings.TrimPrefix(says, "and "),
				"send Cache-Control: max-age=31536000, immutable with files that have a digest in their names").Of("")
		})
	},
}

const aWeek = 7 * 24 * 60 * 60

// keptFor is for how many seconds a browser may keep an answer without asking (RFC 9111, 5.2.2).
func keptFor(control string) (seconds int) {
	for word := range strings.SplitSeq(strings.ToLower(control), ",") {
		word = strings.TrimSpace(word)
		switch age, has := strings.CutPrefix(word, "max-age="); {
		case word == "no-store" || word == "no-cache":
			return 0
		case has:
			seconds, _ = strconv.Atoi(strings.Trim(age, `"`))
		}
	}
	return seconds
}

// lastWord is the part of a file's name before its ending, after a dot, hyphen or underscore.
var lastWord = regexp.MustCompile(`[._-]([0-9A-Za-z]{8,})(?:\.min)?\.[0-9A-Za-z]+$`)

// digested reports whether a file's name carries a digest.
func digested(name string) bool {
	m := lastWord.FindStringSubmatch(name)
	if m == nil {
		return false
	}
	return weburl.Digest(m[1])
}
