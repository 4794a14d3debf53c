package visits

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/zeebo/xxh3"

	"yellowgate/internal/browser"
	"yellowgate/internal/core/page"
	"yellowgate/internal/core/pageload"
	"yellowgate/internal/core/wording"
	"yellowgate/internal/parallel"
	"yellowgate/internal/result"
)

// mostProofs is how many pages of different structure a file is taken out of to prove that they do not need it.
const mostProofs = 20

// A proving is a page that is held against itself without some files.
type proving struct {
	page *page.Page
	uses []*result.Use
	what []string // for each, in what the page differs; "" for nothing
	// unknown says why nothing can be proved on the page, which then keeps the files.
	unknown string
}

// Prove takes each file that seems idle, and has no proof against it yet, out of pages that do not use it, one
// page of each structure, and holds them against what they were, after the same steps. It says of each use what
// that proved. The browser has Steps.
func (s *Seen) Prove(ctx context.Context, r *Visitor, screen browser.Screen, progress parallel.Progress) error {
	list, alike := s.toProve(r)
	tried, failed, unknown := map[*result.Use]int{}, map[*result.Use]string{}, map[string]string{}
	err := parallel.InOrderBy(ctx, r.AtATime(), len(list), func(i int) (*proving, error) {
		return list[i], r.prove(list[i], screen)
	}, func(i int, x *proving) error {
		if progress != nil {
			progress(i+1, len(list))
		}
		if x.unknown != "" {
			unknown[s.structure[x.page.Path]] = x.unknown
			return nil
		}
		for k, u := range x.uses {
			if tried[u]++; failed[u] == "" && x.what[k] != "" {
				failed[u] = x.page.Path + " " + x.what[k]
			}
		}
		return nil
	})
	for u, all := range alike {
		idle, kept := s.apart(u, unknown)
		if len(idle) == 0 {
			u.Proof = "every page " + kept
			continue
		}
		u.Idle = idle
		slices.Sort(u.On)
		u.Certainty, u.Proof = proofOf(tried[u], len(idle), failed[u], all)
		if kept != "" {
			u.Proof += "; kept where the page " + kept
		}
	}
	return err
}

// toProve are the pages on which something is to be proved, one of each structure for each file. alike has the
// files: whether a page of each structure that does not use it is looked at.
func (s *Seen) toProve(r *Visitor) (list []*proving, alike map[*result.Use]bool) {
	pages := map[string]*page.Page{}
	for i := range r.project.Pages {
		pages[r.project.Pages[i].Path] = &r.project.Pages[i]
	}
	by := map[string]*proving{}
	alike = map[*result.Use]bool{}
	for i := range s.Uses {
		u := &s.Uses[i]
		if r.running != "" {
			u.Proof = "the site runs, and cannot be looked at without it: capture it, and name the folder"
		}
		if len(u.Idle) == 0 || u.Proof != "" {
			continue
		}
		met := map[string]bool{}
		alike[u] = true
		for _, p := range u.Idle {
			if met[s.structure[p]] {
				continue
			}
			if alike[u] = len(met) < mostProofs; !alike[u] {
				break
			}
			met[s.structure[p]] = true
			if by[p] == nil {
				by[p] = &proving{page: pages[p]}
				list = append(list, by[p])
			}
			by[p].uses = append(by[p].uses, u)
		}
	}
	return list, alike
}

// apart takes the pages of which nothing can be proved from those that do not use a file: they keep it. why says
// what such a page does.
func (s *Seen) apart(u *result.Use, unknown map[string]string) (idle []string, why string) {
	for _, p := range u.Idle {
		if x := unknown[s.structure[p]]; x != "" {
			u.On, why = append(u.On, p), x
		} else {
			idle = append(idle, p)
		}
	}
	return idle, why
}

// proofOf says what n pages looked at without a file prove for all that do not use it, of which it is one of each
// structure where alike. failed says what differs on one.
func proofOf(n, all int, failed string, alike bool) (certainty, proof string) {
	without := "without it nothing differs on " + wording.Count(n, "page")
	switch {
	case failed != "":
		return "", failed
	case !alike:
		return "likely", without + "; others have another structure, and were not tried"
	case n == all:
		return "proved", without
	}
	return "proved", fmt.Sprintf("%s, and the other %s have the same structure", without, wording.Number(all-n))
}

// unseen says what a page does whose outcome a folder does not show; "" for nothing.
func unseen(r *pageload.Record) string {
	if r.Cut != "" {
		return "is not seen to its end: " + r.Cut
	}
	for i := range r.Requests {
		switch q := &r.Requests[i]; {
		case q.Kind == "script" && q.Failed == pageload.NotCalled:
			return "loads a third party's script, which was not called and may need it (--network, or --host for a stand-in)"
		case q.Method != "GET" && q.Method != "HEAD" && q.Method != "OPTIONS":
			return "posts to " + q.Target + ", and what follows the answer is not seen"
		case q.Kind == "fetch" && q.Lost() != "":
			return "fetches " + q.Target + ", which brought nothing here: what it does with the answer is not seen"
		}
	}
	return ""
}

// prove visits a page as it is and without the files: all of them at once, and where that differs, one by one.
func (r *Visitor) prove(x *proving, screen browser.Screen) error {
	was, err := r.visitWithout(x.page, screen, nil)
	if err != nil {
		return err
	}
	x.what = make([]string, len(x.uses))
	if x.unknown = unseen(was); x.unknown != "" {
		return nil
	}
	differs := func(uses []*result.Use) (string, error) {
		is, err := r.visitWithout(x.page, screen, uses)
		if err != nil {
			return "", err
		}
		return pageload.Differs(was, is, func(target string) bool {
			return slices.ContainsFunc(uses, func(u *result.Use) bool { return u.Target == target })
		}), nil
	}
	all, err := differs(x.uses)
	if err != nil || all == "" {
		return err
	}
	itself, err := differs(nil)
	if err != nil {
		return err
	}
	if itself == "" { // what differs once and not again is of the page, too
		again, err := differs(x.uses)
		if err != nil {
			return err
		}
		if again == "" {
			itself = all
		}
	}
	if itself != "" {
		x.unknown = "differs each time it is loaded, " + itself
		return nil
	}
	return x.oneByOne(all, differs)
}

// oneByOne finds which files a page needs that differs without all of them. differs says in what it does without
// some.
func (x *proving) oneByOne(all string, differs func([]*result.Use) (string, error)) error {
	if len(x.uses) == 1 {
		x.what[0] = "differs without it, " + all
		return nil
	}
	var left []*result.Use
	for i, u := range x.uses {
		what, err := differs([]*result.Use{u})
		if err != nil {
			return err
		}
		if what == "" {
			left = append(left, u)
			continue
		}
		x.what[i] = "differs without it, " + what
	}
	if len(left) < 2 {
		return nil
	}
	all, err := differs(left)
	if all != "" { // one of them does the work of another
		for i := range x.what {
			x.what[i] = cmp.Or(x.what[i], "differs without all that seems idle, "+all)
		}
	}
	return err
}

// visitWithout visits a page from which files were taken out, each with all that belongs to its item.
func (r *Visitor) visitWithout(pg *page.Page, screen browser.Screen, uses []*result.Use) (*pageload.Record, error) {
	text, err := r.text(pg)
	if err != nil {
		return nil, err
	}
	whole, _, err := r.asText(pg, text)
	if err != nil {
		return nil, err
	}
	var b []byte
	at := 0
	for i := range whole.Record.Elements {
		e := &whole.Record.Elements[i]
		if e.Offset < at || !slices.ContainsFunc(uses, func(u *result.Use) bool {
			return u.Item != "" && e.Item == u.Item || u.Item == "" && e.Loads && e.Target == u.Target
		}) {
			continue
		}
		b = append(b, text[at:e.Offset]...)
		at = e.Offset + e.Length
	}
	r.texts.Store(pg.Key(), append(b, text[at:]...))
	defer r.texts.Delete(pg.Key())
	o := r.Visit(r.project.Gate.Site.BasePath()+pg.Path, screen)
	if o.Unread == "" {
		o.Settle(whole.Record.Base)
	}
	return o, nil
}

// structureOf is what pages of one make have alike: the tags and classes of their elements, and their scripts.
func structureOf(o *result.Opened) string {
	if len(o.Sights) == 0 {
		return o.Path
	}
	names := map[string]bool{}
	for _, b := range o.Sights[0].Boxes {
		tag, rest, _ := strings.Cut(b.Of, "#")
		_, class, _ := strings.Cut(rest, ".")
		names[tag+"."+class] = true
	}
	for i := range o.Text.Elements {
		if e := &o.Text.Elements[i]; e.IsScript() {
			names[e.Target+" "+e.Digest] = true
		}
	}
	list := make([]string, 0, len(names))
	for n := range names {
		list = append(list, n)
	}
	slices.Sort(list)
	return fmt.Sprintf("%x", xxh3.HashString(strings.Join(list, " ")))
}
