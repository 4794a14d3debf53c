package browser

import (
	"context"
	"encoding/json"
	"math"
	"net/url"
	"sort"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/pageload"
)

// What is asked of a page once it is quiet: the document with who made its elements, what was
// measured, stored and used.

// observing is put into each page before its own scripts: it keeps what the browser measures. Nothing
// of it is in the document, and no script of the page meets it by listing what there is.
const observing = `(() => {
  const seen = {lcp: null, shift: 0, shifts: [], blocking: 0};
  Object.defineProperty(window, "__measuredByYellowGate", {value: seen, enumerable: false});
  const name = n => { if (!n || !n.tagName) return ""; let s = n.tagName.toLowerCase(); if (n.id) s += "#" + n.id; else if (typeof n.className === "string" && n.className.trim()) s += "." + n.className.trim().split(/\s+/)[0]; return s; };
  const watch = (type, take) => { try { new PerformanceObserver(l => l.getEntries().forEach(take)).observe({type, buffered: true}); } catch (e) {} };
  watch("largest-contentful-paint", e => { seen.lcp = {at: e.startTime, is: name(e.element) || e.url || ""}; });
  watch("layout-shift", e => { if (e.hadRecentInput) return; seen.shift += e.value; if (seen.shifts.length < 50) seen.shifts.push({value: e.value, elements: (e.sources || []).map(s => name(s.node)).filter(Boolean)}); });
  watch("longtask", e => { seen.blocking += Math.max(0, e.duration - 50); });
  seen.removed = [];
  new MutationObserver(list => { for (const m of list) for (const node of m.removedNodes) {
    if (seen.removed.length < 300 && (node.nodeType === 1 || node.nodeType === 8)) seen.removed.push({node, from: name(m.target) || "the document"});
  } }).observe(document, {childList: true, subtree: true});
})();`

// readDocument reads it, with what else only a script can ask.
const readDocument = `(async () => {
  const seen = window.__measuredByYellowGate || {}, paint = performance.getEntriesByName("first-contentful-paint")[0], nav = performance.getEntriesByType("navigation")[0] || {};
  const keys = s => { try { return Object.keys(window[s]); } catch (e) { return []; } };
  const screen = innerWidth * innerHeight;
  const soon = async (list, name) => { // neither is there without TLS
    try { return await Promise.race([new Promise(done => setTimeout(done, 500, [])), list().then(l => l.map(name))]); } catch { return []; }
  };
  // What else lies over the page: fixed boxes and frames, popovers and the like, in shadow trees too, with something of
  // the page below, by what is on top at a grid of points.
  const above = new Map(), grid = 8, up = n => n.parentElement || (n.getRootNode() || {}).host || null;
  const deepest = (x, y) => { let n = document.elementFromPoint(x, y); while (n && n.shadowRoot) { const m = n.shadowRoot.elementFromPoint(x, y); if (!m || m === n) break; n = m; } return n; };
  for (let i = 0; i < grid * grid; i++) {
    const x = (i % grid + .5) * innerWidth / grid, y = (Math.floor(i / grid) + .5) * innerHeight / grid;
    let box = null, inDialog = false;
    for (let n = deepest(x, y); n && n !== document.body && n !== document.documentElement; n = up(n)) {
      inDialog = inDialog || n.localName === "dialog";
      if (getComputedStyle(n).position === "fixed" || /dialog/.test(n.getAttribute("role") || "") || n.matches("[popover]")) box = n;
    }
    if (!box || inDialog) continue;
    const below = document.elementsFromPoint(x, y).some(n => n !== document.body && n !== document.documentElement && !n.contains(box) && !box.contains(n) && !(n.shadowRoot && n.contains(box.getRootNode().host)));
    const met = above.get(box) || {points: 0, below: false};
    above.set(box, {points: met.points + 1, below: met.below || below});
  }
  const itemOf = n => { // by the marks around it
    for (let e = n; e; e = up(e)) for (let s = e.previousSibling; s; s = s.previousSibling) {
      const mark = s.nodeType === 8 && /^(\/?)yg:(.*)$/.exec(s.data);
      if (mark && mark[1]) break;
      if (mark) return mark[2];
    }
    return "";
  };
  const over = [...above].filter(([, met]) => met.below).map(([n, {points}]) => ({id: n.id, item: itemOf(n), is: n.localName + (n.id ? "#" + n.id : "") + [...n.classList].slice(0, 1).map(c => "." + c).join(""), covers: points / (grid * grid), modal: n.getAttribute("aria-modal") === "true"}));
  const removed = [];
  for (const {node, from} of seen.removed || []) {
    if (node.isConnected || removed.length >= 300) continue;
    const walker = document.createTreeWalker(node, NodeFilter.SHOW_COMMENT | NodeFilter.SHOW_ELEMENT);
    for (let n = node; n && removed.length < 300; n = walker.nextNode()) {
      const mark = n.nodeType === 8 && /^yg:(.*)$/.exec(n.data);
      if (mark) removed.push({mark: mark[1], from});
      else if (n.nodeType === 1 && /^(SCRIPT|STYLE|LINK|META|TITLE|DIALOG|IFRAME|IMG)$/.test(n.tagName)) removed.push({tag: n.localName, url: n.getAttribute("src") || n.getAttribute("href") || "", from});
    }
  }
  const databases = await soon(() => indexedDB.databases(), d => d.name), stores = await soon(() => caches.keys(), k => k);
  return {first: paint ? paint.startTime : 0, largest: seen.lcp ? seen.lcp.at : 0, is: seen.lcp ? seen.lcp.is : "", shift: seen.shift || 0, shifts: seen.shifts || [], blocking: seen.blocking || 0,
    nodes: document.getElementsByTagName("*").length, loaded: nav.loadEventEnd || 0, lang: document.documentElement.lang, title: document.title, url: location.href, removed, databases, stores, local: keys("localStorage"), session: keys("sessionStorage"),
    dialogs: over.concat(Array.from(document.querySelectorAll("dialog[open]")).map(d => { const r = d.getBoundingClientRect(), w = Math.max(0, Math.min(r.right, innerWidth) - Math.max(r.left, 0)), h = Math.max(0, Math.min(r.bottom, innerHeight) - Math.max(r.top, 0)); return {id: d.id, covers: w * h / screen, modal: d.matches(":modal")}; }))};
})()`

type measured struct {
	First, Largest, Shift, Blocking, Loaded float64
	Is, Lang, Title, URL                    string
	Nodes                                   int
	Shifts                                  []pageload.Shift
	Local, Session, Databases, Stores       []string
	Removed                                 []pageload.Removed
	Dialogs                                 []struct {
		ID, Is, Item string
		Covers       float64
		Modal        bool
	}
}

// read fills a record.
func read(ctx context.Context, r *pageload.Record, w *watch) error {
	var m measured
	var raw json.RawMessage
	if err := chromedp.Run(ctx, chromedp.Evaluate(readDocument, &raw, awaiting)); err != nil {
		return err
	}
	if err := json.Unmarshal(raw, &m); err != nil {
		return err
	}
	round := func(x float64, digits int) float64 {
		f := math.Pow(10, float64(digits))
		return math.Round(x*f) / f
	}
	r.Title, r.Lang, r.URL, r.Removed = m.Title, m.Lang, m.URL, m.Removed
	r.Measured = pageload.Measured{
		FirstPaint:   round(m.First, 1),
		LargestPaint: round(m.Largest, 1),
		LargestIs:    m.Is,
		Shift:        round(m.Shift, 4),
		Blocking:     round(m.Blocking, 1),
		Nodes:        m.Nodes,
		Loaded:       round(m.Loaded, 1),
	}
	for _, s := range m.Shifts {
		r.Measured.Shifts = append(r.Measured.Shifts, pageload.Shift{Value: round(s.Value, 4), Elements: s.Elements})
	}
	for _, d := range m.Dialogs {
		r.Dialogs = append(r.Dialogs, pageload.Dialog{ID: d.ID, Is: d.Is, Item: d.Item, Covers: round(d.Covers, 2), Modal: d.Modal})
	}
	host := ""
	if u, err := url.Parse(r.URL); err == nil {
		host = u.Hostname()
	}
	for kind, list := range map[string][]string{
		"local": m.Local, "session": m.Session, "database": m.Databases, "cache": m.Stores,
	} {
		for _, name := range list {
			r.Stored = append(r.Stored, pageload.Stored{Kind: kind, Name: name, Host: host})
		}
	}
	return chromedp.Run(ctx, chromedp.ActionFunc(func(ctx context.Context) error {
		if err := cookies(ctx, r, host); err != nil {
			return err
		}
		for tries := 0; ; tries++ { // a page that puts up another document meanwhile is read again
			err := document(ctx, r)
			if err == nil {
				break
			}
			if ctx.Err() != nil || tries == 3 {
				return err
			}
			time.Sleep(100 * time.Millisecond)
		}
		return used(ctx, r, w)
	}))
}

// cookies lists the cookies that the visit left.
func cookies(ctx context.Context, r *pageload.Record, host string) error {
	list, err := network.GetCookies().WithURLs(urlsOf(r)).Do(ctx)
	if err != nil {
		return err
	}
	for _, c := range list {
		s := pageload.Stored{Kind: "cookie", Name: c.Name, Host: strings.TrimPrefix(c.Domain, ".")}
		s.Third = s.Host != host && !strings.HasSuffix(host, "."+s.Host)
		if !c.Session {
			s.Days = int(math.Ceil(time.Until(time.Unix(int64(c.Expires), 0)).Hours() / 24))
		}
		r.Stored = append(r.Stored, s)
	}
	sort.Slice(r.Stored, func(i, j int) bool {
		a, b := &r.Stored[i], &r.Stored[j]
		if a.Kind != b.Kind {
			return a.Kind < b.Kind
		}
		return a.Host+"\x00"+a.Name < b.Host+"\x00"+b.Name
	})
	return nil
}

// urlsOf are the addresses of what the page asked for, one for each host.
func urlsOf(r *pageload.Record) (urls []string) {
	seen := map[string]bool{}
	for i := range r.Requests {
		if u, err := url.Parse(r.Requests[i].URL); err == nil && !seen[u.Host] && strings.HasPrefix(u.Scheme, "http") {
			seen[u.Host] = true
			urls = append(urls, r.Requests[i].URL)
		}
	}
	return urls
}

// noted are the elements whose maker is asked for.
var noted = map[string]bool{
	"TITLE": true, "META": true, "LINK": true, "BASE": true, "SCRIPT": true, "STYLE": true, "NOSCRIPT": true,
	"TEMPLATE": true, "IFRAME": true, "DIALOG": true, "IMG": true,
}

// document reads the document as it stands, and who made its elements.
func document(ctx context.Context, r *pageload.Record) error {
	root, err := dom.GetDocument().WithDepth(-1).Do(ctx)
	if err != nil {
		return err
	}
	html, err := dom.GetOuterHTML().WithNodeID(root.NodeID).Do(ctx)
	if err != nil {
		return err
	}
	r.HTML, r.Nodes = []byte(html), nil
	var walk func(n *cdp.Node) error
	walk = func(n *cdp.Node) error {
		switch {
		case n.NodeName == "svg" || n.NodeName == "math":
			return nil
		case noted[n.NodeName]:
			node := pageload.Node{
				Tag: strings.ToLower(n.NodeName),
				URL: n.AttributeValue("src") + n.AttributeValue("href"),
			}
			if stack, err := dom.GetNodeStackTraces(n.NodeID).Do(ctx); err == nil && stack != nil {
				if u, line := topOf(stack); u != "" {
					node.By = &pageload.By{URL: u, Line: line, Request: -1}
				}
			} else if ctx.Err() != nil {
				return ctx.Err()
			}
			r.Nodes = append(r.Nodes, node)
		}
		for _, c := range n.Children {
			if err := walk(c); err != nil {
				return err
			}
		}
		return nil
	}
	return walk(root)
}

// used reads how much of each script and stylesheet was used.
func used(ctx context.Context, r *pageload.Record, w *watch) error {
	scripts, _, err := profiler.TakePreciseCoverage().Do(ctx)
	if err != nil {
		return err
	}
	r.Counted = true
	for _, s := range scripts {
		if !strings.HasPrefix(s.URL, "http") || s.URL == r.URL {
			continue // inline, or of the browser
		}
		total, unused := usedOf(s)
		r.Used = append(r.Used, pageload.Used{URL: s.URL, Kind: "script", Bytes: total, Used: total - unused})
	}
	rules, err := css.StopRuleUsageTracking().Do(ctx)
	if err != nil {
		return err
	}
	bytes := usedRules(rules)
	w.mu.Lock()
	defer w.mu.Unlock()
	for id, h := range w.sheets {
		if strings.HasPrefix(h.SourceURL, "http") && !h.IsInline {
			r.Used = append(r.Used, pageload.Used{URL: h.SourceURL, Kind: "style", Bytes: int(h.Length), Used: min(bytes[id], int(h.Length))})
		}
	}
	sort.Slice(r.Used, func(i, j int) bool { return r.Used[i].URL < r.Used[j].URL })
	return nil
}

// usedRules are the units of each stylesheet, by its ID, that lie in rules that matched. The browser can
// tell of one rule several times.
func usedRules(rules []*css.RuleUsage) map[string]int {
	sort.SliceStable(rules, func(i, j int) bool { return rules[i].StartOffset < rules[j].StartOffset })
	used, reached := map[string]int{}, map[string]float64{}
	for _, x := range rules {
		id := string(x.StyleSheetID)
		if from := max(x.StartOffset, reached[id]); x.Used && x.EndOffset > from {
			used[id] += int(x.EndOffset - from)
			reached[id] = x.EndOffset
		}
	}
	return used
}

// usedOf is the size of a script, and how much of it did not run, in UTF-16 units. A range within
// another says something else of its part.
func usedOf(s *profiler.ScriptCoverage) (total, unused int) {
	type edge struct {
		at    int64
		open  bool
		size  int64
		count int64
	}
	var edges []edge
	for _, f := range s.Functions {
		for _, x := range f.Ranges {
			total = max(total, int(x.EndOffset))
			if x.EndOffset > x.StartOffset {
				edges = append(edges, edge{x.StartOffset, true, x.EndOffset - x.StartOffset, x.Count}, edge{x.EndOffset, false, x.EndOffset - x.StartOffset, x.Count})
			}
		}
	}
	sort.SliceStable(edges, func(i, j int) bool {
		a, b := edges[i], edges[j]
		switch {
		case a.at != b.at:
			return a.at < b.at
		case a.open != b.open:
			return !a.open // what ends here ends first
		case a.open:
			return a.size > b.size // the outer one begins first
		}
		return a.size < b.size
	})
	var stack []int64
	last := int64(0)
	for _, e := range edges {
		if len(stack) > 0 && stack[len(stack)-1] == 0 {
			unused += int(e.at - last)
		}
		last = e.at
		if e.open {
			stack = append(stack, e.count)
		} else if len(stack) > 0 {
			stack = stack[:len(stack)-1]
		}
	}
	return total, unused
}
