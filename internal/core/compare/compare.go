// Package compare compares two inventories of a site with each other: what came,
// what went, what moved, what that costs or saves, which findings are mended and
// which are new, and whether anything else changed.
package compare

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
)

// A Side is one of the two: the records and findings of an audit.
type Side struct {
	Name     string
	Records  []*inventory.Record
	Findings []check.Finding
	Rendered []*pageload.Record // what a browser made of the pages; none where none was asked
}

// A Result is what differs.
type Result struct {
	Before  Totals          `json:"before"`
	After   Totals          `json:"after"`
	Came    []Thing         `json:"came"`    // what is on pages on which it was not
	Went    []Thing         `json:"went"`    // what is no longer on pages
	Moved   []Thing         `json:"moved"`   // what stands in another half, or runs otherwise
	Pages   []PageChange    `json:"pages"`   // that changed in what they load
	Others  []string        `json:"others"`  // pages that differ in something else than what came, went and moved
	Rests   []Rest          `json:"rests"`   // the same with how much, where the texts of both sides are at hand
	Untold  []string        `json:"untold"`  // pages of which it cannot be told: a side is a saved audit
	Added   []string        `json:"added"`   // pages that were not there before
	Removed []string        `json:"removed"` // pages that are no longer there
	Mended  []check.Finding `json:"mended"`
	New     []check.Finding `json:"new"`
	// Felt is what a browser made of both sides, where both were opened in one.
	Felt *Felt `json:"browser,omitempty"`
}

// Felt is what a browser made of two sides.
type Felt struct {
	Before *pageload.Summary `json:"before"`
	After  *pageload.Summary `json:"after"`
}

// A Rest is what differs on a page besides what came, went and moved: text, other
// elements, attributes, metadata.
type Rest struct {
	Page  string `json:"page"`
	Lines int    `json:"lines"` // that are on one side only
	Diff  string `json:"diff,omitempty"`
}

// A Cut is a page that is on both sides and differs, with the spans of the files in which
// what came, went and moved stands.
type Cut struct {
	Path          string
	Before, After string // files
	Went, Came    []markup.Span
	Changed       bool // something came, went or moved
}

// Totals are of a page, or of all.
type Totals struct {
	Pages    int `json:"pages"`
	Requests int `json:"requests"`
	Bytes    int `json:"bytes"` // of the pages and of what they load
	Gzip     int `json:"gzip"`  // of what they load
	Blocking int `json:"blocking"`
}

// A Thing is a script, stylesheet or the like that came, went or moved.
type Thing struct {
	Tag   string   `json:"tag"`
	What  string   `json:"what"` // its target, or inline
	Item  string   `json:"item"`
	Bytes int      `json:"bytes"`
	From  string   `json:"from,omitempty"` // of one that moved: area and how it runs
	To    string   `json:"to,omitempty"`
	Pages []string `json:"pages"`
}

// A PageChange is one page that changed in what it loads.
type PageChange struct {
	Path   string `json:"path"`
	Before Totals `json:"before"`
	After  Totals `json:"after"`
}

// Same reports whether nothing differs at all.
func (r *Result) Same() bool {
	return len(r.Pages)+len(r.Others)+len(r.Untold)+len(r.Added)+len(r.Removed)+len(r.Mended)+len(r.New) == 0
}

// Compare compares two sides, page by page. rests is asked what differs on pages besides
// what came, went and moved: a Rest for each, nil where that cannot be told. It may be nil.
func Compare(before, after *Side, rests func([]Cut) []*Rest) *Result {
	r := &Result{
		Came:    []Thing{},
		Went:    []Thing{},
		Moved:   []Thing{},
		Pages:   []PageChange{},
		Others:  []string{},
		Rests:   []Rest{},
		Untold:  []string{},
		Added:   []string{},
		Removed: []string{},
		Mended:  []check.Finding{},
		New:     []check.Finding{},
	}
	old := map[string]*inventory.Record{}
	for _, rec := range before.Records {
		if !rec.Fragment {
			old[page.Key(rec.Path)] = rec
			r.Before.add(totalsOf(rec))
		}
	}
	if was, is := pageload.SumOf(before.Rendered), pageload.SumOf(after.Rendered); was != nil && is != nil {
		r.Felt = &Felt{was, is}
	}
	var cuts []Cut
	things := &collector{at: map[string]*Thing{}}
	seen := map[string]bool{}
	for _, rec := range after.Records {
		if rec.Fragment {
			continue
		}
		r.After.add(totalsOf(rec))
		key := page.Key(rec.Path)
		seen[key] = true
		was := old[key]
		if was == nil {
			r.Added = append(r.Added, rec.Path)
			continue
		}
		if was.Digest == rec.Digest && was.Digest != "" && !imports(was) && !imports(rec) {
			continue // the same bytes load the same
		}
		cut := things.page(was, rec)
		if cut.Changed {
			r.Pages = append(r.Pages, PageChange{rec.Path, totalsOf(was), totalsOf(rec)})
		}
		if was.Digest != rec.Digest {
			cuts = append(cuts, cut)
		}
	}
	for _, rec := range before.Records {
		if !rec.Fragment && !seen[page.Key(rec.Path)] {
			r.Removed = append(r.Removed, rec.Path)
		}
	}
	r.others(cuts, rests)
	r.Came, r.Went, r.Moved = things.sorted("came"), things.sorted("went"), things.sorted("moved")
	r.Mended, r.New = findings(before.Findings, after.Findings), findings(after.Findings, before.Findings)
	return r
}

// imports reports whether a page gets files by imports, which may change while its bytes
// stay.
func imports(r *inventory.Record) bool {
	return slices.ContainsFunc(r.Elements, func(e inventory.Element) bool { return len(e.Imports)+len(e.Brings) > 0 })
}

// others settles which of the pages whose bytes differ differ in something else than what
// is listed.
func (r *Result) others(cuts []Cut, rests func([]Cut) []*Rest) {
	var known []*Rest
	if rests != nil {
		known = rests(cuts)
	}
	for i, c := range cuts {
		switch {
		case known != nil && known[i] != nil:
			if known[i].Lines > 0 {
				r.Others, r.Rests = append(r.Others, c.Path), append(r.Rests, *known[i])
			}
		case c.Changed:
			r.Untold = append(r.Untold, c.Path)
		default:
			r.Others = append(r.Others, c.Path)
		}
	}
}

// Same reports whether two pages say the same without the spans, whatever white space
// stands between and around tags, and without marks.
func Same(before, after []byte, went, came []markup.Span) bool {
	a, b := newReading(before, went), newReading(after, came)
	for {
		x, y := a.next(), b.next()
		if x != y {
			return false
		}
		if x < 0 {
			return true
		}
	}
}

// reading reads a page byte by byte, without spans and marks, white space folded.
type reading struct {
	text []byte
	cuts []markup.Span // in order
	at   int
	last int // the byte read last
}

func newReading(text []byte, without []markup.Span) *reading {
	r := &reading{text: text, cuts: slices.Clone(without), last: '>'}
	slices.SortFunc(r.cuts, func(a, b markup.Span) int { return a.Start - b.Start })
	return r
}

// next is the next byte, or -1.
func (r *reading) next() int {
	space := false
	for {
		r.skip()
		if r.at >= len(r.text) {
			return -1
		}
		c := r.text[r.at]
		switch {
		case markup.IsSpace(c):
			space = true
			r.at++
			continue
		case space && c != '<' && r.last != '>':
			r.last = ' '
			return ' ' // c comes next
		}
		r.at++
		r.last = int(c)
		return r.last
	}
}

// skip passes over spans and marks.
func (r *reading) skip() {
	for {
		switch {
		case len(r.cuts) > 0 && r.cuts[0].Start <= r.at:
			r.at = max(r.at, min(r.cuts[0].End, len(r.text)))
			r.cuts = r.cuts[1:]
		case r.at < len(r.text) && r.text[r.at] == '<' && (bytes.HasPrefix(r.text[r.at:], []byte("<!--yg:")) || bytes.HasPrefix(r.text[r.at:], []byte("<!--/yg:"))):
			end := bytes.Index(r.text[r.at:], []byte("-->"))
			if end < 0 {
				return
			}
			r.at += end + 3
		default:
			return
		}
	}
}

// Lines are the lines of a page without the spans, each without the white space around
// it and without marks; empty ones are left out.
func Lines(file []byte, without []markup.Span) (out []string) {
	spans := slices.Clone(without)
	slices.SortFunc(spans, func(a, b markup.Span) int { return a.Start - b.Start })
	var text []byte
	last := 0
	for _, s := range spans {
		if s.Start >= last && s.End <= len(file) {
			text = append(text, file[last:s.Start]...)
			last = s.End
		}
	}
	text = append(text, file[last:]...)
	for line := range strings.SplitSeq(strings.ReplaceAll(strings.ToValidUTF8(string(marks.ReplaceAll(text, nil)), "\uFFFD"), "\r", "\n"), "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return out
}

var marks = regexp.MustCompile(`<!--/?yg:[a-z0-9-]+-->`)

func (t *Totals) add(o Totals) {
	t.Pages += o.Pages
	t.Requests += o.Requests
	t.Bytes += o.Bytes
	t.Gzip += o.Gzip
	t.Blocking += o.Blocking
}

func totalsOf(r *inventory.Record) Totals {
	c := r.CostWhere((*inventory.Element).Fetched)
	return Totals{Pages: 1, Bytes: r.Bytes + c.Loaded, Requests: c.Requests, Gzip: c.LoadedGzip, Blocking: c.Blocking}
}

// identity is what makes an element the same on both sides; "" for one that is
// not compared.
func identity(e *inventory.Element) (id, what string) {
	switch {
	case e.Extra:
		return "extra " + e.Tag + " " + e.Item + " " + e.Digest, "of " + e.Item
	case e.Inside != "":
		return "", ""
	case e.Fetched():
		return e.Tag + " " + e.Target, e.Target
	case e.Tag == "script" || e.Tag == "style":
		what = "inline"
		if e.Item != "" {
			what = "inline, of " + e.Item
		}
		return e.Tag + " inline " + e.Digest, what
	case e.Tag == imported:
		return imported + " " + e.Target, e.Target
	case e.Tag == "dialog":
		return "dialog " + e.Item, "dialog"
	case e.Item != "" && (e.Tag == "noscript" || e.Tag == "template"):
		return fmt.Sprint(e.Tag, " ", e.Item, " ", e.Length), "of " + e.Item
	}
	return "", ""
}

// imported stands for a tag where a page gets a file by an import.
const imported = "import"

// withImports lists the elements of a page, each followed by what it imports, and those of
// items that load nothing.
func withImports(r *inventory.Record) (out []*inventory.Element) {
	for e := range r.All() {
		out = append(out, e)
		for _, m := range e.Gets() {
			out = append(out, &inventory.Element{Offset: -1, Tag: imported, Area: e.Area, Inside: e.Inside, Target: m.Target, Party: m.Party, Bytes: m.Bytes, Gzip: m.Gzip, Item: e.Item})
		}
	}
	for i := range r.Extras {
		out = append(out, &r.Extras[i])
	}
	return out
}

// collector gathers things over all pages.
type collector struct {
	at    map[string]*Thing
	order []string
}

func (c *collector) put(kind string, e *inventory.Element, what, from, to, path string) {
	key := kind + "\x00" + e.Tag + "\x00" + what + "\x00" + from + "\x00" + to
	if what == "inline" {
		key += fmt.Sprint("\x00", e.Bytes)
	}
	t := c.at[key]
	if t == nil {
		t = &Thing{Tag: e.Tag, What: what, Item: e.Item, Bytes: e.Bytes, From: from, To: to}
		c.at[key] = t
		c.order = append(c.order, key)
	}
	if n := len(t.Pages); n == 0 || t.Pages[n-1] != path {
		t.Pages = append(t.Pages, path)
	}
}

// page compares one page.
func (c *collector) page(was, is *inventory.Record) Cut {
	cut := Cut{Path: is.Path, Before: was.File, After: is.File}
	old := map[string][]*inventory.Element{}
	before := withImports(was)
	for _, e := range before {
		if id, _ := identity(e); id != "" {
			old[id] = append(old[id], e)
		}
	}
	note := func(kind string, e *inventory.Element, what, from, to string) {
		c.put(kind, e, what, from, to, is.Path)
		cut.Changed = true
	}
	for _, e := range withImports(is) {
		id, what := identity(e)
		if id == "" {
			continue
		}
		if len(old[id]) == 0 {
			note("came", e, what, "", "")
			cut.Came = appendSpan(cut.Came, e)
			continue
		}
		o := old[id][0]
		old[id] = old[id][1:]
		if o.Area != e.Area || o.Runs != e.Runs {
			note("moved", e, what, standing(o), standing(e))
			cut.Went, cut.Came = appendSpan(cut.Went, o), appendSpan(cut.Came, e)
		}
	}
	for _, e := range before {
		id, what := identity(e)
		for _, left := range old[id] {
			if id != "" && left == e {
				note("went", left, what, "", "")
				cut.Went = appendSpan(cut.Went, left)
			}
		}
	}
	return cut
}

func appendSpan(list []markup.Span, e *inventory.Element) []markup.Span {
	if e.Offset < 0 {
		return list
	}
	return append(list, markup.Span{Start: e.Offset, End: e.Offset + e.Length})
}

func standing(e *inventory.Element) string {
	if e.Runs == "" {
		return e.Area
	}
	return e.Area + ", " + e.Runs
}

// sorted lists the things of a kind, those on most pages first.
func (c *collector) sorted(kind string) []Thing {
	out := []Thing{}
	for _, key := range c.order {
		if len(key) > len(kind) && key[:len(kind)+1] == kind+"\x00" {
			out = append(out, *c.at[key])
		}
	}
	sort.SliceStable(out, func(i, j int) bool { return len(out[i].Pages) > len(out[j].Pages) })
	return out
}

// findings lists what the first has and the second has not: lines move, so they do
// not count.
func findings(have, other []check.Finding) []check.Finding {
	count := map[string]int{}
	told := func(f check.Finding) bool { return f.About != "" }
	about := slices.ContainsFunc(have, told) && slices.ContainsFunc(other, told) // audits of old do not tell
	key := func(f *check.Finding) string {
		if about {
			return f.Check + "\x00" + f.Page + "\x00" + f.About
		}
		return f.Check + "\x00" + f.Page + "\x00" + f.Message
	}
	for i := range other {
		count[key(&other[i])]++
	}
	out := []check.Finding{}
	for i := range have {
		if k := key(&have[i]); count[k] > 0 {
			count[k]--
		} else {
			out = append(out, have[i])
		}
	}
	return out
}

// OneSided counts the lines that are on one of two sides only.
func OneSided(before, after []string) (n int) {
	count := map[string]int{}
	for _, l := range before {
		count[l]++
	}
	for _, l := range after {
		if count[l] > 0 {
			count[l]--
		} else {
			n++
		}
	}
	for _, left := range count {
		n += left
	}
	return n
}
