package siteaudit_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/decisions"
	"yellowgate/internal/demo"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/siteaudit"
	"yellowgate/internal/sitecheck"
	"yellowgate/internal/sitecompare"
	"yellowgate/internal/sitediff"
	"yellowgate/internal/suggest"
	"yellowgate/internal/survey"
)

// a work is something that commands do with a project.
type work struct {
	name string
	do   func(p *project.Project) (any, error)
}

// works are what a program that stays would do again and again.
func works(ctx context.Context, dir string) []work {
	return []work{
		{name: "check", do: func(p *project.Project) (any, error) {
			r, err := sitecheck.Check(ctx, p, nil, nil)
			if err != nil {
				return nil, err
			}
			var tally []string
			for _, c := range r.Tally {
				tally = append(tally, fmt.Sprintf("%s in %d found %d", c.Item.Name, c.In, c.Found))
			}
			return []any{r.Problems, tally, r.Pages, r.Files, r.Fragments}, nil
		}},
		{name: "diff", do: func(p *project.Project) (any, error) {
			r, err := sitediff.Diff(ctx, p, "", nil)
			if err != nil {
				return nil, err
			}
			return []any{r.Pages, r.Items, r.Breaks, r.Gone, r.Total, r.Others}, nil
		}},
		{name: "audit", do: func(p *project.Project) (any, error) {
			r, err := siteaudit.Audit(ctx, siteaudit.Options{Dir: p.Output, Project: p, NoCache: true, Records: true})
			return r, err
		}},
		{name: "audit again", do: func(p *project.Project) (any, error) {
			r, err := siteaudit.Audit(ctx, siteaudit.Options{Dir: p.Output, Project: p})
			if err != nil {
				return nil, err
			}
			return []any{r.Findings, r.Totals, r.ByPage}, nil
		}},
		{name: "compare", do: func(p *project.Project) (any, error) {
			r, err := sitecompare.Compare(ctx,
				sitecompare.Options{Before: filepath.Join(dir, "site"), After: filepath.Join(dir, "public"),
					Project: p, Diffs: true})
			if err != nil {
				return nil, err
			}
			return r.Result, nil
		}},
		{name: "suggest", do: func(p *project.Project) (any, error) { return suggest.Suggest(ctx, p, nil) }},
		{name: "survey", do: func(p *project.Project) (any, error) {
			var paths []string
			r, err := survey.Folder(ctx, p.Source, p, nil,
				func(r *inventory.Record) error { paths = append(paths, r.Path); return nil })
			return []any{r, paths}, err
		}},
		{name: "where", do: func(p *project.Project) (any, error) {
			r, n, err := decisions.WhereAll(ctx, p, nil)
			return []any{r, n}, err
		}},
		{name: "find",
			do: func(p *project.Project) (any, error) { return survey.Find(ctx, p.Source, "script[src]", p, nil) }},
		{name: "pages", do: func(p *project.Project) (any, error) { return decisions.Pages(ctx, p, "has(form)", true, nil) }},
	}
}

func openIn(t testing.TB, dir string) *project.Project {
	t.Helper()
	p, _, err := project.Open(filepath.Join(dir, "yellowgate.yaml"), project.Options{Day: "2026-11-29"})
	if err == nil {
		err = p.Walk()
	}
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestTogether: in one process, everything at once, on projects of their own and on one that all
// share, comes to what each comes to alone; and so it does again once the gate file, the pages and
// the output have changed.
func TestTogether(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tern-hill")
	if _, err := demo.Write(dir); err != nil {
		t.Fatal(err)
	}
	apply := func() {
		t.Helper()
		if _, err := publish.Apply(context.Background(), openIn(t, dir), publish.Options{}); err != nil {
			t.Fatal(err)
		}
	}
	apply()
	told := func(w work, p *project.Project) string {
		r, err := w.do(p)
		if err != nil {
			return w.name + ": " + err.Error()
		}
		text, err := json.MarshalIndent(r, "", " ")
		if err != nil {
			return w.name + ": " + err.Error()
		}
		return string(text)
	}
	edit := func(name string, from, to string) {
		t.Helper()
		full := filepath.Join(dir, filepath.FromSlash(name))
		b, err := os.ReadFile(full)
		if err != nil || !strings.Contains(string(b), from) {
			t.Fatalf("%s has no %q: %v", name, from, err)
		}
		write(t, full, strings.Replace(string(b), from, to, 1))
	}
	seen := map[string][]string{}
	for round, change := range []func(){
		func() {},
		func() {
			edit("yellowgate.yaml", "\nitems:\n", "\nitems:\n  late-note: {code: '<p>late</p>', pages: /visit/}\n")
		},
		func() {
			edit("site/visit/index.html", "</body>", "<form class=late></form><script src=/js/none.js></script></body>")
		},
		apply,
		func() { edit("public/press/index.html", "</body>", "<p>by hand</p></body>") },
	} {
		change()
		list := works(t.Context(), dir)
		alone := make([]string, len(list))
		for i, w := range list {
			alone[i] = told(w, openIn(t, dir))
			seen[w.name] = append(seen[w.name], alone[i])
		}
		shared := openIn(t, dir)
		var group sync.WaitGroup
		for i, w := range list {
			for k := range 2 {
				p := shared
				if k == 0 {
					p = openIn(t, dir)
				}
				group.Go(func() {
					if got := told(w, p); got != alone[i] {
						t.Errorf("round %d: %s, with others at once: %s", round, w.name, whereDiffers(got, alone[i]))
					}
				})
			}
		}
		group.Wait()
	}
	for name, results := range seen { // the changes are seen by what should see them
		if name != "find" && name != "survey" && name != "pages" && len(slices.Compact(slices.Clone(results))) < 2 {
			t.Errorf("%s said the same in all rounds", name)
		}
	}
}
