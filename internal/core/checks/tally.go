package checks

import (
	"fmt"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/verdict"
)

// A Tally counts over all pages what each line of the gate file does, so that
// those that do nothing can be told. It is added to by one goroutine at a time.
type Tally struct {
	gate  *gating.Gate
	Pages int   // pages that are no fragments
	In    []int // by item: pages it is in on
	Found []int // by item: pages whose source has elements it is found by

	sets     map[string]int
	excluded map[*gatefile.Query]int // by entry of except: pages that it keeps an item or rule out of
	chosen   map[*gatefile.Query]int // by entry of pages
	// by entry of except: pages that it chooses, whether pages does or not
	excludedAnywhere map[*gatefile.Query]int
	idleIn           []gatefile.Problem
	paths            []string // of the pages
	matched          map[*gatefile.Matcher]int
	noValue          map[*gatefile.Key][]string // pages on which a metadata value has no value
}

// NewTally begins a tally for a gate.
func NewTally(g *gating.Gate) *Tally {
	n := len(g.File.Items)
	return &Tally{gate: g, In: make([]int, n), Found: make([]int, n), sets: map[string]int{},
		excluded: map[*gatefile.Query]int{}, chosen: map[*gatefile.Query]int{}, excludedAnywhere: map[*gatefile.Query]int{}, matched: map[*gatefile.Matcher]int{},
		noValue: map[*gatefile.Key][]string{}}
}

// Add counts one page.
func (t *Tally) Add(r *gating.Result) {
	if r.Fragment {
		return
	}
	t.Pages++
	pg := &r.Page
	t.paths = append(t.paths, pg.Path)
	for _, s := range t.gate.File.Sets {
		if s.Query.Eval(pg) {
			t.sets[s.Name]++
		}
	}
	pp := t.gate.Plan.PerPage(pg)
	for i := range r.Verdicts {
		v := &r.Verdicts[i]
		if v.In {
			t.In[i]++
		}
		if r.Present[i] > 0 {
			t.Found[i]++
		}
		chosen := t.lines(v.Item.Pages, v.Item.Except, pg)
		if v.Reason == verdict.PerPage && pp != nil {
			t.perPage(v, chosen, pp)
		}
	}
	for m, n := range r.Matched {
		t.matched[m] += n
	}
	for _, rule := range t.gate.File.Rules {
		t.lines(rule.Pages, rule.Except, pg)
		if _, ok := verdict.Chooses(rule, pg); !ok {
			continue
		}
		for k := range rule.Keys {
			if key := &rule.Keys[k]; !key.None {
				for i := range key.Values {
					if _, missing := key.Values[i].Value.Fill(r.Lookup); missing != nil {
						t.noValue[key] = append(t.noValue[key], pg.Path)
						break
					}
				}
			}
		}
	}
}

// lines counts the entries of pages and except, and reports whether both
// together choose the page.
func (t *Tally) lines(pages, except []gatefile.Query, pg *page.Page) bool {
	in, out := false, false
	for k := range pages {
		if pages[k].Eval(pg) {
			t.chosen[&pages[k]]++
			in = true
		}
	}
	for k := range except {
		if except[k].Eval(pg) {
			out = true
			t.excludedAnywhere[&except[k]]++
			if in || len(pages) == 0 {
				t.excluded[&except[k]]++
			}
		}
	}
	return in && !out
}

func (t *Tally) perPage(v *verdict.Verdict, chosen bool, pp *gatefile.PerPage) {
	if v.In == chosen {
		word := "chooses"
		if !v.In {
			word = "does not choose"
		}
		t.idleIn = append(t.idleIn, t.idle(v.Rule, "take the line out",
			"per-page %s: %s for %q changes nothing: its own pages line %s this page already", pp.Path, v.Word(), v.Item.Name, word))
	}
}

func (t *Tally) idle(pos gatefile.Position, remedy, format string, args ...any) gatefile.Problem {
	return gatefile.Problem{Severity: gatefile.Warning, Pos: pos, Message: fmt.Sprintf(format, args...), Remedy: remedy}
}

// Problems reports the lines that choose or change nothing. A plain none is meant,
// and never reported. urls are what the site's pages load, for what was meant by a
// matcher that matches nothing; it may be nil.
func (t *Tally) Problems(urls func() []string) []gatefile.Problem {
	out, idle := t.choosing()
	return append(append(out, idle...), t.unmatched(urls)...)
}

// Idle reports the lines that change nothing: exceptions that exclude nothing, lines of
// per-page that say what holds anyway, matchers that match nothing.
func (t *Tally) Idle() []gatefile.Problem {
	_, idle := t.choosing()
	return append(idle, t.unmatched(nil)...)
}

// unmatched reports matchers that match nothing on any page.
func (t *Tally) unmatched(urls func() []string) (out []gatefile.Problem) {
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
			if t.matched[m] > 0 {
				continue
			}
			hint := ""
			if _, ok := gating.ByURL(m); ok && urls != nil {
				hint = t.gate.Meant(m, urls())
			}
			out = append(out, t.idle(m.Pos, "mend the matcher, or take it out", "item %q: %s: %s matches nothing on any page%s", it.Name, word, m.Raw, hint))
		}
	}
	return out
}

// meant says which page a query that chooses none probably meant.
func (t *Tally) meant(q *gatefile.Query) string { return pagequery.Meant(q.Text, t.paths) }

// choosing reports sets, items and rules that choose no page, and apart from them lines
// that change nothing.
func (t *Tally) choosing() (out, idle []gatefile.Problem) {
	idle = append(idle, t.idleIn...)
	warn := func(pos gatefile.Position, remedy, format string, args ...any) {
		out = append(out, gatefile.Problem{Severity: gatefile.Warning, Pos: pos, Message: fmt.Sprintf(format, args...), Remedy: remedy})
	}
	for _, s := range t.gate.File.Sets {
		if t.sets[s.Name] == 0 && !isNone(s.Query) {
			warn(s.Query.Pos, "yellowgate pages lists the paths there are", "the page set %q chooses no page of the site%s", s.Name, t.meant(&s.Query))
		}
	}
	entries := func(what string, pages, except []gatefile.Query) (any bool) {
		for k := range pages {
			q := &pages[k]
			any = any || t.chosen[q] > 0 || isNone(*q)
			if t.chosen[q] == 0 && !isNone(*q) && !t.namesEmptySet(q) {
				warn(q.Pos, "yellowgate pages lists the paths there are", "%s: pages: %s chooses no page of the site%s", what, q.Text, t.meant(q))
			}
		}
		for k := range except {
			if q := &except[k]; t.excluded[q] == 0 && any {
				hint := ""
				if t.excludedAnywhere[q] == 0 { // it chooses no page at all
					hint = t.meant(q)
				}
				idle = append(idle, t.idle(q.Pos, "take it out, or mend it", "%s: except: %s excludes nothing that pages chooses%s", what, q.Text, hint))
			}
		}
		return any
	}
	for i, it := range t.gate.File.Items {
		what := fmt.Sprintf("item %q", it.Name)
		if it.Disabled {
			continue
		}
		any := entries(what, it.Pages, it.Except)
		if any && t.In[i] == 0 && len(it.Except) > 0 && !allNone(it.Pages) {
			warn(it.Pos, "mend its exceptions", "the exceptions of %s cover all its pages: it is in nowhere", what)
		}
	}
	for _, r := range t.gate.File.Rules {
		name := "a metadata rule"
		if r.Default {
			name = "a rule under defaults"
		}
		entries(name, r.Pages, r.Except)
		for k := range r.Keys {
			key := &r.Keys[k]
			if pages := t.noValue[key]; len(pages) > 0 {
				out = append(out, noted(key.Values[0].Pos, `give it a fallback, as in @{fact.name or "words"}, if these pages should have it`,
					"%s: %q has no value on %d pages, first %s: the next rule, the page's own value or the defaults decide there", key.Name, key.Values[0].Text, len(pages), pages[0]))
			}
		}
	}
	return out, idle
}

func noted(pos gatefile.Position, remedy, format string, args ...any) gatefile.Problem {
	return gatefile.Problem{Severity: gatefile.Note, Pos: pos, Message: fmt.Sprintf(format, args...), Remedy: remedy}
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
	return ok && t.sets[s.Name] == 0
}
