package rendered

import (
	"fmt"
	"regexp"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/problem"
)

var scriptError = &check.Check{
	Name: "script-error", Family: "rendered", Severity: problem.Error,
	Title: "a script of the page threw an exception that nobody caught",
	Doc: `The script ended there, and what it had still to do was not done. Where a third party's script
was not called (--network lets it be), the exception may come of that, and is a note.
Reported by an audit with --browser only.`,
	Bad: "-- site/visit/index.html --\n<script>stars();</script>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]," +
		"\"mistakes\":[{\"kind\":\"exception\",\"message\":\"ReferenceError: stars is not defined\",\"line\":8," +
		"\"request\":-1}]}",
	Good: "-- site/visit/index.html --\n<script>function stars() {} stars();</script>\n-- rendered.json --\n" +
		"{\"path\":\"/visit/\",\"screen\":\"1280x800\",\"requests\":[{\"target\":\"/visit/\"}]}",
	Page: func(p *check.Pass) {
		for _, r := range p.Visits() {
			uncalled := map[string]bool{} // by kind of request
			for i := range r.Requests {
				uncalled[r.Requests[i].Kind] = uncalled[r.Requests[i].Kind] || r.Requests[i].Failed == pageload.NotCalled
			}
			for i := range r.Mistakes {
				m := &r.Mistakes[i]
				if m.Kind != "exception" {
					continue
				}
				where, line := "", max(m.Line, 1)
				if m.Request > 0 {
					where, line = fmt.Sprintf(" (%s:%d)", r.Requests[m.Request].Target, m.Line), 1
				}
				const remedy = "mend the script, or load what it needs before it"
				var f *check.Finding
				if m.Request > 0 {
					f = p.AtTarget(r.Requests[m.Request].Target, m.Item, m.Message+where, remedy).Of(
						r.Requests[m.Request].Target + ": " + m.Message)
				} else {
					f = p.Once(line, 1, m.Item, m.Message, remedy).Of(m.Message)
				}
				if (uncalled["script"] || uncalled["fetch"] && ofTheNetwork.MatchString(m.Message)) && f != nil {
					f.Severity, f.Message = problem.Note, f.Message+"; a third party was not called, which may be why"
				}
			}
		}
	},
}

// ofTheNetwork finds exceptions that come of a request that failed.
var ofTheNetwork = regexp.MustCompile(`(?i)failed to (fetch|load)|NetworkError|network error`)
