package browser_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"io/fs"
	"math/rand"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// What suggest writes changes nothing that a visitor sees: a browser is the witness, on the
// demo and, where they are named, on sites of others.

var (
	foreignSites = flag.String("sites", "",
		"also let suggest write the gates of these `folders` (separated by commas) and look in a browser that nothing changes")
	foreignKits = flag.String("kits", "",
		"first put all stylesheets and scripts of this `folder` on every page of -sites, as one who loads everything everywhere")
	foreignPages = flag.Int("each", 25, "look at this many `pages` of each of -sites")
)

// A sight is what a browser has of a page.
type sight struct {
	Text     string
	Elements []string // tag, id and class, and a digest of the whole computed style, pseudo-elements included
	requests []string // paths, each once, sorted
	errors   []string
}

// A witness looks at pages in a browser.
type witness struct {
	clitest.Tab
	mutex    sync.Mutex
	requests map[string]bool
	errors   []string
	sheets   map[cdp.StyleSheetID]string // URL of a stylesheet
}

func newWitness(t *testing.T, most time.Duration) *witness {
	w := &witness{Tab: clitest.OwnBrowser(t, most, "")}
	w.Listen(func(ev any) {
		w.mutex.Lock()
		defer w.mutex.Unlock()
		switch ev := ev.(type) {
		case *network.EventRequestWillBeSent:
			if u, err := url.Parse(ev.Request.URL); err == nil && w.requests != nil && u.Scheme != "data" && u.Scheme != "blob" {
				if u.Hostname() == "127.0.0.1" {
					u.Host, u.Scheme = "", ""
				}
				w.requests[u.String()] = true
			}
		case *runtime.EventExceptionThrown:
			if x := ev.ExceptionDetails; x != nil {
				text := x.Text
				if x.Exception != nil {
					text, _, _ = strings.Cut(x.Exception.Description, "\n")
				}
				w.errors = append(w.errors, text)
			}
		case *css.EventStyleSheetAdded:
			if w.sheets == nil {
				w.sheets = map[cdp.StyleSheetID]string{}
			}
			w.sheets[ev.Header.StyleSheetID] = ev.Header.SourceURL
		case *page.EventJavascriptDialogOpening:
			go func() { _, _ = chromedp.Call(w.Ctx, page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{}) }()
		}
	})
	// Whatever moves or is drawn by chance does so alike each time.
	clitest.Ask(w.Tab, network.SetCacheDisabled, network.SetCacheDisabledParams{CacheDisabled: true})
	clitest.Ask(w.Tab, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `(() => { let seed = 1; Math.random = () => (seed = seed * 16807 % 2147483647) / 2147483647; const now = 1700000000000; Date.now = () => now;
			window.open = () => null; addEventListener("submit", e => e.preventDefault()); window.print = () => {} })()`})
	return w
}

// settled waits until nothing is asked for any more.
func (w *witness) settled() {
	before := -1
	for range 20 {
		time.Sleep(70 * time.Millisecond)
		w.mutex.Lock()
		n := len(w.requests)
		w.mutex.Unlock()
		if n == before {
			return
		}
		before = n
	}
}

const seen = `(() => {
	const digest = s => { let h = 2166136261; for (let i = 0; i < s.length; i++) h = Math.imul(h ^ s.charCodeAt(i), 16777619); return (h >>> 0).toString(16) };
	for (const a of document.getAnimations ? document.getAnimations() : []) { try { a.finish() } catch (e) { try { a.cancel() } catch (e) {} } }
	const gone = {SCRIPT: 1, STYLE: 1, LINK: 1, META: 1, TITLE: 1, HEAD: 1, BASE: 1, NOSCRIPT: 1};
	const style = (e, of) => { const s = getComputedStyle(e, of); if (of && (s.content === "none" || s.content === "normal")) return ""; return [...s].map(p => p + ":" + s.getPropertyValue(p)).sort().join(";").replaceAll(location.origin, "") };
	return JSON.stringify({Text: document.body ? document.body.innerText : "", Elements: [...document.querySelectorAll("*")].filter(e => !gone[e.tagName]).slice(0, 4000).map(e =>
		e.tagName + " " + e.id + " " + (e.getAttribute("class") || "") + " " + digest(style(e) + style(e, "::before") + style(e, "::after")))})
})()`

// clicks clicks on what does not lead away, in order.
const clicks = `(async () => {
	addEventListener("click", e => { const a = e.target.closest && e.target.closest("a[href]"); if (a && !/^(#|javascript:)/.test(a.getAttribute("href"))) e.preventDefault() });
	const can = [...document.querySelectorAll("button, summary, [role=button], [onclick], input[type=button], input[type=submit], input[type=checkbox], a:not([href]), a[href^='#'], a[href^='javascript:']")].slice(0, 30);
	for (const e of can) { if (e.isConnected) { e.click(); await new Promise(r => setTimeout(r, 8)) } }
	await new Promise(r => setTimeout(r, 150)); return can.length
})()`

// clicked does the clicks, and reports whether none of them led away.
func (w *witness) clicked() bool {
	return chromedp.Do(w.Ctx, chromedp.Evaluate[chromedp.Void](clicks, chromedp.EvalAwaitPromise)) == nil
}

// look opens a page and looks at it, as it was loaded and after clicks.
func (w *witness) look(address string) (loaded, clicked sight) {
	w.mutex.Lock()
	w.requests, w.errors = map[string]bool{}, nil
	w.mutex.Unlock()
	take := func() (s sight) {
		w.settled()
		if err := json.Unmarshal([]byte(w.JS(seen)), &s); err != nil {
			w.Fatal(err)
		}
		w.mutex.Lock()
		defer w.mutex.Unlock()
		for r := range w.requests {
			s.requests = append(s.requests, r)
		}
		sort.Strings(s.requests)
		s.errors = slices.Clone(w.errors)
		return s
	}
	w.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(address))
	loaded = take()
	if !w.clicked() { // a click led away after all
		w.Do(chromedp.Navigate("about:blank"))
		return loaded, loaded
	}
	return loaded, take()
}

// difference says in what two sights differ, in words; "" for nothing. fewer may be asked for.
func difference(was, is *sight, less func(path string) bool) string {
	for _, r := range is.requests {
		if !slices.Contains(was.requests, r) {
			return "asks for " + r + ", and did not before"
		}
	}
	for _, r := range was.requests {
		if !slices.Contains(is.requests, r) && !less(r) {
			return "asks no more for " + r
		}
	}
	for _, e := range is.errors {
		if !slices.Contains(was.errors, e) {
			return "a script fails now: " + e
		}
	}
	if was.Text != is.Text {
		return "its text differs"
	}
	if len(was.Elements) != len(is.Elements) {
		return fmt.Sprintf("%d elements before, %d after", len(was.Elements), len(is.Elements))
	}
	for i := range was.Elements {
		if was.Elements[i] != is.Elements[i] {
			return "looks otherwise: " + was.Elements[i] + ", now " + is.Elements[i]
		}
	}
	return ""
}

// unchanged compares pages after with pages before. It returns how many were held, and on
// how many the browser differs from itself, so that nothing can be told.
func (w *witness) unchanged(before, after string, pages []string,
	less func(page, path string) bool) (held, restless, elements int) {
	for _, p := range pages {
		fewer := func(path string) bool { return less(p, path) }
		var was, wasClicked, is, isClicked sight
		what, when := "?", ""
		for try := 0; what != "" && try < 3; try++ { // what moves by itself does not differ each time
			was, wasClicked = w.look(before + p)
			is, isClicked = w.look(after + p)
			if what, when = difference(&was, &is, fewer), ""; what == "" {
				what, when = difference(&wasClicked, &isClicked, fewer), "after clicks "
			}
		}
		if what != "" {
			again, againClicked := w.look(before + p)
			none := func(string) bool { return false }
			if difference(&was, &again, none) != "" || when != "" && difference(&wasClicked, &againClicked, none) != "" {
				restless++
				continue
			}
			w.Errorf("%s: %s%s %s", p, when, what, w.properties(before+p, after+p))
		}
		held++
		elements += len(was.Elements)
	}
	return held, restless, elements
}

// properties lists what differs in the style of the first element that looks otherwise as it
// is loaded.
func (w *witness) properties(before, after string) string {
	const styles = `JSON.stringify([...document.querySelectorAll("*")].filter(e => !/^(SCRIPT|STYLE|LINK|META|TITLE|HEAD|BASE|NOSCRIPT)$/.test(e.tagName)).slice(0, 4000).map(e => {
		const s = getComputedStyle(e), o = {}; for (const p of s) o[p] = s.getPropertyValue(p).replaceAll(location.origin, ""); return o }))`
	of := func(address string) (list []map[string]string) {
		w.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(address))
		w.settled()
		_ = json.Unmarshal([]byte(w.JS(styles)), &list)
		return list
	}
	was, is := of(before), of(after)
	for i := range min(len(was), len(is)) {
		var out []string
		for p, v := range was[i] {
			if is[i][p] != v {
				out = append(out, fmt.Sprintf("%s: %s, now %s", p, v, is[i][p]))
			}
		}
		for p := range is[i] {
			if _, ok := was[i][p]; !ok {
				out = append(out, p+" is new")
			}
		}
		if sort.Strings(out); len(out) > 0 {
			return "(" + strings.Join(out[:min(len(out), 6)], "; ") + ")"
		}
	}
	return ""
}

// suggested writes a gate for the pages in b.Dir/site, as somebody would who does not know
// them, and applies it.
func suggested(b *clitest.Bench) {
	b.Helper()
	b.Want(0, clitest.Args("survey", "site", "--write"))
	if status, out, err := b.Exec("suggest", "--browser", "--write"); status != 0 {
		b.Fatalf("suggest --browser --write: %d\n%s%s", status, out, err)
	}
	b.Want(0, clitest.Args("apply"))
}

// differing are the pages whose files differ, as paths of URLs.
func differing(t *testing.T, before, after string) (out []string) {
	err := filepath.WalkDir(before, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() ||
			!strings.HasSuffix(name, ".html") && !strings.HasSuffix(name, ".htm") &&
				!strings.HasSuffix(name, ".xhtml") {
			return err
		}
		rel, _ := filepath.Rel(before, name)
		a, _ := os.ReadFile(name)
		b, _ := os.ReadFile(filepath.Join(after, rel))
		if string(a) != string(b) {
			out = append(out, (&url.URL{Path: "/" + filepath.ToSlash(rel)}).EscapedPath())
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// takenOut reports whether a page after names a file less often than before.
func takenOut(before, after string) func(page, path string) bool {
	return func(page, path string) bool {
		name, _ := url.PathUnescape(page)
		a, _ := os.ReadFile(filepath.Join(before, filepath.FromSlash(name)))
		b, _ := os.ReadFile(filepath.Join(after, filepath.FromSlash(name)))
		path, _, _ = strings.Cut(path, "?")
		base := path[strings.LastIndexByte(path, '/')+1:]
		return strings.Count(string(b), base) < strings.Count(string(a), base)
	}
}

// TestSuggestedSite takes the demo's pages as they were, lets suggest write its gate, and
// looks at every page before and after in a browser: nothing looks otherwise, and no
// script fails that did not before.
func TestSuggestedSite(t *testing.T) {
	testsize.OnlyFull(t)
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo"))
	b.Dir = filepath.Join(b.Dir, "tern-hill")
	for _, name := range []string{"public", ".yellowgate", "yellowgate.yaml"} {
		if err := os.RemoveAll(filepath.Join(b.Dir, name)); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"site/index.html", "site/visit/index.html"} { // whose spots no item of the new gate file names
		b.Write(name, strings.ReplaceAll(b.Read(name), "yg-spot", "a spot for"))
	}
	b.Want(0, clitest.Args("survey", "site", "--write"))
	b.Want(0, clitest.Args("suggest", "--browser", "--network", "--write"), "goes from")
	b.Want(0, clitest.Args("apply"), "pages written")
	b.Want(0, clitest.Args("audit", "--fail-on", "never"))
	site, public := filepath.Join(b.Dir, "site"), filepath.Join(b.Dir, "public")
	w := newWitness(t, 100*time.Second)
	pages := differing(t, site, public)
	if len(pages) < 20 {
		t.Fatalf("only %d pages were changed", len(pages))
	}
	held, restless, _ := w.unchanged(clitest.Serve(t, site), clitest.Serve(t, public), pages[:6], takenOut(site, public))
	if held < 5 {
		t.Errorf("only %d pages could be compared with what they were, %d were restless", held, restless)
	}
}

// TestForeignSuggested does the same with sites of others.
func TestForeignSuggested(t *testing.T) {
	if *foreignSites == "" {
		t.Skip("no -sites are named")
	}
	for _, folder := range strings.Split(*foreignSites, ",") {
		t.Run(filepath.Base(folder), func(t *testing.T) {
			b := clitest.New(t)
			site, public := filepath.Join(b.Dir, "site"), filepath.Join(b.Dir, "public")
			if err := os.CopyFS(site, os.DirFS(folder)); err != nil {
				t.Fatal(err)
			}
			loadEverywhere(t, site)
			suggested(b)
			pages := differing(t, site, public)
			t.Logf("%d pages were changed by %s", len(pages), tightened(b.Read("yellowgate.yaml")))
			rand.New(rand.NewSource(1)).Shuffle(len(pages), func(i, j int) { pages[i], pages[j] = pages[j], pages[i] })
			if len(pages) > *foreignPages {
				pages = pages[:*foreignPages]
			}
			w := newWitness(t, time.Hour)
			before := clitest.Serve(t, site)
			held, restless, elements := w.unchanged(before, clitest.Serve(t, public), pages, takenOut(site, public))
			t.Logf("%d pages with %d elements as before, %d pages that differ from themselves", held, elements, restless)
			w.covered(b, before)
		})
	}
}

// tightened lists the items of a gate file that are not everywhere.
func tightened(gate string) (out []string) {
	item := ""
	for line := range strings.Lines(gate) {
		switch name, is := strings.CutPrefix(line, "  "); {
		case is && name[0] != ' ' && name[0] != '-':
			item, _, _ = strings.Cut(name, ":")
		case strings.HasPrefix(line, "    pages: ") && !strings.HasSuffix(line, " all\n"):
			out = append(out, "\n"+item+strings.TrimSuffix(line[10:], "\n"))
		}
	}
	return out
}

// loadEverywhere puts the files of -kits on every page of a site.
func loadEverywhere(t *testing.T, site string) {
	if *foreignKits == "" {
		return
	}
	if err := os.CopyFS(filepath.Join(site, "kits"), os.DirFS(*foreignKits)); err != nil {
		t.Fatal(err)
	}
	tags := ""
	files, _ := os.ReadDir(*foreignKits)
	for _, f := range files {
		switch filepath.Ext(f.Name()) {
		case ".css":
			tags += `<link rel="stylesheet" href="/kits/` + f.Name() + "\">\n"
		case ".js":
			tags += `<script src="/kits/` + f.Name() + "\" defer></script>\n"
		}
	}
	head := regexp.MustCompile(`(?i)</head>`)
	err := filepath.WalkDir(site, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(name, ".html") {
			return err
		}
		text, err := os.ReadFile(name)
		if at := head.FindIndex(text); err == nil && at != nil {
			err = os.WriteFile(name, slices.Concat(text[:at[0]], []byte(tags), text[at[0]:]), 0o644)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

// covered compares findings of unused-style with the rules that a browser used.
func (w *witness) covered(b *clitest.Bench, address string) {
	_, out, _ := b.Exec("audit", "site", "--format", "json", "--fail-on", "never")
	var a struct {
		Records []struct {
			File     string
			Elements []struct {
				Line, Column int
				Target       string
			}
		}
		Findings []struct {
			Check, File  string
			Line, Column int
		}
	}
	if err := json.Unmarshal([]byte(out), &a); err != nil {
		w.Fatal(err)
	}
	vain := map[string][]string{} // by file: stylesheets that match nothing
	total := 0
	for _, f := range a.Findings {
		if f.Check != "unused-style" {
			continue
		}
		for _, r := range a.Records {
			for _, e := range r.Elements {
				if r.File == f.File && e.Line == f.Line && e.Column == f.Column {
					vain[f.File] = append(vain[f.File], e.Target)
					total++
				}
			}
		}
	}
	var files []string
	for f := range vain {
		files = append(files, f)
	}
	sort.Strings(files)
	rand.New(rand.NewSource(2)).Shuffle(len(files), func(i, j int) { files[i], files[j] = files[j], files[i] })
	held, wrong := 0, 0
	for _, f := range files[:min(len(files), 4**foreignPages)] {
		used := w.used(address + (&url.URL{Path: "/" + f}).EscapedPath())
		for _, sheet := range vain[f] {
			held++
			if used[sheet] > 0 {
				wrong++
				w.Errorf("%s: unused-style says that %s matches nothing, and a browser used %d of its rules", f, sheet, used[sheet])
			}
		}
	}
	w.Logf("unused-style: %d findings, %d compared with a browser's coverage, %d false", total, held, wrong)
}

// used counts the rules that a browser used of each stylesheet of a page, by its path.
func (w *witness) used(address string) map[string]int {
	out := map[string]int{}
	w.mutex.Lock()
	w.sheets, w.requests = nil, map[string]bool{}
	w.mutex.Unlock()
	w.Do(chromedp.Navigate("about:blank"))
	clitest.Ask(w.Tab, dom.Enable, dom.EnableParams{})
	clitest.Ask(w.Tab, css.Enable, cdp.Empty{})
	clitest.Ask(w.Tab, css.StartRuleUsageTracking, cdp.Empty{})
	w.Do(chromedp.Navigate(address))
	w.settled()
	w.clicked()
	usage := clitest.Ask(w.Tab, css.StopRuleUsageTracking, cdp.Empty{}).RuleUsage
	clitest.Ask(w.Tab, css.Disable, cdp.Empty{})
	w.mutex.Lock()
	defer w.mutex.Unlock()
	for _, r := range usage {
		if u, err := url.Parse(w.sheets[r.StyleSheetID]); err == nil && r.Used {
			out[u.Path]++
		}
	}
	return out
}

// TestSuggestedLoaders is the same for a small site of hard cases: a tag loader with its
// queue, class names that are put together, a search box, elements of its own, code that is
// fetched as it runs, a page that leads away.
func TestSuggestedLoaders(t *testing.T) {
	testsize.OnlyFull(t)
	page := func(head, body string) string {
		return "<!doctype html>\n<html lang=en>\n<head>\n<meta charset=utf-8>\n<title>Tern Hill</title>\n<link rel=stylesheet href=/css/site.css>\n<link rel=stylesheet href=/css/kit.css>\n" +
			"<link rel=stylesheet href=/css/tabs.css>\n<script src=/js/kit.js defer></script>\n" + head + "</head>\n<body>\n" + body + "\n</body></html>\n"
	}
	const loader = "<script>window.tq = window.tq || []; tq.push(['page'])</script>\n<script>(function (d, t, u) { var s = d.createElement(t); s.async = 1; s.src = u; d.head.appendChild(s) })(document, 'script', 'https://tags.lantern.example/t.js')</script>\n"
	b := clitest.New(t, "site/css/site.css", "body { margin: 0 } h1 { color: navy }", "site/css/kit.css",
		".kit { padding: 1em } .kit-open { color: red }", "site/css/tabs.css",
		".tab { color: grey } .tab-one { color: green } .is-chosen { font-weight: bold }", "site/js/kit.js",
		"for (const k of document.querySelectorAll('.kit')) k.addEventListener('click', () => k.classList.toggle('kit-open'))",
		"site/js/tabs.js",
		"document.querySelectorAll('[data-tab]').forEach(b => { b.className = 'tab tab-' + b.dataset.tab; b.onclick = () => b.classList.add('is-' + 'chosen') })",
		"site/js/search.js",
		"var box = document.getElementById('q'); box.oninput = () => { import('/js/' + 'found.js').then(m => m.show(box)) }; setTimeout(() => import('/js/found.js').then(m => m.show(box)), 0)",
		"site/js/found.js",
		"export function show(box) { box.insertAdjacentHTML('afterend', '<p class=kit>found</p>') }",
		"site/js/own.js",
		"customElements.define('x-star', class extends HTMLElement { connectedCallback() { this.textContent = '*'; this.className = 'kit' } })",
		"site/index.html", page("", "<h1>Home</h1><p>x</p>"), "site/kit/index.html",
		page("", "<h1>Kit</h1><button class=kit>open</button>"), "site/tabs/index.html",
		page("<script src=/js/tabs.js defer></script>\n",
			"<h1>Tabs</h1><button data-tab=one>1</button><button data-tab=two>2</button>"), "site/search/index.html",
		page("<script src=/js/search.js defer></script>\n", "<h1>Search</h1><input id=q>"), "site/star/index.html",
		page("<script src=/js/own.js defer></script>\n", "<h1>Star</h1><x-star></x-star>"), "site/tags/index.html",
		page(loader, "<h1>Tags</h1>"), "site/more/index.html", page(loader, "<h1>More</h1>"), "site/plain/index.html",
		page("", "<h1>Plain</h1>"), "site/old/index.html",
		page("<meta http-equiv=refresh content='0; url=/plain/'>\n", "<p>Moved"))
	suggested(b)
	gate := b.Read("yellowgate.yaml")
	for _, want := range []string{"\n  tabs-style:"} {
		item, _, _ := strings.Cut(gate[strings.Index(gate, want)+1:], "\n\n")
		if !strings.Contains(gate, want) || strings.Contains(item, "pages: all") {
			t.Errorf("no tighter line was written for%s:\n%s", want, item)
		}
	}
	site, public := filepath.Join(b.Dir, "site"), filepath.Join(b.Dir, "public")
	pages := differing(t, site, public)
	if want := "/index.html /kit/index.html"; !slices.Contains(pages, "/index.html") ||
		slices.Contains(pages, "/tags/index.html") || slices.Contains(pages, "/old/index.html") {
		t.Errorf("pages that were changed: %v, want at least some of %s, and none with a tag loader", pages, want)
	}
	w := newWitness(t, 100*time.Second)
	held, restless, _ := w.unchanged(clitest.Serve(t, site), clitest.Serve(t, public), pages, takenOut(site, public))
	if held != len(pages) || held < 2 {
		t.Errorf("%d of %d pages could be compared with what they were, %d were restless", held, len(pages), restless)
	}
}
