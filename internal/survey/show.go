package survey

import (
	"bytes"
	"cmp"

	"yellowgate/internal/core/inventory"
	"yellowgate/internal/core/itemmatch"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/problem"
	"yellowgate/internal/core/weburl"
	"yellowgate/internal/failure"
	"yellowgate/internal/project"
	"yellowgate/internal/publish"
	"yellowgate/internal/result"
	"yellowgate/internal/site"
)

// Which is the state of a page that show reads.
type Which uint8

const (
	Written Which = iota // the output folder's; what apply would write where that is missing or behind
	Next                 // what apply would write
	Source               // the page before the gate
)

// Show reads one page of a project.
func Show(p *project.Project, pg *page.Page, which Which) (*result.Show, error) {
	src, err := p.Read(pg)
	if err != nil {
		return nil, err
	}
	r := &result.Show{Text: src, From: "source"}
	dir := p.Source
	gated := p.Gate.Page(src, *pg)
	if which != Source {
		g := gated
		if err := project.Refusal(project.GroupProblems(p.Gate.File, g.Problems)); err != nil {
			return nil, err
		}
		r.Text, r.From = g.File, "next"
		if which == Written && p.Output != "" {
			if err := showWritten(r, p, pg, g.File); err != nil {
				return nil, err
			}
		}
		if r.From == "output" {
			dir = p.Output
		}
	}
	w := site.NewWeights(dir, nil)
	if which != Source {
		r.Record = itemmatch.Read(r.Text, gated, p.Gate, w).Record
		return r, nil
	}
	r.Record = itemmatch.Take(r.Text, *pg, p.Gate, w).Record
	itemmatch.NameAll(r.Record, p.Gate)
	r.Record.LocateExtras()
	return r, nil
}

// written reads the page in the output folder, if that is up to date.
func showWritten(r *result.Show, p *project.Project, pg *page.Page, next []byte) error {
	st, err := publish.StatusOf(p, pg.File)
	if err != nil {
		return err
	}
	switch {
	case st.State == publish.Missing:
		r.Notice = "not applied yet: this is what apply would write"
	case bytes.Equal(st.Text, next):
		r.Text, r.From = st.Text, "output"
	case st.State == publish.Edited:
		r.Text, r.From = st.Text, "output"
		r.Notice = "the output file was changed after it was applied; --next shows what apply would write"
	default:
		r.Notice = "the output is behind the gate file: this is what apply would write"
	}
	return nil
}

// ShowFile takes the inventory of a page that belongs to no project.
func ShowFile(text []byte, path, file, dir string) *result.Show {
	known := page.Page{Path: page.Clean(path), File: file}
	if from, err := site.OpenFolder(dir, false); err == nil {
		if rel, err := site.Below(dir, file); err == nil {
			known.Answer = from.Answer(rel)
		}
	}
	var w inventory.Weights = site.NewWeights(dir, nil)
	if file == "-" {
		w = unsure{w}
	}
	return &result.Show{Text: text, From: "file", Record: inventory.Take(text, known, weburl.NewSite(""), w)}
}

// unsure are the weights of a page that may be of another site: what is not here may be there.
type unsure struct{ inventory.Weights }

// File implements inventory.Weights.
func (u unsure) File(path string) (bytes, gzip int, ok bool) {
	bytes, gzip, _ = u.Weights.File(path)
	return bytes, gzip, true
}

// ShowCaptured takes the inventory of the one page that a capture kept. With a project, its elements
// are given to the items that they belong to.
func ShowCaptured(dir string, p *project.Project) (*result.Show, error) {
	from, err := site.OpenFolder(dir, false)
	if err != nil {
		return nil, err
	}
	for _, c := range from.Captured() {
		if !site.IsPage(c.File) {
			continue
		}
		text, err := from.Read(c.File)
		if err != nil {
			return nil, err
		}
		answer := from.Answer(c.File)
		known := page.Page{Path: cmp.Or(answer.Path, page.Spelling{}.PathOf(c.File)), File: c.URL, Answer: answer}
		r := &result.Show{Text: text, From: "address"}
		w := site.NewWeights(dir, nil)
		if p == nil {
			r.Record = inventory.Take(text, known, weburl.NewSite(weburl.OriginOf(c.URL)), w)
			return r, nil
		}
		r.Record = itemmatch.Take(text, known, p.Gate, w).Record
		itemmatch.NameOwners(r.Record, p.Gate)
		return r, nil
	}
	return nil, &failure.Usage{Message: "no page came", Remedy: "name the address of a page"}
}

// Pipe gates one page given as bytes, as the page at a path.
func Pipe(p *project.Project, text []byte, path string) ([]byte, []problem.Problem, error) {
	known := page.Page{Path: p.Identify(path), File: "standard input"}
	known.Facts, known.Lists = p.Facts.ByPage[known.Key()], p.Facts.Lists[known.Key()]
	r := p.Gate.Page(text, known)
	ps := project.GroupProblems(p.Gate.File, r.Problems)
	if err := project.Refusal(ps); err != nil {
		return nil, nil, err
	}
	return r.File, ps, nil
}
