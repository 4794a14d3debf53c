package rendered

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var failedLoad = &check.Check{
	Name: "failed-load", Family: "rendered", Severity: problem.Error,
	Title: "a request failed",
	Doc: `A request of the page failed: the server responds with an error or not at all, the file is
another than its digest says, the other site does not let this one have it, or it goes
without TLS from a page that came with it; or the page itself came as an error. What it
was for does not work. Reported by an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<script src=\"/js/late.js\" defer></script>\n-- site/js/late.js --\n" +
		"load('/js/gone.js');\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/late.js\",\"kind\":\"script\",\"status\":200,\"asked\":{\"by\":\"page\"," +
		"\"request\":-1}},{\"target\":\"/js/gone.js\",\"kind\":\"script\",\"status\":404," +
		"\"asked\":{\"by\":\"script\",\"request\":1}}]}",
	Good: "-- site/visit/index.html --\n<script src=\"/js/late.js\" defer></script>\n-- site/js/late.js --\n" +
		"load('/js/there.js');\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}," +
		"{\"target\":\"/js/late.js\",\"kind\":\"script\",\"status\":200,\"asked\":{\"by\":\"page\"," +
		"\"request\":-1}},{\"target\":\"/js/there.js\",\"kind\":\"script\",\"status\":200," +
		"\"asked\":{\"by\":\"script\",\"request\":1}}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Rendered {
			if p.InPlace(r) {
				p.Once(1, 1, "",
					fmt.Sprintf(
						"a browser got an error, %d, in place of the page: nothing else that it saw is reported",
						r.Answered()), "look why the server answers so, or leave the page out")
			}
		}
		for _, r := range p.Visits() {
			for i := 1; i < len(r.Requests); i++ {
				x := &r.Requests[i]
				if why := failure(x); why != "" && !x.Unasked() {
					p.AtTarget(x.Target, x.Item, x.Target+": "+why+check.AskedBy(r, i),
						"mend the address or the server, or remove what requests it")
				}
			}
		}
	},
}

// failure says why a request brought nothing; "" where it did, or where nobody can tell.
func failure(x *pageload.Request) string {
	switch x.Failed {
	case pageload.Policy, pageload.NotCalled, pageload.Aborted, pageload.NotFinished:
		return ""
	case pageload.Mixed:
		return "the browser does not load it, since it comes without TLS on a page that came with it"
	case pageload.Integrity:
		return "the browser does not take it, since it is another file than its digest says"
	case pageload.CORS:
		return "the other site does not let this one have it (CORS)"
	case pageload.WrongType:
		return "the browser does not use it, since it comes as " + x.Detail
	case pageload.Refused:
		return "nothing responds there"
	case pageload.NoHost:
		return "there is no such host"
	case pageload.TimedOut:
		return "the server did not answer in time"
	case pageload.KeptBack:
		return "the browser keeps the answer from the page, since it is of another kind than what was requested: " +
			"mostly an error page of the other site"
	case "":
		if x.Status >= 400 {
			return fmt.Sprintf("it answers %d", x.Status)
		}
		return ""
	}
	return "it failed: " + x.Failed
}
