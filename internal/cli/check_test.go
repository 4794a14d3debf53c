package cli_test

import (
	"encoding/json"
	"strings"
	"testing"
)

// TestCheckWarns: lines of the gate file that choose or change nothing are told,
// and stop nothing.
func TestCheckWarns(t *testing.T) {
	b := small(t)
	b.write("facts.csv", "path,name\n/visit/,Visit us\n/gone/,Nowhere\n")
	b.write("site/visit/index.html", doc("Visit", "<div><h1>Visit</h1></div>"))
	b.write("yellowgate.yaml", siteHead[:len(siteHead)-2]+`, facts: facts.csv}
sets:
  empty: /nowhere/**
  plain: none
metadata:
  - {pages: all, title: "@{fact.name}"}
items:
  a: {script: /js/one.js, pages: [all, /no/]}
  b: {script: /js/one.js, pages: /visit/, except: /members/}
  c: {stylesheet: /c.css, pages: /visit/, except: /visit/}
  d: {found: [video, h1], pages: none}
  e: {stylesheet: /e.css, pages: empty}
  f: {code: <p>x</p>, place: {before: body > h1}, pages: [/visit/, /members/]}
per-page:
  /visit/: {in: [a]}
`)
	out := b.want(0, args("check", "--verbose"),
		`facts.csv:3:1: warning: facts are given for /gone/`,
		`yellowgate.yaml:4:10: warning: the page set "empty" chooses no page of the site`,
		`yellowgate.yaml:7:25: note: title: "@{fact.name}" has no value on 2 pages`,
		`yellowgate.yaml:9:40: warning: item "a": pages: /no/ chooses no page`,
		`items "b" and "a" both carry /js/one.js`,
		`note: item "b": except: /members/ excludes nothing`,
		`the exceptions of item "c" cover all its pages`,
		`note: item "d": video finds nothing on any page`,
		`warning: item "f" has no place: "body > h1" matches nothing (on /visit/)`,
		`note: per-page /visit/: in for "a" changes nothing`,
	)
	for _, never := range []string{`"plain"`, `item "e": pages`, "h1 finds"} {
		if strings.Contains(out, never) {
			t.Errorf("%q is told:\n%s", never, out)
		}
	}
	b.want(1, args("check", "--fail-on", "warning"))
	if out := b.want(0, args("check")); strings.Contains(out, "note:") {
		t.Error("notes are told without --verbose")
	}
	b.want(0, args("apply"), "3 pages written", "has no place")
}

// TestJSON: every command's JSON is JSON, and has what a script would look for.
func TestJSON(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	for _, c := range []struct{ args, want string }{
		{"check", `"item":"counter"`}, {"pages", `"sets":[]`}, {"pages --fields", `"name":"fact.name"`}, {"why /visit/ counter", `"verdict":"in"`},
		{"why /visit/ title", `"wins":true`}, {"where", `"kind":"code"`}, {"where counter", `"reason":"except"`}, {"diff", `"new":true`}, {"survey", `"loads"`},
		{"apply", `"written":3`}, {"show /visit/", `"format":"yellowgate.page/1"`}, {"audit", `"errors":0`}, {"explain", `"name":"broken-head"`}, {"explain dead-file", `"good":`},
	} {
		_, out, errout := b.run(append(strings.Fields(c.args), "--format", "json")...)
		var v any
		if err := json.Unmarshal([]byte(out), &v); err != nil {
			t.Errorf("%s: %v\n%s%s", c.args, err, out, errout)
			continue
		}
		compact, _ := json.Marshal(v)
		if !strings.Contains(string(compact), c.want) {
			t.Errorf("%s: %s is not in %s", c.args, c.want, compact)
		}
	}
}

// TestMarksOff: without marks the audit knows items by URL and text, and the
// output is as it would be written by hand.
func TestMarksOff(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", strings.Replace(smallGate, "  facts:", "  marks: false\n  facts:", 1)+"  style: {stylesheet: /css/site.css, pages: all}\n")
	b.want(0, args("apply"))
	if page := b.read("public/visit/index.html"); strings.Contains(page, "yg:") || !strings.Contains(page, "\n  <link rel=\"stylesheet\" href=\"/css/site.css\">\n</head>") {
		t.Errorf("the page is\n%s", page)
	}
	b.want(0, args("audit"), "counter             2              2  as the gate says", "style               3              3")
	b.write("public/members/index.html", b.read("public/visit/index.html"))
	b.want(1, args("audit"), "leaked on 1")
}

// TestOutputAsSource: an output may serve as a source; its marked regions are
// taken out before anything else.
func TestOutputAsSource(t *testing.T) {
	b := small(t)
	b.write("yellowgate.yaml", smallGate)
	b.run("apply")
	b.write("again.yaml", strings.NewReplacer("source: site", "source: public", "output: public", "output: second").Replace(smallGate))
	b.want(0, args("apply", "--gate", "again.yaml"), "3 pages written")
	for _, page := range []string{"index.html", "visit/index.html", "members/index.html"} {
		if b.read("second/"+page) != b.read("public/"+page) {
			t.Errorf("%s differs", page)
		}
	}
}
