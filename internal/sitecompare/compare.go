// Package sitecompare compares two folders of pages, or saved audits.
package sitecompare

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"yellowgate/internal/core/audit"
	"yellowgate/internal/core/check"
	"yellowgate/internal/core/checks"
	"yellowgate/internal/core/compare"
	"yellowgate/internal/core/didyoumean"
	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pagechange"
	"yellowgate/internal/failure"
	"yellowgate/internal/fsys"
	"yellowgate/internal/parallel"
	"yellowgate/internal/project"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
	"yellowgate/internal/siteaudit"
)

// Options say what to compare, and how.
type Options struct {
	Before, After string           // folders of pages, or saved audits
	Project       *project.Project // says which items things belong to; may be nil
	Page          string           // compare one page alone, and show what differs
	Diffs         bool             // show what else differs on every page
	Roughly       bool             // leave out what inline texts weigh compressed, and what is not compared
	Progress      parallel.Progress

	texts bool // of both sides are at hand
}

// Compare compares two folders of pages, or saved audits.
func Compare(ctx context.Context, o Options) (*result.Comparison, error) {
	o.texts = isFolder(o.Before) && isFolder(o.After)
	b, err := side(ctx, o.Before, o)
	if err != nil {
		return nil, err
	}
	a, err := side(ctx, o.After, o)
	if err != nil {
		return nil, err
	}
	if o.Page != "" {
		if err := onePage(o.Page, b, a); err != nil {
			return nil, err
		}
	}
	if b.gated != a.gated { // only one of them can be compared with the gate
		b.Findings, a.Findings = withoutGate(b.Findings), withoutGate(a.Findings)
	}
	if b.dir == "" || a.dir == "" { // a saved audit has no containers: they are not compared
		for _, s := range []*gatedSide{b, a} {
			for _, r := range s.Records {
				r.Extras = nil
			}
		}
	}
	c := &result.Comparison{
		Result: compare.Compare(&b.Side, &a.Side, changes(ctx, b, a)),
		Before: b.audit,
		After:  a.audit,
	}
	if !o.Diffs && o.Page == "" {
		for i := range c.Rests {
			c.Rests[i].Diff = ""
		}
	}
	c.After.Findings = a.Findings
	accepted := c.After.Totals.Accepted
	c.After.Totals = audit.Count(c.After.ByPage, slices.Values(a.Findings))
	c.After.Totals.Accepted = accepted
	return c, nil
}

// isFolder reports whether a side is a folder of pages.
func isFolder(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.IsDir()
}

// onePage leaves one page on both sides.
func onePage(name string, sides ...*gatedSide) error {
	key := page.Key(name)
	var paths []string
	found := false
	for _, s := range sides {
		var one []*inventory.Record
		for _, r := range s.Records {
			if paths = append(paths, r.Path); page.Key(r.Path) == key || r.File == strings.TrimPrefix(name, "/") {
				one = append(one, r)
			}
		}
		s.Records, found = one, found || len(one) > 0
		s.Findings = slices.DeleteFunc(slices.Clone(s.Findings),
			func(f check.Finding) bool { return len(one) == 0 || f.Page != one[0].Path })
	}
	if !found {
		return &failure.Usage{
			Message: fmt.Sprintf("no page %q on either side%s", name, didyoumean.Suggest(name, paths)),
			Remedy:  "name it by its path: yellowgate compare site public /visit/",
		}
	}
	return nil
}

// changes reads the pages of two folders for what differs besides what is listed; nil where a
// side is a saved audit.
func changes(ctx context.Context, b, a *gatedSide) func([]compare.Cut) []compare.Changes {
	if b.dir == "" || a.dir == "" {
		return nil
	}
	return func(cuts []compare.Cut) []compare.Changes {
		out := make([]compare.Changes, len(cuts))
		_ = parallel.Each(ctx, len(cuts), func(i int) error { // what cannot be read is not known
			was, is := cuts[i].Was, cuts[i].Is
			var berr, aerr error
			was.File, berr = site.ReadFile(b.dir, cuts[i].Before)
			is.File, aerr = site.ReadFile(a.dir, cuts[i].After)
			if berr == nil && aerr == nil {
				out[i] = compare.Changes{List: pagechange.Between(was, is), Known: true}
			}
			return nil
		})
		return out
	}
}

// gatedSide is a side, and whether it was compared with the gate.
type gatedSide struct {
	compare.Side
	gated bool
	audit *result.Audit
	dir   string // where its pages are; "" for a saved audit
}

func withoutGate(fs []check.Finding) (out []check.Finding) {
	for _, f := range fs {
		if c := checks.Named(f.Check); c == nil || c.Family != "gate" {
			out = append(out, f)
		}
	}
	return out
}

// side reads one side: a folder, or an audit saved as JSON.
func side(ctx context.Context, name string, from Options) (*gatedSide, error) {
	project := from.Project
	info, err := os.Stat(name)
	if err != nil {
		return nil, &failure.Path{
			Path: name,
			Err:  err,
			What: "name a folder of pages, or an audit saved with --format json",
		}
	}
	if !info.IsDir() {
		return saved(name)
	}
	o := siteaudit.Options{
		Dir:  filepath.Clean(name),
		Name: name, Records: true, Roughly: from.Roughly, Lean: from.Roughly && from.texts, Progress: from.Progress,
	}
	if project != nil {
		o.Address, o.Names = project.Gate.File.Site.URL.Value, project.Gate
		if abs, err := filepath.Abs(name); err == nil && abs == project.Output {
			o.Dir, o.Project = abs, project
		}
	}
	r, err := siteaudit.Audit(ctx, o)
	if err != nil {
		return nil, err
	}
	return &gatedSide{compare.Side{Name: name, Records: r.Records, Findings: r.Findings}, o.Project != nil, r, o.Dir}, nil
}

// saved reads an audit that was saved as JSON.
func saved(name string) (*gatedSide, error) {
	b, err := fsys.Read(name, fsys.StateLimit)
	if err != nil {
		return nil, &failure.Path{Path: name, Err: err}
	}
	var r result.Audit
	if err := json.Unmarshal(b, &r); err != nil || r.Format != result.AuditFormat {
		return nil, &failure.Usage{
			Message: name + " is not a saved audit of this format (" + result.AuditFormat + ")",
			Remedy:  "save one with yellowgate audit --format json --out FILE",
		}
	}
	r.Dir = name
	for _, rec := range r.Records {
		rec.Restore()
		cost := rec.Cost()
		r.Requests += cost.Requests
		r.Bytes += int64(rec.Bytes + cost.Loaded)
	}
	return &gatedSide{compare.Side{Name: name, Records: r.Records, Findings: r.Findings, Rendered: r.Rendered},
		r.Gate != "", &r, ""}, nil
}
