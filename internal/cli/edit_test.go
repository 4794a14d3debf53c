package cli_test

import (
	"encoding/json"
	"strings"
	"testing"

	"yellowgate/internal/clitest"
)

const editable = `yellowgate: 1
site: {source: site, output: public}

# what we add
items:
  counter:                # everywhere
    script: /js/c.js
    pages: all
    except: /members/

  kit: {found: '[src="/kit.js"]', pages: none}
  map:
    code: <b>@{n}</b>
    params: {n: {value: 3, max: 9}}
    needs: [counter]
    pages: /
per-page:
  /members/:
    in: [map]             # they asked
    params: {map: {n: 4}}
`

func editBench(t *testing.T) *clitest.Bench {
	page := "<!doctype html><html lang=en><head><meta charset=utf-8><title>t</title><script src=\"/kit.js\"></script></head><body><p>x</p></body></html>"
	return clitest.New(t, "yellowgate.yaml",
		strings.Replace(editable, "  /members/:\n    in", "  /visit/:\n    in", 1), "site/index.html", page,
		"site/visit/index.html", page, "site/members/index.html", page, "site/about/index.html", page, "site/js/c.js",
		"c()")
}

// TestEditing: what each editing command makes of the gate file, told by what is
// replaced in it, and what it says of the pages.
func TestEditing(t *testing.T) {
	for _, c := range []struct {
		command string
		status  int
		edits   []string // old, new in turn
		says    []string
	}{
		{"set counter --pages /visit/", 0, []string{"    pages: all\n    except", "    pages: /visit/\n    except"},
			[]string{"-1 counter goes from 1 page: /about/"}},
		{"set counter --more --except /about/", 0, []string{"except: /members/", "except: [/members/, /about/]"},
			[]string{"-1 counter goes from 1 page: /about/", "The other 3 pages stay as they are.",
				"yellowgate apply"}},
		{"set counter --except /members/ --except /about/ --dry-run", 0, nil,
			[]string{"except: [/members/, /about/]", "dry run: nothing was written"}},
		{"set counter --load async --note 'it is: so'", 0,
			[]string{"    except: /members/\n", "    except: /members/\n    load: async\n    note: \"it is: so\"\n"},
			[]string{"~3 pages changed in what they have"}},
		{"set counter --unset except", 0, []string{"    except: /members/\n", ""},
			[]string{"+1 counter comes to 1 page: /members/"}},
		{"set map --param n=5", 0, []string{"value: 3", "value: 5"}, []string{"~1 page changed in what it has: /"}},
		{"set map --param n=50", 2, nil, []string{"n is at most 9, not 50", "nothing was written"}},
		{"set map --place '{before: p}' --each", 0,
			[]string{"    pages: /\n", "    pages: /\n    place: {before: p}\n    each: true\n"}, nil},
		{"set kit --pages 'has(.slides)'", 0, []string{"pages: none", "pages: has(.slides)"}, []string{"No page changes."}},
		{"set mapp --pages all", 2, nil, []string{`no item is called "mapp" (did you mean "map"?)`}},
		{"set map", 2, nil, []string{"set what?"}},
		{"set map --unset pagess", 2, nil, []string{`did you mean "pages"?`}},
		{"set counter --except /", 2, nil, []string{`item "map" is in and needs "counter", which is out there (except`}},
		{"set counter --pages '/x or'", 2, nil, []string{"the query ends where"}},
		{"disable counter", 2, nil, []string{`needs "counter", which is out there (disabled`}},
		{"disable kit", 0, []string{"pages: none}", "pages: none, disabled: true}"}, nil},
		{"disable map", 2, nil, []string{"it is disabled"}},
		{"enable map", 0, nil, []string{"says so already"}},
		{"remove counter", 2, nil, []string{`item "counter" is needed by map`}},
		{"remove kit", 2, nil, []string{"--release"}},
		{"remove kit --release", 0, []string{"  kit: {found: '[src=\"/kit.js\"]', pages: none}\n", ""},
			[]string{"~4 pages changed"}},
		{"remove map", 0,
			[]string{
				"  map:\n    code: <b>@{n}</b>\n    params: {n: {value: 3, max: 9}}\n    needs: [counter]\n    pages: /\nper-page:\n  /visit/:\n    in: [map]             # they asked\n    params: {map: {n: 4}}\n",
				""}, []string{"-2 map goes from 2 pages: /, /visit/"}},
		{"add veil --style-text 'p { margin: 0 }' --pages /visit/", 0,
			[]string{"    pages: /\nper-page",
				"    pages: /\n\n  veil:\n    style-text: \"p { margin: 0 }\"\n    pages: /visit/\nper-page"},
			[]string{"+1 veil comes to 1 page: /visit/"}},
		{"add counter --script /x.js", 2, nil, []string{`there is an item "counter" already (yellowgate.yaml:6:3)`}},
		{"add veil --pages all", 2, nil, []string{"carries nothing"}},
		{"add veil", 2, nil, []string{"a new item carries something"}},
		{"add box --code '<div>' --pages all", 2, nil, []string{"leaves <div> open"}},
		{"add box --found '[src*=kit]' --found '{text: kit}' --attrs data-a=1 --classes 'body=calm' --pages all", 0,
			[]string{"    pages: /\nper-page",
				"    pages: /\n\n  box:\n    classes: {body: calm}\n    found: [\"[src*=kit]\", {text: kit}]\n    pages: all\n    attrs: {data-a: 1}\nper-page"},
			[]string{"comes to"}},
	} {
		b := editBench(t)
		before := b.Read("yellowgate.yaml")
		want := before
		for i := 0; i < len(c.edits); i += 2 {
			if !strings.Contains(want, c.edits[i]) {
				t.Fatalf("%s: %q is not in the file", c.command, c.edits[i])
			}
			want = strings.Replace(want, c.edits[i], c.edits[i+1], 1)
		}
		status, out, errout := b.Exec(shellWords(c.command)...)
		if status != c.status {
			t.Errorf("%s: status %d, want %d\n%s%s", c.command, status, c.status, out, errout)
		}
		for _, s := range c.says {
			if !strings.Contains(out+errout, s) {
				t.Errorf("%s: %q is not in\n%s%s", c.command, s, out, errout)
			}
		}
		if got := b.Read("yellowgate.yaml"); got != want {
			t.Errorf("%s:\n%s\nwant\n%s", c.command, got, want)
		}
	}
}

// TestEditBroken: a gate file with a mistake is not touched, whatever is asked.
func TestEditBroken(t *testing.T) {
	b := editBench(t)
	broken := b.Read("yellowgate.yaml") + "oops: 1\n"
	b.Write("yellowgate.yaml", broken)
	for _, c := range []string{"set counter --pages /", "disable map", "remove map", "add x --script /x.js",
		"enable map"} {
		b.Want(2, shellWords(c), `unknown key "oops"`)
	}
	if b.Read("yellowgate.yaml") != broken {
		t.Error("a broken gate file was changed")
	}
}

// TestEditIncluded: the change lands in the file that holds the item, and files
// given from another folder are named from there.
func TestEditIncluded(t *testing.T) {
	b := editBench(t)
	b.Write("yellowgate.yaml",
		strings.Replace(b.Read("yellowgate.yaml"), "yellowgate: 1\n", "yellowgate: 1\ninclude: gates/*.yaml\n", 1))
	b.Write("gates/shop.yaml", "items:\n  shop: {code: <i>s</i>, pages: /about/} # theirs\n")
	b.Write("gates/code/s.html", "<i>t</i>")
	b.Want(0, shellWords("set shop --pages all"), "+3 shop comes to 3 pages")
	if got := b.Read("gates/shop.yaml"); got != "items:\n  shop: {code: <i>s</i>, pages: all} # theirs\n" {
		t.Error(got)
	}
	b.Want(0, shellWords("set shop --unset code --code-file gates/code/s.html"), "~4 pages changed")
	if got := b.Read("gates/shop.yaml"); !strings.Contains(got, "code-file: code/s.html") {
		t.Error(got)
	}
	b.Want(0, shellWords("apply"))
	b.Want(2, shellWords("set shop --params n"), "nothing was written")
	b.Write("gates/again.yaml", "items:\n  map: {code: <i>s</i>, pages: all}\n")
	b.Want(2, shellWords("check"),
		`gates/again.yaml:2:3: error: item "map" is defined twice, first in yellowgate.yaml:13:3`)
}

// TestSplit: a vendor's code is taken apart, each part in its place.
func TestSplit(t *testing.T) {
	b := editBench(t)
	b.Write("v.html", `<!-- paste this --><link rel="stylesheet" href="https://v.example/v.css"><div id="v"></div>
<script>window.v = {a: 1};</script><script async src="https://v.example/v.js" data-k="1"></script>
<noscript><img src="https://v.example/v.gif" alt=""></noscript>`)
	b.Want(0, shellWords("add v --split v.html --pages /about/"), "+1 v comes to 1 page: /about/",
		"Its container goes to the end of the body")
	b.Want(0, shellWords("apply"))
	out := b.Read("public/about/index.html")
	head, body, _ := strings.Cut(out, "<body>")
	for _, s := range []string{`<link rel="stylesheet" href="https://v.example/v.css"`} {
		if !strings.Contains(head, s) {
			t.Errorf("%s is not in the head of\n%s", s, out)
		}
	}
	for _, s := range []string{`<script>window.v = {a: 1};</script>`,
		`<script async src="https://v.example/v.js" data-k="1"></script>`, "<noscript><img"} {
		if !strings.Contains(body, s) {
			t.Errorf("%s is not in the body of\n%s", s, out)
		}
	}
	if strings.Count(out, `<div id="v"></div>`) != 1 || strings.Count(b.Read("yellowgate.yaml"), "\n  v") != 1 {
		t.Errorf("the container should be at the body's end, and the item one\n%s", b.Read("yellowgate.yaml"))
	}
	b.Want(0, shellWords("set v --pages /"), "+1 v comes to 1 page: /", "-1 v goes from 1 page: /about/")
	b.Want(0, shellWords("apply"))
	if strings.Contains(b.Read("public/about/index.html"), `<div id="v">`) ||
		!strings.Contains(b.Read("public/index.html"), `<div id="v">`) {
		t.Error("set did not reach the container")
	}
	b.Write("w.html", `<div><script>x(</script>`)
	b.Want(2, shellWords("add w --split w.html --pages all"), "leaves <div> open")
}

// TestFirstGate: a first gate file leaves every page as it is.
func TestFirstGate(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "d"))
	for _, name := range []string{"d/site/index.html", "d/site/visit/index.html"} {
		b.Write(name, spots.ReplaceAllString(b.Read(name), ""))
	}
	b.Want(0, shellWords("survey d/site --write --gate first.yaml"), "20 things found on 27 pages")
	b.Want(2, shellWords("survey d/site --write --gate first.yaml"), "exists already")
	b.Want(0, shellWords("check --gate first.yaml --fail-on warning"), "20 items on 27 pages")
	b.Want(0, shellWords("apply --gate first.yaml -q"))
	for _, name := range []string{"index.html", "press/index.html", "journal/nuit-des-meteores/index.html",
		"book/pay/index.html"} {
		if b.Read("public/"+name) != b.Read("d/site/"+name) {
			t.Errorf("%s is not as it was", name)
		}
	}
}

// TestLooking: find, the tables of where, and the schema.
func TestLooking(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, shellWords("demo"))
	b.Want(0, shellWords("find starcalc --gate tern-hill/yellowgate.yaml"), "loaded: 2, in 1 page",
		"in scripts and stylesheets of the site: ", "js/sky.js:1:")
	b.Want(0, shellWords("find night-letter tern-hill/public --format json"), `"kind": "attribute"`,
		`"item": "night-letter"`)
	b.Want(0, shellWords("where --table --format csv --gate tern-hill/yellowgate.yaml"), "page,glyph-shim,domkit,",
		"\n/members/,taken,taken,taken,out,out,out,out,out,in,out,out,")
	b.Want(0, shellWords("where --table --gate tern-hill/yellowgate.yaml"), "28 pages by 25 items", "■ in")
	b.Want(0, shellWords("where robots --gate tern-hill/yellowgate.yaml"), "noindex  from metadata")
	b.Want(2, shellWords("where robot --gate tern-hill/yellowgate.yaml"), `no item is called "robot"`)
	b.Want(0, shellWords("why /events/orion/ social.title --gate tern-hill/yellowgate.yaml"), "Orion rising")
	status, out, _ := b.Exec("schema")
	var schema struct {
		Properties map[string]struct{ Description string }
	}
	if err := json.Unmarshal([]byte(out), &schema); err != nil || status != 0 ||
		schema.Properties["blank-pages"].Description == "" || len(schema.Properties) != 15 {
		t.Errorf("%d %v %v", status, err, schema)
	}
}

// TestCompletion: what the shell offers.
func TestCompletionOfKeys(t *testing.T) {
	b := clitest.New(t)
	b.Want(0, shellWords("demo"))
	for line, want := range map[string]string{
		"why /journal/o": "/journal/owls/", "why / visit-": "visit-counter", "why / desc": "description", "where star": "star-map", "set night-letter --pages boo": "booking",
		"set x --needs lan": "lantern", "set x --place sp": "spot", "set x --load as": "async", "pages mem": "members", "disable qu": "quiet", "set x --unset sty": "stylesheet",
	} {
		status, out, _ := b.Exec(append(shellWords("__complete --gate tern-hill/yellowgate.yaml"), shellWords(line)...)...)
		if status != 0 || !strings.Contains(out, want) {
			t.Errorf("%s: %d, %q is not in\n%s", line, status, want, out)
		}
	}
}
