package browser

import (
	"context"
	"encoding/json"
	"maps"
	"math"
	"net/url"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/css"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/profiler"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"yellowgate/internal/core/pageload"
)

// What is asked of a page once it is quiet: the document with who made its elements, what was
// measured, stored and used.

type measured struct {
	First, Largest, Shift, Blocking, Loaded float64
	Is, Lang, Title, URL                    string
	Nodes                                   int
	Shifts                                  []pageload.Shift
	Removed                                 []pageload.Removed
	Dialogs                                 []struct {
		ID, Is, Item string
		Covers       float64
		Modal        bool
	}
}

// read fills a record.
func read(ctx context.Context, r *pageload.Record, w *watch) error {
	m, err := evaluate[measured](ctx, readDocument)
	if err != nil {
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
		r.Dialogs = append(r.Dialogs,
			pageload.Dialog{ID: d.ID, Is: d.Is, Item: d.Item, Covers: round(d.Covers, 2), Modal: d.Modal})
	}
	host := ""
	if u, err := url.Parse(r.URL); err == nil {
		host = u.Hostname()
	}
	w.stores(ctx, r, host)
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
}

// What a document wrote down besides cookies: names, by kind.
type keeping struct {
	Host                            string
	Local, Session, Database, Cache []string
}

// stores lists what the page's document and its frames wrote down besides cookies. A frame that is gone wrote nothing.
func (w *watch) stores(ctx context.Context, r *pageload.Record, host string) {
	w.mu.Lock()
	contexts, frames := slices.Collect(maps.Keys(w.documents)), slices.Collect(maps.Values(w.frames))
	w.mu.Unlock()
	met := map[pageload.Stored]bool{}
	take := func(of *keeping) {
		for kind, list := range map[string][]string{
			"local": of.Local, "session": of.Session, "database": of.Database, "cache": of.Cache,
		} {
			for _, name := range list {
				s := pageload.Stored{Kind: kind, Name: name, Host: of.Host, Third: third(of.Host, host)}
				if !met[s] {
					met[s] = true
					r.Stored = append(r.Stored, s)
				}
			}
		}
	}
	for _, id := range contexts {
		in := func(p *runtime.EvaluateParams) { p.UniqueContextID = id }
		of, err := chromedp.Run(ctx, chromedp.Evaluate[keeping](readStored, chromedp.EvalAwaitPromise, in))
		if err == nil {
			take(&of)
		}
	}
	for _, at := range frames {
		var answer struct{ Result struct{ Value keeping } }
		read := runtime.EvaluateParams{Expression: readStored, AwaitPromise: new(true), ReturnByValue: new(true)}
		if json.Unmarshal(w.ask(ctx, at, runtime.CommandEvaluate, read), &answer) == nil {
			take(&answer.Result.Value)
		}
	}
}

// third reports whether what a host keeps is not of the page's own site.
func third(of, page string) bool { return of != page && !strings.HasSuffix(page, "."+of) }

// cookies lists the cookies that the visit left.
func cookies(ctx context.Context, r *pageload.Record, host string) error {
	left, err := chromedp.Call(ctx, network.GetCookies, network.GetCookiesParams{URLs: urlsOf(r)})
	if err != nil {
		return err
	}
	for _, c := range left.Cookies {
		s := pageload.Stored{Kind: "cookie", Name: c.Name, Host: strings.TrimPrefix(c.Domain, ".")}
		s.Third = third(s.Host, host)
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
	tree, err := chromedp.Call(ctx, dom.GetDocument, dom.GetDocumentParams{Depth: new(int64(-1)), Pierce: new(true)})
	if err != nil {
		return err
	}
	html, err := chromedp.Call(ctx, dom.GetOuterHTML, dom.GetOuterHTMLParams{NodeID: tree.Root.NodeID})
	if err != nil {
		return err
	}
	r.HTML, r.Nodes, r.Shadow = []byte(html.OuterHTML), nil, nil
	var walk func(n *cdp.Node, to *[]pageload.Node) error
	walk = func(n *cdp.Node, to *[]pageload.Node) error {
		switch {
		case n.NodeName == "svg" || n.NodeName == "math":
			return nil
		case noted[n.NodeName]:
			node := pageload.Node{
				Tag: strings.ToLower(n.NodeName),
				URL: attribute(n, "src") + attribute(n, "href"),
			}
			params := dom.GetNodeStackTracesParams{NodeID: n.NodeID}
			if stack, err := chromedp.Call(ctx, dom.GetNodeStackTraces, params); err == nil {
				if u, line := topOf(stack.Creation); u != "" {
					node.By = &pageload.By{URL: u, Line: line, Request: -1}
				}
			} else if ctx.Err() != nil {
				return ctx.Err()
			}
			*to = append(*to, node)
		}
		for _, root := range n.ShadowRoots {
			if root.ShadowRootType == cdp.ShadowRootTypeUserAgent {
				continue // of a form's field, by the browser
			}
			if err := walk(root, &r.Shadow); err != nil {
				return err
			}
		}
		for _, c := range n.Children {
			if err := walk(c, to); err != nil {
				return err
			}
		}
		return nil
	}
	return walk(tree.Root, &r.Nodes)
}

// attribute is the value of an element's attribute; "" for none.
func attribute(n *cdp.Node, name string) string {
	for i := 0; i+1 < len(n.Attributes); i += 2 {
		if n.Attributes[i] == name {
			return n.Attributes[i+1]
		}
	}
	return ""
}

// used reads how much of each script and stylesheet was used.
func used(ctx context.Context, r *pageload.Record, w *watch) error {
	scripts, err := chromedp.Call(ctx, profiler.TakePreciseCoverage, cdp.Empty{})
	if err != nil {
		return err
	}
	r.Counted = true
	for _, s := range scripts.Result {
		if !strings.HasPrefix(s.URL, "http") || s.URL == r.URL {
			continue // inline, or of the browser
		}
		total, unused := usedOf(s)
		r.Used = append(r.Used, pageload.Used{URL: s.URL, Kind: "script", Bytes: total, Used: total - unused})
	}
	rules, err := chromedp.Call(ctx, css.StopRuleUsageTracking, cdp.Empty{})
	if err != nil {
		return err
	}
	bytes := usedRules(rules.RuleUsage)
	w.mu.Lock()
	defer w.mu.Unlock()
	for id, h := range w.sheets {
		if strings.HasPrefix(h.SourceURL, "http") && !h.IsInline {
			r.Used = append(r.Used,
				pageload.Used{URL: h.SourceURL, Kind: "style", Bytes: int(h.Length),
					Used: min(bytes[id], int(h.Length))})
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
				edges = append(edges, edge{x.StartOffset, true, x.EndOffset - x.StartOffset, x.Count},
					edge{x.EndOffset, false, x.EndOffset - x.StartOffset, x.Count})
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
