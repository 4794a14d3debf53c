package browser_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
)

// TestForeignRendered holds the record of a visit against a witness: a script that asks the page itself,
// in another visit of another browser, which elements it has, what it loaded and what of that was used
// (DOM, Resource Timing, coverage), and another client of what fails.
// -sites names folders; of each the first -each pages are taken, spread over the folder.
func TestForeignRendered(t *testing.T) {
	if *foreignSites == "" {
		t.Skip("-sites FOLDER,… names folders of HTML")
	}
	clitest.NeedBrowser(t)
	for _, dir := range strings.Split(*foreignSites, ",") {
		b := clitest.New(t)
		abs, err := filepath.Abs(dir)
		if err != nil {
			t.Fatal(err)
		}
		var all []struct{ Path, File string }
		b.Write("yellowgate.yaml", "yellowgate: 1\nsite: {source: "+abs+"}\n")
		if err := json.Unmarshal([]byte(b.Want(0, clitest.Args("pages", "--format", "json"))), &all); err != nil {
			t.Fatal(err)
		}
		step := max(1, len(all) / *foreignPages)
		served := clitest.Serve(t, abs)
		ctx := clitest.OwnBrowser(t, 60*time.Minute, "").Ctx
		answers := map[string]int{} // by address, as another client is answered
		pages, failures, files, differ := 0, 0, 0, map[string]int{}
		for i := 0; i < len(all) && pages < *foreignPages; i += step {
			page := all[i]
			status, out, errout := b.Exec("show", served+"/"+(&url.URL{Path: page.File}).EscapedPath(), "--browser",
				"--format", "json", "-q")
			if status != 0 {
				t.Errorf("%s: status %d %s", page.File, status, errout)
				continue
			}
			var r struct {
				Unread   string
				Elements []struct{ Tag, Area, Came string }
				Requests []struct {
					URL, Failed, Kind string
					Status            int
				}
				Used []struct {
					URL, Kind   string
					Bytes, Used int
				}
			}
			if err := json.Unmarshal([]byte(out), &r); err != nil {
				t.Fatal(err)
			}
			pages++
			tab, shut := clitest.FreshTab(t, ctx, served)
			sheets := watchSheets(tab)
			tab.Do(chromedp.EmulateViewport(1280, 800), chromedp.Navigate(served+"/"+(&url.URL{Path: page.File}).EscapedPath()))
			time.Sleep(600 * time.Millisecond)
			w := clitest.Value[struct{ Elements, Resources []string }](tab, `(() => {
				const tags = ["title", "meta", "link", "base", "script", "style", "iframe", "dialog", "noscript", "template"];
				const elements = Array.from(document.querySelectorAll(tags.join(","))).filter(e => e.namespaceURI.endsWith("xhtml")).map(e => (document.head && document.head.contains(e) ? "head " : "body ") + e.tagName.toLowerCase());
				return {elements, resources: performance.getEntriesByType("resource").map(e => e.name)};
			})()`)
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
			var failed, witnessFailed []string
			for n, x := range r.Requests {
				if n > 0 && x.Status >= 400 && !strings.HasSuffix(x.URL, "/favicon.ico") {
					failed = append(failed, strings.Split(x.URL, "#")[0])
				}
			}
			for _, u := range w.Resources { // whoever asks is told the same
				if _, known := answers[u]; !known && strings.HasPrefix(u, served) {
					answer, err := http.Get(u)
					if err != nil {
						t.Fatal(err)
					}
					answer.Body.Close()
					answers[u] = answer.StatusCode
				}
				if answers[u] >= 400 && !strings.HasSuffix(u, "/favicon.ico") {
					witnessFailed = append(witnessFailed, strings.Split(u, "#")[0])
				}
			}
			slices.Sort(failed)
			slices.Sort(witnessFailed)
			if failures += len(witnessFailed); !slices.Equal(slices.Compact(failed), slices.Compact(witnessFailed)) {
				differ["failures"]++
				t.Logf("%s: failed %v, the witness has %v", page.File, failed, witnessFailed)
			}
			seen := usedBy(tab, sheets)
			for _, u := range r.Used {
				files++
				key := fmt.Sprint(u.Kind, " ", u.URL, " ", u.Bytes, " ", u.Used)
				if !slices.Contains(seen, key) {
					differ["coverage"]++
					t.Logf("%s: %s; the witness has %v", page.File, key, matching(seen, u.URL))
				}
			}
			shut()
			if len(seen) != len(r.Used) {
				differ["coverage"]++
				t.Logf("%s: coverage of %d files, the witness has %d: %v", page.File, len(r.Used), len(seen), seen)
			}
			slices.Sort(requests)
			slices.Sort(witness)
			requests, witness = slices.Compact(requests), slices.Compact(witness)
			if !slices.Equal(requests, witness) {
				differ["requests"]++
				t.Logf("%s: requests %v, the witness has %v", page.File, less(requests, witness), less(witness, requests))
			}
		}
		t.Logf("%s: %d pages, %d failed requests, coverage of %d files; %v differ", dir, pages, failures, files, differ)
		if pages == 0 || len(differ) > 0 {
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

// watchSheets begins to count what is used, and hears which stylesheets there are.
func watchSheets(t clitest.Tab) *sync.Map {
	sheets := &sync.Map{}
	t.Listen(func(ev any) {
		if e, ok := ev.(*css.EventStyleSheetAdded); ok {
			sheets.Store(e.Header.StyleSheetID, e.Header)
		}
	})
	clitest.Ask(t, dom.Enable, dom.EnableParams{})
	for _, command := range []cdp.Command[cdp.Empty, cdp.Empty]{css.Disable, css.Enable, css.StartRuleUsageTracking,
		profiler.Enable, profiler.StopPreciseCoverage} {
		clitest.Ask(t, command, cdp.Empty{})
	}
	clitest.Ask(t, profiler.StartPreciseCoverage,
		profiler.StartPreciseCoverageParams{CallCount: new(true), Detailed: new(true)})
	sheets.Clear() // those of the page before
	return sheets
}

// usedBy paints what ran and what matched, letter by letter, and counts the letters: a line for each file.
func usedBy(t clitest.Tab, sheets *sync.Map) (out []string) {
	here := t.JS("location.href")
	scripts := clitest.Ask(t, profiler.TakePreciseCoverage, cdp.Empty{}).Result
	rules := clitest.Ask(t, css.StopRuleUsageTracking, cdp.Empty{}).RuleUsage
	for _, s := range scripts {
		if !strings.HasPrefix(s.URL, "http") || s.URL == here {
			continue
		}
		var all []*profiler.CoverageRange
		size := 0
		for _, f := range s.Functions {
			all = append(all, f.Ranges...)
		}
		for _, x := range all {
			size = max(size, int(x.EndOffset))
		}
		slices.SortStableFunc(all, func(a, b *profiler.CoverageRange) int {
			return int((b.EndOffset - b.StartOffset) - (a.EndOffset - a.StartOffset))
		})
		ran := make([]bool, size)
		for i := range ran {
			ran[i] = true
		}
		for _, x := range all { // the larger first: what lies within says it anew
			for i := x.StartOffset; i < x.EndOffset; i++ {
				ran[i] = x.Count > 0
			}
		}
		used := 0
		for _, yes := range ran {
			if yes {
				used++
			}
		}
		out = append(out, fmt.Sprint("script ", s.URL, " ", size, " ", used))
	}
	sheets.Range(func(id, v any) bool {
		h := v.(*css.StyleSheetHeader)
		if !strings.HasPrefix(h.SourceURL, "http") || h.IsInline {
			return true
		}
		used := map[int]bool{}
		for _, r := range rules {
			if r.StyleSheetID == id.(cdp.StyleSheetID) && r.Used {
				for i := int(r.StartOffset); i < int(r.EndOffset); i++ {
					used[i] = true
				}
			}
		}
		out = append(out, fmt.Sprint("style ", h.SourceURL, " ", int(h.Length), " ", len(used)))
		return true
	})
	return out
}

// matching are the lines that name a URL.
func matching(lines []string, url string) (out []string) {
	for _, l := range lines {
		if strings.Contains(l, " "+url+" ") {
			out = append(out, l)
		}
	}
	return out
}
