// Package gatecheck has what is to be said of a gate file that does not show in it alone: only the
// pages tell, as they are before the gate and as they would be after it.
package gatecheck

import (
	"fmt"
	"slices"
	"strings"

	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks/gate"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
)

// Required reports metadata that the page would lack.
func Required(g *pageedit.Result, file *gatefile.Gate) (out []pageedit.Problem) {
	if g.Fragment {
		return nil
	}
	for _, q := range file.Require {
		if !check.Chosen(q.Pages, g) {
			continue
		}
		for _, key := range q.Keys {
			if w := verdict.Winner(g.Metadata(key.Value)); w == nil || w.None {
				out = append(out, pageedit.Problem{Page: g.Page.Path, Problem: problem.Problem{
					Severity: problem.Warning, Name: problem.RequiredMissing, Pos: key.Pos,
					Message: key.Value + " is required, and the page would have none",
					Remedy:  "give it one by a rule under metadata or defaults, or in the page"}})
			}
		}
	}
	return out
}

// DroppedNoindex reports a rule, or a line of per-page, that takes back a noindex
// that an earlier rule set.
func DroppedNoindex(g *pageedit.Result) (out []pageedit.Problem) {
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
			return []pageedit.Problem{
				{
					Page: g.Page.Path,
					File: g.Page.File,
					Problem: problem.Problem{Severity: problem.Warning, Name: problem.NoindexUndone, Pos: w.Rule,
						Message: fmt.Sprintf("this robots takes back the noindex of %s", c.Rule),
						Remedy:  "add noindex to it, if these pages shall stay out of search engines"},
				},
			}
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

// Unwritten counts pages on which an item is in and a part of it writes nothing.
type Unwritten struct{ pages map[string][]string }

// Add takes in a page.
func (u *Unwritten) Add(g *pageedit.Result) {
	if u.pages == nil {
		u.pages = map[string][]string{}
	}
	for i := range g.Verdicts {
		it := g.Verdicts[i].Item
		if !g.Verdicts[i].In || g.Fragment {
			continue
		}
		for k, part := range it.Parts {
			if part.Kind == gatefile.Structured &&
				!slices.ContainsFunc(g.Written, func(w pageedit.Written) bool { return w.Item == i && w.Part == k }) {
				u.pages[it.Name] = append(u.pages[it.Name], g.Page.Path)
			}
		}
	}
}

// Problems reports the items of a gate file.
func (u *Unwritten) Problems(g *gatefile.Gate) (out []problem.Problem) {
	for _, it := range g.Items {
		if paths := u.pages[it.Name]; len(paths) > 0 {
			out = append(out, problem.Problem{Severity: problem.Note, Name: problem.UnwrittenListFact, Item: it.Name,
				Pos: it.Pos,
				Message: fmt.Sprintf("item %q writes no structured data where the list fact is missing (on %s)",
					it.Name, pageedit.SomePages(paths)),
				Remedy: "give these pages the fact, or keep the item out of them"})
		}
	}
	return out
}

// BuiltAndMissing reports files that the build manifest names and the site lacks.
func BuiltAndMissing(g *gatefile.Gate, has func(string) bool) (out []problem.Problem) {
	if g.Manifest == nil {
		return nil
	}
	for _, path := range g.Manifest.Files() {
		if strings.HasPrefix(path, "/") && !strings.HasPrefix(path, "//") && !has(path) {
			out = append(out, problem.Problem{Severity: problem.Error, Pos: g.Site.Manifest.Pos,
				Message: fmt.Sprintf("the build manifest names %s, and the site has no such file", path),
				Remedy:  "run the build again, or copy its files into the source folder"})
		}
	}
	return out
}

// OutOfOrder looks at a page as apply would write it for lines of before and after that
// it does not keep.
func OutOfOrder(pass *check.Pass) (out []pageedit.Problem) {
	gate.OutOfOrder(pass, func(line gatefile.Text, f check.Finding) {
		out = append(out,
			pageedit.Problem{Page: pass.Path,
				Problem: problem.Problem{Severity: problem.Error, Pos: line.Pos, Message: f.Message,
					Remedy: f.Remedy}})
	})
	return out
}

// LateNeeds looks at a page as apply would write it for needs that would run
// late there: with found parts, only the page shows.
func LateNeeds(pass *check.Pass, file *gatefile.Gate) (out []pageedit.Problem) {
	for _, f := range gate.LateNeeds(pass) {
		it := file.Item(f.Item)
		out = append(out,
			pageedit.Problem{Page: pass.Path,
				Problem: problem.Problem{Severity: problem.Error, Pos: it.Needs[0].Pos, Message: f.Message,
					Remedy: f.Remedy}})
	}
	return out
}

// SameURL reports two items that carry one URL.
func SameURL(g *gatefile.Gate) (problems []problem.Problem) {
	first := map[string]*gatefile.Item{}
	for _, it := range g.Items {
		for _, p := range it.Parts {
			if !p.Kind.Tagged() {
				continue
			}
			if other := first[p.Text]; other != nil && other != it {
				problems = append(problems, problem.Problem{Severity: problem.Warning, Name: problem.SharedURL,
					Item: it.Name, Pos: p.Pos,
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
