package run

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/gating"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/presence"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// Check reads the gate file against the site and writes nothing. problems are
// those that opening the project told already.
func Check(p *project.Project, problems []problem.Problem, progress Progress) (*CheckResult, error) {
	r := &CheckResult{Project: p, Problems: append(problems, p.CheckPages()...), Files: len(p.Pages)}
	t := checks.NewTally(p.Gate)
	var onPages []gating.Problem
	var places gating.Places
	needs := slices.ContainsFunc(p.Gate.File.Items, func(it *gatefile.Item) bool { return len(it.Needs)+len(it.Before)+len(it.After) > 0 })
	hasFile, _ := filesOf(p.Files, p.Pages)
	files := sync.OnceValue(func() (paths []string) {
		for _, f := range p.Files {
			paths = append(paths, "/"+f.Path)
		}
		return paths
	})
	var popups []*gatefile.Item
	for _, it := range p.Gate.File.Items {
		if it.Popup() != nil {
			popups = append(popups, it)
		}
	}
	var reach checks.Reach
	losses := newLosses(p)
	idle := unwritten{pages: map[string][]string{}}
	// one is a page, looked at by itself.
	type one struct {
		*gating.Result
		problems []gating.Problem
		lines    *checks.Lines
		popups   *checks.Popups
	}
	err := site.InOrder(len(p.Pages), func(i int) (one, error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return one{}, err
		}
		g := p.Gate.Page(b, p.Pages[i])
		x := one{Result: g, problems: slices.Concat(g.Problems, g.Clashes()), lines: t.Look(g)}
		if (needs || len(popups) > 0) && !g.Fragment {
			pass := asWritten(p, g, nil)
			if len(popups) > 0 {
				x.popups = checks.PopupsOf(pass)
			}
			if needs {
				x.problems = slices.Concat(x.problems, lateNeeds(p, pass), outOfOrder(pass))
			}
		}
		x.problems = slices.Concat(x.problems, losses.page(g), required(p, g), droppedNoindex(g), g.MissingFiles(hasFile, files))
		return x, nil
	}, func(i int, x one) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		if x.Fragment {
			r.Fragments = append(r.Fragments, x.Page.File)
		}
		t.Add(x.Page.Path, x.lines)
		places.Add(x.Result)
		onPages = append(onPages, x.problems...)
		reach.Add(x.Page.Path, x.Page.File, x.popups)
		idle.add(x.Result)
		return nil
	})
	if err != nil {
		return nil, err
	}
	r.Pages = t.Pages
	r.Problems = append(r.Problems, project.GroupProblems(p.Gate.File, onPages)...)
	r.Problems = append(r.Problems, places.Problems()...)
	loaded := sync.OnceValue(func() []string { return loadedURLs(p) })
	r.Problems = append(r.Problems, t.Problems(loaded)...)
	r.Problems = append(r.Problems, builtAndMissing(p.Gate.File, hasFile)...)
	if len(p.LeftOut) > 0 {
		r.Problems = append(r.Problems, leftOut(p))
	}
	r.Problems = append(r.Problems, sameURL(p.Gate.File)...)
	r.Problems = append(r.Problems, idle.problems(p.Gate.File)...)
	for _, f := range reach.Unreachable() {
		r.Problems = append(r.Problems, problem.Problem{Severity: problem.Warning, Pos: problem.Position{File: f.File, Line: f.Line, Column: f.Column}, Message: f.Message, Remedy: f.Remedy})
	}
	for _, path := range p.Gate.File.Unused() {
		r.Problems = append(r.Problems, problem.Problem{Severity: problem.Note, Pos: p.Gate.File.Site.Manifest.Pos,
			Message: "no item uses the built file " + path, Remedy: "give it an item, or leave it to the pages that load it themselves"})
	}
	for i := range r.Problems {
		if text := p.Gate.File.TextOf(r.Problems[i].Pos.File); r.Problems[i].Line == "" && text != nil {
			r.Problems[i].Line = project.LineOf(text, r.Problems[i].Pos.Line)
		}
	}
	problem.Sort(r.Problems)
	for i, it := range p.Gate.File.Items {
		r.Tally = append(r.Tally, ItemCount{it, t.In[i], t.Found[i]})
	}
	return r, nil
}

// asWritten takes a page as apply would write it.
func asWritten(p *project.Project, g *gating.Result, w inventory.Weights) *checks.Pass {
	record := presence.Take(g.File, g.Page, p.Gate, w)
	return &checks.Pass{Record: record.Record, Gated: presence.Compare(record, g)}
}

// required tells of metadata that the page would lack.
func required(p *project.Project, g *gating.Result) (out []gating.Problem) {
	if g.Fragment {
		return nil
	}
	for _, q := range p.Gate.File.Require {
		if !checks.Chosen(q.Pages, g) {
			continue
		}
		for _, key := range q.Keys {
			if w := verdict.Winner(g.Metadata(key.Value)); w == nil || w.None {
				out = append(out, gating.Problem{Page: g.Page.Path, Problem: problem.Problem{Severity: problem.Warning, Pos: key.Pos,
					Message: key.Value + " is required, and the page would have none", Remedy: "give it one by a rule under metadata or defaults, or in the page"}})
			}
		}
	}
	return out
}

// droppedNoindex tells of a rule, or a line of per-page, that takes back a noindex
// that an earlier rule set.
func droppedNoindex(g *gating.Result) (out []gating.Problem) {
	if g.Fragment {
		return nil
	}
	stack := g.Metadata("robots")
	w := verdict.Winner(stack)
	if w == nil || w.Key == nil || w.Level == verdict.FromDefaults || noindexed(w) {
		return nil
	}
	for i := range stack {
		c := &stack[i]
		if c != w && c.Level == verdict.FromMetadata && c.Stands() && noindexed(c) {
			return []gating.Problem{{Page: g.Page.Path, File: g.Page.File, Problem: problem.Problem{Severity: problem.Warning, Pos: w.Rule,
				Message: fmt.Sprintf("this robots takes back the noindex of %s", c.Rule), Remedy: "add noindex to it, if these pages shall stay out of search engines"}}}
		}
	}
	return nil
}

func noindexed(c *verdict.Candidate) bool {
	for w := range strings.SplitSeq(strings.ToLower(c.Value), ",") {
		if strings.TrimSpace(w) == "noindex" {
			return !c.None
		}
	}
	return false
}

// unwritten counts pages on which an item is in and a part of it writes nothing.
type unwritten struct{ pages map[string][]string }

func (u *unwritten) add(g *gating.Result) {
	for i := range g.Verdicts {
		it := g.Verdicts[i].Item
		if !g.Verdicts[i].In || g.Fragment {
			continue
		}
		for k, part := range it.Parts {
			if part.Kind == gatefile.Structured && !slices.ContainsFunc(g.Written, func(w gating.Written) bool { return w.Item == i && w.Part == k }) {
				u.pages[it.Name] = append(u.pages[it.Name], g.Page.Path)
			}
		}
	}
}

func (u *unwritten) problems(g *gatefile.Gate) (out []problem.Problem) {
	for _, it := range g.Items {
		if paths := u.pages[it.Name]; len(paths) > 0 {
			out = append(out, problem.Problem{Severity: problem.Note, Pos: it.Pos,
				Message: fmt.Sprintf("item %q writes no structured data where the list fact is missing (on %s)", it.Name, project.SomePages(paths)), Remedy: "give these pages the fact, or keep the item out of them"})
		}
	}
	return out
}

// loadedURLs lists what the site's pages load: a second reading, for what somebody meant.
func loadedURLs(p *project.Project) []string {
	seen := map[string]bool{}
	site.InOrder(len(p.Pages), func(i int) ([]string, error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return nil, err
		}
		return p.Gate.Look(b, p.Pages[i]).Loads(), nil
	}, func(_ int, urls []string) error {
		for _, u := range urls {
			seen[u] = len(seen) < mostURLs || seen[u]
		}
		return nil
	})
	return slices.Sorted(maps.Keys(seen))
}

// mostURLs bounds what is kept to suggest from.
const mostURLs = 20_000

// builtAndMissing reports files that the build manifest names and the site lacks.
func builtAndMissing(g *gatefile.Gate, has func(string) bool) (out []problem.Problem) {
	if g.Manifest == nil {
		return nil
	}
	for _, path := range g.Manifest.Files() {
		if strings.HasPrefix(path, "/") && !strings.HasPrefix(path, "//") && !has(path) {
			out = append(out, problem.Problem{Severity: problem.Error, Pos: g.Site.Manifest.Pos,
				Message: fmt.Sprintf("the build manifest names %s, and the site has no such file", path), Remedy: "run the build again, or copy its files into the source folder"})
		}
	}
	return out
}

// leftOut reports dot-files of the source that are not copied.
func leftOut(p *project.Project) problem.Problem {
	pos := p.Gate.File.Site.Source.Pos
	return problem.Problem{Severity: problem.Note, Pos: pos,
		Message: fmt.Sprintf("dot-files of the source folder are not copied: %s", project.SomePages(p.LeftOut)), Remedy: "name those that your server needs under site: also: [" + filepath.Base(p.LeftOut[0]) + "]"}
}

// outOfOrder looks at a page as apply would write it for lines of before and after that
// it does not keep.
func outOfOrder(pass *checks.Pass) (out []gating.Problem) {
	checks.OutOfOrder(pass, func(line gatefile.Text, f checks.Finding) {
		out = append(out, gating.Problem{Page: pass.Path, Problem: problem.Problem{Severity: problem.Error, Pos: line.Pos, Message: f.Message, Remedy: f.Remedy}})
	})
	return out
}

// lateNeeds looks at a page as apply would write it for needs that would run
// late there: with found parts, only the page shows.
func lateNeeds(p *project.Project, pass *checks.Pass) (out []gating.Problem) {
	for _, f := range checks.LateNeeds(pass) {
		it := p.Gate.File.Item(f.Item)
		out = append(out, gating.Problem{Page: pass.Path, Problem: problem.Problem{Severity: problem.Error, Pos: it.Needs[0].Pos, Message: f.Message, Remedy: f.Remedy}})
	}
	return out
}

// sameURL tells of two items that carry one URL.
func sameURL(g *gatefile.Gate) (problems []problem.Problem) {
	first := map[string]*gatefile.Item{}
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if !p.Kind.Tagged() {
				continue
			}
			if other := first[p.Text]; other != nil && other != it {
				problems = append(problems, problem.Problem{Severity: problem.Warning, Pos: p.Pos,
					Message: "items \"" + it.Name + "\" and \"" + other.Name + "\" both carry " + p.Text,
					Remedy:  "make it an item of its own that both need"})
			}
			if first[p.Text] == nil {
				first[p.Text] = it
			}
		}
	}
	return problems
}
