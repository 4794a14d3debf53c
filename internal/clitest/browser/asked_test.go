package browser_test

import (
	"encoding/json"
	"html"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/core/pageload"
)

// TestForeignAsked compares the inventory of foreign pages with what a browser asks for: every
// request that the page's own text makes is in it, each that fails is a dead file, and what
// holds up the first paint is told as blocking. What scripts ask for is counted.
func TestForeignAsked(t *testing.T) {
	if *foreignSites == "" {
		t.Skip("no -sites are named")
	}
	w := newWitness(t, time.Hour)
	by := map[string]*network.EventRequestWillBeSent{}
	status := map[string]int64{}
	var entries []string
	w.Listen(func(ev any) {
		w.mutex.Lock()
		defer w.mutex.Unlock()
		switch ev := ev.(type) {
		case *network.EventRequestWillBeSent:
			by[ev.Request.URL] = ev
		case *network.EventResponseReceived:
			status[ev.Response.URL] = ev.Response.Status
		case *log.EventEntryAdded:
			entries = append(entries, string(ev.Entry.Level)+" "+ev.Entry.Text+" "+ev.Entry.URL)
		}
	})
	clitest.Ask(w.Tab, log.Enable, cdp.Empty{})
	pages, own, known, dead, told, scripts, foretold, blocking := 0, 0, 0, 0, 0, 0, 0, 0
	others := map[string]int{}
	for _, folder := range strings.Split(*foreignSites, ",") {
		b := clitest.In(t, folder)
		_, out, _ := b.Exec("audit", ".", "--format", "json", "--fail-on", "never")
		var a audited
		if err := json.Unmarshal([]byte(out), &a); err != nil {
			t.Fatal(err)
		}
		findings := map[string]string{} // by file: all messages of dead-file, and those of no page under ""
		for _, f := range a.Findings {
			if f.Check == "dead-file" {
				key := f.File
				if f.Page == "" {
					key = ""
				}
				findings[key] += f.Message + "\n"
			}
		}
		rand.New(rand.NewSource(3)).Shuffle(len(a.Records),
			func(i, j int) { a.Records[i], a.Records[j] = a.Records[j], a.Records[i] })
		address := clitest.Serve(t, folder)
		for _, r := range a.Records[:min(len(a.Records), *foreignPages)] {
			w.mutex.Lock()
			clear(by)
			clear(status)
			w.requests = map[string]bool{}
			w.mutex.Unlock()
			here := address + (&url.URL{Path: "/" + r.File}).EscapedPath()
			w.Do(chromedp.Navigate("about:blank"), chromedp.Navigate(here))
			w.settled()
			if w.JS("location.href.split('#')[0]") != here {
				others["pages that lead elsewhere"]++
				continue
			}
			var blocked []string
			_ = json.Unmarshal(
				[]byte(
					w.JS(
						`JSON.stringify(performance.getEntriesByType("resource").filter(e => e.renderBlockingStatus == "blocking").map(e => e.name))`)),
				&blocked)
			pages++
			targets, holds := map[string]bool{}, map[string]bool{}
			for _, e := range append(r.Elements, r.Media...) {
				targets[pathOf(e.Target)] = true
				holds[pathOf(e.Target)] = holds[pathOf(e.Target)] || e.Runs == "blocking"
				for _, m := range append(e.Imports, e.Loads...) {
					targets[pathOf(m.Target)] = true
					holds[pathOf(m.Target)] = holds[pathOf(m.Target)] || e.Runs == "blocking"
				}
			}
			file, _ := os.ReadFile(filepath.Join(folder, filepath.FromSlash(r.File)))
			text := html.UnescapeString(string(file))
			w.mutex.Lock()
			for raw, ev := range by {
				u, _ := url.Parse(raw)
				if u.Scheme != "http" && u.Scheme != "https" || raw == here || u.Path == "/favicon.ico" {
					continue
				}
				name := pathOf(strings.TrimPrefix(raw, address))
				switch {
				case ev.Initiator.Type == network.InitiatorTypeParser && ev.Initiator.URL != here:
					others["by a stylesheet or a frame"]++
				case ev.Initiator.Type == network.InitiatorTypeScript || !strings.Contains(text,
					name[strings.LastIndexByte(name, '/')+1:]):
					scripts++ // or markup that one put in
					if targets[name] {
						foretold++
					}
					continue
				default:
					own++
					if targets[name] {
						known++
					} else if ev.Type != network.ResourceTypeDocument {
						t.Errorf("%s/%s: a browser asks for %s (%s, by %s), and the inventory lacks it",
							filepath.Base(folder), r.File, name, ev.Type, ev.Initiator.Type)
					}
				}
				if status[raw] == 404 && strings.HasPrefix(raw, address) {
					dead++
					base := name[strings.LastIndexByte(name, '/')+1:]
					if strings.Contains(findings[r.File], base) || strings.Contains(findings[""], base) {
						told++
					} else {
						t.Errorf("%s/%s: %s is not there, and no finding says so", filepath.Base(folder), r.File, name)
					}
				}
			}
			w.mutex.Unlock()
			for _, raw := range blocked {
				blocking++
				if name := pathOf(strings.TrimPrefix(raw, address)); !holds[name] {
					t.Errorf("%s/%s: %s holds up the paint, and the inventory does not say so", filepath.Base(folder), r.File, name)
				}
			}
		}
	}
	for _, e := range entries {
		words := strings.Fields(e)
		others["logged: "+strings.Join(words[:min(len(words), 7)], " ")]++
	}
	t.Logf(
		"%d pages: %d requests of their own text, %d in the inventory; %d to files that are not there, %d told; %d held up the paint; %d by scripts, %d foretold",
		pages, own, known, dead, told, blocking, scripts, foretold)
	var list []string
	for what := range others {
		list = append(list, what)
	}
	sort.Strings(list)
	for _, what := range list {
		t.Logf("%6d %s", others[what], what)
	}
}

// pathOf is a target as a browser writes its path, without query and fragment.
func pathOf(target string) string {
	target, _, _ = strings.Cut(target, "#")
	target, _, _ = strings.Cut(target, "?")
	if s, err := url.PathUnescape(target); err == nil {
		target = s
	}
	if strings.HasPrefix(target, "/") {
		target = path.Clean(target)
	}
	return target
}

// audited is what a test reads of an audit.
type audited struct {
	Records []struct {
		File            string
		Elements, Media []struct {
			Tag, Target, Runs string
			Line, Column      int
			Imports, Loads    []struct{ Target string }
		}
	}
	Findings []struct {
		Check, Page, File, Message string
		Line, Column               int
	}
}

// TestHeardWithin: what a worker of a worker and a worker of somebody else's frame ask for is heard, and elements of
// shadow trees stand in the record.
func TestHeardWithin(t *testing.T) {
	t.Parallel()
	clitest.NeedBrowser(t)
	frame := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/":
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte(`<script>kept = new Worker("/worker.js")</script>`))
		case "/worker.js":
			w.Header().Set("Content-Type", "text/javascript")
			_, _ = w.Write([]byte(`kept = fetch("/from-their-worker.json").then(r => r.text()); onmessage = () => kept`))
		}
	}))
	defer frame.Close()
	b := clitest.New(t, "yellowgate.yaml", clitest.SiteHead,
		"site/index.html", clitest.Doc("A", `<div id=host></div><iframe src=https://pay.lantern.example/></iframe><script>
new Worker("/outer.js");
const l = document.createElement("link"); l.rel = "stylesheet"; l.href = "/inner.css";
document.getElementById("host").attachShadow({mode: "closed"}).append(l);
</script>`),
		"site/outer.js", `new Worker("/nested.js")`, "site/nested.js", `fetch("/from-nested.json")`, "site/inner.css", "p{color:red}")
	var r pageload.Record
	out := b.Want(0, clitest.Args("show", "/", "--browser", "-q", "--format", "json",
		"--host", "pay.lantern.example="+strings.TrimPrefix(frame.URL, "https://")))
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"/nested.js", "/from-nested.json", "https://pay.lantern.example/worker.js",
		"https://pay.lantern.example/from-their-worker.json"} {
		i := slices.IndexFunc(r.Requests, func(x pageload.Request) bool { return x.Target == want })
		if i < 0 || r.Requests[i].Failed != "" {
			t.Errorf("%s is not heard, or failed:\n%s", want, out)
		}
	}
	if !slices.ContainsFunc(r.Elements, func(e pageload.DOMElement) bool {
		return e.Area == "shadow" && e.Target == "/inner.css" && e.Came == "script" && e.By != nil
	}) {
		t.Errorf("the shadow tree's stylesheet is not there:\n%s", out)
	}
}
