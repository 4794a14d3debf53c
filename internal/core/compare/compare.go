// Package compare compares two inventories of a site with each other: what came,
// what went, what moved, what that costs or saves, which findings are mended and
// which are new, and whether anything else changed.
package compare

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
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
	Before  Totals       `json:"before"`
	After   Totals       `json:"after"`
	Came    []Thing      `json:"came"`    // what is on pages on which it was not
	Went    []Thing      `json:"went"`    // what is no longer on pages
	Moved   []Thing      `json:"moved"`   // what stands in another half, or runs otherwise
	Changed []Thing      `json:"changed"` // parts of items that say something else
	Pages   []PageChange `json:"pages"`   // that changed in what they load
	// Changes are what changed on pages besides, where the texts of both sides are at hand.
	Changes []pagechange.Group `json:"changes"`
	Others  []string           `json:"others"`  // pages that differ in something that no gate file speaks of
	Rests   []Rest             `json:"rests"`   // the same with how much, where the texts of both sides are at hand
	Untold  []string           `json:"untold"`  // pages of which it cannot be told: a side is a saved audit
	Added   []string           `json:"added"`   // pages that were not there before
	Removed []string           `json:"removed"` // pages that are no longer there
	Mended  []check.Finding    `json:"mended"`
	New     []check.Finding    `json:"new"`
	// Felt is what a browser made of both sides, where both were opened in one.
	Felt *Felt `json:"browser,omitempty"`
}

// Felt is what a browser made of two sides.
type Felt struct {
	Before *pageload.Summary `json:"before"`
	After  *pageload.Summary `json:"after"`
}

// A Rest is what differs on a page that no gate file speaks of: text, other elements, attributes.
type Rest struct {
	Page  string `json:"page"`
	Lines int    `json:"lines"` // that are on one side only
	Diff  string `json:"diff,omitempty"`
}

// A Cut is a page that is on both sides and differs, with what belongs to items there; what came, went and moved of no
// item, is that of none.
type Cut struct {
	Path          string
	Before, After string          // files
	Was, Is       pagechange.Side // without the files' text
	Changed       bool            // something came, went or moved
	Told          map[string]bool // items of which something did

	was, is *inventory.Record
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

// Compare compares two sides, page by page. changes is asked what differs on pages besides
// what came, went and moved, for each page. It may be nil.
func Compare(before, after *Side, changes func([]Cut) []Changes) *Result {
	r := &Result{Changes: []pagechange.Group{}, Came: []Thing{}, Went: []Thing{}, Moved: []Thing{}, Changed: []Thing{},
		Pages: []PageChange{}, Others: []string{}, Rests: []Rest{}, Untold: []string{}, Added: []string{},
		Removed: []string{}, Mended: []check.Finding{}, New: []check.Finding{}}
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
	r.others(cuts, changes)
	r.Changed = things.sorted("changed")
	r.Came, r.Went, r.Moved = things.sorted("came"), things.sorted("went"), things.sorted("moved")
	r.Mended, r.New = findings(before.Findings, after.Findings), findings(after.Findings, before.Findings)
	return r
}

// imports reports whether a page gets files by imports, which may change while its bytes
// stay.
func imports(r *inventory.Record) bool {
	return slices.ContainsFunc(r.Elements, func(e inventory.Element) bool { return len(e.Imports)+len(e.Brings) > 0 })
}

// Changes are those of a page; Known is false where they cannot be told.
type Changes struct {
	List  []pagechange.Change
	Known bool
}

// others settles what else changed on the pages whose bytes differ.
func (r *Result) others(cuts []Cut, ask func([]Cut) []Changes) {
	var known []Changes
	if ask != nil {
		known = ask(cuts)
	}
	var groups pagechange.Groups
	for i, c := range cuts {
		switch {
		case known != nil && known[i].Known:
			list := slices.DeleteFunc(known[i].List, func(x pagechange.Change) bool { // that is among what came and went
				return x.Kind == pagechange.Item && x.How != pagechange.Changed && c.Told[x.Name]
			})
			if rest := restOf(c.Path, list); rest.Lines > 0 {
				r.Others, r.Rests = append(r.Others, c.Path), append(r.Rests, rest)
			}
			groups.Add(c.Path, list)
		default:
			var list []pagechange.Change
			if ask == nil { // a saved audit has what the pages describe; folders may be read without
				list = metadataOf(c.was, c.is)
				groups.Add(c.Path, list)
			}
			if c.Changed || len(list) > 0 {
				r.Untold = append(r.Untold, c.Path)
			} else {
				r.Others = append(r.Others, c.Path)
			}
		}
	}
	r.Changes = groups.List()
}

// restOf is what of the changes of a page no gate file speaks of.
func restOf(path string, list []pagechange.Change) Rest {
	rest := Rest{Page: path}
	var diff strings.Builder
	for i := range list {
		c := &list[i]
		if !c.IsElse() {
			continue
		}
		fmt.Fprintf(&diff, "@@ line %d @@\n", c.Line)
		for _, side := range []struct{ sign, text string }{{"-", c.Was}, {"+", c.Is}} {
			for line := range strings.Lines(side.text) {
				diff.WriteString(side.sign + strings.TrimRight(line, "\r\n") + "\n")
				rest.Lines++
			}
		}
		rest.Lines = max(rest.Lines, 1)
	}
	rest.Diff = diff.String()
	return rest
}

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
			out = append(out,
				&inventory.Element{Offset: -1, Tag: imported, Area: e.Area, Inside: e.Inside, Target: m.Target,
					Party: m.Party, Bytes: m.Bytes, Gzip: m.Gzip, Item: e.Item})
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
	cut := Cut{Path: is.Path, Before: was.File, After: is.File, Told: map[string]bool{}, was: was, is: is}
	old := map[string][]*inventory.Element{}
	before := withImports(was)
	for _, e := range before {
		if id, _ := identity(e); id != "" {
			old[id] = append(old[id], e)
		}
	}
	told := map[*inventory.Element]bool{}
	note := func(kind string, e *inventory.Element, what, from, to string) {
		c.put(kind, e, what, from, to, is.Path)
		cut.Changed, cut.Told[e.Item] = true, true
		told[e] = true
	}
	var come []*inventory.Element
	after := withImports(is)
	for _, e := range after {
		id, what := identity(e)
		if id == "" {
			continue
		}
		if len(old[id]) == 0 {
			come = append(come, e)
			continue
		}
		o := old[id][0]
		old[id] = old[id][1:]
		if o.Area != e.Area || o.Runs != e.Runs {
			note("moved", e, what, standing(o), standing(e))
			told[o] = true
		}
	}
	gone := slices.DeleteFunc(slices.Clone(before), func(e *inventory.Element) bool {
		id, _ := identity(e)
		return id == "" || !slices.Contains(old[id], e)
	})
	for _, e := range come {
		k := -1
		if e.Item != "" {
			k = slices.IndexFunc(gone, func(o *inventory.Element) bool { return becomes(o, e) })
		}
		if _, what := identity(e); k < 0 {
			note("came", e, what, "", "")
		} else { // the same part says something else
			gone = slices.Delete(gone, k, k+1)
			c.put("changed", e, what, "", "", is.Path)
			cut.Changed = true
		}
	}
	for _, e := range gone {
		_, what := identity(e)
		note("went", e, what, "", "")
	}
	cut.Was = pagechange.Side{Charset: was.Answer.Charset(), Owned: owned(before, told)}
	cut.Is = pagechange.Side{Charset: is.Answer.Charset(), Owned: owned(after, told)}
	return cut
}

// becomes reports whether an element of an item may be another, changed.
func becomes(o, e *inventory.Element) bool {
	return o.Item == e.Item && o.Tag == e.Tag && o.URL == "" && e.URL == "" && o.Area == e.Area
}

// owned lists what belongs to items, and what was told.
func owned(list []*inventory.Element, told map[*inventory.Element]bool) (out []pagechange.Owned) {
	for _, e := range list {
		if e.Offset < 0 || e.Item == "" && !told[e] {
			continue
		}
		o := pagechange.Owned{Span: markup.Span{Start: e.Offset, End: e.Offset + e.Length}, Item: e.Item}
		if told[e] {
			o.Item = ""
		}
		out = append(out, o)
	}
	return out
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
