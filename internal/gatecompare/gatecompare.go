// Package gatecompare compares what two gate files, or one before and after a change, make of the same pages. It writes
// nothing.
package gatecompare

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/decisions"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/sitecheck"
)

// A Comparison is what differs, and what is wrong with the pages of each gate.
type Comparison struct {
	result.GateDiff
	In        map[string]int // on how many pages an item is after
	WasErrors []pageedit.Problem
	Errors    []pageedit.Problem
}

// both is a page as two gates write it.
type both struct {
	was, is *pageedit.Result
	changes []pagechange.Change
	breaks  []result.Break
	links   []string
}

// Compare gates every page of after's source by both. The pages of both have been walked.
func Compare(ctx context.Context, before, after *project.Project, progress parallel.Progress) (*Comparison, error) {
	c := &comparer{
		before: before,
		after:  after,
		at:     map[string]int{},
		old:    map[string]int{},
		both:   map[string]bool{},
		links:  map[string][]string{},
	}
	for _, it := range before.Gate.File.Items {
		for _, o := range it.Opens {
			if o.How == "fragment" {
				c.fragments = append(c.fragments, o.Value)
			}
		}
	}
	c.In, c.GateDiff = map[string]int{}, result.NewGateDiff()
	for i := range before.Pages {
		c.old[before.Pages[i].File] = i
	}
	c.items = names(before.Gate.File, after.Gate.File)
	judge, _ := sitecheck.NewJudge(after)
	err := parallel.InOrder(ctx, len(after.Pages), func(i int) (both, error) {
		return c.page(&after.Pages[i], judge)
	}, func(i int, b both) error {
		if progress != nil {
			progress(i+1, len(after.Pages))
		}
		c.add(b)
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, p := range before.Pages {
		if !c.both[p.File] {
			c.Removed = append(c.Removed, p.Path)
		}
	}
	c.Changes = c.groups.List()
	c.Follows = append(c.Follows, c.follows()...)
	return &c.Comparison, nil
}

// comparer gathers what differs, page by page.
type comparer struct {
	Comparison
	before, after *project.Project
	items         []string
	at            map[string]int  // of an item in Items
	old           map[string]int  // pages before, by file
	both          map[string]bool // files of pages that are on both sides
	groups        pagechange.Groups
	was, is       []pageedit.Problem
	fragments     []string            // that open a popup before
	links         map[string][]string // address with a fragment -> pages that link to it
}

// page gates a page by both.
func (c *comparer) page(pg *page.Page, judge *gatecheck.Judge) (b both, err error) {
	text, err := c.after.Read(pg)
	if err != nil {
		return b, err
	}
	b.is = c.after.Gate.Page(text, *pg)
	b.links = c.linksOf(b.is)
	k, ok := c.old[pg.File]
	if !ok {
		return b, nil
	}
	if text, err = c.before.Read(&c.before.Pages[k]); err != nil {
		return b, err
	}
	b.was = c.before.Gate.Page(text, c.before.Pages[k])
	if b.is.Fragment || bytes.Equal(b.was.File, b.is.File) {
		return b, nil
	}
	b.changes = append(parameters(b.was, b.is),
		pagechange.Between(itemmatch.SideOf(b.was, c.before.Gate), itemmatch.SideOf(b.is, c.after.Gate))...)
	kept := effective(b.is)
	lost := effective(b.was)
	maps.DeleteFunc(lost, func(item string, _ bool) bool { return kept[item] })
	if len(lost) == 0 {
		return b, nil
	}
	for _, x := range judge.Lost(judge.Owned(b.was.File, b.is.Page), b.is, func(item string) bool { return lost[item] }) {
		b.breaks = append(b.breaks, result.Break{Page: pg.Path, Item: x.Item, What: x.What})
	}
	return b, nil
}

// parameters lists the values of parameters that differ, of items that are in on both sides.
func parameters(was, is *pageedit.Result) (out []pagechange.Change) {
	old := map[[2]string]string{}
	for i := range was.Verdicts {
		for _, p := range was.Params(was.Verdicts[i].Item) {
			if was.Verdicts[i].In {
				old[[2]string{was.Verdicts[i].Item.Name, p.Param.Name}] = p.Value
			}
		}
	}
	for i := range is.Verdicts {
		it := is.Verdicts[i].Item
		for _, p := range is.Params(it) {
			if value, ok := old[[2]string{it.Name, p.Param.Name}]; ok && is.Verdicts[i].In && value != p.Value {
				out = append(out, pagechange.Change{
					Kind: pagechange.Parameter, Item: it.Name, Name: p.Param.Name, How: pagechange.Changed, Was: value, Is: p.Value,
				})
			}
		}
	}
	return out
}

// add counts a page.
func (c *comparer) add(b both) {
	c.both[b.is.Page.File] = b.was != nil
	if b.is.Fragment {
		return
	}
	c.Pages++
	c.is = append(c.is, b.is.Problems...)
	c.Errors = append(c.Errors, errorsOf(b.is)...)
	c.groups.Add(b.is.Page.Path, b.changes)
	c.Breaks = append(c.Breaks, b.breaks...)
	was, is := map[string]bool{}, effective(b.is)
	if b.was == nil {
		c.Added = append(c.Added, b.is.Page.Path)
	} else {
		c.was = append(c.was, b.was.Problems...)
		c.WasErrors = append(c.WasErrors, errorsOf(b.was)...)
		was = effective(b.was)
	}
	moved := false
	for _, name := range c.items {
		if is[name] {
			c.In[name]++
		}
		switch {
		case is[name] && !was[name]:
			d := c.item(name)
			d.Gained, moved = append(d.Gained, b.is.Page.Path), true
		case was[name] && !is[name]:
			d := c.item(name)
			d.Lost, moved = append(d.Lost, b.is.Page.Path), true
		}
	}
	switch {
	case b.was != nil && bytes.Equal(b.was.File, b.is.File):
		c.Unchanged++
	case !moved:
		c.Changed = append(c.Changed, b.is.Page.Path)
	}
	for _, key := range b.links {
		c.links[key] = append(c.links[key], b.is.Page.Path)
	}
}

// item is the entry of an item.
func (c *comparer) item(name string) *result.ItemDiff {
	i, ok := c.at[name]
	if !ok {
		i = len(c.Items)
		c.at[name] = i
		c.Items = append(c.Items,
			result.ItemDiff{Item: name, Gained: []string{}, Lost: []string{}, Replaced: []string{}})
	}
	return &c.Items[i]
}

// mostLinks is how many links of a page are looked at.
const mostLinks = 1000

var fragmentLink = regexp.MustCompile(`(?i)\shref\s*=\s*["']?([^"'\s>#]*)#([\w-]+)`)

// linksOf lists the addresses with fragments that a page links to, where some of them open a popup.
func (c *comparer) linksOf(r *pageedit.Result) (keys []string) {
	if !slices.ContainsFunc(c.fragments, func(name string) bool { return bytes.Contains(r.File, []byte("#"+name)) }) {
		return nil
	}
	for _, m := range fragmentLink.FindAllSubmatch(r.File, -1) {
		to := r.Page.Path
		if len(m[1]) > 0 {
			to = "/" + strings.TrimLeft(strings.TrimPrefix(string(m[1]), c.after.Gate.File.Site.URL.Value), "/")
		}
		if key := page.Key(to) + "#" + string(m[2]); len(keys) < mostLinks && !slices.Contains(keys, key) {
			keys = append(keys, key)
		}
	}
	return keys
}

// follows says what the change brings with it: what is said of pages now that was not said before, and links that
// opened a popup and do not any longer.
func (c *comparer) follows() (out []string) {
	said := map[string]bool{}
	for _, p := range c.was {
		said[p.Page+"\x00"+p.Message] = true
	}
	fresh := slices.DeleteFunc(c.is, func(p pageedit.Problem) bool {
		return said[p.Page+"\x00"+p.Message]
	})
	for _, p := range project.GroupProblems(c.after.Gate.File, fresh) {
		out = append(out, p.Message)
	}
	for _, d := range c.Items {
		it := c.before.Gate.File.Item(d.Item)
		if it == nil {
			continue
		}
		for _, o := range it.Opens {
			if o.How != "fragment" {
				continue
			}
			for _, path := range d.Lost {
				if from := c.links[page.Key(path)+"#"+o.Value]; len(from) > 0 {
					out = append(out,
						fmt.Sprintf("%s#%s opens nothing any longer, and %s links to it", path, o.Value,
							pageedit.SomePages(from)))
				}
			}
		}
	}
	return out
}

func errorsOf(r *pageedit.Result) (out []pageedit.Problem) {
	for _, p := range r.Problems {
		if p.Severity == problem.Error {
			out = append(out, p)
		}
	}
	return out
}

// effective are the items that are on a page after the gate.
func effective(r *pageedit.Result) map[string]bool {
	out := map[string]bool{}
	for i := range r.Verdicts {
		if decisions.Cell(r, i) == result.CellIn {
			out[r.Verdicts[i].Item.Name] = true
		}
	}
	return out
}

// names lists the items of both gates, those of the second first.
func names(before, after *gatefile.Gate) []string {
	out := after.ItemNames()
	for _, n := range before.ItemNames() {
		if !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}
