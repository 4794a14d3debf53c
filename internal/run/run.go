// Package run is what the commands do, as functions: a project or a folder in,
// results out. It reads folders and calls the core; it prints nothing.
package run

import (
	"path/filepath"
	"strings"

	"yellowgate/internal/core/gatecheck"
	"yellowgate/internal/core/gatefile"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageedit"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/verdict"
	"yellowgate/internal/project"
	"yellowgate/internal/site"
)

// Progress is told how many of the files are done. It may be called from several
// goroutines, and may be nil.
type Progress func(done, total int)

// A Rule is the line of a gate file that decided, as machine-readable formats
// have it.
type Rule struct {
	File string `json:"file"`
	Line int    `json:"line"`
}

func ruleOf(p problem.Position) Rule { return Rule{p.File, p.Line} }

// Gated is the verdict for one item on one page, as formats have it.
type Gated struct {
	Page    string `json:"page"`
	Item    string `json:"item"`
	Verdict string `json:"verdict"` // in, out
	Reason  string `json:"reason"`
	Rule    Rule   `json:"rule"`
	Present int    `json:"present"` // complete copies on the page
}

func gatedOf(pg string, v *verdict.Verdict, present int) Gated {
	return Gated{pg, v.Item.Name, v.Word(), string(v.Reason), ruleOf(v.Rule), present}
}

// CheckResult is what check found out.
type CheckResult struct {
	Project  *project.Project
	Problems []problem.Problem
	Tally    Tally
	Pages    int // that are no fragments
	Files    int // of HTML
	// Fragments are the files of HTML that are no pages of their own.
	Fragments []string
	Rules     []gatecheck.RuleCount
}

// Tally is on how many pages each item is in, in the gate file's order.
type Tally []ItemCount

// An ItemCount is one item with its counts.
type ItemCount struct {
	Item  *gatefile.Item
	In    int // pages it is in on
	Found int // pages whose source has elements it is found by
}

// all gates every page and hands the results over in order.
func all(p *project.Project, progress Progress, each func(i int, r *pageedit.Result) error) error {
	return site.InOrder(len(p.Pages), func(i int) (*pageedit.Result, error) {
		b, err := p.Read(&p.Pages[i])
		if err != nil {
			return nil, err
		}
		return p.Gate.Page(b, p.Pages[i]), nil
	}, func(i int, r *pageedit.Result) error {
		if progress != nil {
			progress(i+1, len(p.Pages))
		}
		return each(i, r)
	})
}

// filesOf answers whether a folder has a file or a page at a path.
func filesOf(files []site.File, pages []page.Page) (hasFile, hasPage func(string) bool) {
	names := make(map[string]bool, len(files))
	for _, f := range files {
		names["/"+page.Clean("/" + f.Path)[1:]] = true
		names["/"+f.Path] = true
	}
	keys := make(map[string]bool, len(pages))
	for i := range pages {
		keys[pages[i].Key()] = true
	}
	hasPage = func(path string) bool { return keys[page.Key(path)] }
	hasFile = func(path string) bool {
		return names[path] || strings.HasSuffix(path, "/") && hasPage(path) || !strings.Contains(filepath.Base(path), ".") && hasPage(path) || names[page.Clean(path)]
	}
	return hasFile, hasPage
}
