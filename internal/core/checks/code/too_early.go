package code

import (
	"fmt"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/problem"
)

var tooEarly = &check.Check{
	Name: "too-early", Family: "code", Severity: problem.Error,
	Title: "a script calls what is not there yet",
	Doc: `As it is run, the script calls a name that only a later script of the page defines, or one
that comes with defer or async, or whose file is missing. The call fails, and nothing after
it in that script is done. A script that uses an element by its id fails, too, where the page
has none, or not yet. Inline code never waits. Move the call into a file that is loaded with
defer too, wait for DOMContentLoaded, or load the other script before it.`,
	Bad: "-- site/js/kit.js --\nwindow.kit = { start: function () {} }\n-- site/index.html --\n" +
		"<script src=\"/js/kit.js\" defer></script>\n<script>kit.start()</script>",
	Good: "-- site/js/kit.js --\nwindow.kit = { start: function () {} }\n-- site/index.html --\n" +
		"<script src=\"/js/kit.js\" defer></script>\n" +
		"<script>addEventListener(\"DOMContentLoaded\", function () { kit.start() })</script>",
	Page: func(p *check.Pass) {
		if p.Site == nil || p.Site.Library == nil {
			return
		}
		for _, x := range p.Site.Library.TooEarly(p.Record) {
			by := &p.Elements[x.By]
			what := by.URL
			if what == "" {
				what = fmt.Sprintf("the script in line %d", by.Line)
			}
			how := map[string]string{
				"defer": "it runs after parsing (defer)", "module": "it runs after parsing (module)",
				"async": "it runs at any time (async)", "further down": "it stands further down",
			}[x.Runs]
			who := "this script"
			if x.In != "" {
				who = x.In + ", which it brings,"
			}
			message := fmt.Sprintf("%s calls %s, which %s defines: %s", who, x.Name, what, how)
			if x.Runs == "missing" {
				message = fmt.Sprintf(
					"%s calls %s, which nothing on the page defines; %s, which may have, is missing", who, x.Name,
					what)
			}
			f := p.At(&p.Elements[x.Element], message, "wait for DOMContentLoaded, or load that script first")
			if x.Runs == "missing" { // the file is reported, and mended this works
				f.Severity, f.Remedy = problem.Note, "mend the address of that script, or load the one that defines "+x.Name
			}
		}
		if !p.Fragment {
			tooEarlyForElement(p)
		}
	},
}

// tooEarlyForElement looks for scripts that fail where an element is not there.
func tooEarlyForElement(p *check.Pass) {
	for _, x := range p.Site.Library.Absent(p.Record) {
		who := "this script"
		if x.In != "" {
			who = x.In + ", which it brings,"
		}
		if x.At >= 0 {
			line, _ := p.Locate(x.At)
			p.At(&p.Elements[x.Element],
				fmt.Sprintf("%s uses the element with the id %q, which stands further down, in line %d", who, x.ID,
					line), "wait for DOMContentLoaded, or put the script behind that element").Of("#" + x.ID)
			continue
		}
		f := p.At(&p.Elements[x.Element],
			fmt.Sprintf("%s uses the element with the id %q, and the page has none: it fails there", who, x.ID),
			"ask whether the element is there before you use it, or keep the script to pages that have it").Of("#" + x.ID)
		f.Severity = problem.Warning
	}
}
