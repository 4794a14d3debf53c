package usage

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/wording"
)

// A Ledger counts over all pages which of them need a thing. It is added to by one
// goroutine at a time.
type Ledger struct {
	pages []string // paths
	seen  map[string]*Entry
	order []*Entry
}

// An Entry is one thing that pages load.
type Entry struct {
	Key, Item string
	Loads     []MadeOf // what it is made of
	On        []int    // pages that load it, by number
	Used      []int    // of these, those that need it
	Unseen    []int    // of these, those of which it cannot be told

	// What it costs on the pages that do not need it, over all of them.
	Requests, Blocking, Bytes, Gzip int

	// kept are pages, among the used, that keep it because nobody can tell there.
	kept     []int
	doubtful []int // pages that seem not to need it, and of which nobody can be sure
	doubt    cost  // what it costs there

	certainty Certainty
	why       map[string]int   // what shows the need -> pages
	unseen    string           // why it cannot be told
	unmatched string           // what it asks for without a match
	doubts    string           // why nobody can be sure on some page
	uncalled  bool             // unmatched are names that nothing calls
	matches   map[string][]int // selector -> pages
}

// A MadeOf is one element that a thing is made of.
type MadeOf struct {
	Tag, Target, Party, Text string // Text of an inline script or style
}

// Add counts one page.
func (l *Ledger) Add(r *inventory.Record, needs []*Need) {
	if l.seen == nil {
		l.seen = map[string]*Entry{}
	}
	page := len(l.pages)
	l.pages = append(l.pages, r.Path)
	for _, n := range needs {
		key := n.Item + "\x00" + n.Key
		e := l.seen[key]
		if e == nil {
			e = &Entry{Key: n.Key, Item: n.Item, certainty: Certain, why: map[string]int{}, matches: map[string][]int{}}
			l.seen[key] = e
			l.order = append(l.order, e)
		}
		e.add(page, r, n)
	}
}

func (e *Entry) add(page int, r *inventory.Record, n *Need) {
	e.On = append(e.On, page)
	requests, blocking, bytes, gzip := 0, 0, 0, 0
	for _, i := range n.Elements {
		x := &r.Elements[i]
		bytes += x.Bytes
		gzip += x.Gzip
		if x.Loads {
			requests++
			if x.Runs == "blocking" {
				blocking++
			}
		}
		for _, m := range x.Gets() {
			if m.Later {
				continue // nobody fetches it by itself
			}
			requests++
			bytes += m.Bytes
			gzip += m.Gzip
		}
		load := MadeOf{Tag: x.Tag, Target: x.Target, Party: x.Party}
		if !x.Loads {
			load.Text = r.Source.String(x.El.TagEnd, max(x.El.ContentEnd, x.El.TagEnd))
		}
		if !slices.Contains(e.Loads, load) && len(e.Loads) < 8 {
			e.Loads = append(e.Loads, load)
		}
	}
	switch n.State {
	case Used:
		e.Used = append(e.Used, page)
		why := n.By
		if n.From != "" {
			why += " named by " + n.From
		}
		e.why[why]++
		for _, s := range n.Selectors {
			if on := e.matches[s]; len(on) == 0 || on[len(on)-1] != page {
				e.matches[s] = append(on, page)
			}
		}
	case Unseen:
		e.Unseen, e.unseen = append(e.Unseen, page), n.By
	default:
		e.unmatched, e.uncalled = n.By, n.Uncalled
		if n.Certainty == Possible {
			e.doubtful, e.doubts = append(e.doubtful, page), n.Doubt
			e.doubt.add(cost{requests, blocking, bytes, gzip})
			break
		}
		e.certainty = min(e.certainty, n.Certainty)
		e.Requests += requests
		e.Blocking += blocking
		e.Bytes += bytes
		e.Gzip += gzip
	}
}

// Texts lists the inline scripts and styles of all pages, each once.
func (l *Ledger) Texts() (out []string) {
	seen := map[string]bool{}
	for _, e := range l.order {
		for i := range e.Loads {
			x := &e.Loads[i]
			if x.Text != "" && !seen[x.Text] {
				seen[x.Text] = true
				out = append(out, x.Text)
			}
		}
	}
	return out
}

// A Suggestion is a thing that loads where nothing needs it.
type Suggestion struct {
	*Entry
	Certainty Certainty
	Needed    []string // paths of the pages that need it
	Without   []string // of those that load it and do not
	Evidence  []string // sentences
	// Queries choose the pages that need it, the best first. Those with has() are
	// to be tried on the source pages.
	Queries []string
}

// A cost is what a thing costs on some pages.
type cost struct{ requests, blocking, bytes, gzip int }

func (c *cost) add(x cost) {
	c.requests += x.requests
	c.blocking += x.blocking
	c.bytes += x.bytes
	c.gzip += x.gzip
}

// settle decides about the pages of which nobody can be sure: where others can be, they
// keep the thing; where none can, all that is said is possible.
func (e *Entry) settle() {
	switch {
	case len(e.doubtful) == 0:
	case len(e.doubtful)+len(e.Used)+len(e.Unseen) < len(e.On):
		e.kept = e.doubtful
		e.Used = slices.Sorted(slices.Values(append(slices.Clone(e.Used), e.kept...)))
		e.why["kept where something may change the page"] += len(e.kept)
	default:
		e.certainty = Possible
		e.Requests += e.doubt.requests
		e.Blocking += e.doubt.blocking
		e.Bytes += e.doubt.bytes
		e.Gzip += e.doubt.gzip
	}
	e.doubtful = nil
}

// Suggestions lists what loads where nothing needs it, what saves most first.
func (l *Ledger) Suggestions() (out []Suggestion) {
	sorted := slices.Sorted(slices.Values(l.pages))
	for _, e := range l.order {
		e.settle()
		if len(e.Unseen) > 0 || len(e.Used) == len(e.On) {
			continue
		}
		s := Suggestion{Entry: e, Certainty: e.certainty}
		used := map[int]bool{}
		for _, i := range e.Used {
			used[i] = true
			s.Needed = append(s.Needed, l.pages[i])
		}
		for _, i := range e.On {
			if !used[i] {
				s.Without = append(s.Without, l.pages[i])
			}
		}
		s.Evidence = e.evidence()
		var kept []string
		for _, i := range e.kept {
			kept = append(kept, l.pages[i])
		}
		s.Queries = e.queries(sorted, s.Needed, s.Without, kept)
		out = append(out, s)
	}
	sort.SliceStable(out, func(i, j int) bool {
		return out[i].Gzip > out[j].Gzip
	})
	return out
}

// A Doubt is a thing of which nothing can be told.
type Doubt struct {
	*Entry
	Why string
}

// Doubts lists the things that cannot be judged.
func (l *Ledger) Doubts() (out []Doubt) {
	for _, e := range l.order {
		if len(e.Unseen) > 0 {
			out = append(out, Doubt{e, e.unseen})
		}
	}
	return out
}

// evidence says what was seen, in sentences.
func (e *Entry) evidence() (out []string) {
	if len(e.Used) == 0 {
		out = append(out, "nothing on the pages that load it uses it")
	}
	type reason struct {
		what  string
		pages int
	}
	var reasons []reason
	for what, n := range e.why {
		reasons = append(reasons, reason{what, n})
	}
	slices.SortFunc(reasons, func(a, b reason) int { return cmp.Or(b.pages-a.pages, strings.Compare(a.what, b.what)) })
	for i, r := range reasons {
		if i == 3 {
			out = append(out, fmt.Sprintf("and %d more that are used", len(reasons)-3))
			break
		}
		out = append(out, fmt.Sprintf("%s on %s", r.what, wording.Count(r.pages, "page")))
	}
	if e.unmatched != "" {
		where := "there"
		if len(e.Used) > 0 {
			where = "on the others"
		}
		what := "not found " + where + ": "
		if e.uncalled {
			what = "no script " + where + " calls the name "
		}
		out = append(out, what+e.unmatched)
	}
	if e.certainty == Possible && e.doubts != "" {
		out = append(out, "not certain: "+e.doubts)
	}
	return out
}

// longest is how many entries a list of paths may have before nobody would keep it.
const longest = 12

// queries are the page queries that choose the pages that need a thing.
func (e *Entry) queries(all, needed, without, kept []string) (out []string) {
	if len(needed) == 0 {
		return []string{"none"}
	}
	if sel := e.cover(); len(sel) > 0 {
		query := "has(" + strings.Join(sel, ") or has(") + ")"
		list := Paths(kept, all)
		if len(list) > 0 {
			query += " or " + strings.Join(list, " or ")
		}
		if len(kept) == 0 || len(list) > 0 {
			out = append(out, query)
		}
	}
	if list := Paths(needed, all); len(list) > 0 {
		out = append(out, strings.Join(list, " or "))
	}
	if list := Paths(without, all); len(list) > 0 {
		but := strings.Join(list, " or ")
		if len(list) > 1 {
			but = "(" + but + ")"
		}
		out = append(out, "all and not "+but)
	}
	return out
}

// cover chooses selectors that match on all the pages that need the thing: as few as
// it takes, at most three, the plainer the better.
func (e *Entry) cover() (chosen []string) {
	var all []string
	for s := range e.matches {
		all = append(all, s)
	}
	slices.SortFunc(all, func(a, b string) int {
		return cmp.Or(len(e.matches[b])-len(e.matches[a]), plainness(a)-plainness(b), len(a)-len(b), strings.Compare(a, b))
	})
	left := map[int]bool{}
	for _, i := range e.Used {
		left[i] = true
	}
	for _, i := range e.kept { // nothing on them asks for it
		delete(left, i)
	}
	for len(left) > 0 && len(chosen) < 3 {
		best, most := "", 0
		for _, s := range all {
			n := 0
			for _, i := range e.matches[s] {
				if left[i] {
					n++
				}
			}
			if n > most {
				best, most = s, n
			}
		}
		if best == "" {
			return nil
		}
		chosen = append(chosen, best)
		for _, i := range e.matches[best] {
			delete(left, i)
		}
	}
	if len(left) > 0 {
		return nil
	}
	return chosen
}

// plainness is 0 for a class or an id, 1 for a tag with one, 2 for what else one
// element answers, 3 for a tag alone, 4 for the rest.
func plainness(s string) int {
	switch {
	case strings.ContainsAny(s, " >+~,:"):
		return 4
	case strings.IndexAny(s, ".#") == 0 && strings.LastIndexAny(s, ".#[") == 0:
		return 0
	case strings.ContainsAny(s, ".#"):
		return 1
	case strings.Contains(s, "["):
		return 2
	}
	return 3
}

// Paths writes a set of pages as paths and globs of folders all of whose pages are
// in it; nil where that takes more than longest entries. all has to be sorted.
func Paths(some, all []string) (out []string) {
	in := make(map[string]bool, len(some))
	for _, p := range some {
		in[p] = true
	}
	before := make([]int, len(all)+1) // how many of some stand before
	for i, p := range all {
		before[i+1] = before[i]
		if in[p] {
			before[i+1]++
		}
	}
	var folder func(from, to, depth int)
	folder = func(from, to, depth int) {
		have := before[to] - before[from]
		switch {
		case have == 0 || len(out) > longest:
		case have == to-from && have > 1 && depth == 1:
			out = append(out, "all")
		case have == to-from && have > 1:
			out = append(out, page.URLPath(all[from][:depth])+"**")
		default:
			for i := from; i < to; {
				end := i + 1
				slash := strings.IndexByte(all[i][depth:], '/')
				if slash >= 0 {
					sub := all[i][:depth+slash+1]
					for end < to && strings.HasPrefix(all[end], sub) {
						end++
					}
				}
				switch {
				case end > i+1:
					folder(i, end, depth+slash+1)
				case in[all[i]]:
					out = append(out, page.URLPath(all[i]))
				}
				i = end
			}
		}
	}
	folder(0, len(all), 1)
	if len(out) > longest {
		return nil
	}
	return out
}
