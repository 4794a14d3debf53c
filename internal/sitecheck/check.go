// Package sitecheck holds a gate file against the pages of its site, before anything is written: what is
// wrong (check), and what stands in the way of apply.
package sitecheck

import (
	"context"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/capture"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/checks/popups"
	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// Check reads the gate file against the site and writes nothing. problems are
// those that opening the project told already.
func Check(ctx context.Context, p *project.Project, problems []problem.Problem,
	progress parallel.Progress) (*result.Check, error) {
	c := newChecking(p, problems)
	err := parallel.InOrder(ctx, len(p.Pages), c.look, func(i int, x checkedPage) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		c.add(i, x)
		return nil
	})
	if err != nil {
		return nil, err
	}
	c.problems(ctx)
	r := c.result
	r.Pages, r.Rules = c.tally.Pages, c.rules.Of
	for i := range r.Problems {
		p.Gate.File.Accepts(&r.Problems[i], nil)
		if text := p.Gate.File.TextOf(r.Problems[i].Pos.File); r.Problems[i].Line == "" && text != nil {
			r.Problems[i].Line = project.LineOf(text, r.Problems[i].Pos.Line)
		}
	}
	problem.Sort(r.Problems)
	for i, it := range p.Gate.File.Items {
		r.Tally = append(r.Tally, result.ItemCount{Item: it, In: c.tally.In[i], Found: c.tally.Found[i]})
	}
	return r, nil
}

// checking is what is gathered of the pages while the gate file is checked against them.
type checking struct {
	*project.Project
	result  *result.Check
	way     *inTheWay
	judge   *gatecheck.Judge
	rebuilt func(*page.Page, []byte) []string
	opens   bool // an item is a popup that opens at a fragment

	tally    *gate.Tally
	onPages  []pageedit.Problem
	places   pageedit.Places
	reach    popups.Reach
	idle     gatecheck.Unwritten
	rules    *gatecheck.Rules
	spelling *gatecheck.Spelling
}

func newChecking(p *project.Project, problems []problem.Problem) *checking {
	c := &checking{Project: p, way: newInTheWay(p), rebuilt: p.Rebuilt(), tally: gate.NewTally(p.Gate),
		rules: gatecheck.NewRules(p.Gate.File), spelling: gatecheck.NewSpelling(p.Gate.File, p.Pages)}
	c.result = &result.Check{Gate: p.Gate.File, Problems: append(problems, p.CheckPages()...), Files: len(p.Pages)}
	c.opens = slices.ContainsFunc(p.Gate.File.Items, func(it *gatefile.Item) bool {
		return slices.ContainsFunc(it.Opens, func(o *gatefile.Open) bool { return o.How == "fragment" })
	})
	c.judge, _ = NewJudge(p)
	return c
}

// checkedPage is a page, looked at by itself.
type checkedPage struct {
	*pageedit.Result
	problems []pageedit.Problem
	lines    *gate.Lines
	rules    *gatecheck.RuleLines
	popups   *popups.Popups
}

// look looks at page i by itself. Several goroutines may call it.
func (c *checking) look(i int) (checkedPage, error) {
	p := c.Project
	b, err := p.Read(&p.Pages[i])
	if err != nil {
		return checkedPage{}, err
	}
	g := p.Gate.Page(b, p.Pages[i])
	x := checkedPage{Result: g, lines: c.tally.Look(g), rules: c.rules.Look(g)}
	if c.opens && !g.Fragment {
		x.popups = popups.PopupsAsWritten(p.Gate, g)
	}
	x.problems = slices.Concat(g.Problems, c.way.onPage(g), c.judge.Losses(g), gatecheck.Required(g, p.Gate.File),
		gatecheck.DroppedNoindex(g), gatecheck.Rebuilt(g, c.rebuilt(&p.Pages[i], b)))
	if p.Gate.File.Site.Origin.Value != "" {
		x.problems = append(x.problems, gatecheck.Waits(g, p.Gate.File.Site.Origin.Pos)...)
	}
	return x, nil
}

// add takes in what was seen of page i. The pages come in their order.
func (c *checking) add(i int, x checkedPage) {
	if x.Fragment {
		c.result.Fragments = append(c.result.Fragments, x.Page.File)
	}
	c.tally.Add(x.Page.Path, x.lines)
	c.places.Add(x.Result)
	for k := range x.problems {
		c.Gate.File.Accepts(&x.problems[k].Problem, &x.Page)
	}
	c.onPages = append(c.onPages, x.problems...)
	c.reach.Add(check.PageAt{Path: x.Page.Path, File: x.Page.File}, x.popups)
	c.idle.Add(x.Result)
	c.rules.Add(x.Page.Path, x.rules)
	if i%max(1, len(c.Pages)/pagesThatVote) == 0 && x.Page.Answer == nil { // else a server has said what it is called
		c.spelling.Add(x.Source.Text, c.Gate.Site.Page(x.Page.Path, ""))
	}
}

// problems gathers what the pages together say of the gate file.
func (c *checking) problems(ctx context.Context) {
	p, f := c.Project, c.Gate.File
	add := func(ps ...problem.Problem) { c.result.Problems = append(c.result.Problems, ps...) }
	add(project.GroupProblems(f, c.onPages)...)
	add(c.places.Problems()...)
	add(c.tally.Problems(sync.OnceValue(func() []string { return loadedURLs(ctx, p) }))...)
	add(c.way.anywhere()...)
	if len(p.LeftOut) > 0 {
		add(leftOut(p))
	}
	add(gatecheck.SameURL(f)...)
	add(c.idle.Problems(f)...)
	add(c.rules.Problems()...)
	if c.spelling.Asks() {
		if b, err := p.Read(&page.Page{File: "sitemap.xml"}); err == nil {
			c.spelling.Add(b, p.Gate.Site.Page("/", ""))
		}
	}
	add(c.spelling.Problems()...)
	add(f.Over(p.Gate.Plan.Day)...)
	if !p.MadeByServer() {
		add(gatecheck.LostPaths(f, p.Pages)...)
	}
	for _, x := range c.reach.Unreachable() {
		add(problem.Problem{Severity: problem.Warning, Name: x.Check, Item: x.Item, Message: x.Message,
			Remedy: x.Remedy, Pos: problem.Position{File: x.File, Line: x.Line, Column: x.Column}})
	}
	for _, path := range f.Unused() {
		add(problem.Problem{Severity: problem.Note, Name: problem.UnusedBuiltFile, Pos: f.Site.Manifest.Pos,
			Message: "no item uses the built file " + path,
			Remedy:  "give it an item, or leave it to the pages that load it themselves"})
	}
}

// pagesThatVote is about how many pages are asked how the site writes its addresses.
const pagesThatVote = 50

// inTheWay is what stops an apply besides what gating a page tells, and what check calls an error, too: files
// of items that the site lacks or a browser could not parse, ids that popups share, needs that run late.
type inTheWay struct {
	p       *project.Project
	hasFile func(path string) bool
	files   func() []string // paths, for what was probably meant
	ordered []int           // items that say in which order they run
	server  *capture.Server // the running site, which may have files that the folder lacks; or nil
}

func newInTheWay(p *project.Project) *inTheWay {
	w := &inTheWay{p: p}
	inFolder, _ := site.Index(p.Files, p.Pages)
	w.hasFile = inFolder
	if origin := p.Gate.File.Site.Origin.Value; origin != "" {
		w.server = &capture.Server{Origin: origin}
		w.hasFile = func(path string) bool { // of a server that cannot be asked it is unknown, which is told once
			return inFolder(path) || w.server.Has(path) || w.server.Err() != nil
		}
	}
	w.files = sync.OnceValue(func() (paths []string) {
		for _, f := range p.Files {
			paths = append(paths, "/"+f.Path)
		}
		return paths
	})
	for i, it := range p.Gate.File.Items {
		if len(it.Needs)+len(it.Before)+len(it.After) > 0 {
			w.ordered = append(w.ordered, i)
		}
	}
	return w
}

// onPage is what stands in the way of one page.
func (w *inTheWay) onPage(g *pageedit.Result) []pageedit.Problem {
	out := slices.Concat(g.Clashes(), g.MissingFiles(w.hasFile, w.files))
	if !g.Fragment && slices.ContainsFunc(w.ordered, func(i int) bool { return g.Verdicts[i].In }) {
		pass := AsWritten(w.p, g, nil)
		out = slices.Concat(out, gatecheck.LateNeeds(pass, w.p.Gate.File), gatecheck.OutOfOrder(pass))
	}
	return out
}

// anywhere is what stands in the way of all pages.
func (w *inTheWay) anywhere() []problem.Problem {
	read := func(path string) ([]byte, bool) {
		if !w.hasFile(path) {
			return nil, false
		}
		b, err := w.p.Read(&page.Page{File: strings.TrimPrefix(path, "/")})
		return b, err == nil
	}
	out := slices.Concat(gatecheck.BuiltAndMissing(w.p.Gate.File, w.hasFile), gatecheck.Unreadable(w.p.Gate.File, read))
	return append(out, w.unasked()...)
}

// unasked says that the running site could not be asked for files; nothing where it could, or nobody asked.
func (w *inTheWay) unasked() []problem.Problem {
	if w.server == nil || w.server.Err() == nil {
		return nil
	}
	return []problem.Problem{{
		Severity: problem.Warning, Pos: w.p.Gate.File.Site.Origin.Pos,
		Message: fmt.Sprintf("%s could not be queried for files that the folder lacks: %v", w.server.Origin, w.server.Err()),
		Remedy:  "start it, and try again",
	}}
}

// InTheWay is what stands in the way of an apply: of each page as it is gated, and of all; and, once the pages
// are gated, what could not be asked.
func InTheWay(p *project.Project) (
	page func(*pageedit.Result) []pageedit.Problem,
	all []problem.Problem,
	unasked func() []problem.Problem,
) {
	w := newInTheWay(p)
	return w.onPage, w.anywhere(), w.unasked
}

// PageInTheWay is what InTheWay says of pages.
func PageInTheWay(p *project.Project) func(*pageedit.Result) []pageedit.Problem {
	return newInTheWay(p).onPage
}

// loadedURLs lists what the site's pages load, or some of them: a second reading, for what somebody meant.
func loadedURLs(ctx context.Context, p *project.Project) []string {
	seen := map[string]bool{}
	every := max(len(p.Pages)/mostRead, 1)
	parallel.InOrder(ctx, len(p.Pages)/every, func(i int) ([]string, error) {
		b, err := p.Read(&p.Pages[i*every])
		if err != nil {
			return nil, err
		}
		return p.Gate.Look(b, p.Pages[i*every]).Loads(), nil
	}, func(_ int, urls []string) error {
		for _, u := range urls {
			seen[u] = len(seen) < mostURLs || seen[u]
		}
		return nil
	})
	return slices.Sorted(maps.Keys(seen))
}

// What is read and kept to suggest from.
const (
	mostRead = 200 // pages
	mostURLs = 20_000
)

// leftOut reports dot-files of the source that are not copied.
func leftOut(p *project.Project) problem.Problem {
	pos := p.Gate.File.Site.Source.Pos
	return problem.Problem{Severity: problem.Note, Name: problem.DotFiles, Pos: pos,
		Message: fmt.Sprintf("dot-files of the source folder are not copied: %s", pageedit.SomePages(p.LeftOut)),
		Remedy:  "name those that your server needs under site: also: [" + filepath.Base(p.LeftOut[0]) + "]"}
}
