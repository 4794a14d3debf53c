// Package suggest finds items that pages load and do not need, and writes what a gate file would say of them.
package suggest

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/gateedit"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/usage"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/failure"
	"yellowgate/internal/firstgate"
	"yellowgate/internal/gatechange"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sitecheck"
	"yellowgate/internal/survey"
)

// SuggestFormat is the version of the machine-readable suggestions.
const SuggestFormat = "yellowgate.suggest/1"

// Suggest looks at the pages as apply would write them for what loads where nothing
// needs it.
func Suggest(ctx context.Context, p *project.Project, progress parallel.Progress) (*result.Suggestions, error) {
	var ledger usage.Ledger
	same := newSameMetadata(p.Gate.File)
	var pages []suggestPage
	err := parallel.InOrder(ctx, len(p.Pages), looker(p), func(i int, l looked) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		if l.pass == nil {
			return nil
		}
		ledger.Add(l.pass.Record, l.needs)
		if !l.gated.Page.Redirect {
			same.add(l.gated)
		}
		pages = append(pages, suggestPage{i, movable(l.gated)})
		return nil
	})
	if err != nil {
		return nil, err
	}
	r := &result.Suggestions{
		Format:      SuggestFormat,
		Pages:       len(pages),
		Suggestions: []*result.Suggestion{},
		Unseen:      []result.Unseen{},
	}
	taken := map[string]bool{}
	for _, n := range p.Gate.File.ItemNames() {
		taken[n] = true
	}
	list := ledger.Suggestions()
	for i := range list {
		r.Suggestions = append(r.Suggestions, suggestionOf(&list[i], taken))
	}
	if err := tryQueries(ctx, r, p, pages); err != nil {
		return nil, err
	}
	texts := ledger.Texts()
	for _, s := range r.Suggestions {
		writeSuggestion(s, p.Gate.File, matchersOf(s, texts))
	}
	r.Suggestions = append(r.Suggestions, same.suggestions()...)
	for _, d := range ledger.Doubts() {
		r.Unseen = append(r.Unseen, result.Unseen{Name: nameOfEntry(d.Entry), Pages: len(d.On), Why: d.Why})
	}
	return r, nil
}

// looked is a page as apply would write it, and what needs what on it; no pass for a fragment.
type looked struct {
	pass  *check.Pass
	gated *pageedit.Result
	needs []*usage.Need
}

// looker returns what looks at page i of a project. Several goroutines may call it.
func looker(p *project.Project) func(i int) (looked, error) {
	j, weights := sitecheck.NewJudge(p)
	j.Words = true
	return func(i int) (l looked, err error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return l, err
		}
		l.gated = p.Gate.Page(b, p.Pages[i])
		if l.gated.Fragment {
			return l, nil
		}
		l.pass = sitecheck.AsWritten(p, l.gated, weights)
		l.needs = j.Needs(l.pass.Record, usage.Read(l.pass.Source, l.pass.Scan, nil))
		if l.gated.Page.Redirect {
			for _, n := range l.needs {
				n.Keep("the page leads elsewhere at once")
			}
		}
		return l, nil
	}
}

// suggestPage is a page that was looked at.
type suggestPage struct {
	number  int             // among the project's
	movable map[string]bool // items that are in by their pages, and would go with them
}

// movable are the items whose verdict on a page their pages decide.
func movable(g *pageedit.Result) map[string]bool {
	out := map[string]bool{}
	for i := range g.Verdicts {
		if v := &g.Verdicts[i]; v.In && v.Reason == verdict.Pages {
			out[v.Item.Name] = true
		}
	}
	return out
}

func nameOfEntry(e *usage.Entry) string {
	if e.Item != "" || !strings.HasPrefix(e.Key, "inline ") {
		return e.Key
	}
	return "inline " + e.Loads[0].Tag + ": " + survey.InlineLabel(e.Loads[0].Text)
}

// suggestionOf names a suggestion and says what it is made of.
func suggestionOf(from *usage.Suggestion, taken map[string]bool) *result.Suggestion {
	s := &result.Suggestion{
		Name:      from.Item,
		Is:        from.Item != "",
		Pages:     len(from.On),
		Needed:    from.Needed,
		Certainty: from.Certainty.String(),
		Evidence:  from.Evidence,
		From:      from,
	}
	s.Saves = result.Savings{Requests: from.Requests, Blocking: from.Blocking, Bytes: from.Bytes, Gzip: from.Gzip}
	if s.Needed == nil {
		s.Needed = []string{}
	}
	for _, l := range from.Loads {
		if l.Text != "" {
			s.Loads = append(s.Loads, "inline "+l.Tag+": "+survey.InlineLabel(l.Text))
		} else {
			s.Loads = append(s.Loads, l.Target)
		}
	}
	if !s.Is {
		s.Name = firstgate.NameOf(loadOf(from.Loads[0]), taken)
		taken[s.Name] = true
	}
	return s
}

func loadOf(l usage.MadeOf) *result.Load {
	x := &result.Load{Tag: l.Tag, Target: l.Target, Party: l.Party, Text: l.Text}
	if l.Text != "" {
		x.Target = survey.InlineLabel(l.Text)
	}
	return x
}

// tryQueries finds for each suggestion the first of its queries that chooses, of the
// source pages, just those that need the thing.
func tryQueries(ctx context.Context, r *result.Suggestions, p *project.Project, pages []suggestPage) error {
	type trial struct {
		of    *result.Suggestion
		query *project.Query
		text  string
		wrong bool
	}
	var trials []*trial
	for _, s := range r.Suggestions {
		for _, text := range s.From.Queries {
			if q, err := project.ParseQuery(p, text); err == nil {
				trials = append(trials, &trial{of: s, query: q, text: text})
			}
		}
	}
	// By page: the suggestions' things that it loads, and whether it needs them.
	needs := make([]map[*result.Suggestion]bool, len(pages))
	for i := range needs {
		needs[i] = map[*result.Suggestion]bool{}
	}
	for _, s := range r.Suggestions {
		for _, i := range s.From.On {
			needs[i][s] = false
		}
		for _, i := range s.From.Used {
			needs[i][s] = true
		}
	}
	err := parallel.InOrder(ctx, len(pages), func(i int) (chosen []bool, err error) {
		pg := &p.Pages[pages[i].number]
		b, err := p.Read(pg)
		if err != nil {
			return nil, err
		}
		v := p.Gate.Look(b, *pg)
		for _, t := range trials {
			yes, err := t.query.Chooses(v)
			if err != nil {
				return nil, err
			}
			chosen = append(chosen, yes)
		}
		return chosen, nil
	}, func(i int, chosen []bool) error {
		for k, t := range trials {
			needed, loads := needs[i][t.of]
			adds := t.of.Is && !p.Gate.File.Item(t.of.Name).FoundOnly()
			stuck := loads && !needed && t.of.Is && !pages[i].movable[t.of.Name] // it is in for another reason
			t.wrong = t.wrong || loads && chosen[k] != needed || !loads && chosen[k] && adds || stuck
		}
		return nil
	})
	for _, t := range trials {
		if !t.wrong && t.of.Query == "" {
			t.of.Query = t.text
		}
	}
	return err
}

// writeSuggestion makes the lines of gate file that a suggestion comes to. matchers find what it is made of, where
// that is no item yet.
func writeSuggestion(s *result.Suggestion, g *gatefile.Gate, matchers []string) {
	if s.Query == "" || !s.Is && (len(matchers) == 0 || slices.Contains(matchers, "")) {
		return // nothing that it could be found by
	}
	file := g.File
	pages := gateedit.NewValue{Keys: []string{"pages"}, Vals: []gateedit.NewValue{gateedit.Text(s.Query)}}
	whole := pages
	edit := func(d *gateedit.Doc) error { return d.Set(gateedit.Text(s.Query), "items", s.Name, "pages") }
	if s.Is {
		file = g.Item(s.Name).Pos.File
	} else {
		found := gateedit.NewValue{}
		for _, m := range matchers {
			found.List = append(found.List, gateedit.Raw(m))
		}
		if len(found.List) == 1 {
			found = found.List[0]
		}
		whole = gateedit.NewValue{Keys: []string{"found", "pages"}, Vals: []gateedit.NewValue{found, pages.Vals[0]}}
		edit = func(d *gateedit.Doc) error { return d.Add(whole, "items", s.Name) }
	}
	s.Change = func(d *gateedit.Doc, f string) error {
		if f != file {
			return nil
		}
		return edit(d)
	}
	d := gateedit.Read(nil)
	if d.Add(whole, "items", s.Name) == nil {
		s.Lines = strings.TrimSpace(string(d.Bytes())) + "\n"
	}
}

// matchersOf find what a suggestion is made of.
func matchersOf(s *result.Suggestion, texts []string) (out []string) {
	if s.Is {
		return nil
	}
	for _, l := range s.From.Loads {
		out = append(out, firstgate.MatcherOf(loadOf(l), texts))
	}
	return out
}

// Unprovable says of stylesheets what no screen shows of them, so that what a browser sees proves nothing.
func Unprovable(p *project.Project, uses []result.Use) {
	j, _ := sitecheck.NewJudge(p)
	for i := range uses {
		if u := &uses[i]; u.Kind == "style" {
			if s := j.Sheet(u.Target); s != nil && len(s.Acts) > 0 {
				u.Proof = "it has " + strings.Join(s.Acts, ", ") + ", which no screen shows"
			}
		}
	}
}

// OfUses are the suggestions that a browser proved, with the lines of gate file, which the uses get too.
func OfUses(p *project.Project, uses []result.Use) *result.Suggestions {
	r := &result.Suggestions{Format: SuggestFormat, Pages: len(p.Pages)}
	taken := map[string]bool{}
	for _, n := range p.Gate.File.ItemNames() {
		taken[n] = true
	}
	var all []string
	for i := range p.Pages {
		all = append(all, p.Pages[i].Path)
	}
	slices.Sort(all)
	paths := func(list []string) string { return strings.Join(usage.Paths(list, all), " or ") }
	for i := range uses {
		u := &uses[i]
		if u.Certainty == "" {
			continue
		}
		s := &result.Suggestion{
			Name: u.Item, Is: u.Item != "", Certainty: u.Certainty, Evidence: []string{u.Proof}, Loads: []string{u.Target},
			Pages: len(u.On) + len(u.Idle), Needed: u.On, Query: "none",
		}
		if len(u.On) > 0 {
			s.Query = paths(u.On)
			if but := paths(u.Idle); s.Query == "" && but != "" && !s.Is {
				s.Query = "all and not (" + but + ")"
			}
		}
		load := &result.Load{Tag: map[string]string{"style": "link", "script": "script"}[u.Kind], Target: u.Target,
			Party: "own"}
		if !s.Is {
			s.Name = firstgate.NameOf(load, taken)
			taken[s.Name] = true
		}
		writeSuggestion(s, p.Gate.File, []string{firstgate.MatcherOf(load, nil)})
		u.Lines = s.Lines
		r.Suggestions = append(r.Suggestions, s)
	}
	return r
}

// sameMetadata looks for metadata that every page writes with one value.
type sameMetadata struct {
	ids    []string
	values map[string]string // by id: the value that all pages have so far
	pages  int
}

func newSameMetadata(g *gatefile.Gate) *sameMetadata {
	m := &sameMetadata{values: map[string]string{}}
	decided := g.KeyIDs()
	for _, id := range []string{"author", "theme-color", "icon", "meta.application-name", "meta.color-scheme",
		"meta.referrer", "link.manifest", "property.og:site_name", "property.og:type", "property.og:image"} {
		if known, _ := gatefile.KnownKey(id); known && !slices.Contains(decided, id) {
			m.ids = append(m.ids, id)
		}
	}
	return m
}

// addresses are the keys whose value is a URL: written relative to a page, it means
// another file on each.
var addresses = map[string]bool{"icon": true, "link.manifest": true, "property.og:image": true}

func (m *sameMetadata) add(g *pageedit.Result) {
	m.pages++
	kept := m.ids[:0]
	for _, id := range m.ids {
		value, _ := g.Own(id)
		if value == "" || m.pages > 1 && m.values[id] != value ||
			addresses[id] && value[0] != '/' && !strings.Contains(value, "://") {
			continue
		}
		m.values[id] = value
		kept = append(kept, id)
	}
	m.ids = kept
}

func (m *sameMetadata) suggestions() (out []*result.Suggestion) {
	if m.pages < 3 {
		return nil
	}
	for _, id := range m.ids {
		value := m.values[id]
		s := &result.Suggestion{
			Name:      id,
			Is:        true,
			Loads:     []string{},
			Pages:     m.pages,
			Needed:    []string{},
			Certainty: usage.Certain.String(),
			Evidence: []string{
				fmt.Sprintf(
					"all %d pages write it, with the value %s; one rule could, and a change would be one line",
					m.pages, value),
			},
			Query: "all",
		}
		key, set := id, gateedit.Text(value)
		if in, name, nested := strings.Cut(id, "."); nested { // meta.referrer is referrer under meta
			key, set = in, gateedit.NewValue{Keys: []string{name}, Vals: []gateedit.NewValue{gateedit.Text(value)}}
		}
		rule := gateedit.NewValue{Keys: []string{"pages", key}, Vals: []gateedit.NewValue{gateedit.Text("all"), set}}
		s.Change = func(d *gateedit.Doc, _ string) error { return d.AppendRule(rule, "metadata") }
		d := gateedit.Read(nil)
		if s.Change(d, "") == nil {
			s.Lines = strings.TrimSpace(string(d.Bytes())) + "\n"
		}
		out = append(out, s)
	}
	return out
}

// Only keeps the suggestions of some names. It is an error if there is none of one.
func Only(r *result.Suggestions, names []string) error {
	if len(names) == 0 {
		return nil
	}
	var all []string
	for _, s := range r.Suggestions {
		all = append(all, s.Name)
	}
	for _, n := range names {
		if !slices.Contains(all, n) {
			return &failure.Usage{
				Message: fmt.Sprintf("nothing is suggested for %q%s", n, didyoumean.Suggest(n, all)),
				Remedy:  "yellowgate suggest lists what is",
			}
		}
	}
	r.Suggestions = slices.DeleteFunc(r.Suggestions,
		func(s *result.Suggestion) bool { return !slices.Contains(names, s.Name) })
	return nil
}

// Write adds what is suggested to the gate file: what is certain or proved. skipped counts what was left out.
func Write(ctx context.Context, e *gatechange.Edit,
	r *result.Suggestions) (done *result.GateChange, skipped int, err error) {
	done, err = e.Change(ctx, func(p *project.Project, doc func(string) *gateedit.Doc) error {
		g := p.Gate.File
		for _, s := range r.Suggestions {
			if s.Change == nil || s.Certainty != usage.Certain.String() && s.Certainty != "proved" {
				skipped++
				continue
			}
			file := g.File
			if it := g.Item(s.Name); it != nil {
				file = it.Pos.File
			}
			if err := s.Change(doc(file), file); err != nil {
				return &failure.Usage{
					Message: s.Name + ": " + err.Error(),
					Remedy:  "write these lines by hand:\n" + s.Lines,
				}
			}
		}
		return nil
	})
	return done, skipped, err
}
