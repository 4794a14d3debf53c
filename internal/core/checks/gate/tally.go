package gate

import (
	"fmt"
	"slices"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// A Tally counts over all pages what each line of the gate file does, so that
// those that do nothing can be told. It is added to by one goroutine at a time.
type Tally struct {
	gate  *pageedit.Gate
	lines *gateLines
	Pages int   // pages that are no fragments
	In    []int // by item: pages it is in on
	Found []int // by item: pages whose source has elements it is found by

	sets     []int // by set: pages that it chooses
	excluded []int // by query of an except: pages that it keeps an item or rule out of
	chosen   []int // by query of a pages
	// by query of an except: pages that it chooses, whether pages does or not
	excludedAnywhere []int
	passed           []int // by query: pages that lead elsewhere at once, which it passes over for that alone
	idleIn           []problem.Problem
	paths            []string   // of the pages
	matched          []int      // by matcher
	noValue          [][]string // by metadata key: pages on which its value has no value
}

// gateLines are the lines of a gate file that are counted, each with its number.
type gateLines struct {
	queries  map[*gatefile.Query]int
	matchers map[*gatefile.Matcher]int
	keys     map[*gatefile.Key]int
}

func linesOf(g *gatefile.Gate) *gateLines {
	n := &gateLines{map[*gatefile.Query]int{}, map[*gatefile.Matcher]int{}, map[*gatefile.Key]int{}}
	queries := func(lists ...[]gatefile.Query) {
		for _, list := range lists {
			for i := range list {
				n.queries[&list[i]] = len(n.queries)
			}
		}
	}
	for _, it := range g.Items {
		queries(it.Pages, it.Except)
		for _, rule := range it.ParamsOn {
			queries(rule.Pages, rule.Except)
		}
		for _, p := range it.Parts {
			queries(p.Only)
		}
		for _, list := range [][]gatefile.Matcher{it.Found, it.Replaces} {
			for i := range list {
				n.matchers[&list[i]] = len(n.matchers)
			}
		}
	}
	for _, r := range g.Rules {
		queries(r.Pages, r.Except)
		for i := range r.Keys {
			n.keys[&r.Keys[i]] = len(n.keys)
		}
	}
	for _, a := range g.Accept {
		queries(a.Pages)
	}
	return n
}

// Lines is what the lines of a gate file do on one page: a fact that can be written down. The
// numbers are those of items, sets, queries, matchers and metadata keys, in the order in which
// the gate file has them.
type Lines struct {
	Sets     []int    `json:"sets,omitempty"`
	In       []int    `json:"in,omitempty"`
	Found    []int    `json:"found,omitempty"`
	Chosen   []int    `json:"chosen,omitempty"`
	Excepted []int    `json:"excepted,omitempty"` // entries of except that choose the page
	Excluded []int    `json:"excluded,omitempty"` // those of them that change something
	Matched  []int    `json:"matched,omitempty"`
	Passed   []int    `json:"passed,omitempty"` // entries that pass over the page since it leads elsewhere at once
	NoValue  []int    `json:"no-value,omitempty"`
	Idle     []idleIn `json:"idle,omitempty"`
}

// idleIn is a line of per-page that says what holds anyway.
type idleIn struct {
	Pos  problem.Position `json:"at"`
	Page string           `json:"page"` // as per-page has it
	Item int              `json:"item"`
	In   bool             `json:"in"`
}

// NewTally begins a tally for a gate.
func NewTally(g *pageedit.Gate) *Tally {
	n := len(g.File.Items)
	t := &Tally{
		gate:  g,
		lines: linesOf(g.File),
		In:    make([]int, n),
		Found: make([]int, n),
		sets:  make([]int, len(g.File.Sets)),
	}
	queries := len(t.lines.queries)
	t.excluded, t.chosen, t.excludedAnywhere = make([]int, queries), make([]int, queries), make([]int, queries)
	t.passed = make([]int, queries)
	t.matched, t.noValue = make([]int, len(t.lines.matchers)), make([][]string, len(t.lines.keys))
	return t
}

// Look tells what the lines do on a page; nil for a fragment. It changes nothing in the tally,
// and several goroutines may call it.
func (t *Tally) Look(r *pageedit.Result) *Lines {
	if r.Fragment {
		return nil
	}
	l := &Lines{}
	pg := &r.Page
	for i, s := range t.gate.File.Sets {
		if s.Query.Eval(pg) {
			l.Sets = append(l.Sets, i)
		}
	}
	pp := t.gate.Plan.PerPage(pg)
	for i := range r.Verdicts {
		v := &r.Verdicts[i]
		if v.In {
			l.In = append(l.In, i)
		}
		if r.Present[i] > 0 {
			l.Found = append(l.Found, i)
		}
		chosen := t.look(l, v.Item.Pages, v.Item.Except, pg)
		for _, rule := range v.Item.ParamsOn {
			t.look(l, rule.Pages, rule.Except, pg)
		}
		for _, p := range v.Item.Parts {
			t.look(l, p.Only, nil, pg)
		}
		if v.Reason == verdict.PerPage && pp != nil && v.In == chosen {
			l.Idle = append(l.Idle, idleIn{v.Rule, pp.Path, i, v.In})
		}
	}
	for m, times := range r.Matched {
		if n, ok := t.lines.matchers[m]; ok && times > 0 {
			l.Matched = append(l.Matched, n)
		}
	}
	slices.Sort(l.Matched)
	for _, a := range t.gate.File.Accept {
		t.look(l, a.Pages, nil, pg)
	}
	for _, rule := range t.gate.File.Rules {
		t.look(l, rule.Pages, rule.Except, pg)
		if _, ok := rule.Chooses(pg); !ok {
			continue
		}
		for k := range rule.Keys {
			if key := &rule.Keys[k]; !key.None {
				for i := range key.Values {
					if _, missing := key.Values[i].Value.Fill(r.Lookup); missing != nil {
						l.NoValue = append(l.NoValue, t.lines.keys[key])
						break
					}
				}
			}
		}
	}
	return l
}

// Add counts one page; nil is a fragment.
func (t *Tally) Add(path string, l *Lines) {
	if l == nil {
		return
	}
	t.Pages++
	t.paths = append(t.paths, path)
	for _, c := range []struct{ counts, numbers []int }{{t.sets, l.Sets}, {t.In, l.In}, {t.Found,
		l.Found}, {t.chosen,
		l.Chosen},
		{t.excludedAnywhere, l.Excepted}, {t.excluded, l.Excluded}, {t.matched, l.Matched}, {t.passed, l.Passed}} {
		for _, n := range c.numbers {
			c.counts[n]++
		}
	}
	for _, n := range l.NoValue {
		t.noValue[n] = append(t.noValue[n], path)
	}
	for _, x := range l.Idle {
		word, says := "does not choose", "out"
		if x.In {
			word, says = "chooses", "in"
		}
		t.idleIn = append(t.idleIn, idle(t.gate.File.Items[x.Item].Name, x.Pos, "take the line out",
			"per-page %s: %s for %q changes nothing: its own pages line %s this page already", x.Page, says,
			t.gate.File.Items[x.Item].Name, word))
	}
}

// look notes the entries of pages and except that choose a page, and reports whether both
// together do.
func (t *Tally) look(l *Lines, pages, except []gatefile.Query, pg *page.Page) bool {
	in, out := false, false
	for k := range pages {
		if pages[k].Eval(pg) {
			l.Chosen = append(l.Chosen, t.lines.queries[&pages[k]])
			in = true
		}
	}
	for k := range except {
		if except[k].Eval(pg) {
			n := t.lines.queries[&except[k]]
			out = true
			l.Excepted = append(l.Excepted, n)
			if in || len(pages) == 0 {
				l.Excluded = append(l.Excluded, n)
			}
		}
	}
	if pg.Redirect {
		as := *pg
		as.Redirect = false
		for _, list := range [][]gatefile.Query{pages, except} {
			for k := range list {
				if !list[k].Eval(pg) && list[k].Eval(&as) {
					l.Passed = append(l.Passed, t.lines.queries[&list[k]])
				}
			}
		}
	}
	return in && !out
}

func idle(item string, pos problem.Position, remedy, format string, args ...any) problem.Problem {
	return problem.Problem{
		Severity: problem.Warning,
		Name:     idleLine.Name,
		Item:     item,
		Pos:      pos,
		Message:  fmt.Sprintf(format, args...),
		Remedy:   remedy,
	}
}

// Problems reports the lines that choose or change nothing. A plain none is meant,
// and never reported. urls are what the site's pages load, for what was meant by a
// matcher that matches nothing; it may be nil.
func (t *Tally) Problems(urls func() []string) []problem.Problem {
	out, idle := t.choosing()
	return append(append(out, idle...), t.unmatched(urls)...)
}

// Findings reports the lines that change nothing: exceptions that exclude nothing, lines of
// per-page that say what holds anyway, matchers that match nothing.
func (t *Tally) Findings() (out []check.Finding) {
	_, idle := t.choosing()
	for _, p := range append(idle, t.unmatched(nil)...) {
		out = append(out,
			check.Finding{Check: idleLine.Name, Severity: idleLine.Severity, File: p.Pos.File, Line: p.Pos.Line,
				Column: p.Pos.Column, Message: p.Message, Remedy: p.Remedy})
	}
	return out
}

// unmatched reports matchers that match nothing on any page.
func (t *Tally) unmatched(urls func() []string) (out []problem.Problem) {
	if t.Pages == 0 {
		return nil
	}
	for _, it := range t.gate.File.Items {
		if it.Disabled {
			continue
		}
		for k := range len(it.Found) + len(it.Replaces) {
			m, word := (*gatefile.Matcher)(nil), "found"
			if k < len(it.Found) {
				m = &it.Found[k]
			} else {
				m, word = &it.Replaces[k-len(it.Found)], "replaces"
			}
			if m.Rendered && word == "found" || t.matched[t.lines.matchers[m]] > 0 {
				continue
			}
			hint, remedy := "", "mend the matcher, or take it out"
			if m.Selector == nil && word == "found" {
				remedy += "; where only a script brings it, say so with rendered: true"
			}
			if _, ok := pageedit.ByURL(m); ok && urls != nil {
				hint = t.gate.Meant(m, urls())
			}
			out = append(out,
				idle(it.Name, m.Pos, remedy, "item %q: %s: %s matches nothing on any page%s", it.Name, word, m.Raw,
					hint))
		}
	}
	return out
}

// meant says which page a query that chooses none probably meant.
func (t *Tally) meant(q *gatefile.Query) string {
	if n, counted := t.lines.queries[q]; counted && t.passed[n] > 0 {
		return ", for it passes over pages that lead elsewhere at once: their paths alone choose these"
	}
	return pagequery.Meant(q.Text, t.paths)
}

// choosing reports sets, items and rules that choose no page, and apart from them lines
// that change nothing.
func (t *Tally) choosing() (out, idles []problem.Problem) {
	c := &choosing{Tally: t, idles: slices.Clone(t.idleIn)}
	for i, s := range t.gate.File.Sets {
		if t.sets[i] == 0 && !isNone(s.Query) {
			c.warn("", s.Query.Pos, "yellowgate pages lists the paths there are",
				"the page set %q chooses no page of the site%s", s.Name, t.meant(&s.Query))
		}
	}
	for i, it := range t.gate.File.Items {
		if !it.Disabled {
			c.item(i, it)
		}
	}
	for _, r := range t.gate.File.Rules {
		c.rule(r)
	}
	for _, a := range t.gate.File.Accept {
		c.entries("", "accept of "+a.Check.Value, a.Pages, nil)
	}
	return c.out, c.idles
}

// A choosing collects what chooses nothing.
type choosing struct {
	*Tally
	out, idles []problem.Problem
}

func (c *choosing) warn(item string, pos problem.Position, remedy, format string, args ...any) {
	c.out = append(c.out, problem.Problem{
		Severity: problem.Warning, Name: problem.ChoosesNothing, Item: item, Pos: pos,
		Message: fmt.Sprintf(format, args...), Remedy: remedy,
	})
}

// item adds what chooses nothing of an item, the ith.
func (c *choosing) item(i int, it *gatefile.Item) {
	what := fmt.Sprintf("item %q", it.Name)
	for _, rule := range it.ParamsOn {
		c.entries(it.Name, what+", params-on", rule.Pages, rule.Except)
	}
	for _, p := range it.Parts {
		c.entries(it.Name, fmt.Sprintf("%s, only of its %s", what, p.Key), p.Only, nil)
	}
	any := c.entries(it.Name, what, it.Pages, it.Except)
	if any && c.In[i] == 0 && len(it.Except) > 0 && !allNone(it.Pages) {
		c.warn(it.Name, it.Pos, "mend its exceptions", "the exceptions of %s cover all its pages: it is in nowhere",
			what)
	}
}

// rule adds what chooses nothing of a metadata rule, and where its placeholders have no value.
func (c *choosing) rule(r *gatefile.Rule) {
	name := "a metadata rule"
	if r.Default {
		name = "a rule under defaults"
	}
	c.entries("", name, r.Pages, r.Except)
	for k := range r.Keys {
		key := &r.Keys[k]
		if pages := c.noValue[c.lines.keys[key]]; len(pages) > 0 {
			c.out = append(c.out, noted(key.Values[0].Pos,
				`give it a fallback, as in @{fact.name or "words"}, if these pages should have it`,
				"%s: %q has no value on %d pages, first %s: the next rule, the page's own value or the defaults decide there",
				key.Name, key.Values[0].Text, len(pages), pages[0]))
		}
	}
}

// entries adds those queries that choose nothing. any says that one of pages chooses a page, or is none on purpose.
func (c *choosing) entries(item, what string, pages, except []gatefile.Query) (any bool) {
	for k := range pages {
		q := &pages[k]
		n := c.chosen[c.lines.queries[q]]
		if q.Like != "" { // the set says so itself
			any = any || n > 0
			continue
		}
		any = any || n > 0 || isNone(*q)
		if n == 0 && !isNone(*q) && !c.namesEmptySet(q) {
			c.warn(item, q.Pos, "yellowgate pages lists the paths there are",
				"%s: pages: %s chooses no page of the site%s", what, q.Text, c.meant(q))
		}
	}
	for k := range except {
		q := &except[k]
		if !any || c.excluded[c.lines.queries[q]] > 0 {
			continue
		}
		hint := ""
		if c.excludedAnywhere[c.lines.queries[q]] == 0 { // it chooses no page at all
			hint = c.meant(q)
		}
		c.idles = append(c.idles, idle(item, q.Pos, "take it out, or mend it",
			"%s: except: %s excludes nothing that pages chooses%s", what, q.Text, hint))
	}
	return any
}

func noted(pos problem.Position, remedy, format string, args ...any) problem.Problem {
	return problem.Problem{
		Severity: problem.Note,
		Name:     problem.NoValue,
		Pos:      pos,
		Message:  fmt.Sprintf(format, args...),
		Remedy:   remedy,
	}
}

func isNone(q gatefile.Query) bool {
	c, ok := q.Expr.(pagequery.Const)
	return ok && !bool(c)
}

func allNone(qs []gatefile.Query) bool {
	for _, q := range qs {
		if !isNone(q) {
			return false
		}
	}
	return true
}

// namesEmptySet reports whether a query is just the name of a set, which is told
// of by itself.
func (t *Tally) namesEmptySet(q *gatefile.Query) bool {
	s, ok := q.Expr.(*pagequery.Set)
	if !ok {
		return false
	}
	i := slices.IndexFunc(t.gate.File.Sets, func(x *gatefile.Set) bool { return x.Name == s.Name })
	return i < 0 || t.sets[i] == 0
}
