// Package overview says what a gate file decides in words, for somebody who reads no gate files: what loads on which
// pages, why, how heavy it is, and who decided it.
package overview

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/markup"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/pagequery"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/decisions"
	"yellowgate/internal/history"
	"yellowgate/internal/onepage"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
)

// mostMain is of how many pages it is shown how they are listed, and mostEntries how many entries of the history.
const (
	mostMain    = 6
	mostEntries = 12
)

// Make makes the overview of a project whose pages are known. read returns a file of the site, by its path.
func Make(ctx context.Context, p *project.Project, weights inventory.Weights, read func(path string) ([]byte, bool),
	progress parallel.Progress) (*result.Overview, error) {
	g := p.Gate.File
	o := &result.Overview{
		Site: cmp.Or(g.Site.Name.Value, "this site"), URL: g.Site.URL.Value, Gate: g.File, Day: p.Gate.Plan.Day,
		Hosts: []result.Host{}, Rules: rules(g), Alone: alone(g), Main: []result.Preview{}, History: []result.HistoryEntry{},
		Pictures: map[string][]byte{},
	}
	c := &counter{Overview: o, p: p, hosts: map[string]*result.Host{}, number: map[string]int{}}
	for i, it := range g.Items {
		o.Items = append(o.Items, thing(p, it))
		c.number[it.Name] = i
	}
	c.kinds()
	err := parallel.InOrder(ctx, len(p.Pages), func(i int) (*counted, error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return nil, err
		}
		r := p.Gate.Page(b, p.Pages[i])
		if r.Fragment {
			return &counted{r: r}, nil
		}
		return &counted{r, itemmatch.Read(r.File, r, p.Gate, weights).Record}, nil
	}, func(i int, x *counted) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		if !x.r.Fragment {
			c.problems = append(c.problems, x.r.Problems...)
			c.add(x)
		}
		return nil
	})
	if err == nil { // of what apply would refuse, nobody is told that it is so
		err = project.Refusal(project.GroupProblems(g, c.problems))
	}
	if err != nil {
		return nil, err
	}
	c.finish()
	h, err := history.Of(p)
	if err != nil {
		return nil, err
	}
	decided := h.Decided(p.Named)
	for i := range o.Items {
		o.Items[i].Decided = decided[o.Items[i].Item]
	}
	for i := len(h.Entries) - 1; i >= 0 && len(o.History) < mostEntries; i-- {
		e := h.Entries[i]
		e.Files, e.Was = nil, nil
		o.History = append(o.History, e)
	}
	return o, mainPages(p, o, read)
}

// mainPages shows how main pages are listed: the home page, and those that it leads to, in its order.
func mainPages(p *project.Project, o *result.Overview, read func(path string) ([]byte, bool)) error {
	pages, err := fromHome(p)
	if err != nil {
		return err
	}
	for _, pg := range pages[:min(len(pages), mostMain)] {
		v, err := onepage.Preview(p, pg, read)
		if err != nil {
			return err
		}
		o.Main = append(o.Main, *v)
		if file := v.After.Shared.File; file != "" && o.Pictures[file] == nil {
			o.Pictures[file], _ = read(file)
		}
	}
	return nil
}

// fromHome are the home page and the pages that its links lead to, in their order; the first of all pages where
// there is no home page.
func fromHome(p *project.Project) (out []*page.Page, err error) {
	home, err := p.Find("/")
	if err != nil {
		for i := range p.Pages {
			out = append(out, &p.Pages[i])
		}
		return out, nil
	}
	r, err := decisions.Look(p, home)
	if err != nil {
		return nil, err
	}
	out = []*page.Page{home}
	links, err := markup.ParseSelector("a[href]")
	if err != nil {
		return nil, err
	}
	at, err := markup.Matches(r.Source.Text, links)
	if err != nil {
		return out, nil // a page that nobody can follow leads nowhere
	}
	href, from := markup.BaseHref(r.Source, r.Scan)
	bases := p.Gate.Site.Bases(home.Path, href, from)
	for _, a := range at {
		raw, _ := r.Source.Attr(a, "href")
		ref, ok := bases.At(a).Resolve(raw)
		if !ok || !ref.Own {
			continue
		}
		if pg, err := p.Find(ref.Page); err == nil && !slices.Contains(out, pg) && pg.Status() < 400 {
			out = append(out, pg)
		}
		if len(out) == mostMain {
			break
		}
	}
	return out, nil
}

// counted is a page with what it outputs.
type counted struct {
	r      *pageedit.Result
	record *inventory.Record
}

// counter counts where things are.
type counter struct {
	*result.Overview
	p     *project.Project
	sets  []*gatefile.Set            // those of Kinds[2:], but the last
	loads []map[int]*result.KindLoad // by kind: the pages that have an item, by its number
	hosts map[string]*result.Host

	number   map[string]int // of items, by name
	problems []pageedit.Problem
}

// kinds are all pages, the home page, and the page sets.
func (c *counter) kinds() {
	c.Kinds = []result.Kind{{Name: "all pages"}, {Name: "the home page"}}
	for _, s := range c.p.Gate.File.Sets {
		c.sets = append(c.sets, s)
		c.Kinds = append(c.Kinds,
			result.Kind{Name: "the " + s.Name + " pages", Query: pagequery.Words(s.Query.Expr), Note: s.Note})
	}
	c.Kinds = append(c.Kinds, result.Kind{Name: "all other pages"})
	for range c.Kinds {
		c.loads = append(c.loads, map[int]*result.KindLoad{})
	}
}

// add counts a page.
func (c *counter) add(x *counted) {
	c.Pages++
	in := []int{0}
	if x.r.Page.Path == "/" {
		in = append(in, 1)
	}
	for i, s := range c.sets {
		if s.Query.Eval(&x.r.Page) {
			in = append(in, i+2)
		}
	}
	if len(in) == 1 {
		in = append(in, len(c.Kinds)-1)
	}
	for _, k := range in {
		c.Kinds[k].Pages++
		if len(c.Kinds[k].Some) < 5 {
			c.Kinds[k].Some = append(c.Kinds[k].Some, x.r.Page.Path)
		}
	}
	for i := range x.r.Verdicts {
		switch decisions.Cell(x.r, i) {
		case result.CellIn:
			c.Items[i].On++
			for _, k := range in {
				l := c.loads[k][i]
				if l == nil {
					l = &result.KindLoad{Item: c.Items[i].Item, Some: []string{}}
					c.loads[k][i] = l
				}
				if l.On++; l.On <= 3 {
					l.Some = append(l.Some, x.r.Page.Path)
				}
			}
		case result.CellTaken:
			c.Items[i].Off++
		}
	}
	c.weigh(x.record)
}

// weigh adds up what items bring to a page.
func (c *counter) weigh(record *inventory.Record) {
	bytes, gzip := map[int]int{}, map[int]int{}
	here := map[string]bool{}
	for i := range record.Elements {
		e := &record.Elements[i]
		n, ok := c.number[e.Item]
		if !ok {
			continue
		}
		t := &c.Items[n]
		if e.Party == "third" && e.Loads {
			host := hostOf(e.Target)
			if t.Unknown = true; !slices.Contains(t.Hosts, host) {
				t.Hosts = append(t.Hosts, host)
			}
			h := c.hosts[host]
			if h == nil {
				h = &result.Host{Host: host}
				c.hosts[host] = h
			}
			if !slices.Contains(h.Items, t.Item) {
				h.Items = append(h.Items, t.Item)
			}
			if !here[host] {
				here[host] = true
				h.Pages++
			}
			continue
		}
		bytes[n] += e.Bytes
		gzip[n] += e.Gzip
	}
	for n := range bytes {
		if t := &c.Items[n]; bytes[n] > t.Bytes {
			t.Bytes, t.Gzip = bytes[n], gzip[n]
		}
	}
}

func hostOf(target string) string {
	if u, err := url.Parse(target); err == nil {
		return u.Hostname()
	}
	return target
}

// finish orders what was counted.
func (c *counter) finish() {
	for k := range c.Kinds {
		kind := &c.Kinds[k]
		kind.Loads = []result.KindLoad{}
		for i := range c.Items {
			if l := c.loads[k][i]; l != nil {
				kind.Loads = append(kind.Loads, *l)
			}
		}
	}
	for _, host := range slices.Sorted(maps.Keys(c.hosts)) {
		c.Hosts = append(c.Hosts, *c.hosts[host])
	}
}

// thing is an item in words.
func thing(p *project.Project, it *gatefile.Item) result.Thing {
	t := result.Thing{
		Item: it.Name, Is: is(it), Where: where(it), Why: it.Note, Notes: []string{}, Opens: opens(it),
		Hosts: []string{}, Needs: []string{},
		Rule: result.RuleOf(it.Pos),
	}
	for _, n := range it.Needs {
		t.Needs = append(t.Needs, n.Value)
	}
	note := func(queries []gatefile.Query, what string) {
		for _, q := range queries {
			if q.Note != "" {
				t.Notes = append(t.Notes, what+pagequery.Words(q.Expr)+": "+q.Note)
			}
		}
	}
	note(it.Pages, "")
	note(it.Except, "not on ")
	for _, rule := range it.ParamsOn {
		if rule.Note != "" {
			t.Notes = append(t.Notes, queriesInWords(rule.Pages, rule.Except)+": "+rule.Note)
		}
	}
	for _, pp := range p.Gate.File.Pages {
		for word, list := range map[string][]gatefile.Text{"also on ": pp.In, "not on ": pp.Out} {
			if slices.ContainsFunc(list, func(x gatefile.Text) bool { return x.Value == it.Name }) {
				t.Notes = append(t.Notes, strings.TrimSuffix(word+pp.Path+": "+pp.Note, ": "))
			}
		}
	}
	day := p.Gate.Plan.Day
	switch {
	case it.Disabled:
		t.Kept = "kept for later: it is switched off everywhere"
	case it.From.Value != "" && day < it.From.Value:
		t.Kept = "from " + it.From.Value + " on"
	case it.Until.Value != "" && day > it.Until.Value:
		t.Kept = "its time is over since " + it.Until.Value
	}
	return t
}

// where says in words on which pages an item is.
func where(it *gatefile.Item) string {
	if len(it.Pages) == 0 {
		if it.HasSpot() {
			return "pages whose author put a spot for it there"
		}
		return "pages where another item needs it, or that name it"
	}
	return queriesInWords(it.Pages, it.Except)
}

// queriesInWords says which pages some queries choose, without others.
func queriesInWords(pages, except []gatefile.Query) string {
	out := queryWords(pages)
	if len(except) > 0 {
		out += ", but not " + queryWords(except)
	}
	return out
}

func queryWords(queries []gatefile.Query) string {
	list := make([]string, len(queries))
	for i, q := range queries {
		list[i] = pagequery.Words(q.Expr)
	}
	return wording.Both(list)
}

// is says in words what an item brings.
func is(it *gatefile.Item) (out []string) {
	add := func(s string) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	for _, p := range it.Parts {
		only := ""
		if len(p.Only) > 0 {
			only = " (only on " + queriesInWords(p.Only, nil) + ")"
		}
		switch p.Kind {
		case gatefile.Script, gatefile.Stylesheet:
			add("the " + string(p.Kind) + " " + p.Text + only)
		case gatefile.ScriptText:
			add("a few lines of script in the page" + only)
		case gatefile.StyleText:
			add("a few lines of style in the page" + only)
		case gatefile.Code:
			add(codeInWords(p) + only)
		case gatefile.Popup:
			add("the popup “" + cmp.Or(it.Label.Text, it.Name) + "”")
		case gatefile.Structured:
			add(map[bool]string{true: "questions with answers, for search engines",
				false: "data for search engines"}[p.Key == "questions"] +
				only)
		case gatefile.Classes:
			add("the classes " + p.Text + " on " + p.Selector.String())
		}
	}
	for i := range it.Found {
		add("of the pages themselves: " + matcher(&it.Found[i]))
	}
	for i := range it.Replaces {
		add("in place of " + matcher(&it.Replaces[i]))
	}
	return out
}

// matcher says in words what is found.
func matcher(m *gatefile.Matcher) string {
	switch {
	case m.URL != "" && strings.HasSuffix(m.URL, "/**"):
		return "what loads from " + strings.TrimSuffix(m.URL, "**")
	case m.URL != "":
		return "what loads " + m.URL
	case m.Text != nil:
		return "inline code with “" + m.Text.String() + "”"
	}
	return "the elements " + m.Selector.String()
}

// codeInWords says what a piece of HTML brings.
func codeInWords(p *gatefile.Part) string {
	text := strings.ToLower(p.Text)
	for _, of := range [][2]string{{"<iframe", "an embedded page"}, {"<script", "code with a script"},
		{"<form", "a form"}, {"<meta", "metadata"}, {"<link", "a link in the head"}} {
		if strings.Contains(text, of[0]) {
			return of[1] + fromFile(p)
		}
	}
	return "a piece of the page" + fromFile(p)
}

func fromFile(p *gatefile.Part) string {
	if p.FromFile == "" {
		return ""
	}
	return " (" + p.FromFile + ")"
}

// opens says in words what opens a popup.
func opens(it *gatefile.Item) []string {
	out := []string{}
	for _, o := range it.Opens {
		s := map[string]string{
			"after": o.Value + " seconds after the page has loaded", "scroll": "once " + o.Value + " % of the page is scrolled past",
			"click": "on a click on " + o.Value, "fragment": "at addresses that end in #" + o.Value, "leaving": "when the pointer leaves the page at its top",
		}[o.How]
		if len(o.Pages) > 0 {
			s += ", on " + queriesInWords(o.Pages, nil)
		}
		out = append(out, s)
	}
	return out
}

// rules are those of metadata, in words.
func rules(g *gatefile.Gate) []result.Said {
	out := []result.Said{}
	for _, r := range g.Rules {
		var queries []gatefile.Query
		for _, q := range r.Pages {
			if q.Like == "" { // those of like sets are said with the set
				queries = append(queries, q)
			}
		}
		s := result.Said{
			Where: queriesInWords(queries, r.Except),
			Says:  keys(r.Keys),
			Note:  r.Note,
			Rule:  result.RuleOf(r.Pos),
		}
		if r.Default {
			s.Where += ", where they say nothing themselves"
		}
		out = append(out, s)
	}
	return out
}

// keys are metadata keys with their values, in words.
func keys(list []gatefile.Key) []string {
	out := []string{}
	for i := range list {
		k := &list[i]
		name := strings.NewReplacer("property.og:", "shared link’s ", "meta.", "", "link.", "link ").Replace(k.ID())
		switch {
		case k.None:
			out = append(out, "no "+name)
		case k.Sibling:
			out = append(out, "links to the page in other languages")
		default:
			var values []string
			for _, v := range k.Values {
				values = append(values, v.Text)
			}
			out = append(out, name+": "+wording.List(values, 3))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// alone are the pages with a last word of their own.
func alone(g *gatefile.Gate) []result.Said {
	out := []result.Said{}
	for _, pp := range g.Pages {
		s := result.Said{Where: pp.Path, Note: pp.Note, Rule: result.RuleOf(pp.Pos), Says: []string{}}
		for _, t := range pp.In {
			s.Says = append(s.Says, "has "+t.Value)
		}
		for _, t := range pp.Out {
			s.Says = append(s.Says, "is without "+t.Value)
		}
		for _, x := range pp.Params {
			s.Says = append(s.Says, fmt.Sprintf("%s of %s: %s", x.Name, x.Item, x.Value))
		}
		s.Says = append(s.Says, keys(pp.Keys)...)
		out = append(out, s)
	}
	return out
}
