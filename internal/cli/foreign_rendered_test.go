package cli_test

import (
	"encoding/json"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// TestForeignRendered holds the record of a visit against a witness: a script that asks the page itself,
// in another visit of another browser, which elements it has and what it loaded (DOM, Resource Timing).
// -sites names folders; of each the first -each pages are taken, spread over the folder.
func TestForeignRendered(t *testing.T) {
	if *foreignSites == "" {
		t.Skip("-sites FOLDER,… names folders of HTML")
	}
	name := browserName()
	if name == "" {
		t.Skip("there is no Chromium on this machine to try it in")
	}
	for _, dir := range strings.Split(*foreignSites, ",") {
		b := newBench(t)
		abs, err := filepath.Abs(dir)
		if err != nil {
			t.Fatal(err)
		}
		var all []struct{ Path, File string }
		b.write("yellowgate.yaml", "yellowgate: 1\nsite: {source: "+abs+"}\n")
		if err := json.Unmarshal([]byte(b.want(0, args("pages", "--format", "json"))), &all); err != nil {
			t.Fatal(err)
		}
		step := max(1, len(all) / *foreignPages)
		served := serve(t, abs)
		ctx := startBrowser(t, name, 60*time.Minute)
		pages, differ := 0, map[string]int{}
		for i := 0; i < len(all) && pages < *foreignPages; i += step {
			page := all[i]
			status, out, errout := b.run("show", served+"/"+(&url.URL{Path: page.File}).EscapedPath(), "--browser", "--format", "json", "-q")
			if status != 0 {
				t.Errorf("%s: status %d %s", page.File, status, errout)
				continue
			}
			var r struct {
				Unread   string
				Elements []struct{ Tag, Area, Came string }
				Requests []struct{ URL, Failed, Kind string }
			}
			if err := json.Unmarshal([]byte(out), &r); err != nil {
				t.Fatal(err)
			}
			pages++
			tab := tab{t, ctx, served}
			tab.do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(served+"/"+(&url.URL{Path: page.File}).EscapedPath()))
			time.Sleep(600 * time.Millisecond)
			var w struct {
				Elements, Resources []string
			}
			tab.do(chromedp.Evaluate(`(() => {
				const tags = ["title", "meta", "link", "base", "script", "style", "iframe", "dialog", "noscript", "template"];
				const elements = Array.from(document.querySelectorAll(tags.join(","))).filter(e => e.namespaceURI.endsWith("xhtml")).map(e => (document.head && document.head.contains(e) ? "head " : "body ") + e.tagName.toLowerCase());
				return {elements, resources: performance.getEntriesByType("resource").map(e => e.name)};
			})()`, &w))
			var elements []string
			for _, e := range r.Elements {
				if e.Tag != "img" {
					elements = append(elements, e.Area+" "+e.Tag)
				}
			}
			if r.Unread != "" || !slices.Equal(elements, w.Elements) {
				differ["elements"]++
				t.Logf("%s: elements %v (%s), the witness has %v", page.File, elements, r.Unread, w.Elements)
			}
			var requests []string
			for n, x := range r.Requests {
				if n > 0 && x.Kind != "document" && !strings.HasSuffix(x.URL, "/favicon.ico") && x.Failed != "not-called" {
					requests = append(requests, strings.Split(x.URL, "#")[0])
				}
			}
			var witness []string
			for _, u := range w.Resources {
				if strings.HasPrefix(u, served) && !strings.HasSuffix(u, "/favicon.ico") {
					witness = append(witness, strings.Split(u, "#")[0])
				}
			}
			slices.Sort(requests)
			slices.Sort(witness)
			requests, witness = slices.Compact(requests), slices.Compact(witness)
			if !slices.Equal(requests, witness) {
				differ["requests"]++
				t.Logf("%s: requests %v, the witness has %v", page.File, less(requests, witness), less(witness, requests))
			}
		}
		t.Logf("%s: %d pages, %v differ", dir, pages, differ)
		if pages == 0 || differ["elements"]+differ["requests"] > 0 {
			t.Errorf("%s: %v of %d pages differ", dir, differ, pages)
		}
	}
}

// less is what one list has and the other lacks.
func less(a, b []string) (out []string) {
	for _, x := range a {
		if !slices.Contains(b, x) {
			out = append(out, x)
		}
	}
	return out
}
