package usage

import (
	"fmt"
	"testing"
)

// TestDefer: what stands in the way of loading the first script with defer.
func TestDefer(t *testing.T) {
	files := folder{
		"/kit.js": "window.kit = {start() {}}", "/more.js": "kit.more = 1; var extra = 2", "/alone.js": "var lonely = 1",
		"/write.js": "document.write('<p>x')", "/broken.js": "var ((", "/bundle.js": "window.jQuery = window.$ = function (s) { import(s) }; var bundle = 1",
		"/jq.js":    "window.jQuery = window.$ = function (s) { import(s) }",
		"/calls.js": "function callKit() { kit.start() }", "/go.js": "callKit()",
		"/brings.js": "function bring(tag, path) { var e = document.createElement(tag); e.src = root + path; document.head.append(e) }",
	}
	for page, want := range map[string]string{
		"<script src=/kit.js></script>":                                                                    "with [] by - sure",
		"<script src=/kit.js></script><script>kit.start()</script>":                                        "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>if (window.kit) kit.start()</script>":                        "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>lonely()</script>":                                           "with [] by -",
		"<script src=/kit.js></script><script src=/more.js></script>":                                      "with [1] by - sure",
		"<script src=/kit.js></script><script src=/more.js></script><script>extra</script>":                "with [1] by extra in 2 sure",
		"<script src=/kit.js></script><script src=/more.js defer></script><script src=/alone.js></script>": "with [] by - sure",
		"<script src=/kit.js></script><script type=module>kit.start()</script>":                            "with [] by - sure",
		"<script>kit.start()</script><script src=/kit.js></script>":                                        "with [] by - sure",
		// What is left for when the page has been read can have it by then.
		"<script src=/kit.js></script><script>var $, jQuery; $(function () { kit.start() })</script>":                              "with [] by - sure",
		"<script src=/kit.js></script><script>var $, jQuery; jQuery(document).ready(() => kit.start())</script>":                   "with [] by - sure",
		"<script src=/kit.js></script><script>addEventListener('load', go); function go() { kit.start() }</script>":                "with [] by - sure",
		"<script src=/kit.js></script><script>document.addEventListener('DOMContentLoaded', () => kit.start())</script>":           "with [] by - sure",
		"<script src=/kit.js></script><script>document.images[0].addEventListener('load', () => kit.start())</script>":             "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>var app; app.ready(() => kit.start())</script>":                                      "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>window.onload = function () { kit.start() }</script>":                                "with [] by - sure",
		"<script src=/kit.js></script><script>function go() { kit.start() }</script>":                                              "with [] by - sure",
		"<script src=/kit.js></script><script>function go() { kit.start() } go()</script>":                                         "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>var go = function () { kit.start() }; [1].map(go)</script>":                          "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>addEventListener('load', kit)</script>":                                              "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>setTimeout(function () { kit.start() })</script>":                                    "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>document.addEventListener('keydown', () => kit.start())</script>":                    "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>var $, jQuery; $(function () { kit.a() }); window.kit.b()</script>":                  "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>(function go() { kit.start() })()</script>":                                          "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script>var $, jQuery; $('#x', kit.start())</script>":                                        "with [] by kit in 1 sure",
		"<script src=/kit.js></script><script src=/calls.js></script><script>var $, jQuery; $(callKit)</script>":                   "with [] by callKit in 2 sure",
		"<script src=/kit.js></script><script src=/calls.js></script><script>callKit()</script>":                                   "with [] by callKit in 2 sure",
		"<script src=/kit.js></script><script src=/calls.js></script><script>var $, jQuery; $(function () { callKit() })</script>": "with [] by - sure",
		"<script src=/kit.js></script><script src=/calls.js></script><script src=/go.js></script>":                                 "with [2] by - sure",
		"<script src=/kit.js></script><script src=/jq.js></script>":                                                                "with [] by - sure",
		"<script src=/kit.js></script><script src=/bundle.js></script>":                                                            "with [] by -",
		"<script src=/kit.js></script><script>var app; app.$(function () { kit.start() })</script>":                                "with [] by kit in 1 sure",
		"<script src=/jq.js></script><script>window.$(function () { go() })</script>":                                              "with [] by $ in 1 sure",
		// What brings other scripts: who knows what they use.
		"<script src=/kit.js></script><script src=/brings.js></script>":                 "with [] by -",
		"<script src=/brings.js></script><script src=/brings.js></script>":              "with [] by -",
		"<script src=/kit.js></script><script>import('/more.js')</script>":              "with [] by kit in 1",
		"<script src=/write.js></script>":                                               "writes with [] by - sure",
		"<script src=/broken.js></script>":                                              "with [] by -",
		"<script src=/kit.js></script><script src=https://count.example/c.js></script>": "with [] by -",
	} {
		files["/page.html"] = page
		r, l := files.take("/page.html"), &Library{Read: files.Read}
		at := 0
		for r.Elements[at].URL == "" {
			at++
		}
		d := l.Defer(r, at)
		got := ""
		if d.Writes {
			got = "writes "
		}
		got += fmt.Sprintf("with %v by ", d.With)
		if d.By >= 0 {
			got += fmt.Sprintf("%s in %d", d.Name, d.By)
		} else {
			got += "-"
		}
		if d.Sure {
			got += " sure"
		}
		if got != want {
			t.Errorf("%s: %s, want %s", page, got, want)
		}
	}
}
